import { useFrame } from "@react-three/fiber";
import { useMemo, useRef } from "react";
import {
  CanvasTexture,
  Color,
  DoubleSide,
  Group,
  Mesh,
  MeshBasicMaterial,
  PlaneGeometry,
  ShaderMaterial,
  SRGBColorSpace,
  Vector3,
} from "three";
import { levelStore, shown } from "../../state/level";
import { FIELD_OF_VIEW, inPerspective, viewStore } from "../../state/view";
import type { Scheme } from "../../theme/tokens";
import { shortLength } from "../../ui/lengths";
import { viewport } from "../../viewport/controller";
import { SharedPool } from "./resources";
import { useOwned } from "./useOwned";

const vertex = /* glsl */ `
  varying vec3 world;
  void main() {
    vec4 p = modelMatrix * vec4(position, 1.0);
    world = p.xyz;
    gl_Position = projectionMatrix * viewMatrix * p;
  }`;

const fragment = /* glsl */ `
  uniform vec3 fine; uniform vec3 bold; uniform vec3 tintA; uniform vec3 tintB;
  uniform float fineStep; uniform float module; uniform vec3 centre; uniform float reach; uniform int plane;
  varying vec3 world;
  float line(vec2 at, float size, float width) {
    vec2 d = fwidth(at / size);
    vec2 g = abs(fract(at / size - 0.5) - 0.5) / max(d, vec2(1e-6));
    vec2 ink = clamp(width - g, 0.0, 1.0) * clamp(1.6 - d * 5.0, 0.0, 1.0);
    return max(ink.x, ink.y);
  }
  void main() {
    vec2 at = plane == 0 ? world.xz : (plane == 1 ? world.xy : world.zy);
    float far = 1.0 - smoothstep(reach * 0.25, reach, distance(world, centre));
    float thin = line(at, fineStep, 1.0) * 0.38;
    float strong = line(at, module, 1.0) * 0.75;
    vec3 colour = mix(fine, bold, step(0.01, strong));
    float alpha = max(thin, strong);
    vec2 axis = abs(at) / max(fwidth(at), vec2(1e-6));
    if (axis.y < 1.0) { colour = tintA; alpha = 0.55; }
    else if (axis.x < 1.0) { colour = tintB; alpha = 0.55; }
    gl_FragColor = vec4(colour, alpha * far);
    #include <colorspace_fragment>
  }`;

const NICE = [1, 2, 5];

/** The next of 1, 2, 5, 10, 20 … from a size on. */
export function nice(size: number): number {
  const power = 10 ** Math.floor(Math.log10(size));
  return (NICE.find((n) => n * power >= size * 0.999) ?? 10) * power;
}

/** The grid step that is still told apart on the screen, doubled up from the level's own. */
export function visibleStep(step: number, metresPerPixel: number): number {
  let out = step;
  while (out / metresPerPixel < 7) out *= 2;
  return out;
}

/** The ground grid, its bold module lines, the axes' lines, and metres written on the ground. */
export function Grid({ scheme }: { scheme: Scheme }) {
  const mesh = useRef<Mesh>(null);
  const material = useOwned(
    () =>
      new ShaderMaterial({
        vertexShader: vertex,
        fragmentShader: fragment,
        transparent: true,
        depthWrite: false,
        side: DoubleSide,
        uniforms: {
          fine: { value: new Color(scheme.gridLine) },
          bold: { value: new Color(scheme.gridBold) },
          tintA: { value: new Color(scheme.axes.x) },
          tintB: { value: new Color(scheme.axes.z) },
          fineStep: { value: 1 },
          module: { value: 4 },
          centre: { value: new Vector3() },
          reach: { value: 100 },
          plane: { value: 0 },
        },
      }),
    [scheme],
  );
  useFrame(() => {
    const plane = mesh.current;
    if (!plane) return;
    const view = viewStore.getState();
    const { level } = shown(levelStore.getState());
    const distance = view.mode === "eye" ? 8 : view.distance;
    const perPixel = (2 * distance * Math.tan((FIELD_OF_VIEW * Math.PI) / 360)) / viewport.height;
    const step = visibleStep(level?.step ?? 0.5, perPixel);
    const u = material.uniforms;
    const size = view.distance * 16;
    const [x, y, z] = view.target;
    plane.rotation.set(
      inPerspective(view.mode) || view.mode === "plan" ? -Math.PI / 2 : 0,
      view.mode === "side" ? Math.PI / 2 : 0,
      0,
    );
    plane.position.set(
      view.mode === "side" ? 0 : x,
      inPerspective(view.mode) || view.mode === "plan" ? 0 : y,
      view.mode === "front" ? 0 : z,
    );
    plane.scale.setScalar(size);
    if (u.fineStep) u.fineStep.value = step;
    if (u.module) u.module.value = Math.max(visibleStep(level?.module ?? 4, perPixel), step);
    if (u.centre) (u.centre.value as Vector3).copy(plane.position);
    if (u.reach) u.reach.value = inPerspective(view.mode) ? Math.max(distance * 3.2, 20) : size;
    if (u.plane) u.plane.value = view.mode === "front" ? 1 : view.mode === "side" ? 2 : 0;
    if (u.tintB)
      (u.tintB.value as Color).set(view.mode === "front" || view.mode === "side" ? scheme.axes.y : scheme.axes.z);
    if (u.tintA) (u.tintA.value as Color).set(view.mode === "side" ? scheme.axes.z : scheme.axes.x);
  });
  return (
    <>
      <mesh ref={mesh} material={material} renderOrder={-1} frustumCulled={false}>
        <planeGeometry args={[1, 1]} />
      </mesh>
      <GroundMetres scheme={scheme} />
    </>
  );
}

