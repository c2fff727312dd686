import { Download, RefreshCw, Trash2, Upload } from "lucide-react";
import { type ChangeEvent, type ReactNode, useEffect, useMemo, useRef, useState } from "react";
import { Radio, RadioGroup } from "react-aria-components";
import styled from "styled-components";
import { Vector3 } from "three";
import { api, Problem } from "../api/client";
import { askRecipes, useRecipes } from "../api/queries";
import type { Piece, Recipe, Rung } from "../api/types";
import { Card, Quiet } from "../panels/parts";
import { boxOf, itemsOf } from "../scene/pieces/entries";
import { meshOf } from "../scene/pieces/meshes";
import { paintOf, usePaint } from "../scene/pieces/paint";
import { usePicture } from "../scene/pieces/pictures";
import { useSeams } from "../scene/pieces/seams";
import { levelStore, shown, useLevel } from "../state/level";
import { tell } from "../state/messages";
import { forgetRungs, isStale, setRungs, showRung, useRungs } from "../state/rungs";
import { useSelection } from "../state/selection";
import { useSizes } from "../state/sizes";
import { FIELD_OF_VIEW, setView } from "../state/view";
import { startWork } from "../state/work";
import { keepRecipe } from "../tools/byHand/recipes";
import { Button, IconButton, OnOff, Picker } from "../ui/controls";
import { Labelled } from "../ui/Labelled";
import { TextField } from "../ui/TextField";
import { atMost, grouped } from "../ui/words";
import { viewport } from "../viewport/controller";

const Strip = styled(RadioGroup)`display: grid; gap: 0;`;
const Head = styled.div`
  display: grid; grid-template-columns: minmax(0, 1.3fr) 3.125rem 2.875rem 3.75rem; gap: 5px; padding: 0 6px; color: var(--quiet); font-size: 0.75rem;
  & > :not(:first-child) { text-align: right; }
`;
const Line = styled(Radio)`
  display: grid; grid-template-columns: minmax(0, 1.3fr) 3.125rem 2.875rem 3.75rem; gap: 5px; padding: 3px 6px; border-radius: 3px; cursor: pointer;
  font-variant-numeric: tabular-nums;
  & > :not(:first-child) { text-align: right; white-space: nowrap; }
  & > :first-child { overflow: hidden; text-overflow: ellipsis; white-space: nowrap; }
  &[data-hovered] { background: var(--sheet); }
  &[data-selected] { background: var(--petrol-wash); color: var(--petrol); font-weight: 600; }
  &[data-focus-visible] { outline: 2px solid var(--petrol); outline-offset: -2px; }
`;
const Named = styled.span`
  display: flex; align-items: center; gap: 4px; min-width: 0;
  & img, & i { width: 24px; height: 18px; object-fit: contain; flex: none; }
  & span { overflow: hidden; text-overflow: ellipsis; white-space: nowrap; }
`;
const Scale = styled.div`
  display: grid; grid-template-columns: auto 1fr auto; gap: 8px; align-items: center; color: var(--quiet); font-size: 0.75rem;
  & i { height: 8px; border-radius: 2px; border: 1px solid var(--line); background: linear-gradient(90deg, #e9e4d6, #d8a13c, #a8321f, #3d0b12); }
`;
const Switches = styled.div`
  display: grid; grid-template-columns: 4fr 5fr; gap: 12px; & > div { grid-template-columns: minmax(0, 1fr) auto; }
`;
const Buttons = styled.div`display: flex; gap: 6px; & > button { flex: 1; }`;
const Fewest = styled.span`color: var(--ochre);`;
const NO_FEWER = "Fewer were asked for than borders, seams and form allow.";
const FROM = "From this distance on it shows by less than a pixel, anywhere in a 16:9 picture";
const Stale = styled.div`
  display: flex; gap: 8px; align-items: center; color: var(--ochre); & span { flex: 1; }
`;

/** Millimetres; what is below a ten thousandth of one is none. */
const mm = (metres: number): string => (metres < 1e-7 ? "0" : `${Number((metres * 1000).toPrecision(3))}`);
/** In per-axis sizes: × 2, or × 1, 2, 4. */
const timesSize = (size: readonly number[]): string => {
  const shownOf = size.map((v) => `${Number(v.toPrecision(3))}`);
  return `× ${shownOf.every((v) => v === shownOf[0]) ? shownOf[0] : shownOf.join(", ")}`;
};
/** What is told for one size, where the piece stands so many times larger. */
const shownOf = (rung: Rung, times: number) => ({
  off: `${rung.proven ? "" : "≈ "}${atMost(1000 * times * rung.largest)}`,
  from: atMost(times * rung.good_from),
});

