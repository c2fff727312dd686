import { askEarly } from "./api/early";
import "./theme/sheet.css";
import { makeReady } from "./viewport/canvas";

// the level is drawn first, and the page built round it then
void askEarly();
const first = import("./viewport/firstPicture");
makeReady();
void first
  .then(({ firstPicture }) => firstPicture())
  .catch(() => undefined) // the page tries again, and tells what is wrong
  .then(() => import("./start"));