const COUNT = 7;
/** Labels that are not in sight and are kept. */
const SPARE = 32;

/** Metres lying on the ground along two lines of the grid, where the view is free. */
function GroundMetres({ scheme }: { scheme: Scheme }) {
  const group = useOwned(() => {
    const out = new Group();
    for (let k = 0; k < 2 * COUNT; k++) {
      const material = new MeshBasicMaterial({ transparent: true, depthWrite: false, opacity: 0.85 });
      const label = new Mesh(new PlaneGeometry(1, 0.25).rotateX(-Math.PI / 2), material);
      label.renderOrder = 0;
      out.add(label);
    }
    return out;
  }, []);
  const textures = useMemo(() => new SharedPool<CanvasTexture>((texture) => texture.dispose(), SPARE), []);
  useFrame(() => {
    const view = viewStore.getState();
    group.visible = inPerspective(view.mode);
    if (!group.visible) return;
    const { level } = shown(levelStore.getState());
    const spacing = Math.max(nice(view.distance / 5), level?.module ?? 1);
    const height = view.distance * 0.022;
    const [tx, , tz] = view.target;
    const quarter = Math.round(view.yaw / (Math.PI / 2)) * (Math.PI / 2);
    const [x0, z0] = [Math.round(tx / spacing) * spacing, Math.round(tz / spacing) * spacing];
    group.children.forEach((child, k) => {
      const label = child as Mesh<PlaneGeometry, MeshBasicMaterial>;
      const along = k < COUNT;
      const value = (along ? x0 : z0) + ((k % COUNT) - (COUNT - 1) / 2) * spacing;
      const text = `${along ? "X" : "Z"} ${shortLength(value, 1)}`;
      const key = text + scheme.ink;
      if (label.userData.key !== key) {
        const texture = textures.take(key, () => written(text, scheme.gridBold));
        if (label.userData.key) textures.release(label.userData.key as string);
        label.userData.key = key;
        label.material.map = texture;
        label.material.needsUpdate = true;
      }
      label.scale.set(height * 4, 1, height * 4);
      label.rotation.y = quarter;
      label.position.set(along ? value : x0, 0.004 * view.distance * 0.1, along ? z0 : value);
      label.position.add(new Vector3(height * 2.1, 0, -height * 0.7).applyAxisAngle(new Vector3(0, 1, 0), quarter));
    });
  });
  return <primitive object={group} />;
}

function written(text: string, colour: string): CanvasTexture {
  const canvas = document.createElement("canvas");
  canvas.width = 256;
  canvas.height = 64;
  const pen = canvas.getContext("2d");
  if (pen) {
    pen.font = '500 44px "Archivo Variable", sans-serif';
    pen.fillStyle = colour;
    pen.textBaseline = "middle";
    pen.fillText(text, 4, 34);
  }
  const texture = new CanvasTexture(canvas);
  texture.colorSpace = SRGBColorSpace;
  texture.anisotropy = 4;
  return texture;
}
