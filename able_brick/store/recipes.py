"""Recipes: settings for slimming that are kept in the project under a name."""

from __future__ import annotations

from collections.abc import Callable
from contextlib import AbstractContextManager, suppress

from pydantic import ValidationError
from sqlalchemy import Connection, Engine, delete, select
from sqlalchemy.dialects.sqlite import insert as upsert
from sqlalchemy.exc import DatabaseError

from able_brick.level.recipe import SHIPPED, Recipe
from able_brick.store.tables import RECIPE


class RecipeShelf:
    """The recipes of a project; those that ship with the app come first and cannot be changed."""

    def __init__(self, engine: Engine, transaction: Callable[[], AbstractContextManager[Connection]]) -> None:
        self._engine = engine
        self._transaction = transaction

    def all(self) -> list[Recipe]:
        """Every recipe, by name. What cannot be read is left out."""
        out: list[Recipe] = []
        with suppress(DatabaseError), self._engine.connect() as connection:
            for (settings,) in connection.execute(select(RECIPE.c.settings).order_by(RECIPE.c.name)):
                with suppress(ValidationError):
                    out.append(Recipe.model_validate_json(str(settings)))
        return [*SHIPPED, *out]

    def keep(self, recipe: Recipe) -> None:
        """Put a recipe under its name, instead of one that has it already. Raises StorageError."""
        with self._transaction() as connection:
            statement = upsert(RECIPE).values(name=recipe.name, settings=recipe.model_dump_json())
            connection.execute(
                statement.on_conflict_do_update(index_elements=["name"], set_={"settings": statement.excluded.settings})
            )

    def drop(self, name: str) -> bool:
        """Take a recipe away; whether there was one. Raises StorageError."""
        with self._transaction() as connection:
            return connection.execute(delete(RECIPE).where(RECIPE.c.name == name)).rowcount > 0
