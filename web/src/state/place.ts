import type { Snap } from "../api/types";

/** A feature as the steps and the measures take it. */
export const placeOf = ({ thing, item = 0, kind, index = 0, face = 0, share = 0.5, at }: Snap["grip"]) => ({
  thing,
  item,
  kind,
  index,
  face,
  share,
  // of a place on a face: where
  ...(at && { at }),
});
