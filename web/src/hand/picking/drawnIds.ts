import {
  GLSL3,
  InstancedMesh,
  NoBlending,
  RGBAFormat,
  Scene,
  ShaderMaterial,
  UnsignedByteType,
  WebGLRenderTarget,
} from "three";
import type { Entry } from "../../scene/pieces/entries";
import { viewport } from "../../viewport/controller";

const VERTEX = `
uniform int first;
flat out int drawn;
void main() {
  drawn = first + gl_InstanceID;
  gl_Position = projectionMatrix * modelViewMatrix * instanceMatrix * vec4(position, 1.0);
}`;
const FRAGMENT = `
flat in int drawn;
out vec4 colour;
void main() {
  colour = vec4(float(drawn & 255), float((drawn >> 8) & 255), float((drawn >> 16) & 255), 255.0) / 255.0;
}`;

/** The things that are seen within a rectangle of the viewport: every item is drawn in a colour of its own, and the
 * colours are read back. */
export function seenThings(left: number, top: number, right: number, bottom: number): Set<string> {
  const { renderer, camera } = viewport;
  const out = new Set<string>();
  if (!renderer) return out;
  const scene = new Scene();
  const entries: Entry[] = [];
  const made: InstancedMesh[] = [];
  for (const mesh of viewport.pickables) {
    const own = mesh.userData.entries as readonly Entry[];
    const material = new ShaderMaterial({
      glslVersion: GLSL3,
      vertexShader: VERTEX,
      fragmentShader: FRAGMENT,
      uniforms: { first: { value: entries.length + 1 } },
      side: Array.isArray(mesh.material) ? mesh.material[0]?.side : mesh.material.side,
      blending: NoBlending,
    });
    const twin = new InstancedMesh(mesh.geometry, material, mesh.count);
    twin.instanceMatrix = mesh.instanceMatrix;
    twin.count = mesh.count;
    twin.frustumCulled = false;
    twin.matrixAutoUpdate = false;
    scene.add(twin);
    made.push(twin);
    for (const entry of own) entries.push(entry);
  }
  const [width, height] = [Math.ceil(viewport.width), Math.ceil(viewport.height)];
  const target = new WebGLRenderTarget(width, height, { format: RGBAFormat, type: UnsignedByteType });
  const before = renderer.getRenderTarget();
  const shadows = renderer.shadowMap.needsUpdate;
  renderer.setRenderTarget(target);
  renderer.setClearColor(0x000000, 0);
  renderer.clear();
  renderer.render(scene, camera);
  const x = Math.max(0, Math.floor(left));
  const y = Math.max(0, height - Math.ceil(bottom));
  const [w, h] = [Math.min(width, Math.ceil(right)) - x, Math.min(height, height - Math.floor(top)) - y];
  if (w > 0 && h > 0) {
    const pixels = new Uint8Array(w * h * 4);
    renderer.readRenderTargetPixels(target, x, y, w, h, pixels);
    for (let k = 0; k < pixels.length; k += 4) {
      const id = (pixels[k] ?? 0) + 256 * (pixels[k + 1] ?? 0) + 65536 * (pixels[k + 2] ?? 0);
      const entry = id ? entries[id - 1] : undefined;
      if (entry) out.add(entry.thing);
    }
  }
  renderer.setRenderTarget(before);
  renderer.shadowMap.needsUpdate = shadows;
  target.dispose();
  for (const twin of made) (twin.material as ShaderMaterial).dispose();
  return out;
}
