"""What was read comes onto the shelf as it stood in its file, or is refused in words and changes nothing."""

from __future__ import annotations

from pathlib import Path
from types import SimpleNamespace
from typing import Any

import numpy as np
import pytest

from able_brick.core.errors import InputError
from able_brick.core.files.scene import GroupAt, Instance, Scene, ScenePart
from able_brick.core.files.units import Unit
from able_brick.core.mesh.combine import with_positions
from able_brick.core.shapes.box import box
from able_brick.session.delta import Delta
from able_brick.session.importing import Taking, take_in
from tests.session.bench import Bench
from tests.zoo import ZOO


@pytest.fixture
def bench(tmp_path: Path) -> Bench:
    return Bench(tmp_path / "trial.db")


def stand(at: tuple[float, float, float] = (0, 0, 0), size: tuple[float, float, float] = (1, 1, 1)) -> np.ndarray:
    matrix = np.diag([*size, 1.0])
    matrix[:3, 3] = at
    return matrix


def take(bench: Bench, scene: Scene, how: Taking = Taking(), *, place: bool = True) -> Delta:  # noqa: B008
    """Take in a scene as if it had just been read."""
    waiting: Any = SimpleNamespace(
        get=lambda _: SimpleNamespace(file="trial.glb"), taken=lambda _: (scene, {}), discard=lambda _: None
    )
    revision = bench.project.revision(bench.level)
    return take_in(bench.project, waiting, "import-1", bench.level, revision, how, place=place)


CUBE = ScenePart("Cube", box(1.0, 1.0, 1.0))
GRAIN = ScenePart("Grain", with_positions(CUBE.mesh, 1e-8 * CUBE.mesh.positions))
FAR = (2e7, 0.0, 0.0)


@pytest.mark.parametrize(
    ("scene", "unit", "words"),
    [
        (Scene((CUBE,), (Instance(0, "Post", stand(FAR)),)), Unit.METRES, "Post would stand beyond 10 000 km"),
        (Scene((CUBE,), (Instance(0, "Post", stand((4e7, 0, 0))),)), Unit.FEET, "Post would stand beyond"),
        (Scene((CUBE,), (Instance(0, "\n", stand((0, np.nan, 0))),)), Unit.METRES, "Something would stand beyond"),
        (Scene((CUBE,), (Instance(0, "Post", stand(size=(1, 3e7, 1))),)), Unit.METRES, "Post would be more than"),
        (
            Scene((CUBE,), (Instance(0, "Post", stand(), 0),), (), (GroupAt("Row", None, stand(FAR)),)),
            Unit.METRES,
            "Row would stand beyond 10 000 km",
        ),
        (
            Scene((CUBE, GRAIN), (Instance(0, "Post", stand()),)),
            Unit.CENTIMETRES,
            "Grain would have no size in that unit",
        ),
    ],
)
def test_what_no_row_could_hold_is_refused_in_words(bench: Bench, scene: Scene, unit: Unit, words: str) -> None:
    before = bench.state()
    with pytest.raises(InputError, match=words):
        take(bench, scene, Taking(unit))
    assert bench.state() == before
    bench.whole()


def test_what_is_far_away_in_a_small_unit_is_taken(bench: Bench) -> None:
    take(bench, Scene((CUBE,), (Instance(0, "Post", stand(FAR)),)), Taking(Unit.CENTIMETRES))
    (placement,) = [r for r in bench.rows().values() if r.kind == "placement"]
    assert placement.position == (2e5, 0.0, 0.0)


def test_pieces_have_the_facts_of_their_meshes_however_many_come_at_once(bench: Bench) -> None:
    parts = tuple(ScenePart(name, make()) for name, make in ZOO.items())
    take(bench, Scene(parts, ()), place=False)
    made = {r.name: r.facts for r in bench.rows().values() if r.kind == "piece"}
    assert made.keys() == ZOO.keys()
    for part in parts:
        facts, (low, high) = made[part.name], part.mesh.bounds
        assert (facts.vertices, facts.faces) == (part.mesh.vertex_count, part.mesh.face_count)
        assert (facts.low, facts.high) == (tuple(low.tolist()), tuple(high.tolist()))
    bench.whole()


def test_names_that_cannot_be_kept_are_made_so(bench: Bench) -> None:
    names = ["  Post ", "Post", "", "a\tb", "a  b", "x" * 500, "naïve\u00a0gate", "two\nlines"]
    scene = Scene((CUBE,), tuple(Instance(0, name, stand((k, 0, 0))) for k, name in enumerate(names)))
    take(bench, scene)
    made = [r.name for r in bench.rows().values() if r.kind == "placement"]
    assert made == ["Post", "Post", "Piece", "a b", "a b", "x" * 120, "naïve gate", "two lines"]
