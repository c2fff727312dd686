import { CornerDownRight, Plus, Spline, Trash2 } from "lucide-react";
import styled from "styled-components";
import type { Path } from "../../api/types";
import { shown, useLevel } from "../../state/level";
import { letPointsGo, useChosen } from "../../state/pathPoints";
import { takeStep } from "../../state/steps";
import { Button } from "../../ui/controls";
import { NumberField } from "../../ui/NumberField";
import { extendPath } from "../../viewport/modes/path";
import { MarkButtons } from "../MarkButtons";
import { Card, Quiet } from "../parts";
import { Facts, Within } from "./parts";

const Row = styled.div`display: grid; grid-template-columns: 1fr 1fr; gap: 4px;`;

/** A path, and the points of it that are chosen. */
export function PathCard({ row: path }: { row: Path }) {
  const found = useLevel((s) => shown(s).paths.get(path.id));
  const chosen = useChosen();
  const points = (chosen?.path === path.id ? chosen.points : []).filter((k) => k < path.points.length);
  const step = (does: string, more: object = {}) => takeStep("path_points", { does, points, ...more }, [path.id]);
  const first = path.points[points[0] ?? 0];
  return (
    <Card aria-label="Selection">
      <header>
        <h2>{path.name}</h2>
        <span>{path.points.length} points</span>
      </header>
      <div>
        <Facts>
          <dt>Length</dt>
          <dd>{(found?.length ?? 0).toFixed(2)} m</dd>
          <dt>Smallest radius</dt>
          <dd>{found?.smallest_radius == null ? "straight" : `${found.smallest_radius.toFixed(2)} m`}</dd>
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
            <NumberField
              label="Lean"
              unit="°"
              step={5}
              value={first?.roll ?? 0}
              onPreview={() => undefined}
              onCommit={(roll) => void step("lean", { roll })}
            />
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
        <MarkButtons things={[path]} />
      </div>
    </Card>
  );
}
