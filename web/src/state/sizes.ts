import { useEffect, useState } from "react";
import { api } from "../api/client";
import type { Piece, Sized } from "../api/types";
import { useLevel } from "./level";

/** How large a piece stands in the levels, and by how many times what is told of its rungs is more there; null until
 * that is known. */
export function useSizes(piece: Piece): Sized | null {
  const level = useLevel((s) => s.levelId);
  const revision = useLevel((s) => s.revision);
  const [found, setFound] = useState<{ piece: string; sized: Sized } | null>(null);
  const { id } = piece;
  // biome-ignore lint/correctness/useExhaustiveDependencies: it may have been made larger with any step
  useEffect(() => {
    if (!level) return;
    let wanted = true;
    api.sizes(level, id).then(
      (sized) => wanted && setFound({ piece: id, sized }),
      () => wanted && setFound(null),
    );
    return () => {
      wanted = false;
    };
  }, [level, id, revision]);
  return found?.piece === id ? found.sized : null;
}
