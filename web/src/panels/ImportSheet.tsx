import { TriangleAlert } from "lucide-react";
import { useEffect, useState } from "react";
import { Dialog, Heading, Modal, ModalOverlay, ProgressBar } from "react-aria-components";
import styled from "styled-components";
import { useRules } from "../api/queries";
import type { ImportFacts, ImportView } from "../api/types";
import { accept, discard, readAgain, useImport } from "../state/imports";
import { Button, OnOff, Segments } from "../ui/controls";
import { Labelled } from "../ui/Labelled";
import { perMetre, useUnit } from "../ui/lengths";
import { grouped } from "../ui/words";
import { UnitAndAxis } from "./UnitAndAxis";

const Veil = styled(ModalOverlay)`
  position: fixed; inset: 0; background: rgb(34 48 58 / 0.25); display: grid; place-items: center; z-index: 20;
`;
const Sheet = styled(Modal)`
  background: var(--panel); border: 1px solid var(--line); border-radius: 4px; box-shadow: var(--float); width: 47.5rem; max-width: 94vw;
  & [role="dialog"] { outline: none; max-height: 86vh; display: flex; flex-direction: column; }
  & h2 { padding: 12px 16px; font-weight: 640; font-size: 0.9375rem; border-bottom: 1px solid var(--line); overflow: hidden; text-overflow: ellipsis; white-space: nowrap; }
`;
const Columns = styled.div`
  display: grid; grid-template-columns: minmax(0, 1.15fr) minmax(0, 1fr); gap: 16px; padding: 12px 16px; overflow: auto;
  & figure { margin: 0; }
  & figure svg { width: 100%; height: 260px; background: var(--sheet); border-radius: 3px; }
  & figcaption { color: var(--quiet); padding-top: 4px; }
`;
const Facts = styled.dl`
  margin: 0 0 8px; display: grid; grid-template-columns: max-content 1fr; gap: 2px 12px;
  & dt { color: var(--quiet); } & dd { margin: 0; text-align: right; overflow: hidden; text-overflow: ellipsis; }
`;
const Notes = styled.ul`
  margin: 8px 0 0; padding: 0; list-style: none; display: grid; gap: 4px; max-height: 96px; overflow: auto;
  & li { display: grid; grid-template-columns: 16px 1fr; gap: 6px; color: var(--ochre); }
  & svg { width: 14px; height: 14px; margin-top: 2px; }
`;
const Table = styled.table`
  width: 100%; border-collapse: collapse; margin-top: 8px; font-size: 0.75rem; line-height: 1rem;
  & th { text-align: left; font-weight: 400; color: var(--quiet); } & td, & th { padding: 1px 0; }
  & td:nth-child(n + 2), & th:nth-child(n + 2) { text-align: right; padding-left: 8px; white-space: nowrap; }
  & td:first-child { max-width: 140px; overflow: hidden; text-overflow: ellipsis; white-space: nowrap; }
`;
const Swatches = styled.div`
  display: flex; flex-wrap: wrap; gap: 2px 10px; justify-content: flex-end;
  & i { display: inline-block; width: 10px; height: 10px; border-radius: 2px; border: 1px solid var(--line-strong); margin-right: 4px; }
`;
const Foot = styled.div`
  display: flex; gap: 8px; justify-content: flex-end; padding: 10px 16px; border-top: 1px solid var(--line);
  & > span { flex: 1; color: var(--quiet); align-self: center; }
`;
const Waiting = styled.div`
  padding: 20px 16px; display: grid; gap: 10px;
  & > p { color: var(--quiet); }
  & [role="progressbar"] > div { height: 6px; border-radius: 3px; background: var(--line); overflow: hidden; }
  & [role="progressbar"] > div > div { height: 100%; background: var(--petrol); }
`;

/** A file that has come in: how far it is, what is in it, and how it is to be taken. */
export function ImportSheet() {
  const file = useImport((s) => s.file);
  const view = useImport((s) => s.view);
  return (
    <Veil isOpen={file !== null} onOpenChange={(open) => !open && void discard()}>
      <Sheet>
        <Dialog aria-label={`Bring in ${file}`}>
          <Heading slot="title">Bring in {file}</Heading>
          {view?.state === "ready" && view.sheet ? (
            <Ready key={view.id} view={view} facts={view.sheet} />
          ) : view?.state === "failed" ? (
            <Failed reason={view.reason} />
          ) : (
            <Progress view={view} />
          )}
        </Dialog>
      </Sheet>
    </Veil>
  );
}

