import type { ElementKind, How } from "../state/elements";

/** A way to take in more: its word, and whether nothing need be picked for it. */
export interface HowWord {
  how: How;
  word: string;
  always?: boolean;
  /** Only shown among the rest. */
  rest?: boolean;
}

const GROW: readonly HowWord[] = [
  { how: "grow", word: "Grow" },
  { how: "shrink", word: "Shrink" },
  { how: "connected", word: "Connected" },
];
const ALL: readonly HowWord[] = [
  { how: "invert", word: "Invert", always: true, rest: true },
  { how: "all", word: "All", always: true, rest: true },
];

/** What can be taken in, by what is picked. */
export const ALONG_KINDS: Readonly<Record<ElementKind, readonly HowWord[]>> = {
  vertex: [...GROW, { how: "invert", word: "Invert", always: true }, { how: "all", word: "All", always: true }],
  edge: [
    ...GROW,
    { how: "loop", word: "Loop" },
    { how: "ring", word: "Ring" },
    { how: "sharp", word: "Sharp", always: true },
    { how: "every second", word: "Every second", rest: true },
    { how: "border", word: "Borders", always: true, rest: true },
    ...ALL,
  ],
  face: [
    ...GROW,
    { how: "same plane", word: "Same plane" },
    { how: "same facet", word: "Facet" },
    { how: "same way", word: "Same way", rest: true },
    { how: "same material", word: "Same material", rest: true },
    { how: "triangles", word: "Triangles", always: true, rest: true },
    { how: "quads", word: "Quads", always: true, rest: true },
    { how: "n-gons", word: "N-gons", always: true, rest: true },
    ...ALL,
  ],
};
