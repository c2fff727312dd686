import type { Thing } from "../../api/types";
import { group } from "./group";
import type { Kind } from "./kind";
import { measure } from "./measure";
import { path } from "./path";
import { placement } from "./placement";
import { array, course } from "./runs";

/** What is particular to each kind of thing: a new kind is its module, and its name here. */
const KINDS = { placement, array, course, path, group, measure };

/** What is particular to the kind of a thing. */
export const kindOf = (thing: Thing): Kind<Thing> => KINDS[thing.kind ?? "placement"] as unknown as Kind<Thing>;
