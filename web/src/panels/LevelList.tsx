import { ChevronRight, Eye, EyeOff, Lock, LockOpen } from "lucide-react";
import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import {
  Button as AriaButton,
  Collection,
  Dialog,
  Input,
  type Key,
  ListLayout,
  Popover,
  SearchField,
  Tree,
  TreeItem,
  TreeItemContent,
  useDragAndDrop,
  Virtualizer,
} from "react-aria-components";
import styled from "styled-components";
import { kindOf } from "../state/kinds";
import { levelStore, useLevel } from "../state/level";
import { mark } from "../state/marks";
import { openGroup, select, useSelection } from "../state/selection";
import { takeStep } from "../state/steps";
import { isHidden, isLocked } from "../state/tree";
import { useView } from "../state/view";
import { textFactor, useSettings } from "../theme/settings";
import { iconOf } from "../ui/icons";
import { useUnit } from "../ui/lengths";
import { TextField } from "../ui/TextField";
import { found, type Line, levelLines, linesOver, rowOf, unfolded } from "./levelLines";
import { Heading } from "./parts";

const List = styled(Tree)`
  /* opaque: what scrolls is a layer of its own, and drawn anew with every picture of the view where it is not */
  overflow-y: auto; flex: 1; min-height: 0; outline-offset: -2px; background: var(--panel);
  &[data-drop-target] { box-shadow: inset 0 0 0 2px var(--petrol); }
`;
const Item = styled(TreeItem)`
  display: flex; align-items: center; gap: 5px; height: calc(23px * var(--text)); min-width: 0; cursor: pointer; outline: none;
  padding: 0 10px 0 calc(4px + (var(--tree-item-level) - 1) * 14px);
  & svg { flex: none; color: var(--quiet); display: block; }
  & span { flex: 1; overflow: hidden; text-overflow: ellipsis; white-space: nowrap; }
  & small { color: var(--quiet); font-size: 0.75rem; }
  &[data-dim="true"] span { color: var(--quiet); font-style: italic; }
  &[data-hovered] { background: var(--sheet); }
  &[data-selected] { background: var(--petrol-wash); color: var(--petrol); font-weight: 600; }
  &[data-selected] svg, &[data-selected] small, &[data-selected] span { color: var(--petrol); }
  &[data-focus-visible] { box-shadow: inset 0 0 0 2px var(--petrol); }
  &[data-drop-target] { box-shadow: inset 0 0 0 2px var(--ochre); }
`;
const Small = styled(AriaButton)`
  all: unset; cursor: pointer; padding: 2px; border-radius: 3px; opacity: 0;
  [role="row"]:hover &, [role="row"][data-focus-visible-within] &, [role="row"]:focus-within &, &[data-on="true"], &[data-focus-visible] { opacity: 1; }
  &[data-focus-visible] { outline: 2px solid var(--petrol); }
`;
const Fold = styled(AriaButton)`
  all: unset; cursor: pointer; width: 14px; border-radius: 3px;
  & svg { transition: transform 120ms; }
  &[data-open="true"] svg { transform: rotate(90deg); }
  &[data-focus-visible] { outline: 2px solid var(--petrol); }
`;
const Gap = styled.i`width: 14px;`;
const Grip = styled(AriaButton)`
  all: unset; display: block; line-height: 0; cursor: grab;
  &[data-focus-visible] { outline: 2px solid var(--petrol); border-radius: 3px; }
`;
const Finder = styled(SearchField)`
  padding: 0 10px 6px;
  & input { width: 100%; min-height: 1.625rem; padding: 3px 8px; border: 1px solid var(--line); border-radius: 3px; background: var(--field); }
`;
const Rest = styled.div`display: flex; flex-direction: column; flex: 1; min-height: 0;`;
const Nothing = styled.p`padding: 0 12px; color: var(--quiet);`;
const Over = styled(Popover)`width: 210px; & [role="dialog"] { outline: none; }`;
/** Pixels of a row. */
const ROW = 23;
const KIND = "application/x-able-brick-things";

/** The ids of things that rows stand for: a fold stands for all in it. */
function thingsOf(keys: Iterable<Key>, folds: ReadonlyMap<string, string[]>): string[] {
  return [...new Set([...keys].flatMap((key) => folds.get(String(key)) ?? [String(key)]))];
}

/** Rows dragged onto a group are put into it, onto the free list out of all groups. */
function useDropping(folds: ReadonlyMap<string, string[]>) {
  const put = (keys: Iterable<Key>, into: string | null) =>
    void takeStep("put_into_group", { into }, thingsOf(keys, folds));
  const groupAt = (key: Key): string | null => {
    const thing = levelStore.getState().scene.things.get(String(key));
    return thing?.kind === "group" ? thing.id : null;
  };
  const dragged = useRef<Iterable<Key>>([]);
  return useDragAndDrop({
    getItems: (keys) => [...keys].map((key) => ({ [KIND]: String(key), "text/plain": String(key) })),
    acceptedDragTypes: [KIND],
    getDropOperation: () => "move",
    shouldAcceptItemDrop: (target) => groupAt(target.key) !== null,
    onDragStart: (e) => {
      dragged.current = e.keys;
    },
    onRootDrop: () => put(dragged.current, null),
    onMove: (e) => {
      const group = groupAt(e.target.key);
      const { things } = levelStore.getState().scene;
      put(e.keys, e.target.dropPosition === "on" ? group : (things.get(String(e.target.key))?.group ?? null));
    },
  }).dragAndDropHooks;
}