function Progress({ view }: { view: ImportView | null }) {
  const sent = useImport((s) => s.sent);
  const share = view ? 0.3 + 0.7 * view.share : 0.3 * sent;
  return (
    <>
      <Waiting>
        <ProgressBar aria-label="Reading the file" value={share * 100}>
          <div>
            <div style={{ width: `${share * 100}%` }} />
          </div>
        </ProgressBar>
        <p aria-live="polite">{view ? `${view.words} …` : "Sending …"} Nothing changes until you accept.</p>
      </Waiting>
      <Foot>
        <Button onPress={() => void discard()}>Cancel</Button>
      </Foot>
    </>
  );
}

function Failed({ reason }: { reason: string }) {
  return (
    <>
      <Waiting>
        <Notes style={{ maxHeight: "none" }}>
          <li role="alert">
            <TriangleAlert aria-hidden />
            {reason}
          </li>
        </Notes>
        <p>Nothing was changed.</p>
      </Waiting>
      <Foot>
        <Button autoFocus onPress={() => void discard()}>
          Close
        </Button>
      </Foot>
    </>
  );
}

const short = (v: number): string => (v >= 1000 ? grouped(Math.round(v)) : v >= 0.1 ? v.toFixed(2) : v.toPrecision(3));

function Ready({ view, facts }: { view: ImportView; facts: ImportFacts }) {
  const shownIn = useUnit();
  const asked = useImport((s) => s.place);
  const busy = useImport((s) => s.busy);
  const rules = useRules();
  const [unit, setUnit] = useState<string>(facts.unit);
  const [up, setUp] = useState<string>(facts.up);
  const [pieces, setPieces] = useState("each");
  const [pivot, setPivot] = useState("file");
  const [place, setPlace] = useState(asked);
  useEffect(() => setPlace(asked), [asked]);
  const factor = rules?.units.find((u) => u.value === unit)?.metres ?? 1;
  const spans = facts.high.map((v, k) => (v - (facts.low[k] ?? 0)) * factor) as [number, number, number];
  const [x, y, z] = up === "z" ? [spans[0], spans[2], spans[1]] : spans;
  const count = facts.parts.length + facts.more_parts;
  const { quads, ngons } = facts;
  const odd = Math.max(x, y, z) > 500 || Math.max(x, y, z) < 0.01;
  return (
    <>
      <Columns>
        <div>
          <figure>
            <Figure outlines={up === "z" ? facts.outline_z : facts.outline_y} factor={factor} />
            <figcaption>
              Seen from the front, beside a person of 1.8 m.{" "}
              {odd && <b style={{ color: "var(--ochre)" }}>That is an unusual size: is the unit right?</b>}
            </figcaption>
          </figure>
          {(facts.problems.length > 0 || facts.notes.length > 0) && (
            <Notes aria-label="Problems">
              {[...facts.problems, ...facts.notes].map((text) => (
                <li key={text}>
                  <TriangleAlert aria-hidden />
                  {text}
                </li>
              ))}
            </Notes>
          )}
        </div>
        <div>
          <Facts>
            <dt>Size</dt>
            <dd>
              {[x, y, z].map((v) => short(v * perMetre(shownIn))).join(" × ")} {shownIn}
            </dd>
            <dt>Vertices</dt>
            <dd>{grouped(facts.vertices)}</dd>
            <dt>Faces</dt>
            <dd>
              {grouped(facts.faces)}
              {quads > 0 && `, ${grouped(quads)} quads`}
              {ngons > 0 && `, ${grouped(ngons)} n-gons`}
            </dd>
            <dt>Triangles</dt>
            <dd>{grouped(facts.triangles)}</dd>
            {facts.rungs > 0 && (
              <>
                <dt>Rungs</dt>
                <dd>
                  {count === 1
                    ? "as a ladder"
                    : `ladders of ${facts.rungs === 1 ? "1 piece" : `${facts.rungs} pieces`}`}
                </dd>
              </>
            )}
            {facts.level && place && pieces === "each" && pivot === "file" && (
              <>
                <dt>Comes back</dt>
                <dd style={{ whiteSpace: "normal" }}>{facts.level}</dd>
              </>
            )}
            <dt>Materials</dt>
            <dd>
              <Swatches>
                {facts.materials.slice(0, 8).map((m) => (
                  <span key={m.name}>
                    <i style={{ background: css(m.colour) }} />
                    {m.name}
                    {m.texture ? " (textured)" : ""}
                  </span>
                ))}
              </Swatches>
            </dd>
          </Facts>
          {!facts.fixed && <UnitAndAxis unit={unit} up={up} onUnit={setUnit} onUp={setUp} />}
          {(count > 1 || facts.places > 1) && (
            <Labelled>
              <span>Pieces</span>
              <Segments
                label="Pieces"
                value={pieces}
                options={[
                  { value: "each", label: `${count} ${count === 1 ? "piece" : "pieces"}` },
                  { value: "one", label: "Combine into one" },
                ]}
                onChange={setPieces}
                wide
              />
            </Labelled>
          )}
          <Labelled>
            <span>Pivot</span>
            <Segments
              label="Pivot"
              value={pivot}
              options={[
                { value: "file", label: "File's origin" },
                { value: "base centre", label: "Base centre" },
              ]}
              onChange={setPivot}
              wide
            />
          </Labelled>
          <Labelled title="Vertices at exactly the same place become one">
            <span>Merge identical vertices</span>
            <OnOff label="Merge identical vertices" value={view.weld} onChange={(on) => void readAgain(on)} />
          </Labelled>
          <Labelled title="Also put the pieces into the level, where they stand in the file">
            <span>Also place it</span>
            <OnOff label="Also place it" value={place} onChange={setPlace} />
          </Labelled>
          {count > 1 && (
            <Table aria-label="Parts">
              <thead>
                <tr>
                  <th>Part</th>
                  <th>Faces</th>
                  <th>Tris</th>
                  <th />
                </tr>
              </thead>
              <tbody>
                {facts.parts.slice(0, 12).map((p) => (
                  <tr key={p.name}>
                    <td>{p.name}</td>
                    <td>{grouped(p.faces)}</td>
                    <td>{grouped(p.triangles)}</td>
                    <td>{p.closed ? "closed" : "open"}</td>
                  </tr>
                ))}
              </tbody>
            </Table>
          )}
        </div>
      </Columns>
      <Foot>
        <span>{count > 12 ? `and ${count - 12} more parts` : ""}</span>
        <Button onPress={() => void discard()}>Discard</Button>
        <Button
          data-main="true"
          autoFocus
          isDisabled={busy}
          onPress={() =>
            void accept({
              unit: unit as "m",
              up: up as "y",
              pieces: pieces as "each",
              pivot: pivot as "file",
              place,
            })
          }
        >
          {pieces === "one" || count === 1 ? "Add to shelf" : `Add ${count} pieces to shelf`}
        </Button>
      </Foot>
    </>
  );
}

