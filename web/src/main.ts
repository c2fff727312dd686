import { askEarly } from "./api/early";
import { makeReady } from "./viewport/pictureCanvas";

void askEarly();
void import("./start");
makeReady();
