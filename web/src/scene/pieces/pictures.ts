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
import { keepThumbnail } from "../../api/client";
import { within } from "../../api/here";
import type { Piece } from "../../api/types";
import { wasSeen } from "../../state/seen";
import { viewport } from "../../viewport/controller";
import { letGo } from "../canvas/resources";
import { meshesToCome, useMesh, type ViewMesh } from "./meshes";

const W = 176;
const H = 104;
let renderer: WebGLRenderer | null = null;
const done = new Map<string, string>();
/** Pictures whose addresses are kept; beyond that the oldest are asked for again when they are wanted. */
const KEPT = 600;
const wantedNow = new Map<string, number>();
const asked = new Map<string, Promise<string | null>>();
let turn: Promise<void> = Promise.resolve();

type Surface = NonNullable<Piece["materials"]>[number];

/** A key for a piece's look: its mesh, and a number made of its materials and axes. */
function keyOf(piece: Piece): string {
  const plain = (m: Surface) => [m.colour, m.texture];
  const full = (m: Surface) => [...plain(m), m.alpha, m.cutoff, m.both_sides, m.uv_transform];
  const usual = (m: Surface) => m.alpha == null && !m.both_sides && m.uv_transform == null;
  const look = JSON.stringify([piece.axes, piece.materials?.map((m) => (usual(m) ? plain(m) : full(m)))]);
  let h = 0x811c9dc5;
  for (let k = 0; k < look.length; k++) h = Math.imul(h ^ look.charCodeAt(k), 0x01000193) >>> 0;
  return piece.mesh + h.toString(16).padStart(8, "0");
}

/** The picture of a key as the server has kept it, or null. */
async function kept(key: string): Promise<string | null> {
  const response = await fetch(within(`thumbnails/${key}`));
  return response.status === 200 ? URL.createObjectURL(await response.blob()) : null;
}

/** Take a picture, show it, and leave it with the server for the next time. */
async function taken(piece: Piece, mesh: ViewMesh, key: string): Promise<string> {
  const canvas = take(piece, mesh);
  const picture = await new Promise<Blob | null>((done) => canvas.toBlob(done, "image/png"));
  if (!picture) return canvas.toDataURL("image/png");
  if (!piece.materials?.some((m) => m.texture)) void keepThumbnail(key, picture);
  return URL.createObjectURL(picture);
}

function take(piece: Piece, mesh: ViewMesh): HTMLCanvasElement {
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
  const [i, j, k, w] = piece.axes ?? [0, 0, 0, 1];
  model.quaternion.set(-i, -j, -k, w);
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
  model.traverse((object) => {
    const { material } = object as Partial<Mesh>;
    if (material) letGo(material);
  });
  renderer.renderLists.dispose();
  return renderer.domElement;
}

/** Remember the address of a picture; the oldest that nobody shows are let go. */
function keep(key: string, address: string): void {
  done.set(key, address);
  for (const [old, picture] of done) {
    if (done.size <= KEPT) return;
    if (wantedNow.get(old)) continue;
    URL.revokeObjectURL(picture);
    done.delete(old);
    asked.delete(old);
    wantedNow.delete(old);
  }
}

/** Until what stands in the level is seen, at most some seconds: pictures are not what one waits for. */
async function afterTheView(): Promise<void> {
  const all = () => wasSeen() && meshesToCome() === 0 && viewport.element?.dataset.toCome === "0";
  for (let k = 0; k < 80 && !all(); k++) {
    await new Promise((next) => setTimeout(next, 100));
  }
}

/** Until the browser has nothing better to do, at most a second. */
const idle = () => new Promise<void>((next) => requestIdleCallback(() => next(), { timeout: 1000 }));

/** A picture of a piece, kept by the server from before, or else taken once for each mesh and its colours. Where it is
 * not worth to fetch the mesh, it is taken once that is there. */
export function usePicture(piece: Piece, fetching = true): string | undefined {
  const [missing, setMissing] = useState(false);
  const mesh = useMesh(piece.mesh, fetching && missing);
  const key = keyOf(piece);
  const [, redraw] = useState(0);
  useEffect(() => {
    const uses = (by: number) => wantedNow.set(key, (wantedNow.get(key) ?? 0) + by);
    uses(1);
    if (done.has(key)) return () => void uses(-1);
    let wanted = true;
    const show = (picture: string | null) => {
      if (picture) keep(key, picture);
      if (picture && wanted) redraw((n) => n + 1);
    };
    asked.set(key, asked.get(key) ?? afterTheView().then(() => kept(key).catch(() => null)));
    void asked.get(key)?.then((found) => {
      if (found) show(found);
      else if (wanted && !mesh) setMissing(true);
      else if (wanted && mesh) {
        turn = turn.then(async () => {
          await idle();
          if (wanted && !done.has(key)) show(await taken(piece, mesh, key));
        });
      }
    });
    return () => {
      wanted = false;
      uses(-1);
    };
  }, [mesh, key, piece]);
  return done.get(key);
}
