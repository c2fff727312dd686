import { Fragment } from "react";
import { shown, useLevel } from "../../state/level";
import { useSelection } from "../../state/selection";
import type { Scheme } from "../../theme/tokens";
import { Dots } from "../paths/Dots";
import { Tag } from "./Measures";

/** Places where something was found, with its numbers; in words where the thing, or its path, is selected. */
export function Findings({ scheme }: { scheme: Scheme }) {
  const scene = useLevel(shown);
  const ids = useSelection((s) => s.ids);
  const found = (scene.summary?.findings ?? []).filter((f) => f.place);
  const isShownHere = (id: string): boolean => {
    const thing = scene.things.get(id);
    return ids.includes(id) || (thing?.kind === "course" && ids.includes(thing.path));
  };
  return (
    <>
      {found.map(
        (f) =>
          f.place && (
            <Fragment key={f.code + f.thing + f.place.join()}>
              <Dots points={[f.place]} colour={scheme.ochre} size={12} />
              {isShownHere(f.thing) && f.label && <Tag at={f.place} text={f.label} colour={scheme.ochre} lift={1.2} />}
            </Fragment>
          ),
      )}
    </>
  );
}
