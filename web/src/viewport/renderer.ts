import {
  BufferAttribute,
  BufferGeometry,
  DirectionalLight,
  DoubleSide,
  Fog,
  FrontSide,
  Group,
  HemisphereLight,
  InstancedMesh,
  LineBasicMaterial,
  LineSegments,
  MeshLambertMaterial,
  NoToneMapping,
  PCFShadowMap,
  Scene,
  WebGLRenderer,
} from "three";
import { makeReady } from "./pictureCanvas";
import { port } from "./port";

/** What draws, in its own words. */
function drawnBy(): string {
  const gl = makeReady();
  const told = gl?.getExtension("WEBGL_debug_renderer_info");
  return String((told && gl?.getParameter(told.UNMASKED_RENDERER_WEBGL)) ?? "");
}

/** The viewport's canvas, its renderer and its lights; there is one of each, from before the page is built. */
export const canvas = document.createElement("canvas");
canvas.style.display = "block";
/** Whether there is no graphics card, and the processor draws. */
export const inSoftware = /swiftshader|llvmpipe|software|basic render/i.test(drawnBy());
export const renderer = new WebGLRenderer({ canvas, antialias: !inSoftware, powerPreference: "high-performance" });
renderer.toneMapping = NoToneMapping;
renderer.shadowMap.enabled = true;
renderer.shadowMap.type = PCFShadowMap;
renderer.shadowMap.autoUpdate = false;
// asking for a shader's errors waits for it
renderer.debug.checkShaderErrors = import.meta.env.DEV;

export const fog = new Fog("#ffffff", 100, 1000);
export const sun = new DirectionalLight("#fff3dd", 2.1);
sun.castShadow = true;
sun.shadow.mapSize.set(2048, 2048);
sun.shadow.bias = -0.0004;
sun.shadow.normalBias = 0.06;
sun.shadow.intensity = 0.55;
export const scene = new Scene();
scene.fog = fog;
scene.add(new HemisphereLight("#ffffff", "#b7a98f", 1.55), sun, sun.target);

/** One of each kind that levels are made of. */
function samples(): Group {
  const geometry = new BufferGeometry();
  geometry.setAttribute("position", new BufferAttribute(new Float32Array(9), 3));
  geometry.setAttribute("normal", new BufferAttribute(new Float32Array(9), 3));
  const all = new Group();
  const look = { polygonOffset: true, polygonOffsetFactor: 1, polygonOffsetUnits: 1 };
  for (const side of [FrontSide, DoubleSide] as const) {
    const surface = new InstancedMesh(geometry, new MeshLambertMaterial({ side, ...look }), 1);
    surface.castShadow = true;
    surface.receiveShadow = true;
    all.add(surface);
  }
  return all.add(new LineSegments(geometry, new LineBasicMaterial({ transparent: true })));
}

/**
 * Have the shaders of levels made, beside the script that builds the page and fetches the level, so that the first
 * picture need not wait for them.
 */
export function askForShaders(): void {
  renderer.compile(samples(), port.camera, scene);
}
