import { type Object3D, RawShaderMaterial, SRGBColorSpace, Vector2, WebGLRenderTarget } from "three";
import { FullScreenQuad } from "three/examples/jsm/postprocessing/Pass.js";
import { viewport } from "../../viewport/controller";
import { thinly } from "../pieces/crowds";
import { coarsely } from "../pieces/standIns";
import { inSoftware, pixelRatio, renderer, scene } from "./renderer";

/** Milliseconds without a frame after which the view rests; and where all that is then drawn takes long. */
const REST = 160;
const LONG_REST = 600;
/** Samples of each pixel at rest. */
const SAMPLES = 4;

/** Whether the next frame is the one at rest, and whether the last one was. */
let rested = false;
let smooth = !inSoftware;
let timer: number | undefined;
let target: WebGLRenderTarget | null = null;
let copy: FullScreenQuad | null = null;
const size = new Vector2();

/** The share of the pixels across that are drawn while the view moves, and the fewest for each of the page. */
const SHARE = 0.5;
const LEAST = 0.2;

/**
 * Draw what is in the viewport; how many draw calls that took. Without a graphics card pixels, shadows and smooth edges
 * are dear: what moves is drawn with fewer pixels, without shadows, with stand-ins for dense meshes and the largest of
 * very many copies then, and drawn once more in full when the view rests.
 */
export function draw(): number {
  if (rested || !inSoftware) return smoothly();
  withRatio(Math.max(LEAST, SHARE * pixelRatio()));
  const { camera } = viewport;
  let thin = false;
  coarsely(viewport.pickables, () => {
    thin = thinly(scene, camera, () => withoutShadows(() => renderer.render(scene, camera)));
  });
  smooth = false;
  window.clearTimeout(timer);
  timer = window.setTimeout(
    () => {
      rested = true;
      viewport.redraw();
    },
    thin ? LONG_REST : REST,
  );
  return renderer.info.render.calls;
}

/** Draw with so many pixels for each of the page. */
function withRatio(ratio: number): void {
  if (renderer.getPixelRatio() !== ratio) renderer.setPixelRatio(ratio);
}

/** Draw without shadows falling on anything. */
function withoutShadows(render: () => void): void {
  const dark: Object3D[] = [];
  scene.traverseVisible((object) => {
    if (!object.receiveShadow) return;
    object.receiveShadow = false;
    dark.push(object);
  });
  render();
  for (const object of dark) object.receiveShadow = true;
}

/** Whether what is seen is as it is to stay until something changes. */
export const atRest = (): boolean => smooth;

/** Draw into a buffer of several samples, and from there to the canvas. */
function smoothly(): number {
  [rested, smooth] = [false, true];
  withRatio(pixelRatio());
  renderer.getDrawingBufferSize(size);
  target ??= buffer();
  target.setSize(size.x, size.y);
  renderer.setRenderTarget(target);
  renderer.render(scene, viewport.camera);
  const { calls } = renderer.info.render;
  renderer.setRenderTarget(null);
  copy ??= new FullScreenQuad(
    new RawShaderMaterial({
      vertexShader: VERTEX,
      fragmentShader: FRAGMENT,
      uniforms: { drawn: { value: target.texture } },
      depthTest: false,
      depthWrite: false,
    }),
  );
  copy.render(renderer);
  return calls;
}

function buffer(): WebGLRenderTarget {
  const made = new WebGLRenderTarget(size.x, size.y, {
    samples: SAMPLES,
    colorSpace: SRGBColorSpace,
    internalFormat: "RGBA8",
  });
  // drawn into as the canvas is, in the canvas's colours and with its shaders
  Object.assign(made, { isXRRenderTarget: true });
  return made;
}

const VERTEX = `precision highp float;
attribute vec3 position;
attribute vec2 uv;
varying vec2 at;
void main() {
  at = uv;
  gl_Position = vec4(position.xy, 0.0, 1.0);
}`;
const FRAGMENT = `precision highp float;
uniform sampler2D drawn;
varying vec2 at;
void main() {
  gl_FragColor = vec4(texture2D(drawn, at).rgb, 1.0);
}`;
