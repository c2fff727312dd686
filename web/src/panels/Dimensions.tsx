import { Snowflake } from "lucide-react";
import { useState } from "react";
import styled from "styled-components";
import { Problem } from "../api/client";
import { errorsOf } from "../api/fields";
import { shapeInfo } from "../api/queries";
import type { Piece, ShapeValues } from "../api/types";
import { useRunning } from "../state/running";
import { previewStep, takeStep } from "../state/steps";
import { ShapeFields } from "../tools/ShapeFields";
import { Button } from "../ui/controls";
import { Quiet } from "./parts";

const Block = styled.div`
  border-top: 1px solid var(--line); padding-top: 6px; display: grid; gap: 4px;
  & h3 { font-weight: 620; display: flex; align-items: center; gap: 6px; }
  & h3 span { color: var(--quiet); font-weight: 400; margin-left: auto; }
`;

/** The live dimensions of a drawn piece; or that they are frozen, and the way back. */
export function Dimensions({ piece, row }: { piece: Piece; row: string }) {
  const [errors, setErrors] = useState<Record<string, string>>({});
  const dimensions = piece.dimensions;
  const busy = useRunning((s) => s.card !== null);
  if (!dimensions || busy) return null;
  const shape = dimensions.shape as ShapeValues;
  const title = shapeInfo(shape.kind)?.title ?? "Shape";
  if (dimensions.mesh !== piece.mesh) {
    return (
      <Block>
        <h3>
          <Snowflake size={14} aria-hidden /> {title}, frozen
        </h3>
        <Quiet>The mesh was edited, so its dimensions no longer make it. Going back drops the edits.</Quiet>
        <Button onPress={() => void takeStep("back_to_dimensions", {}, [row])}>Back to dimensions</Button>
      </Block>
    );
  }
  const commit = async (next: ShapeValues) => {
    previewStep(null);
    const result = await takeStep("set_dimensions", { shape: next }, [row], true);
    setErrors(result instanceof Problem ? errorsOf(result) : {});
  };
  return (
    <Block role="group" aria-label="Dimensions">
      <h3>
        {title} <span>live, for every use</span>
      </h3>
      <ShapeFields
        compact
        shape={shape}
        errors={errors}
        onPreview={(next) =>
          previewStep({ tool: "set_dimensions", params: { shape: next }, selection: [row], adjust: false })
        }
        onCommit={(next) => void commit(next)}
      />
    </Block>
  );
}