const css = ([r = 0, g = 0, b = 0]: readonly number[]): string => {
  const channel = (v: number) => Math.round(255 * (v <= 0.0031308 ? v * 12.92 : 1.055 * v ** (1 / 2.4) - 0.055));
  return `rgb(${channel(r)} ${channel(g)} ${channel(b)})`;
};

/** The file from the front as outlines, and a person to scale. */
function Figure({ outlines, factor }: { outlines: [number, number][][]; factor: number }) {
  const points = outlines.flat().map(([x, y]) => [x * factor, y * factor] as const);
  const [x0, x1] = [Math.min(...points.map((p) => p[0])), Math.max(...points.map((p) => p[0]))];
  const [y0, y1] = [Math.min(...points.map((p) => p[1])), Math.max(...points.map((p) => p[1]))];
  const [w, h] = [x1 - x0, y1 - y0];
  const gap = Math.max(w, h, 1.8) * 0.08;
  const [wide, high] = [w + gap * 3 + 0.6, Math.max(h, 1.8) + 2 * gap];
  const ground = high - gap;
  const path = outlines
    .map((o) => `M${o.map(([x, y]) => `${x * factor - x0 + gap} ${ground - (y * factor - y0)}`).join("L")}Z`)
    .join("");
  const thin = Math.max(wide, high) / 260;
  return (
    <svg viewBox={`0 0 ${wide} ${high}`} role="img" aria-label="Size beside a person">
      <path d={path} fill="var(--line-strong)" stroke="var(--line-strong)" strokeWidth={thin} strokeLinejoin="round" />
      <g transform={`translate(${w + 2 * gap + 0.3} ${ground})`} fill="var(--petrol)">
        <circle cx={0} cy={-1.67} r={0.13} />
        <rect x={-0.22} y={-1.5} width={0.44} height={0.72} rx={0.12} />
        <rect x={-0.19} y={-0.84} width={0.16} height={0.84} rx={0.06} />
        <rect x={0.03} y={-0.84} width={0.16} height={0.84} rx={0.06} />
      </g>
      <line x1={0} x2={wide} y1={ground} y2={ground} stroke="var(--line-strong)" strokeWidth={thin} />
    </svg>
  );
}
