import { useEffect, useMemo, useRef } from "react";
import { useOpenPiece } from "../../state/elements";
import { shown, useLevel } from "../../state/level";
import { useSelection } from "../../state/selection";
import { useView } from "../../state/view";
import type { Scheme } from "../../theme/tokens";
import { type Entry, entriesByLook, onSheet, seenPiece } from "./entries";
import { dropFirst } from "./firstPicture";
import { useMeshes } from "./meshes";
import { Outlines, outlinedTogether } from "./Outlines";
import { PieceInstances } from "./PieceInstances";
import { RungInstances } from "./RungInstances";
import { byRung, useEyeAtRest, useRungsDrawn } from "./rungsDrawn";

const nowhere: ReadonlyMap<string, readonly Entry[]> = new Map();

/** Everything that stands in the level, one set of instances for each piece and material. */
export function Pieces({ scheme }: { scheme: Scheme }) {
  const scene = useLevel(shown);
  const before = useRef(nowhere);
  const isolated = useView((v) => v.isolated);
  const entries = useMemo(() => entriesByLook(scene, before.current, isolated), [scene, isolated]);
  before.current = entries;
  const meshes = useMeshes();
  // a piece of which a rung is looked at has its edges to itself
  const { draws, closely } = useRungsDrawn();
  const eye = useEyeAtRest(draws === "distance");
  const apart = useMemo(() => {
    const out = new Map<string, ReturnType<typeof byRung>>();
    if (draws === "source") return out;
    for (const [id, list] of entries) {
      const piece = scene.pieces.get(id);
      const found = piece && byRung(piece, list, draws, eye);
      if (found) out.set(id, found);
    }
    return out;
  }, [scene, entries, draws, eye]);
  const open = useOpenPiece();
  const selected = useSelection((s) => s.ids[0]);
  const together = useMemo(() => {
    const every = outlinedTogether(scene, entries, meshes);
    // what is not open in Shape has no edges there
    const alone = (id: string) =>
      id === closely ||
      apart.has(id) ||
      (open !== null && id !== open) ||
      scene.pieces.get(id)?.mesh.startsWith("drag") === true;
    return [...every.keys()].some(alone) ? new Map([...every].filter(([id]) => !alone(id))) : every;
  }, [scene, entries, meshes, closely, apart, open]);
  // a piece that stands nowhere is shaped on an empty sheet
  const lone = open !== null && selected === open && !entries.has(open) ? scene.pieces.get(open) : undefined;
  const lines = useView((v) => v.draw !== "solid");
  useEffect(dropFirst, []);
  return (
    <>
      {lines && !lone && <Outlines entries={entries} together={together} scheme={scheme} />}
      {lone && <PieceInstances key="sheet" piece={lone} entries={onSheet} scheme={scheme} alone derived={false} />}
      {(lone ? [] : [...entries]).map(([id, list]) => {
        const piece = seenPiece(scene, id);
        if (piece && id === closely) {
          return <RungInstances key={id} piece={piece} entries={list} scheme={scheme} alone />;
        }
        const rungs = apart.get(id);
        if (rungs) {
          return [...rungs].map(([rung, drawn]) => (
            <PieceInstances key={`${id}#${rung}`} {...drawn} scheme={scheme} alone derived />
          ));
        }
        return piece ? (
          <PieceInstances
            key={id}
            piece={piece}
            entries={list}
            scheme={scheme}
            alone={!together.has(id)}
            derived={id.includes("/")}
          />
        ) : null;
      })}
    </>
  );
}
