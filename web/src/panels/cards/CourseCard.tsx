import { Link2 } from "lucide-react";
import type { Course } from "../../api/types";
import { itemCount, shown, useLevel } from "../../state/level";
import { MarkButtons } from "../MarkButtons";
import { Card } from "../parts";
import { costOf, Facts, Linked, PieceFacts } from "./parts";

/** A course. */
export function CourseCard({ row: course }: { row: Course }) {
  const piece = useLevel((s) => shown(s).pieces.get(course.piece));
  const path = useLevel((s) => shown(s).things.get(course.path));
  const items = useLevel((s) => itemCount(shown(s), course.id));
  const scene = useLevel(shown);
  return (
    <Card aria-label="Selection">
      <header>
        <h2>{course.name}</h2>
        <Linked>
          <Link2 size={14} aria-hidden /> {items} {items === 1 ? "item" : "items"}
        </Linked>
        <MarkButtons things={[course]} />
      </header>
      <div>
        <Facts>
          <dt>Piece</dt>
          <dd>{piece?.name}</dd>
          <dt>Along</dt>
          <dd>{path?.name}</dd>
        </Facts>
        {piece && <PieceFacts piece={piece} items={items} all={costOf(scene, [course])} />}
      </div>
    </Card>
  );
}
