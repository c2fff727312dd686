import { askEarly } from "./api/early";
import "./theme/sheet.css";
import { makeReady } from "./scene/canvas/canvas";
import { applyLayout } from "./theme/layout";
import { applySettings } from "./theme/settings";

/** Said where nothing else can be: without a drawing context there is no page. */
function cannotStart(): void {
  const words = document.createElement("p");
  words.role = "alert";
  words.className = "alone";
  words.textContent =
    "Able Brick could not start: this browser gives no WebGL 2 context to draw with. " +
    "Switch on its graphics acceleration, or open this page in another browser.";
  document.body.replaceChildren(words);
}

// the level is drawn first, and the page built round it then
applySettings();
applyLayout();
void askEarly();
const first = import("./scene/pieces/firstPicture");
if (makeReady() === null) cannotStart();
else
  void first
    .then(({ firstPicture }) => firstPicture())
    .catch(() => undefined) // the page tries again, and tells what is wrong
    .then(() => import("./start"));
