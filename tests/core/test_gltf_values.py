"""Whatever values stand in the JSON of a glTF file, it is read, or refused in words."""

from __future__ import annotations

import random
from collections.abc import Iterator
from contextlib import suppress
from typing import Any

import pytest

from able_brick.core.errors import FileError
from able_brick.core.files.glb_write import write_glb
from able_brick.core.files.gltf.read import read_glb
from able_brick.core.files.scene import Material, Node, ScenePart, ScenePartRung
from tests.glb import edited
from tests.thorough import by_day
from tests.zoo import ZOO, bumpy_ball

VALUES: list[Any] = [
    *(None, True, 0, 1, 2, 3, -1, 7.5, 1e13, 10**400, float("nan"), "x", "MASK", [], {}, [0], [1], [0, 1]),
    *([1, 1, 1], [0, 0, 0, 1], {"a": 1}, {"MSFT_lod": {"ids": [0, 2]}}),
]
KEYS = ("children", "extensions", "extras", "indices", "material", "matrix", "mesh", "mode", "name", "rotation", "uri")
YARD = Node("Yard", None, children=(Node("One", 0, (1, 2, 3)), Node("Two", 0, rotation=(0, 0, 0.6, 0.8))))
LADDER = ScenePart("Ball", bumpy_ball(8), (Material("stone"),), rungs=(ScenePartRung(bumpy_ball(6), 0.1),))
FILES = [
    write_glb([LADDER, ScenePart("Drum", ZOO["drum"]())], [YARD, Node("Three", 1)], rungs=r) for r in ("lod", "names")
]


def _places(value: Any, way: tuple[Any, ...] = ()) -> Iterator[tuple[Any, ...]]:
    inside = value.items() if isinstance(value, dict) else enumerate(value) if isinstance(value, list) else ()
    for key, held in inside:
        yield (*way, key)
        yield from _places(held, (*way, key))


def _spoil(document: Any, chance: random.Random) -> None:
    *way, last = chance.choice(list(_places(document)))
    holder = document
    for key in way:
        holder = holder[key]
    what = chance.random()
    if what < 0.6:
        holder[last] = chance.choice(VALUES)
    elif what < 0.75:
        del holder[last]
    elif isinstance(holder[last], dict):
        holder[last][chance.choice(KEYS)] = chance.choice(VALUES)


@pytest.mark.parametrize("data", FILES, ids=["lod", "names"])
def test_a_file_with_other_values_is_read_or_refused(data: bytes) -> None:
    for seed in range(by_day(150, 3000)):
        chance = random.Random(seed)  # noqa: S311

        def edit(document: Any, chance: random.Random = chance) -> None:
            for _ in range(chance.choice((1, 1, 2, 3))):
                _spoil(document, chance)

        with suppress(FileError):
            scene = read_glb(edited(data, edit))
            assert all(0 <= i.part < len(scene.parts) for i in scene.instances), seed
