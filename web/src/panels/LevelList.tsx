import { Box, Columns3, EyeOff, Lock, Spline, Waypoints } from "lucide-react";
import { useMemo } from "react";
import { ListBox, ListBoxItem, ListLayout, Virtualizer } from "react-aria-components";
import styled from "styled-components";
import type { Thing } from "../api/types";
import { madeOrder, useLevel } from "../state/level";
import { select, useSelection } from "../state/selection";
import { Heading } from "./parts";

const List = styled(ListBox)`
  overflow-y: auto; flex: 1; min-height: 0; outline-offset: -2px;
`;
const Item = styled(ListBoxItem)`
  display: flex; align-items: center; gap: 7px; height: 23px; padding: 0 12px; cursor: pointer; outline: none;
  & svg { flex: none; color: var(--quiet); }
  & span { flex: 1; overflow: hidden; text-overflow: ellipsis; white-space: nowrap; }
  & small { color: var(--quiet); font-size: 12px; }
  &[data-dim="true"] > span { opacity: 0.55; }
  &[data-inner="true"] { padding-left: 28px; }
  &[data-hovered] { background: var(--sheet); }
  &[data-selected] { background: var(--petrol-wash); color: var(--petrol); font-weight: 600; }
  &[data-selected] svg, &[data-selected] small { color: var(--petrol); }
  &[data-focus-visible] { box-shadow: inset 0 0 0 2px var(--petrol); }
`;
const ICON = { placement: Box, array: Columns3, path: Spline, course: Waypoints } as const;

interface Line {
  id: string;
  thing: Thing;
  inner: boolean;
  aside: string;
}

/** What stands in the level: paths with their courses, arrays, placements. */
export function LevelList() {
  const scene = useLevel((s) => s.scene);
  const ids = useSelection((s) => s.ids);
  const lines = useMemo((): Line[] => {
    const all = [...scene.things.values()].sort((a, b) => madeOrder(a.id) - madeOrder(b.id));
    const aside = (t: Thing): string => {
      if (t.kind === "path") return `${(scene.paths.get(t.id)?.length ?? 0).toFixed(1)} m`;
      return t.kind === "placement" ? "" : `${scene.items.get(t.id)?.length ?? 0}`;
    };
    const line = (thing: Thing, inner = false): Line => ({ id: thing.id, thing, inner, aside: aside(thing) });
    const out: Line[] = [];
    for (const path of all.filter((t) => t.kind === "path")) {
      out.push(line(path));
      for (const course of all) if (course.kind === "course" && course.path === path.id) out.push(line(course, true));
    }
    out.push(...all.filter((t) => t.kind === "array").map((t) => line(t)));
    out.push(...all.filter((t) => t.kind === "placement").map((t) => line(t)));
    return out;
  }, [scene]);
  const count = scene.summary?.placements ?? 0;
  return (
    <>
      <Heading>
        <h2>
          Level · {count} {count === 1 ? "item" : "items"}
        </h2>
      </Heading>
      <Virtualizer layout={ListLayout} layoutOptions={{ rowHeight: 23 }}>
        <List
          aria-label="Level"
          items={lines}
          selectionMode="multiple"
          selectionBehavior="replace"
          selectedKeys={ids.filter((id) => scene.things.has(id))}
          onSelectionChange={(keys) => select(keys === "all" ? lines.map((l) => l.id) : [...keys].map(String))}
          renderEmptyState={() => (
            <Nothing>Nothing stands here yet. Drag a piece from the shelf into the view.</Nothing>
          )}
        >
          {(value) => {
            const line = value as Line;
            const Icon = ICON[line.thing.kind ?? "placement"];
            return (
              <Item id={line.id} textValue={line.thing.name} data-inner={line.inner} data-dim={line.thing.hidden}>
                <Icon size={14} aria-hidden />
                <span>{line.thing.name}</span>
                <small aria-hidden>{line.aside}</small>
                {line.thing.hidden && <EyeOff size={13} aria-label="hidden" />}
                {line.thing.locked && <Lock size={13} aria-label="locked" />}
              </Item>
            );
          }}
        </List>
      </Virtualizer>
    </>
  );
}

const Nothing = styled.p`padding: 0 6px; color: var(--quiet);`;
