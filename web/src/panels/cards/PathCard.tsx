import { CornerDownRight, Plus, Spline, Trash2 } from "lucide-react";
import styled from "styled-components";
import type { Path, Vector } from "../../api/types";
import { extendPath } from "../../hand/modes/path";
import { shown, useLevel } from "../../state/level";
import { letPointsGo, useChosen } from "../../state/pathPoints";
import { previewStep, takeStep } from "../../state/steps";
import { Button } from "../../ui/controls";
import { Dial } from "../../ui/Dial";
import { VectorField } from "../../ui/fields";
import { length, useUnit } from "../../ui/lengths";
import { NumberField } from "../../ui/NumberField";
import { MarkButtons } from "../MarkButtons";
import { Card, Quiet } from "../parts";
import { Facts, Within } from "./parts";

const Row = styled.div`display: grid; grid-template-columns: 1fr 1fr; gap: 4px;`;

const Leaning = styled.div`display: flex; align-items: center; gap: 8px; & > :first-child { flex: 1; }`;

const minus = (a: Vector, b: Vector): Vector => [a[0] - b[0], a[1] - b[1], a[2] - b[2]];

/** The middle of the box round points, about which they turn. */
const middleOf = (points: readonly Vector[]): Vector =>
  [0, 1, 2].map((k) => {
    const all = points.map((p) => p[k] ?? 0);
    return all.length ? (Math.min(...all) + Math.max(...all)) / 2 : 0;
  }) as Vector;

/** A path, and the points of it that are chosen. */
export function PathCard({ row: path }: { row: Path }) {
  const unit = useUnit();
  const found = useLevel((s) => shown(s).paths.get(path.id));
  const chosen = useChosen();
  const points = (chosen?.path === path.id ? chosen.points : []).filter((k) => k < path.points.length);
  const step = (does: string, more: object = {}) => takeStep("path_points", { does, points, ...more }, [path.id]);
  const wish = (does: string, more: object) => ({
    tool: "path_points",
    params: { does, points, ...more },
    selection: [path.id],
  });
  const show = (does: string, more: object) => previewStep({ ...wish(does, more), adjust: false });
  const commit = (does: string, more: object) => void step(does, more).then(() => previewStep(null));
  // what is told is told of the path as it stands, not as it is previewed
  const stands = useLevel((s) => s.scene.things.get(path.id));
  const own = stands?.kind === "path" ? stands : path;
  const middle = middleOf(points.flatMap((k) => (own.points[k] ? [own.points[k].position as Vector] : [])));
  const first = own.points[points[0] ?? 0];
  // a point that does not say so leans as those beside it
  const between = useLevel((s) => shown(s).paths.get(path.id)?.leans[points[0] ?? 0]);
  const lean = first?.roll ?? Number((between ?? 0).toFixed(2));
  return (
    <Card aria-label="Selection">
      <header>
        <h2>{path.name}</h2>
        <span>{path.points.length} points</span>
        <MarkButtons things={[path]} />
      </header>
      <div>
        <Facts>
          <dt>Length</dt>
          <dd>{length(found?.length ?? 0, 2, unit)}</dd>
          <dt>Smallest radius</dt>
          <dd>{found?.smallest_radius == null ? "straight" : length(found.smallest_radius, 2, unit)}</dd>
        </Facts>
        {points.length > 0 ? (
          <>
            <Quiet>
              {points.length === 1 ? `Point ${(points[0] ?? 0) + 1}` : `${points.length} points`} chosen · Shift adds
            </Quiet>
            <Row>
              <Button onPress={() => void step("make sharp")}>
                <CornerDownRight size={14} aria-hidden /> Make sharp
              </Button>
              <Button onPress={() => void step("make smooth")}>
                <Spline size={14} aria-hidden /> Make smooth
              </Button>
              <Button onPress={() => void step("take out").then(letPointsGo)}>
                <Trash2 size={14} aria-hidden /> Take out
              </Button>
            </Row>
            <VectorField
              label={points.length === 1 ? "Position" : "Middle"}
              hint="world axes"
              unit="m"
              value={middle}
              digits={2}
              onPreview={(to) => show("move", { by: minus(to, middle) })}
              onCommit={(to) => commit("move", { by: minus(to, middle) })}
            />
            {points.length > 1 && (
              <>
                <NumberField
                  label="Turn"
                  unit="°"
                  step={15}
                  value={0}
                  onPreview={(angle) => show("turn", { angle: angle ?? 0 })}
                  onCommit={(angle) => commit("turn", { angle: angle ?? 0 })}
                />
                <NumberField
                  label="Size"
                  unit="×"
                  step={0.1}
                  value={1}
                  onPreview={(factor) => show("size", { factor: factor ?? 1 })}
                  onCommit={(factor) => commit("size", { factor: factor ?? 1 })}
                />
              </>
            )}
            <Leaning>
              <NumberField
                label="Lean"
                unit="°"
                step={5}
                value={lean}
                onPreview={(roll) => show("lean", { roll: roll ?? 0 })}
                onCommit={(roll) => commit("lean", { roll: roll ?? 0 })}
              />
              <Dial
                label="Lean by hand"
                value={lean}
                onPreview={(roll) => show("lean", { roll })}
                onCommit={(roll) => commit("lean", { roll })}
              />
            </Leaning>
          </>
        ) : (
          <Quiet>Drag a point, or click it to change it. A double click on the line puts one in.</Quiet>
        )}
        <Within thing={path} />
        {!path.closed && (
          <Button onPress={() => extendPath(path)}>
            <Plus size={14} aria-hidden /> Draw on from its end
          </Button>
        )}
      </div>
    </Card>
  );
}
