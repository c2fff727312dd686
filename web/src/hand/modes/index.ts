import { cutMode } from "./cut";
import { dockMode } from "./dock";
import { dockElementsMode } from "./dockElements";
import { drawMode } from "./draw";
import { handleMode } from "./handle";
import { measureMode } from "./measure";
import { register } from "./modes";
import { pathMode } from "./path";
import { pickMode } from "./pick";
import { placeMode } from "./place";
import { restMode } from "./rest";
import { starterMode } from "./starter";

// what the viewport can be in the middle of: a new mode is its file, and its name here
register(
  restMode,
  handleMode,
  placeMode,
  pathMode,
  drawMode,
  dockMode,
  measureMode,
  pickMode,
  starterMode,
  cutMode,
  dockElementsMode,
);
