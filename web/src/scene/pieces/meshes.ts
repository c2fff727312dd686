import { type BufferAttribute, BufferGeometry, type Mesh } from "three";
import { GLTFLoader } from "three/examples/jsm/loaders/GLTFLoader.js";
import { createStore, useStore } from "zustand";
import { takeEarly } from "../../api/early";
import { within } from "../../api/here";
import { levelStore, shown } from "../../state/level";
import { sourceOf } from "../../state/source";
import { inSoftware } from "../canvas/renderer";
import { entriesByLook, seenPiece } from "./entries";
import { DENSE, standIn } from "./standIns";
import { treesSoon } from "./trees";

/** Triangles of one material; `faces` gives the face that each triangle belongs to. */
export interface Slot {
  slot: number;
  geometry: BufferGeometry;
  faces: ArrayLike<number>;
  /** The mesh's own vertex of each vertex of the geometry. */
  vertices: ArrayLike<number>;
}

/** A mesh as the viewport draws it: triangles by material slot, sharp edges, and the other edges. */
export interface ViewMesh {
  slots: Slot[];
  outline: BufferGeometry | null;
  inner: BufferGeometry | null;
  /** The mesh's edge of each line of `outline` and `inner`. */
  edges: { outline: ArrayLike<number>; inner: ArrayLike<number> };
}

const NO_EDGES: ArrayLike<number> = new Uint32Array();

const store = createStore<{ loaded: ReadonlyMap<string, ViewMesh> }>(() => ({ loaded: new Map() }));
const asked = new Set<string>();
const loader = new GLTFLoader();

async function fetched(path: string): Promise<ArrayBuffer> {
  const response = (await takeEarly(path)) ?? (await fetch(path));
  if (!response.ok) throw new Error(`${path}: ${response.status}`);
  return response.arrayBuffer();
}

interface Extras {
  slot?: number;
  face?: number;
  vertex?: number;
  edge?: number;
  lines?: "outline" | "inner";
}

async function load(hash: string): Promise<void> {
  const path = within(`meshes/${hash}.glb`);
  const gltf = await loader.parseAsync(await fetched(path), "");
  const mesh: ViewMesh = { slots: [], outline: null, inner: null, edges: { outline: NO_EDGES, inner: NO_EDGES } };
  const found: { geometry: BufferGeometry; slot: number; face: number; vertex: number }[] = [];
  const lines: { of: "outline" | "inner"; edge: number }[] = [];
  gltf.scene.traverse((object) => {
    const geometry = (object as Partial<Mesh>).geometry;
    if (!(geometry instanceof BufferGeometry)) return;
    const { slot = 0, face = 0, vertex = 0, edge = 0, lines: of } = geometry.userData as Extras;
    if (of) {
      mesh[of] = geometry;
      lines.push({ of, edge });
    } else found.push({ geometry, slot, face, vertex });
  });
  const numbers = async (accessor: number): Promise<ArrayLike<number>> =>
    ((await gltf.parser.getDependency("accessor", accessor)) as BufferAttribute).array;
  for (const { geometry, slot, face, vertex } of found) {
    mesh.slots.push({ slot, geometry, faces: await numbers(face), vertices: await numbers(vertex) });
  }
  for (const { of, edge } of lines) mesh.edges[of] = await numbers(edge);
  const dense = mesh.slots.reduce((sum, { faces: f }) => sum + f.length, 0) > DENSE;
  if (dense && inSoftware) void loadStandIn(hash, mesh);
  treesSoon(found.map(({ geometry }) => geometry));
  arrived.set(hash, mesh);
  if (meshesToCome() === arrived.size) show();
  else timer ??= window.setTimeout(show, TOGETHER);
}

/** Have something coarser for a dense mesh, to be drawn while the view moves. */
async function loadStandIn(hash: string, mesh: ViewMesh): Promise<void> {
  try {
    const gltf = await loader.parseAsync(await fetched(within(`meshes/${hash}/stand-in.glb`)), "");
    gltf.scene.traverse((object) => {
      const geometry = (object as Partial<Mesh>).geometry;
      if (!(geometry instanceof BufferGeometry) || geometry.userData.lines) return;
      const own = mesh.slots.find(({ slot }) => slot === geometry.userData.slot);
      if (own) standIn(own.geometry, geometry);
    });
  } catch {
    // without one the mesh is drawn itself
  }
}