/** What stands in the level: groups, paths with their courses, arrays, placements. */
export function LevelList() {
  const scene = useLevel((s) => s.scene);
  const ids = useSelection((s) => s.ids);
  const open = useView((v) => v.inside);
  const [text, setText] = useState("");
  const [expanded, setExpanded] = useState<ReadonlySet<string>>(new Set());
  const [naming, setNaming] = useState<string | null>(null);
  const unit = useUnit();
  // biome-ignore lint/correctness/useExhaustiveDependencies: lengths stand in the rows
  const all = useMemo(() => levelLines(scene), [scene, unit]);
  const words = useMemo(() => text.toLowerCase().split(/\s+/).filter(Boolean), [text]);
  const lines = useMemo(() => (words.length ? found(all, words) : all), [all, words]);
  const folds = useMemo(() => {
    const out = new Map<string, string[]>();
    const walk = (some: readonly Line[]) => {
      for (const line of some) {
        if (line.kind === "fold")
          out.set(
            line.id,
            line.inner.map((l) => l.id),
          );
        walk(line.inner);
      }
    };
    walk(all);
    return out;
  }, [all]);
  const paths = useMemo(() => all.filter((l) => l.kind === "path").map((l) => l.id), [all]);
  // paths are open from the start, and so is where one works and what is found
  const wide = useMemo(() => {
    const out = new Set([...expanded, ...paths.filter((p) => !expanded.has(`shut:${p}`))]);
    if (words.length) {
      const walk = (some: readonly Line[]) => {
        for (const line of some) {
          if (line.kind !== "fold" || line.inner.length < 200) out.add(line.id);
          walk(line.inner);
        }
      };
      walk(lines);
    }
    return out;
  }, [expanded, paths, lines, words.length]);
  useEffect(() => {
    if (open) setExpanded((e) => new Set([...e, open]));
  }, [open]);
  // what is selected elsewhere comes into sight
  // biome-ignore lint/correctness/useExhaustiveDependencies: opens when the selection changes, and may be shut again
  useEffect(() => {
    const { things } = scene;
    const over = ids.slice(0, 20).flatMap((id) => {
      const thing = things.get(id);
      return thing ? linesOver(scene, thing) : [];
    });
    if (over.length) setExpanded((e) => (over.every((k) => e.has(k)) ? e : new Set([...e, ...over])));
  }, [ids]);
  const rest = useRef<HTMLDivElement>(null);
  const height = ROW * useSettings(textFactor);
  const layoutOptions = useMemo(() => ({ rowHeight: height }), [height]);
  const shown = useMemo(() => unfolded(lines, wide), [lines, wide]);
  const pressed = useRef(false);
  // and into the middle, where it was not chosen in the list itself
  // biome-ignore lint/correctness/useExhaustiveDependencies: scrolls as the selection changes, and not as the list does
  useEffect(() => {
    const list = rest.current?.querySelector("[role=treegrid]");
    const [first] = ids;
    if (!list || !first || pressed.current) return;
    const at = rowOf(shown, wide, first);
    if (at < 0) return;
    const top = at * height;
    if (top < list.scrollTop || top + height > list.scrollTop + list.clientHeight) {
      list.scrollTo({ top: top - list.clientHeight / 2 + height / 2 });
    }
  }, [ids, shown.length, expanded]);
  const chosen = useMemo(() => {
    const now = new Set(ids);
    const out = new Set<Key>(ids.filter((id) => scene.things.has(id)));
    for (const [fold, inner] of folds) if (inner.every((id) => now.has(id))) out.add(fold);
    return out;
  }, [ids, scene, folds]);
  const choose = (keys: "all" | Set<Key>) => {
    if (keys === "all") return select(all.flatMap((l) => folds.get(l.id) ?? [l.id]));
    const gone = [...chosen].filter((key) => !keys.has(key));
    const left = new Set(thingsOf(gone, folds));
    const kept = thingsOf(keys, folds).filter((id) => !left.has(id));
    // a fold that is left stands for nothing more, and what was just pressed counts
    select(keys.size ? kept : []);
  };
  const hooks = useDropping(folds);
  const row = useCallback(
    (line: Line) => <Row key={line.id} line={line} expanded={wide} naming={naming} onName={setNaming} />,
    [wide, naming],
  );
  const count = scene.summary?.placements ?? 0;
  return (
    <>
      <Heading>
        <h2>
          Level · {count} {count === 1 ? "item" : "items"}
        </h2>
      </Heading>
      {scene.things.size > 8 && (
        <Finder aria-label="Search the level" value={text} onChange={setText}>
          <Input placeholder="Name" />
        </Finder>
      )}
      <Rest
        ref={rest}
        onPointerEnter={() => {
          pressed.current = true;
        }}
        onPointerLeave={() => {
          pressed.current = false;
        }}
        onPointerDownCapture={(event) => {
          // a row that is cut off comes into sight when it is pressed, and would miss the release
          const target = event.target as HTMLElement;
          const row = target.closest("[role=row]");
          const list = row?.closest("[role=treegrid]");
          if (!row || !list || event.ctrlKey || event.shiftKey || target.closest("button")) return;
          const [a, b] = [row.getBoundingClientRect(), list.getBoundingClientRect()];
          if (a.top < b.top || a.bottom > b.bottom) choose(new Set([row.getAttribute("data-key") ?? ""]));
        }}
        onDoubleClick={(event) => {
          const key = (event.target as HTMLElement).closest("[role=row] span")?.closest("[role=row]");
          const id = key?.getAttribute("data-key");
          if (id && scene.things.has(id)) setNaming(id);
        }}
        onKeyDown={(event) => {
          const [one] = ids;
          if (ids.length !== 1 || !one) return;
          if (event.key === "F2") setNaming(one);
          if (event.key === "Enter" && scene.things.get(one)?.kind === "group") openGroup(one);
        }}
      >
        <Virtualizer layout={ListLayout} layoutOptions={layoutOptions}>
          <List
            aria-label="Level"
            items={shown}
            dependencies={[row]}
            selectionMode="multiple"
            selectionBehavior="replace"
            selectedKeys={chosen}
            onSelectionChange={choose}
            expandedKeys={wide}
            onExpandedChange={(keys) => {
              const shut = [...wide].filter((k) => !keys.has(k));
              setExpanded(
                new Set([
                  ...[...keys].map(String),
                  ...[...expanded].filter((k) => k.startsWith("shut:") && !keys.has(k.slice(5))),
                  ...shut.map((k) => `shut:${k}`),
                ]),
              );
            }}
            dragAndDropHooks={hooks}
            renderEmptyState={() => (
              <Nothing>
                {words.length
                  ? "Nothing in the level is called like that."
                  : "Nothing stands here yet. Drag a piece from the shelf into the view."}
              </Nothing>
            )}
          >
            {(line) => row(line as Line)}
          </List>
        </Virtualizer>
      </Rest>
    </>
  );
}

