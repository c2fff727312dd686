import { api } from "../api/client";
import { boxOfAll } from "../scene/pieces/entries";
import { askForMeshes } from "../scene/pieces/meshes";
import { levelStore, loadLevel } from "../state/level";
import { lookFrom } from "../state/view";
import { lookAtBox } from "./looking";

/** Open a level: what stands in it, its meshes, and the view that it begins with; unless it is no longer wanted then. */
export async function openLevel(id: string, wanted: () => boolean = () => true): Promise<void> {
  const view = await api.level(id);
  if (!wanted()) return;
  loadLevel(view);
  askForMeshes();
  const { scene } = levelStore.getState();
  const home = scene.level?.home;
  const box = boxOfAll(scene);
  if (home) lookFrom(home[0], home[1]);
  else if (box) lookAtBox(box, true);
}
