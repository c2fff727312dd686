import type { Piece } from "../../api/types";
import { degrees } from "../../ui/degrees";
import { lengths, useUnit } from "../../ui/lengths";
import { Dimensions } from "../Dimensions";
import { ExportPiece, UsedBy } from "../PieceParts";
import { Card, Quiet } from "../parts";
import { Facts, PieceFacts, useUses } from "./parts";

/** A piece of the shelf. */
export function PieceCard({ row: piece }: { row: Piece }) {
  const uses = useUses(piece.id);
  return (
    <Card aria-label="Selection">
      <header>
        <h2>{piece.name}</h2>
        <span>piece · {uses === 1 ? "1 use" : `${uses} uses`}</span>
      </header>
      <div>
        <PieceFacts piece={piece} />
        <Pivot piece={piece} />
        {(piece.tags ?? []).length > 0 && <Quiet>{piece.tags.map((t) => `#${t}`).join(" ")}</Quiet>}
        <UsedBy piece={piece} />
        <Dimensions key={piece.id} piece={piece} row={piece.id} />
        <ExportPiece piece={piece} />
      </div>
    </Card>
  );
}

function Pivot({ piece }: { piece: Piece }) {
  const unit = useUnit();
  const [x = 0, y = 0, z = 0] = piece.pivot ?? [];
  const turned = degrees(piece.axes);
  return (
    <Facts>
      <dt>Pivot</dt>
      <dd>{lengths([x, y, z], 2, ", ", unit)}</dd>
      {turned.some((v) => v !== 0) && (
        <>
          <dt>Its axes</dt>
          <dd>{turned.map((v) => v.toFixed(1).replace("-", "−")).join(", ")}°</dd>
        </>
      )}
    </Facts>
  );
}
