"""Recipes: settings for slimming that are kept in the project under a name."""

from __future__ import annotations

import json
from collections.abc import Callable
from contextlib import AbstractContextManager, suppress

from pydantic import ValidationError
from sqlalchemy import Connection, delete, select
from sqlalchemy.dialects.sqlite import insert as upsert
from sqlalchemy.exc import DatabaseError

from able_brick.level.recipe import SHIPPED, Recipe
from able_brick.store.database import ProjectFile
from able_brick.store.tables import RECIPE


class RecipeShelf:
    """The recipes of a project; those that ship with the app come first and cannot be changed."""

    def __init__(self, file: ProjectFile, transaction: Callable[[], AbstractContextManager[Connection]]) -> None:
        self._file = file
        self._transaction = transaction

    def all(self) -> list[Recipe]:
        """Every recipe, by name. What cannot be read is left out."""
        out: list[Recipe] = []
        with suppress(DatabaseError), self._file.reading() as connection:
            rows = connection.execute(select(RECIPE.c.settings, RECIPE.c.format).order_by(RECIPE.c.name))
            for settings, form in rows:
                with suppress(ValidationError, ValueError, RecursionError, TypeError):
                    out.append(Recipe.model_validate({**json.loads(settings), "format": form}))
        return [*SHIPPED, *out]

    def keep(self, recipe: Recipe) -> None:
        """Put a recipe under its name, instead of one that has it already. Raises StorageError."""
        with self._transaction() as connection:
            statement = upsert(RECIPE).values(name=recipe.name, settings=recipe.model_dump_json(), format=recipe.format)
            connection.execute(
                statement.on_conflict_do_update(
                    index_elements=["name"],
                    set_={"settings": statement.excluded.settings, "format": statement.excluded.format},
                )
            )

    def drop(self, name: str) -> bool:
        """Take a recipe away; whether there was one. Raises StorageError."""
        with self._transaction() as connection:
            return connection.execute(delete(RECIPE).where(RECIPE.c.name == name)).rowcount > 0
