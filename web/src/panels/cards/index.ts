import type { ComponentType } from "react";
import type { Row } from "../../api/types";
import { CourseCard } from "./CourseCard";
import { GroupCard } from "./GroupCard";
import { MeasureRowCard } from "./MeasureRowCard";
import { PathCard } from "./PathCard";
import { PieceCard } from "./PieceCard";
import { StandingCard } from "./StandingCard";

/** The card of each kind of row that can be selected. */
const CARDS = {
  piece: PieceCard,
  placement: StandingCard,
  array: StandingCard,
  path: PathCard,
  course: CourseCard,
  group: GroupCard,
  measure: MeasureRowCard,
};

export const cardOf = (row: Row): ComponentType<{ row: Row }> =>
  CARDS[row.kind as keyof typeof CARDS] as unknown as ComponentType<{ row: Row }>;
