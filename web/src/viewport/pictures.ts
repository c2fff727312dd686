import { useEffect, useState } from "react";
import {
  AmbientLight,
  DirectionalLight,
  DoubleSide,
  Group,
  LineBasicMaterial,
  LineSegments,
  Mesh,
  MeshLambertMaterial,
  OrthographicCamera,
  Scene,
  Vector3,
  WebGLRenderer,
} from "three";
import type { Piece } from "../api/types";
import { useMesh, type ViewMesh } from "./meshes";

const W = 176;
const H = 104;
let renderer: WebGLRenderer | null = null;
const done = new Map<string, string>();
let turn: Promise<void> = Promise.resolve();

const keyOf = (piece: Piece) => piece.mesh + JSON.stringify(piece.materials?.map((m) => m.colour));

function take(piece: Piece, mesh: ViewMesh): string {
  renderer ??= new WebGLRenderer({ antialias: true, alpha: true, preserveDrawingBuffer: true });
  renderer.setSize(W, H, false);
  const scene = new Scene();
  const sun = new DirectionalLight("#fff6e6", 2.4);
  sun.position.set(-2, 4, 3);
  scene.add(new AmbientLight("#ffffff", 1.5), sun);
  const model = new Group();
  for (const { slot, geometry } of mesh.slots) {
    const [r, g, b] = piece.materials?.[slot]?.colour ?? [0.58, 0.52, 0.42, 1];
    const material = new MeshLambertMaterial({
      side: DoubleSide,
      polygonOffset: true,
      polygonOffsetFactor: 1,
      polygonOffsetUnits: 1,
    });
    material.color.setRGB(r, g, b);
    model.add(new Mesh(geometry, material));
  }
  if (mesh.outline) {
    const ink = new LineBasicMaterial({ color: "#22303a", transparent: true, opacity: 0.7 });
    model.add(new LineSegments(mesh.outline, ink));
  }
  scene.add(model);
  const low = new Vector3(...piece.facts.low);
  const high = new Vector3(...piece.facts.high);
  const centre = low.clone().add(high).multiplyScalar(0.5);
  const camera = new OrthographicCamera();
  camera.position.copy(centre).addScaledVector(new Vector3(0.62, 0.5, 0.85).normalize(), 200);
  camera.lookAt(centre);
  camera.updateMatrixWorld();
  let [x, y] = [0.01, 0.01];
  for (let k = 0; k < 8; k++) {
    const corner = new Vector3(k & 1 ? high.x : low.x, k & 2 ? high.y : low.y, k & 4 ? high.z : low.z);
    corner.applyMatrix4(camera.matrixWorldInverse.copy(camera.matrixWorld).invert());
    x = Math.max(x, Math.abs(corner.x));
    y = Math.max(y, Math.abs(corner.y));
  }
  const half = Math.max(y, (x * H) / W) * 1.12;
  [camera.left, camera.right, camera.top, camera.bottom, camera.near, camera.far] = [
    (-half * W) / H,
    (half * W) / H,
    half,
    -half,
    0.1,
    1000,
  ];
  camera.updateProjectionMatrix();
  renderer.render(scene, camera);
  return renderer.domElement.toDataURL("image/png");
}

/** A picture of a piece as a data address, taken once for each mesh and its colours. */
export function usePicture(piece: Piece): string | undefined {
  const mesh = useMesh(piece.mesh);
  const key = keyOf(piece);
  const [, redraw] = useState(0);
  useEffect(() => {
    if (!mesh || done.has(key)) return;
    let wanted = true;
    turn = turn.then(
      () =>
        new Promise<void>((next) =>
          setTimeout(() => {
            if (!done.has(key)) done.set(key, take(piece, mesh));
            if (wanted) redraw((n) => n + 1);
            next();
          }, 0),
        ),
    );
    return () => {
      wanted = false;
    };
  }, [mesh, key, piece]);
  return done.get(key);
}
