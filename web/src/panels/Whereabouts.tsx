import { ChevronRight } from "lucide-react";
import { Breadcrumb, Breadcrumbs, Button as Plain } from "react-aria-components";
import styled from "styled-components";
import { useLevel } from "../state/level";
import { openGroup } from "../state/selection";
import { over } from "../state/tree";
import { useView } from "../state/view";
import { Key } from "../ui/controls";

const Line = styled.nav`
  position: absolute; z-index: 4; top: 8px; left: 50%; transform: translateX(-50%); display: flex; align-items: center; gap: 8px;
  padding: 3px 10px; border: 1px solid var(--petrol); border-radius: 3px; background: var(--panel); color: var(--quiet); white-space: nowrap;
  & ol { display: flex; align-items: center; gap: 4px; margin: 0; padding: 0; list-style: none; }
  & li { display: flex; align-items: center; gap: 4px; }
  & li svg { color: var(--quiet); }
  & b { color: var(--petrol); font-weight: 620; }
`;
const Link = styled(Plain)`
  all: unset; cursor: pointer; color: var(--ink); border-radius: 3px;
  &[data-hovered] { text-decoration: underline; }
  &[data-focus-visible] { outline: 2px solid var(--petrol); }
`;

/** Which group is open, in what, and the way out. */
export function Whereabouts() {
  const inside = useView((v) => v.inside);
  const eye = useView((v) => v.mode === "eye");
  const things = useLevel((s) => s.scene.things);
  const level = useLevel((s) => s.scene.level?.name);
  const group = things.get(inside ?? "");
  if (!group || eye) return null;
  const above = over(things, group).reverse();
  return (
    <Line aria-label="Open group">
      <Breadcrumbs>
        <Breadcrumb>
          <Link onPress={() => openGroup(null)}>{level}</Link>
          <ChevronRight size={13} aria-hidden />
        </Breadcrumb>
        {above.map((g) => (
          <Breadcrumb key={g.id}>
            <Link onPress={() => openGroup(g.id)}>{g.name}</Link>
            <ChevronRight size={13} aria-hidden />
          </Breadcrumb>
        ))}
        <Breadcrumb>
          <b>{group.name}</b>
        </Breadcrumb>
      </Breadcrumbs>
      <span>
        <Key>Esc</Key> leaves
      </span>
    </Line>
  );
}
