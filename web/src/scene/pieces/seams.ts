import { useEffect, useState } from "react";
import { api } from "../../api/client";
import type { Piece, Vector } from "../../api/types";
import { useLevel } from "../../state/level";

/** Where the vertices are that stay on all rungs of a piece, in the coordinates of its mesh; null until that is known,
 * and for no piece. */
export function useSeams(piece: Piece | null): readonly Vector[] | null {
  const level = useLevel((s) => s.levelId);
  const revision = useLevel((s) => s.revision);
  const [found, setFound] = useState<{ piece: string; points: readonly Vector[] } | null>(null);
  const id = piece?.id ?? null;
  // biome-ignore lint/correctness/useExhaustiveDependencies: neighbours may have come with any step
  useEffect(() => {
    if (!level || !id) return;
    let wanted = true;
    api.seams(level, id).then(
      (points) => wanted && setFound({ piece: id, points }),
      () => wanted && setFound({ piece: id, points: [] }),
    );
    return () => {
      wanted = false;
    };
  }, [level, id, revision]);
  return found?.piece === id ? (found?.points ?? null) : null;
}
