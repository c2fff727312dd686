import { useThree } from "@react-three/fiber";
import { useEffect } from "react";
import { Vector3 } from "three";
import type { Vector } from "../../api/types";
import { boxAboutPivot } from "../../scene/pieces/entries";
import { useLevel } from "../../state/level";
import { type Run, run, runningStore, runsOf } from "../../state/running";
import { takeStep } from "../../state/steps";
import { viewStore } from "../../state/view";
import type { Scheme } from "../../theme/tokens";
import { numbersIn } from "../../ui/expression";
import { lengths } from "../../ui/lengths";
import { groundAt, typedPlace } from "../picking/ground";
import type { Mode } from "./mode";
import { Measure } from "./parts";

/** A piece that is placed: where it would stand now, and whether it is being dragged from the shelf. */
export interface PlaceRun extends Run {
  readonly kind: "place";
  piece: string;
  at: Vector | null;
  fromShelf: boolean;
}

const placing = runsOf<PlaceRun>("place");

/** Begin to place a piece; `fromShelf` while it is dragged from there. */
export const startPlacing = (piece: string, fromShelf = false): void => placing.begin({ piece, at: null, fromShelf });

async function place(at: Vector, again: boolean): Promise<void> {
  const now = placing.now();
  if (!now) return;
  if (again) startPlacing(now.piece);
  else run(null);
  await takeStep("place_piece", { position: at, group: viewStore.getState().inside }, [now.piece]);
}

function Prompt() {
  const now = placing.use();
  const pieces = useLevel((s) => s.scene.pieces);
  if (!now) return null;
  return (
    <>
      Click to place {pieces.get(now.piece)?.name} <span>or type X, Z</span>{" "}
      <Measure>{now.at ? lengths(now.at, 2) : ""}</Measure>
    </>
  );
}

/** The box of the piece where it would stand. */
function Signs({ scheme }: { scheme: Scheme }) {
  const now = placing.use();
  const pieces = useLevel((s) => s.scene.pieces);
  const invalidate = useThree((s) => s.invalidate);
  const at = now?.at;
  // biome-ignore lint/correctness/useExhaustiveDependencies: drawn again as it moves
  useEffect(() => invalidate(), [at, invalidate]);
  const piece = now && pieces.get(now.piece);
  if (!piece || !at) return null;
  const { low, high } = boxAboutPivot(piece);
  const size = high
    .clone()
    .sub(low)
    .max(new Vector3(0.002, 0.002, 0.002));
  const centre = low
    .add(high)
    .multiplyScalar(0.5)
    .add(new Vector3(...at));
  return (
    <mesh position={centre} scale={size} renderOrder={5}>
      <boxGeometry />
      <meshBasicMaterial color={scheme.ochre} transparent opacity={0.35} depthWrite={false} />
    </mesh>
  );
}

/** Placing a piece. */
export const placeMode: Mode = {
  kind: placing.kind,
  cross: true,
  move: ({ x, y, ctrl }) => placing.change({ at: groundAt(x, y, ctrl) }),
  press: () => ({
    move: ({ x, y, ctrl }) => placing.change({ at: groundAt(x, y, ctrl) }),
    release({ x, y, ctrl, shift }) {
      const at = groundAt(x, y, ctrl);
      if (at) return place(at, shift);
    },
  }),
  drop({ x, y, ctrl }) {
    if (!placing.now()?.fromShelf) return;
    const at = groundAt(x, y, ctrl);
    if (at) void place(at, false);
    else run(null);
  },
  enter(shift) {
    const numbers = numbersIn(runningStore.getState().typed);
    const at = numbers ? typedPlace(numbers) : placing.now()?.at;
    if (at) void place(at, shift);
  },
  back: () => run(null),
  Prompt,
  Signs,
};
