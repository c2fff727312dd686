import { BufferAttribute, BufferGeometry, Matrix4, Vector3 } from "three";
import type { Params } from "../../api/types";
import type { Cage } from "../../scene/elements/cage";
import { meshOf, putMesh, type ViewMesh } from "../../scene/pieces/meshes";
import { elementDrag } from "../../state/drag";
import { elementHold } from "../../state/elementHold";
import { levelStore } from "../../state/level";
import { selectionStore } from "../../state/selection";
import { finishOf, sourceOf } from "../../state/source";
import { previewStep } from "../../state/steps";
import { viewport } from "../../viewport/controller";
import type { HeldElements } from "./hold";
import { imaged, type Seam, seamOf, withImageLines, withImages } from "./otherHalf";

/** The mesh of a drag has a name that no mesh has. */
const NAME = "drag";
let count = 0;

/** How much of a move each vertex goes along: those held, and within a radius along the edges their neighbours. */
export function falloff(cage: Cage, vertices: readonly number[], radius: number): Map<number, number> {
  const far = new Map<number, number>(vertices.map((v) => [v, 0]));
  if (radius > 0) {
    const beside = neighbours(cage);
    // vertices at hand by distance; a simple queue of stages is enough for what is seen while dragging
    let edge = [...vertices];
    while (edge.length) {
      const next = new Set<number>();
      for (const v of edge) {
        for (const [w, long] of beside[v] ?? []) {
          const way = (far.get(v) ?? 0) + long;
          if (way < radius && way < (far.get(w) ?? Number.POSITIVE_INFINITY)) {
            far.set(w, way);
            next.add(w);
          }
        }
      }
      edge = [...next];
    }
  }
  const out = new Map<number, number>();
  for (const [v, d] of far) {
    const x = radius > 0 ? d / radius : 0;
    out.set(v, 1 - x * x * (3 - 2 * x));
  }
  return out;
}

function neighbours(cage: Cage): [number, number][][] {
  const out: [number, number][][] = Array.from({ length: cage.places.length / 3 }, () => []);
  for (let e = 0; e < cage.ends.length / 2; e++) {
    const [a, b] = [cage.ends[2 * e] as number, cage.ends[2 * e + 1] as number];
    const long = Math.hypot(
      ...[0, 1, 2].map((k) => (cage.places[3 * a + k] as number) - (cage.places[3 * b + k] as number)),
    );
    out[a]?.push([b, long]);
    out[b]?.push([a, long]);
  }
  return out;
}

/** Meshes with more vertices are moved within one copy; those with fewer are drawn anew, as small ones are drawn merged. */
const LARGE = 1500;

/** The places of a geometry that follow vertices: the attribute, and for each place that moves its vertex. */
interface Following {
  places: BufferAttribute;
  at: [place: number, vertex: number, over: boolean][];
}

/** Shows the open piece with what is held moved, everywhere it stands, without asking the server; one that is smoothed
 * live is made by the server again and again, as `wish` says. */
export class DraggedMesh {
  private readonly source: ViewMesh | undefined;
  private readonly smooth: boolean;
  private readonly seam: Seam | null;
  private readonly weights: Map<number, number>;
  private readonly back: Matrix4;
  private shownAs: string | null = null;
  /** What is moved within the copy that is shown; null where each picture has a copy of its own. */
  private within: Following[] | null = null;

  constructor(
    private readonly held: HeldElements,
    private readonly wish: () => { tool: string; params: Params } | null,
  ) {
    const finish = finishOf(held.piece);
    this.source = meshOf(sourceOf(held.piece));
    this.smooth = (finish?.levels ?? 0) > 0;
    this.seam = finish?.mirror ? seamOf(finish.mirror, held.cage) : null;
    this.weights = falloff(held.cage, held.vertices, elementHold.getState().radius);
    this.back = held.item.clone().invert();
  }

  /** Show it moved by a matrix of the world. */
  show(world: Matrix4): void {
    const { source, held } = this;
    if (!source) return;
    const own = new Matrix4().multiplyMatrices(this.back, world).multiply(held.item);
    const { places } = held.cage;
    const at = new Map<number, Vector3>();
    const p = new Vector3();
    elementDrag.setState({ world });
    if (this.smooth) {
      const wish = this.wish();
      previewStep(wish && { ...wish, selection: selectionStore.getState().ids, adjust: false });
      return;
    }
    for (const [v, share] of this.weights) {
      p.fromArray(places, 3 * v);
      const to = p.clone().applyMatrix4(own).sub(p).multiplyScalar(share).add(p);
      at.set(v, this.seam?.on(p) ? this.seam.put(to) : to);
    }
    if (this.within) {
      for (const { places: attribute, at: moving } of this.within) {
        for (const [place, vertex, over] of moving) {
          const to = at.get(vertex);
          if (over && to && this.seam)
            p.copy(to)
              .applyMatrix4(this.seam.image)
              .toArray(attribute.array, 3 * place);
          else to?.toArray(attribute.array, 3 * place);
        }
        attribute.needsUpdate = true;
      }
      viewport.redraw();
      return;
    }
    this.drawAnew(source, at);
  }