/** The piece that is selected, or that what is selected shows. */
function useChosenPiece(): Piece | null {
  const ids = useSelection((s) => s.ids);
  const scene = useLevel(shown);
  const [id] = ids;
  const row = id === undefined ? undefined : (scene.pieces.get(id) ?? scene.things.get(id));
  if (!row) return null;
  if (row.kind === "piece") return row;
  return "piece" in row ? (scene.pieces.get(row.piece) ?? null) : null;
}

/** The rungs of a piece: what each costs, and how it looks. */
export function LadderCard() {
  const piece = useChosenPiece();
  const id = piece?.id;
  const of = useRungs((s) => s.piece);
  const seams = useRungs((s) => s.seams && s.piece === id);
  const kept = useSeams(seams ? (piece ?? null) : null);
  useEffect(() => {
    if (of !== null && of !== id) forgetRungs();
  }, [of, id]);
  useEffect(() => forgetRungs, []);
  if (!piece) return null;
  const rungs = piece.ladder?.rungs ?? [];
  return (
    <Card aria-label="Ladder">
      <header>
        <h2>Ladder of {piece.name}</h2>
        <span>{rungs.length > 0 ? (rungs.length === 1 ? "1 rung" : `${rungs.length} rungs`) : "none yet"}</span>
      </header>
      <div>
        {isStale(piece) && (
          <Stale>
            <span>The piece has changed since.</span>
            <Button onPress={() => void startWork("remake_ladder", {}, [piece.id])}>
              <RefreshCw size={14} aria-hidden /> Remake ladder
            </Button>
          </Stale>
        )}
        {rungs.length > 0 ? (
          <Rungs piece={piece} />
        ) : (
          <Quiet>Make one by a recipe, or with settings of your own.</Quiet>
        )}
        <Labelled title="Vertices that stay exactly where they are on every rung: where neighbours meet, open borders, picked ones">
          <span>Show seams</span>
          <OnOff
            label="Show seams"
            value={seams}
            onChange={(on) => setRungs(of === piece.id ? { seams: on } : { piece: piece.id, rung: 0, seams: on })}
          />
        </Labelled>
        {seams && <Quiet>{kept === null ? "Looking …" : keptInWords(kept.length)}</Quiet>}
        <Recipes piece={piece} />
      </div>
    </Card>
  );
}

