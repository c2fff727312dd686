import type { ViewMesh } from "../pieces/meshes";

/** The vertices and edges of a mesh by their own numbers, and the triangles with the face of each. */
export interface Cage {
  /** Of each vertex three numbers. */
  places: Float32Array;
  /** Of each edge two vertices. */
  ends: Uint32Array;
  /** Of each triangle three vertices, and its face. */
  triangles: Uint32Array;
  faces: Uint32Array;
}

const cages = new WeakMap<ViewMesh, Cage>();

/** The cage of a mesh that is drawn. */
export function cageOf(mesh: ViewMesh): Cage {
  let cage = cages.get(mesh);
  if (!cage) {
    cage = made(mesh);
    cages.set(mesh, cage);
  }
  return cage;
}

function made({ slots, outline, inner, edges }: ViewMesh): Cage {
  const lines = outline ?? inner;
  const places = new Float32Array(lines?.getAttribute("position").array ?? []);
  const ends = new Uint32Array(2 * (edges.outline.length + edges.inner.length));
  for (const [geometry, numbers] of [
    [outline, edges.outline],
    [inner, edges.inner],
  ] as const) {
    const index = geometry?.index;
    if (!index) continue;
    for (let k = 0; k < numbers.length; k++) {
      const edge = numbers[k] as number;
      ends[2 * edge] = index.getX(2 * k);
      ends[2 * edge + 1] = index.getX(2 * k + 1);
    }
  }
  const count = slots.reduce((sum, s) => sum + s.faces.length, 0);
  const triangles = new Uint32Array(3 * count);
  const faces = new Uint32Array(count);
  let at = 0;
  for (const slot of slots) {
    const index = slot.geometry.index;
    for (let t = 0; t < slot.faces.length; t++, at++) {
      faces[at] = slot.faces[t] as number;
      for (let k = 0; k < 3; k++) {
        const v = index ? index.getX(3 * t + k) : 3 * t + k;
        triangles[3 * at + k] = slot.vertices[v] as number;
      }
    }
  }
  return { places, ends, triangles, faces };
}

/** How many of a kind a cage has. */
export function countIn({ places, ends, faces }: Cage, kind: "vertex" | "edge" | "face"): number {
  if (kind === "vertex") return places.length / 3;
  if (kind === "edge") return ends.length / 2;
  let last = -1;
  for (const face of faces) last = Math.max(last, face);
  return last + 1;
}

/** The vertices of elements, each once. */
export function verticesOf(cage: Cage, kind: "vertex" | "edge" | "face", ids: ReadonlySet<number>): number[] {
  if (kind === "vertex") return [...ids];
  const out = new Set<number>();
  if (kind === "edge") {
    for (const edge of ids) {
      out.add(cage.ends[2 * edge] as number);
      out.add(cage.ends[2 * edge + 1] as number);
    }
  } else {
    for (let t = 0; t < cage.faces.length; t++) {
      if (!ids.has(cage.faces[t] as number)) continue;
      for (let k = 0; k < 3; k++) out.add(cage.triangles[3 * t + k] as number);
    }
  }
  return [...out];
}
