import { useEffect, useMemo, useRef } from "react";
import { shown, useLevel } from "../../state/level";
import { useRungs } from "../../state/rungs";
import { useView } from "../../state/view";
import type { Scheme } from "../../theme/tokens";
import { type Entry, entriesByLook, seenPiece } from "./entries";
import { dropFirst } from "./firstPicture";
import { useMeshes } from "./meshes";
import { Outlines, outlinedTogether } from "./Outlines";
import { PieceInstances } from "./PieceInstances";
import { RungInstances } from "./RungInstances";

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
  const laddered = useRungs((s) => s.piece);
  const together = useMemo(() => {
    const every = outlinedTogether(scene, entries, meshes);
    return laddered !== null && every.has(laddered) ? new Map([...every].filter(([id]) => id !== laddered)) : every;
  }, [scene, entries, meshes, laddered]);
  const lines = useView((v) => v.draw !== "solid");
  useEffect(dropFirst, []);
  return (
    <>
      {lines && <Outlines entries={entries} together={together} scheme={scheme} />}
      {[...entries].map(([id, list]) => {
        const piece = seenPiece(scene, id);
        if (piece && id === laddered) {
          return <RungInstances key={id} piece={piece} entries={list} scheme={scheme} alone />;
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
