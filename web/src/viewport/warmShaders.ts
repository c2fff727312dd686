import {
  BufferAttribute,
  BufferGeometry,
  DoubleSide,
  FrontSide,
  Group,
  InstancedMesh,
  LineBasicMaterial,
  LineSegments,
  MeshLambertMaterial,
  type OrthographicCamera,
  type PerspectiveCamera,
  type Scene,
  type WebGLRenderer,
} from "three";

/**
 * Have the shaders made that a level's first picture needs, while its meshes are still on their way: the driver makes
 * them beside the script, and the first frame has not to wait.
 */
export function warmShaders(gl: WebGLRenderer, camera: PerspectiveCamera | OrthographicCamera, scene: Scene): void {
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
  all.add(new LineSegments(geometry, new LineBasicMaterial({ transparent: true })));
  gl.compile(all, camera, scene);
}