function Rungs({ piece }: { piece: Piece }) {
  const mine = useRungs((s) => s.piece === piece.id);
  const rung = useRungs((s) => (s.piece === piece.id ? s.rung : 0));
  const beside = useRungs((s) => (s.piece === piece.id ? s.beside : null));
  const paint = useRungs((s) => s.piece === piece.id && s.paint);
  const rungs = piece.ladder?.rungs ?? [];
  const chosen = rungs[rung - 1];
  const sizes = useSizes(piece);
  const times = sizes?.times ?? 1;
  const made = piece.ladder?.size ?? [1, 1, 1];
  const ids = useSelection((s) => s.ids);
  const there = useLevel((s) => boxOf(shown(s), ids) !== null) ? ids : null;
  const measured = usePaint(chosen?.mesh ?? "", paint ? (piece.ladder?.source ?? null) : null) !== undefined;
  return (
    <>
      {times > 1.0005 && !isStale(piece) && (
        <Stale>
          <span>
            Made for {timesSize(made)}, shown for {timesSize(sizes?.size ?? made)}, as it stands now.
          </span>
          <Button onPress={() => void startWork("remake_ladder", {}, [piece.id])}>
            <RefreshCw size={14} aria-hidden /> Remake ladder
          </Button>
        </Stale>
      )}
      {times <= 1.0005 && made.some((v) => v !== 1) && <Quiet>As it stands largest, at {timesSize(made)}.</Quiet>}
      <div>
        <Head aria-hidden>
          <span />
          <span>tris</span>
          <span>off, mm</span>
          <span>use from</span>
        </Head>
        <Strip aria-label="Rung" value={String(rung)} onChange={(v) => showRung(piece.id, Number(v))}>
          <Line value="0">
            <Named>
              <Picture piece={piece} mesh={piece.mesh} triangles={piece.facts.triangles} />
              <span>Source</span>
            </Named>
            <span>{grouped(piece.facts.triangles)}</span>
            <span>0</span>
            <span>0 m</span>
          </Line>
          {rungs.map((r, k) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: a rung is its place
            <Line key={k} value={String(k + 1)}>
              <Named>
                <Picture piece={piece} mesh={r.mesh} triangles={r.triangles} />
                <span>{r.brought || `Rung ${k + 1}`}</span>
              </Named>
              {r.reached === false ? (
                <Fewest title={NO_FEWER}>{grouped(r.triangles)}</Fewest>
              ) : (
                <span>{grouped(r.triangles)}</span>
              )}
              <span>{shownOf(r, times).off}</span>
              <span title={FROM}>{shownOf(r, times).from} m</span>
            </Line>
          ))}
        </Strip>
      </div>
      {chosen && (
        <>
          <Quiet>
            {grouped(chosen.hardware_vertices)} hardware vertices, {mm(times * chosen.rms)} mm off on average (RMS)
            {chosen.proven ? "." : "; by an estimate, as the ≈ says."}
            {chosen.reached === false && ` ${NO_FEWER}`}
          </Quiet>
          {there && (
            <Button onPress={() => lookFrom(there, times * chosen.largest)}>Look from where it is a pixel</Button>
          )}
          <Switches>
            <Labelled title="The piece as it is on the left of a line, the rung on its right; drag the line">
              <span>Divider</span>
              <OnOff
                label="Divider"
                value={mine && beside !== null}
                onChange={(on) => setRungs({ beside: on ? rung : null })}
              />
            </Labelled>
            <Labelled title="How far the rung is from the piece, painted onto it">
              <span>Paint deviation</span>
              <OnOff label="Paint deviation" value={paint} onChange={(on) => setRungs({ paint: on })} />
            </Labelled>
          </Switches>
          {paint && (
            <Scale>
              <span>0</span>
              <i />
              <span>{atMost(1000 * chosen.largest)} mm</span>
            </Scale>
          )}
          {paint && !measured && <Quiet>Measuring …</Quiet>}
          {paint && measured && there && (
            <Button onPress={() => lookAtLargest(ids, piece, chosen.mesh)}>Go to where it is largest</Button>
          )}
        </>
      )}
    </>
  );
}

/** Rungs of so many triangles are fetched for their picture alone. */
const LIGHT = 40_000;

function Picture({ piece, mesh, triangles }: { piece: Piece; mesh: string; triangles: number }) {
  const look = useMemo(() => ({ ...piece, mesh }), [piece, mesh]);
  const picture = usePicture(look, triangles <= LIGHT);
  return picture ? <img src={picture} alt="" /> : <i />;
}

const keptInWords = (count: number): string =>
  count === 0
    ? "No vertex must stay: no neighbour meets it. Keep vertices picks some."
    : `${grouped(count)} ${count === 1 ? "vertex stays" : "vertices stay"} where they are; Keep vertices picks more.`;

/** Look at the place of what is selected where a rung is farthest from the piece. */
function lookAtLargest(ids: readonly string[], piece: Piece, mesh: string): void {
  const scene = shown(levelStore.getState());
  const [item] = itemsOf(scene, ids, piece.id);
  const far = paintOf(mesh, piece.ladder?.source ?? "");
  const drawn = meshOf(mesh);
  if (!item || !far || !drawn) return;
  let at = 0;
  far.forEach((d, k) => {
    if (d > (far[at] ?? 0)) at = k;
  });
  const most = far[at] ?? 0;
  for (const { geometry } of drawn.slots) {
    const places = geometry.getAttribute("position");
    if (at >= places.count) {
      at -= places.count;
      continue;
    }
    const point = new Vector3().fromBufferAttribute(places, at).applyMatrix4(item);
    setView({ mode: "free", target: point.toArray(), distance: Math.max(60 * most, 0.3) });
    return;
  }
}

