import {
  Box,
  CircleDot,
  Columns3,
  Cone,
  Copy,
  CopyPlus,
  Crosshair,
  Cylinder,
  DoorOpen,
  Feather,
  FolderInput,
  Globe,
  Grid3x3,
  Group,
  Import,
  IterationCcw,
  type LucideIcon,
  Magnet,
  MapPin,
  Move,
  Pencil,
  Pill,
  Pyramid,
  Rainbow,
  Replace,
  Rotate3d,
  RotateCw,
  Ruler,
  RulerDimensionLine,
  Scaling,
  Settings2,
  Shapes,
  Spline,
  Square,
  Tags,
  Torus,
  Trash2,
  TriangleRight,
  Type,
  UnfoldHorizontal,
  Ungroup,
  Unlink,
  Waypoints,
} from "lucide-react";
import { takeStep } from "../api/steps";
import type { Params, Row, ToolInfo } from "../api/types";
import { levelStore } from "../state/level";
import { openCard, startPath, startPlacing } from "../state/running";
import { lastPiece, selectionStore } from "../state/selection";
import { withoutFollowers } from "../state/tree";
import { StairsIcon } from "../ui/StairsIcon";
import { startDock } from "../viewport/docking";
import { startMeasuring } from "../viewport/measuring";
import { defaultsOf, fieldsOf } from "./schema";

const ICONS: Record<string, LucideIcon> = {
  box: Box,
  "columns-3": Columns3,
  copy: Copy,
  crosshair: Crosshair,
  cylinder: Cylinder,
  feather: Feather,
  "grid-3x3": Grid3x3,
  import: Import,
  magnet: Magnet,
  "ruler-dimension-line": RulerDimensionLine,
  scaling: Scaling,
  group: Group,
  ungroup: Ungroup,
  "folder-input": FolderInput,
  unlink: Unlink,
  "map-pin": MapPin,
  move: Move,
  pencil: Pencil,
  "rotate-cw": RotateCw,
  "settings-2": Settings2,
  spline: Spline,
  square: Square,
  "trash-2": Trash2,
  waypoints: Waypoints,
  "circle-dot": CircleDot,
  cone: Cone,
  "copy-plus": CopyPlus,
  "door-open": DoorOpen,
  globe: Globe,
  "iteration-ccw": IterationCcw,
  pill: Pill,
  pyramid: Pyramid,
  rainbow: Rainbow,
  replace: Replace,
  "rotate-3d": Rotate3d,
  ruler: Ruler,
  shapes: Shapes,
  stairs: StairsIcon,
  tags: Tags,
  torus: Torus,
  "triangle-right": TriangleRight,
  type: Type,
  "unfold-horizontal": UnfoldHorizontal,
};

export const iconOf = (tool: { icon: string }): LucideIcon => ICONS[tool.icon] ?? Box;

const WORDS: Record<string, string> = {
  piece: "a piece on the shelf",
  placement: "a placement",
  array: "an array",
  path: "a path",
  course: "a course",
  group: "a group",
  measure: "a measure",
};

/** Why a tool cannot work on the selection; null when it can. */
export function whyNot(tool: ToolInfo, chosen: readonly Row[]): string | null {
  const { kinds = [], least = 0, most } = tool.need;
  const rows = kinds.includes("course") ? chosen : withoutFollowers(levelStore.getState().scene.things, chosen);
  const fits = rows.every((r) => (kinds as string[]).includes(r.kind ?? ""));
  if (least === 0 || (rows.length >= least && fits && (most == null || rows.length <= most))) return null;
  const words = kinds.map((k) => WORDS[k] ?? k).join(", ");
  if (fits && most != null && rows.length > most) return `Works on one at a time; ${rows.length} are selected.`;
  return `Select ${words} first.`;
}

/** The selected rows. */
export function selectedRows(): Row[] {
  const { pieces, things } = levelStore.getState().scene;
  return selectionStore.getState().ids.flatMap((id) => pieces.get(id) ?? things.get(id) ?? []);
}

const lastUsed = new Map<string, Params>();
export const remember = (tool: string, params: Params): void => {
  lastUsed.set(tool, params);
};

/** What a tool's card starts with: values of the selected row, then those used last, then the tool's own. */
export function startingParams(tool: ToolInfo): Params {
  const defaults = defaultsOf(tool);
  const [row] = tool.tool === "level_settings" ? [levelStore.getState().scene.level] : selectedRows();
  const out: Params = { ...defaults, ...(tool.prefill ? {} : lastUsed.get(tool.tool)) };
  if (tool.prefill && row) {
    for (const name of Object.keys((tool.fields as { properties?: object }).properties ?? {})) {
      const value = (row as Record<string, unknown>)[name];
      if (name !== "tool" && value !== undefined) out[name] = value;
    }
  }
  if ("name" in defaults && !tool.prefill) out.name = defaults.name;
  for (const field of tool.prefill ? [] : fieldsOf(tool).filter((f) => f.kind === "piece")) {
    const { pieces } = levelStore.getState().scene;
    const own = new Set(selectedRows().map((r) => (r.kind === "piece" ? r.id : "piece" in r ? r.piece : "")));
    const other = [...pieces.keys()].find((id) => !own.has(id));
    const wanted = tool.tool === "replace_piece" ? (other ?? "") : (lastPiece() ?? String(out[field.name]));
    out[field.name] = pieces.has(wanted) ? wanted : (pieces.keys().next().value ?? "");
  }
  return out;
}

/** Start a tool: in the viewport where a hand is better, at once where nothing has to be said, else by its card. */
export function startTool(tool: ToolInfo): void {
  const rows = selectedRows();
  const [first] = rows;
  if (tool.tool === "place_piece" && first) startPlacing(first.id);
  else if (tool.tool === "draw_path") startPath();
  else if (tool.tool === "dock") startDock();
  else if (tool.tool === "keep_measure") startMeasuring();
  else if (tool.instant)
    void takeStep(
      tool.tool,
      startingParams(tool),
      rows.map((r) => r.id),
    );
  else openCard(tool.tool);
}
