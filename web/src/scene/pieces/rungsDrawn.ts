import { useEffect, useState } from "react";
import type { Piece } from "../../api/types";
import { isStale, meshOfRung, useRungs } from "../../state/rungs";
import { useRunning } from "../../state/running";
import { useView, viewStore } from "../../state/view";
import { viewport } from "../../viewport/controller";
import type { Entry } from "./entries";

/** Milliseconds for which the view must rest until rungs are chosen anew. */
const REST = 250;

/** Which rungs are drawn, and the piece that is looked at closely. While something is picked all is drawn as it is:
 * what is picked are its own faces. */
export function useRungsDrawn(): { draws: string; closely: string | null } {
  const slim = useView((v) => v.stage === "slim");
  const running = useRunning((s) => s.now !== null);
  const draws = useRungs((s) => s.draws);
  const closely = useRungs((s) => s.piece);
  const off = !slim || running;
  return { draws: off ? "source" : draws, closely: off ? null : closely };
}

/** Where the eye is, each time that it has come to rest; null while nobody wants to know. */
export function useEyeAtRest(wanted: boolean): readonly number[] | null {
  const [eye, setEye] = useState<readonly number[] | null>(null);
  useEffect(() => {
    if (!wanted) {
      setEye(null);
      return;
    }
    let timer = 0;
    const look = () => setEye(viewport.camera.position.toArray());
    look();
    const stop = viewStore.subscribe(() => {
      window.clearTimeout(timer);
      timer = window.setTimeout(look, REST);
    });
    return () => {
      stop();
      window.clearTimeout(timer);
    };
  }, [wanted]);
  return eye;
}

/** The rung that suits an item from an eye: the last one that is good from no farther than it is. */
export function rungFor(piece: Pick<Piece, "ladder">, pose: readonly number[], eye: readonly number[]): number {
  const [x = 0, y = 0, z = 0] = pose;
  const [a = 0, b = 0, c = 0] = eye;
  const away = Math.hypot(x - a, y - b, z - c);
  // what is told of rungs is meant for the size of the ladder
  const madeFor = piece.ladder?.size ?? [1, 1, 1];
  const size = Math.max(...madeFor.map((t, k) => Math.abs(pose[7 + k] ?? 1) / (t || 1)));
  let best = 0;
  for (const [k, rung] of (piece.ladder?.rungs ?? []).entries()) if (rung.good_from * size <= away) best = k + 1;
  return best;
}

/** The entries of a piece by the rung that they are drawn with; null where all are drawn as the piece is. */
export function byRung(
  piece: Piece,
  entries: readonly Entry[],
  draws: string,
  eye: readonly number[] | null,
): Map<number, { piece: Piece; entries: readonly Entry[] }> | null {
  const count = piece.ladder?.rungs.length ?? 0;
  if (draws === "source" || count === 0 || isStale(piece)) return null;
  const of = new Map<number, Entry[]>();
  for (const entry of entries) {
    const rung = draws === "distance" ? (eye ? rungFor(piece, entry.pose, eye) : 0) : Math.min(Number(draws), count);
    const list = of.get(rung);
    if (list) list.push(entry);
    else of.set(rung, [entry]);
  }
  return new Map(
    [...of].map(([rung, list]) => [
      rung,
      { piece: rung === 0 ? piece : { ...piece, mesh: meshOfRung(piece, rung) }, entries: list },
    ]),
  );
}