/** Milliseconds for which meshes that have come wait for others: each showing draws the level anew. */
const TOGETHER = 250;
const arrived = new Map<string, ViewMesh>();
let timer: number | undefined;

/** Show the meshes that have come. */
function show(): void {
  window.clearTimeout(timer);
  timer = undefined;
  store.setState(({ loaded }) => ({ loaded: withoutOld(new Map([...loaded, ...arrived])) }));
  arrived.clear();
}

/** Have a mesh that is made here be drawn under a name that no mesh has, or no more. */
export function putMesh(name: string, mesh: ViewMesh | null): void {
  store.setState(({ loaded }) => {
    const next = new Map(loaded);
    if (mesh) {
      next.set(name, mesh);
      asked.add(name);
    } else {
      next.delete(name);
      asked.delete(name);
    }
    return { loaded: next };
  });
}

/** How often a mesh that could not be had is asked for again, and after how many milliseconds. */
const TRIES = 5;
const AGAIN = 2000;
const failed = new Map<string, number>();

function again(hash: string): void {
  const count = (failed.get(hash) ?? 0) + 1;
  failed.set(hash, count);
  window.setTimeout(() => {
    if (count >= TRIES) return;
    asked.delete(hash);
    show();
  }, AGAIN);
}

/** Meshes that no piece has any more, as dragging a dimension leaves behind: only the latest are kept. */
const KEPT = 24;

function withoutOld(loaded: Map<string, ViewMesh>): Map<string, ViewMesh> {
  const { pieces, items } = shown(levelStore.getState());
  const used = new Set([...pieces.values()].flatMap((p) => [p.mesh, sourceOf(p)]));
  for (const runs of items.values()) for (const { mesh } of runs) if (mesh) used.add(mesh);
  const unused = [...loaded.keys()].filter((hash) => !used.has(hash));
  for (const hash of unused.slice(0, Math.max(0, unused.length - KEPT))) {
    const mesh = loaded.get(hash);
    for (const { geometry } of mesh?.slots ?? []) geometry.dispose();
    mesh?.outline?.dispose();
    mesh?.inner?.dispose();
    loaded.delete(hash);
    asked.delete(hash);
  }
  return loaded;
}

/** How many meshes have been asked for and are not there yet. */
export const meshesToCome = (): number => asked.size - store.getState().loaded.size;

/** The mesh of a hash, asked for when it is not there yet. */
export function meshOf(hash: string): ViewMesh | undefined {
  const found = store.getState().loaded.get(hash);
  if (!found && !asked.has(hash)) {
    asked.add(hash);
    load(hash).catch(() => again(hash));
  }
  return found;
}

/** Ask for the meshes that a level shows before anything is drawn; what is hidden comes when it is shown. */
export function askForMeshes(): void {
  const { scene } = levelStore.getState();
  for (const look of entriesByLook(scene, new Map()).keys()) {
    const piece = seenPiece(scene, look);
    if (piece) meshOf(piece.mesh);
  }
}

/** The mesh of a hash once it is loaded, which is asked for unless somebody else is to. */
export function useMesh(hash: string, fetching = true): ViewMesh | undefined {
  return useStore(store, (s) => s.loaded.get(hash) ?? (fetching ? meshOf(hash) : undefined));
}

/** All meshes that are loaded. */
export const useMeshes = (): ReadonlyMap<string, ViewMesh> => useStore(store, (s) => s.loaded);

/** Wait until all meshes that were asked for are there, at most for some milliseconds. */
export async function allMeshes(longest: number): Promise<void> {
  if (meshesToCome() === 0) return;
  await new Promise<void>((resolve) => {
    const stop = store.subscribe(() => {
      if (meshesToCome() === 0) done();
    });
    const timeout = window.setTimeout(() => done(), longest);
    const done = () => {
      stop();
      window.clearTimeout(timeout);
      resolve();
    };
  });
}

/** Whether all meshes that were asked for are there. */
export const useAllMeshes = (): boolean => useStore(store, () => meshesToCome() === 0);

export const onMeshLoaded = (listener: () => void): (() => void) => store.subscribe(listener);
