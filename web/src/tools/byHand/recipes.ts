import { api, Problem } from "../../api/client";
import { askRecipes } from "../../api/queries";
import type { Params, Recipe } from "../../api/types";
import { tell } from "../../state/messages";

/** Keep a recipe in the project; whether it is kept, which is told. */
export async function keepRecipe(recipe: Recipe): Promise<boolean> {
  try {
    await api.keepRecipe(recipe);
    await askRecipes();
    tell(`The recipe ${recipe.name} is kept in the project.`);
    return true;
  } catch (error) {
    if (!(error instanceof Problem)) throw error;
    tell(error.message, "error");
    return false;
  }
}

/** Keep the settings of a ladder, where they were given a name. */
export async function keepAsRecipe({ recipe, rungs, keep_seams, sides, outline }: Params): Promise<void> {
  const name = String(recipe ?? "").trim();
  if (name) await keepRecipe({ name, rungs, keep_seams, sides, outline, shipped: false } as Recipe);
}