  private drawAnew(source: ViewMesh, at: ReadonlyMap<number, Vector3>): void {
    const { held } = this;
    const large = held.cage.places.length / 3 > LARGE && held.item.determinant() > 0;
    const lines = moved(source.outline ?? source.inner, (k) => at.get(k));
    const next: ViewMesh = {
      slots: source.slots.map((slot) => {
        const geometry = withPlaces(
          slot.geometry,
          moved(slot.geometry, (k) => at.get(slot.vertices[k] as number)),
        );
        if (!large) geometry.computeVertexNormals();
        return { ...slot, geometry };
      }),
      outline: source.outline && withPlaces(source.outline, lines),
      inner: source.inner && withPlaces(source.inner, lines),
      edges: source.edges,
    };
    if (large) {
      const follow = (places: BufferAttribute, vertexOf: (k: number) => number): Following => {
        const list: Following["at"] = [];
        for (let k = 0; k < places.count; k++) if (at.has(vertexOf(k))) list.push([k, vertexOf(k), false]);
        return { places, at: list };
      };
      this.within = next.slots.map((slot) =>
        follow(slot.geometry.getAttribute("position") as BufferAttribute, (k) => slot.vertices[k] as number),
      );
      this.within.push(follow(lines, (k) => k));
    }
    if (this.seam) this.addImages(next);
    const name = `${NAME}${count++}`;
    putMesh(name, next);
    const { scene } = levelStore.getState();
    const row = scene.pieces.get(held.piece.id);
    if (row) {
      const pieces = new Map(scene.pieces).set(row.id, { ...row, mesh: name });
      levelStore.setState({ preview: { ...scene, pieces }, previewNote: "" });
    }
    if (this.shownAs) dispose(this.shownAs);
    this.shownAs = name;
  }

  /** Add the other half to what is shown, and to what follows. */
  private addImages(mesh: ViewMesh): void {
    const image = this.seam?.image;
    if (!image) return;
    const half = [...mesh.slots];
    const over = half.map((slot) => ({ ...slot, geometry: imaged(slot.geometry, image) }));
    mesh.slots.push(...over);
    const lines = (mesh.outline ?? mesh.inner)?.getAttribute("position") as BufferAttribute | undefined;
    const both = lines && withImages(lines, image);
    if (both) {
      mesh.outline &&= withImageLines(mesh.outline, both);
      mesh.inner &&= withImageLines(mesh.inner, both);
    }
    if (!this.within) return;
    const along = this.within.pop();
    if (along && both) {
      const more = along.at.map(([place, vertex]): Following["at"][number] => [place + lines.count, vertex, true]);
      this.within.push({ places: both, at: [...along.at, ...more] });
    }
    // the first lists are those of the slots, in their order
    const more = over.map(({ geometry }, k) => ({
      places: geometry.getAttribute("position") as BufferAttribute,
      at: (this.within?.[k]?.at ?? []).map(([place, vertex]): Following["at"][number] => [place, vertex, true]),
    }));
    this.within.push(...more);
  }

  /** Put all back as it is. */
  end(): void {
    if (this.smooth) previewStep(null);
    elementDrag.setState({ world: null });
    levelStore.setState({ preview: null, previewNote: "" });
    if (this.shownAs) dispose(this.shownAs);
    this.shownAs = null;
  }
}

/** Names are let go a little later: what is drawn now still has them. */
function dispose(name: string): void {
  window.setTimeout(() => putMesh(name, null), 2000);
}

function moved(geometry: BufferGeometry | null, to: (vertex: number) => Vector3 | undefined): BufferAttribute {
  const from = geometry?.getAttribute("position");
  const places = new Float32Array(from?.array ?? []);
  for (let k = 0; k < places.length / 3; k++) to(k)?.toArray(places, 3 * k);
  return new BufferAttribute(places, 3);
}

function withPlaces(geometry: BufferGeometry, places: BufferAttribute): BufferGeometry {
  const out = new BufferGeometry();
  for (const [name, attribute] of Object.entries(geometry.attributes)) out.setAttribute(name, attribute);
  out.setAttribute("position", places);
  if (geometry.getAttribute("normal")) out.setAttribute("normal", geometry.getAttribute("normal").clone());
  out.setIndex(geometry.index);
  return out;
}