interface RowProps {
  line: Line;
  expanded: ReadonlySet<string>;
  naming: string | null;
  onName: (id: string | null) => void;
}

function Row({ line, expanded, naming, onName }: RowProps) {
  const place = useRef<HTMLDivElement>(null);
  const things = useLevel((s) => s.scene.things);
  const { thing } = line;
  const hidden = thing !== null && isHidden(things, thing.id);
  const locked = thing !== null && isLocked(things, thing.id);
  const Icon = iconOf(thing ? kindOf(thing) : { icon: "boxes" });
  const full = `${line.name}${line.kind === "fold" ? ` · all ${line.detail}` : ""}${hidden ? " hidden" : ""}${locked ? " locked" : ""}`;
  const open = expanded.has(line.id);
  return (
    <Item id={line.id} textValue={full} data-dim={hidden} hasChildItems={line.inner.length > 0} ref={place}>
      <TreeItemContent>
        {line.inner.length > 0 ? (
          <Fold slot="chevron" data-open={open}>
            <ChevronRight size={14} aria-hidden />
          </Fold>
        ) : (
          <Gap />
        )}
        <Grip slot="drag">
          <Icon size={14} aria-hidden />
        </Grip>
        <span>{line.name}</span>
        {thing && (
          <>
            <Small
              aria-label={thing.hidden ? `Show ${line.name}` : `Hide ${line.name}`}
              data-on={hidden}
              onPress={() => void mark([thing.id], { hide: !thing.hidden })}
            >
              {hidden ? <EyeOff size={13} aria-hidden /> : <Eye size={13} aria-hidden />}
            </Small>
            <Small
              aria-label={thing.locked ? `Unlock ${line.name}` : `Lock ${line.name}`}
              data-on={locked}
              onPress={() => void mark([thing.id], { lock: !thing.locked })}
            >
              {locked ? <Lock size={13} aria-hidden /> : <LockOpen size={13} aria-hidden />}
            </Small>
          </>
        )}
        <small aria-hidden>{line.detail}</small>
        {thing && naming === thing.id && (
          <Over
            triggerRef={place}
            isOpen
            onOpenChange={(on) => !on && onName(null)}
            placement="bottom start"
            offset={-24}
          >
            <Dialog aria-label={`Name of ${line.name}`}>
              <TextField
                label="Name"
                value={thing.name}
                focus
                onCommit={(name) => {
                  onName(null);
                  void takeStep("rename", { name }, [thing.id]);
                }}
              />
            </Dialog>
          </Over>
        )}
      </TreeItemContent>
      {open && line.inner.length > 0 && (
        <Collection items={line.inner} dependencies={[expanded, naming]}>
          {(inner) => <Row line={inner as Line} expanded={expanded} naming={naming} onName={onName} />}
        </Collection>
      )}
    </Item>
  );
}
