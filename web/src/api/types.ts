import type { components } from "./schema.generated";

type Schemas = components["schemas"];
export type Piece = Schemas["Piece"];
export type Finish = Schemas["Finish"];
export type MirrorPlane = Schemas["MirrorPlane"];
export type LevelRow = Schemas["LevelRow"];
export type Placement = Schemas["Placement"];
export type ArrayRow = Schemas["Array"];
export type Path = Schemas["Path"];
export type PathPoint = Schemas["Point"];
export type Course = Schemas["Course"];
export type Group = Schemas["Group"];
export type Measure = Schemas["Measure"];
/** What shows a piece. */
export type Shown = Placement | ArrayRow | Course;
export type Thing = Shown | Path | Group | Measure;
export type Row = Piece | LevelRow | Thing;
export type Delta = Schemas["Delta"];
export type LevelView = Schemas["LevelView"];
/** A mesh as it is drawn for items of a thing. */
export type Run = Schemas["RunView"];
export type PathView = Schemas["PathView"];
export type Summary = Schemas["Summary"];
export type History = Schemas["HistoryView"];
export type StepView = Schemas["StepView"];
export type ToolInfo = Schemas["ToolInfo"];
export type LevelSummary = Schemas["LevelSummary"];
export type ProblemBody = Schemas["Problem"];
export type ProjectView = Schemas["ProjectView"];
export type ShapeInfo = Schemas["ShapeInfo"];
export type Backups = Schemas["BackupsView"];
export type RecentProject = Schemas["RecentProject"];
export type Rules = Schemas["Rules"];
export type FaceAt = Schemas["FaceAt"];
export type Drag = Schemas["Drag"];
export type Ground = Schemas["Ground"];
export type Feature = Schemas["Feature"];
export type FeatureRequest = Schemas["FeatureRequest"];
export type Snap = Schemas["Snap"];
export type Elements = Schemas["Elements"];
export type ElementsRequest = Schemas["ElementsRequest"];
export type Facets = Schemas["Facets"];
export type Step = Schemas["StepView"];
export type Check = Schemas["Check"];
export type End = Schemas["End"];
export type Ends = Schemas["Ends"];
export type SnapRequest = Schemas["SnapRequest"];
export type Measured = Schemas["Measured"];
export type MeasureRequest = Schemas["MeasureRequest"];
export type Fits = Schemas["Fits"];
export type FitsRequest = Schemas["FitsRequest"];
export type ImportView = Schemas["ImportView"];
export type ImportFacts = Schemas["Sheet"];
export type Batch = Schemas["BatchView"];
export type NewBatch = Schemas["NewBatch"];
export type Job = Schemas["JobView"];
export type Recipe = Schemas["RecipeView"];
export type RungTarget = Schemas["RungTarget"];
export type Rung = Schemas["Rung"];
export type Sized = Schemas["Sized"];
export type Accept = Schemas["Accept"];
/** How a level is written to a file. */
export interface ExportHow {
  lean?: boolean;
  rungs?: "lod" | "names";
}
/** A shape's parameters: its kind and its dimensions by name. */
export type ShapeValues = { kind: string } & Record<string, unknown>;
export type Params = Record<string, unknown>;
export type { Vector } from "../ui/vector";
export type Turn = [number, number, number, number];
