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
  Mesh,
  MeshLambertMaterial,
  NoToneMapping,
  PCFShadowMap,
  Scene,
  WebGLRenderer,
} from "three";
import { wasSeen } from "../../state/seen";
import { viewport } from "../../viewport/controller";
import { canvas, makeReady } from "./canvas";

const context = makeReady() ?? undefined;
const debugInfo = context?.getExtension("WEBGL_debug_renderer_info");
const drawnBy = String((debugInfo && context?.getParameter(debugInfo.UNMASKED_RENDERER_WEBGL)) ?? "");
/** Whether there is no graphics card, and the processor draws. */
export const inSoftware = /swiftshader|llvmpipe|software|basic render/i.test(drawnBy);
/** The viewport's renderer and its lights; there is one of each, from before the page is built. */
export const renderer = new WebGLRenderer({ canvas, ...(context && { context }) });
renderer.toneMapping = NoToneMapping;
renderer.shadowMap.enabled = true;
renderer.shadowMap.type = PCFShadowMap;
renderer.shadowMap.autoUpdate = false;
// asking for a shader's errors waits for it
renderer.debug.checkShaderErrors = import.meta.env.DEV;

/** Pixels of the canvas for each of the page. */
export const pixelRatio = (): number => Math.min(window.devicePixelRatio, 2);

export const fog = new Fog("#ffffff", 100, 1000);
export const sun = new DirectionalLight("#fff3dd", 2.1);
sun.castShadow = true;
// as fine as the picture, where the page is shown small
sun.shadow.mapSize.setScalar(Math.ceil(2048 * Math.min(window.devicePixelRatio, 1)));
sun.shadow.bias = -0.0004;
sun.shadow.normalBias = 0.06;
sun.shadow.intensity = 0;
export const scene = new Scene();
scene.fog = fog;
scene.add(new HemisphereLight("#ffffff", "#b7a98f", 1.55), sun, sun.target);

/** Have the shadows drawn anew in the next frame; there are none before the first picture. */
export function castShadows(): void {
  if (!wasSeen()) return;
  sun.shadow.intensity = 0.55;
  renderer.shadowMap.needsUpdate = true;
}

/** One of each kind of surface that levels are made of. */
function samples(): Group {
  const geometry = new BufferGeometry();
  for (const name of ["position", "normal"]) geometry.setAttribute(name, new BufferAttribute(new Float32Array(9), 3));
  const all = new Group();
  for (const side of [FrontSide, DoubleSide]) {
    const material = new MeshLambertMaterial({ side });
    all.add(new Mesh(geometry, material), new InstancedMesh(geometry, material, 1));
  }
  for (const surface of all.children) surface.receiveShadow = true;
  return all;
}

/** Have the shaders of levels made, beside the script that fetches the level. */
export function askForShaders(): void {
  renderer.compile(samples(), viewport.camera, scene);
}
