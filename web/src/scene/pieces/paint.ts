import { BufferAttribute, BufferGeometry, Color, DoubleSide, MeshLambertMaterial } from "three";
import { createStore, useStore } from "zustand";
import { within } from "../../api/here";
import type { ViewMesh } from "./meshes";

/** How far each vertex of a mesh is from another, as the server measured it, by both hashes; metres. */
const store = createStore<{ found: ReadonlyMap<string, Float32Array> }>(() => ({ found: new Map() }));
const asked = new Set<string>();
/** Pairs whose distances are kept. */
const KEPT = 16;

/** The distances of a mesh from another; undefined until they have come. */
export function paintOf(mesh: string, source: string): Float32Array | undefined {
  const key = `${mesh} ${source}`;
  const found = store.getState().found.get(key);
  if (!found && source && !asked.has(key)) {
    asked.add(key);
    fetch(within(`meshes/${mesh}/deviation/${source}`))
      .then(async (reply) => {
        if (!reply.ok) throw new Error(String(reply.status));
        const values = new Float32Array(await reply.arrayBuffer());
        store.setState(({ found: before }) => {
          const now = new Map([...before, [key, values]].slice(-KEPT) as [string, Float32Array][]);
          for (const old of asked) if (!now.has(old) && old !== key) asked.delete(old);
          return { found: now };
        });
      })
      .catch(() => asked.delete(key));
  }
  return found;
}

export const usePaint = (mesh: string, source: string | null): Float32Array | undefined =>
  useStore(store, () => (source === null ? undefined : paintOf(mesh, source)));

const STOPS = ["#e9e4d6", "#d8a13c", "#a8321f", "#3d0b12"].map((c) => new Color(c));

/** The colour of a share of the largest deviation. */
function colourOf(share: number, out: Color): Color {
  const at = Math.min(Math.max(share, 0), 1) * (STOPS.length - 1);
  const k = Math.min(Math.floor(at), STOPS.length - 2);
  return out.lerpColors(STOPS[k] ?? out, STOPS[k + 1] ?? out, at - k);
}

/** The surfaces of a mesh with distances painted on: `most` is the darkest. */
export function painted(mesh: ViewMesh, values: Float32Array, most: number) {
  const colour = new Color();
  let at = 0;
  return mesh.slots.map(({ geometry, faces }) => {
    const count = geometry.getAttribute("position")?.count ?? 0;
    const colours = new Float32Array(3 * count);
    for (let k = 0; k < count; k++) {
      const value = values[at + k] ?? 0;
      colourOf(most > 0 ? value / most : 0, colour).toArray(colours, 3 * k);
    }
    at += count;
    const own = new BufferGeometry();
    own.setIndex(geometry.index);
    for (const [name, attribute] of Object.entries(geometry.attributes)) own.setAttribute(name, attribute);
    own.setAttribute("color", new BufferAttribute(colours, 3));
    const material = new MeshLambertMaterial({
      vertexColors: true,
      side: DoubleSide,
      polygonOffset: true,
      polygonOffsetFactor: 1,
      polygonOffsetUnits: 1,
    });
    return { geometry: own, material, faint: null, faces };
  });
}

/** Free a painted surface. Its other attributes are those of the mesh, and stay. */
export function dropPainted(geometry: BufferGeometry): void {
  geometry.setIndex(null);
  for (const name of Object.keys(geometry.attributes)) if (name !== "color") geometry.deleteAttribute(name);
  geometry.dispose();
}