/** Look at things from so far that a deviation is just a pixel on this screen. */
function lookFrom(ids: readonly string[], deviation: number): void {
  const box = boxOf(shown(levelStore.getState()), ids);
  if (!box) return;
  const middle = box.low.clone().add(box.high).multiplyScalar(0.5);
  const distance = (deviation * viewport.height) / (2 * Math.tan((FIELD_OF_VIEW * Math.PI) / 360));
  setView({ mode: "free", target: [middle.x, middle.y, middle.z], distance: Math.max(distance, 0.3) });
}

/** Ladders by a recipe, and recipes of ladders. */
function Recipes({ piece }: { piece: Piece }) {
  const recipes = useRecipes();
  const [name, setName] = useState<string | null>(null);
  const file = useRef<HTMLInputElement>(null);
  const chosen = recipes.find((r) => r.name === name) ?? recipes[0];
  if (!chosen) return null;
  const make = () => {
    const { name: recipe, rungs, keep_seams, sides, outline } = chosen;
    void startWork("make_ladder", { rungs, keep_seams, sides, outline, recipe }, [piece.id]);
  };
  const save = async (text: string) => {
    const { ladder } = piece;
    const wanted = text.trim();
    if (!ladder || !wanted) return;
    const { found = true, sides = [] } = ladder.seams ?? {};
    const { outline = false } = ladder;
    const rungs = ladder.rungs.map((r) => r.target);
    if (await keepRecipe({ name: wanted, rungs, keep_seams: found, sides, outline, shipped: false })) setName(wanted);
  };
  const read = async (event: ChangeEvent<HTMLInputElement>) => {
    const given = event.currentTarget.files?.[0];
    event.currentTarget.value = "";
    if (!given) return;
    try {
      const recipe = JSON.parse(await given.text()) as Recipe;
      if (await keepRecipe(recipe)) setName(recipe.name);
    } catch {
      tell(`${given.name} is no recipe.`, "error");
    }
  };
  return (
    <>
      <Labelled title="Settings for a ladder under a name">
        <span>Recipe</span>
        <Picker
          label="Recipe"
          value={chosen.name}
          options={recipes.map((r) => ({ value: r.name, label: r.name }))}
          onChange={setName}
        />
      </Labelled>
      <Quiet>{inWords(chosen)}</Quiet>
      <Buttons>
        <Button onPress={make}>Make by recipe</Button>
        <IconButton label="Save the recipe as a file" onPress={() => download(chosen)}>
          <Download size={15} aria-hidden />
        </IconButton>
        <IconButton label="Read a recipe from a file" onPress={() => file.current?.click()}>
          <Upload size={15} aria-hidden />
        </IconButton>
        <IconButton
          label="Take the recipe away"
          isDisabled={chosen.shipped}
          onPress={() => void dropped(chosen, () => setName(null))}
        >
          <Trash2 size={15} aria-hidden />
        </IconButton>
        <input ref={file} type="file" accept=".json" hidden aria-label="Recipe file" onChange={(e) => void read(e)} />
      </Buttons>
      {piece.ladder && (
        <Labelled title="Type a name: this ladder's settings can then be used on any piece">
          <span>Save as recipe</span>
          <TextField label="Save as recipe" value="" onCommit={(text) => void save(text)} />
        </Labelled>
      )}
    </>
  );
}

async function dropped(recipe: Recipe, then: () => void): Promise<void> {
  try {
    await api.dropRecipe(recipe.name);
    await askRecipes();
    then();
    tell(`The recipe ${recipe.name} is gone.`, "info", { word: "Bring it back", act: () => void keepRecipe(recipe) });
  } catch (error) {
    if (!(error instanceof Problem)) throw error;
    tell(error.message, "error");
  }
}

function download({ shipped: _, ...recipe }: Recipe): void {
  const link = document.createElement("a");
  link.href = URL.createObjectURL(new Blob([JSON.stringify(recipe, null, 1)], { type: "application/json" }));
  link.download = `${recipe.name}.recipe.json`;
  link.click();
  URL.revokeObjectURL(link.href);
}

/** What a recipe makes, in a line. */
function inWords(recipe: Recipe): ReactNode {
  const units: Record<string, string> = { share: " %", count: " tris", deviation: " mm", pixels: " px" };
  const rungs = recipe.rungs.map(
    (r) => `${Number(r.value.toPrecision(4))}${units[r.kind]}${r.kind === "pixels" ? ` at ${r.distance} m` : ""}`,
  );
  return [...rungs, ...(recipe.outline ? ["silhouette first"] : [])].join(" · ");
}
