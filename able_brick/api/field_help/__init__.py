"""What the API's description says of fields and parameters that do not say it themselves.

Fields of tools and shapes have their help in their models, as their cards show it; the others have it here, so that a
server starts without it. `EVERYWHERE` is by the name of a field, `OF` by schema and field. Lengths are metres in the
world unless something else is said; quaternions are x, y, z, w.
"""

from __future__ import annotations

from typing import Any, Final

from able_brick.api.field_help.everywhere import EVERYWHERE, PARAMETERS
from able_brick.api.field_help.of_rows import ROWS
from able_brick.api.field_help.of_views import VIEWS

OF: Final[dict[str, dict[str, str]]] = {
    **ROWS,
    **VIEWS,
    "LevelView": VIEWS["Delta"],
    "RecipeView": {**ROWS["Recipe"], "shipped": "It ships with Able Brick"},
}


def with_help(schema: dict[str, Any]) -> dict[str, Any]:
    """An OpenAPI description in which every field and parameter that says nothing of itself has its help."""
    for name, model in schema["components"]["schemas"].items():
        for field, info in model.get("properties", {}).items():
            text = OF.get(name, {}).get(field) or EVERYWHERE.get(field)
            if text and not info.get("description"):
                info["description"] = text
    for methods in schema["paths"].values():
        for method in methods.values():
            for parameter in method.get("parameters", []):
                text = PARAMETERS.get(parameter["name"]) or EVERYWHERE.get(parameter["name"])
                if text and not parameter.get("description"):
                    parameter["description"] = text
    return schema
