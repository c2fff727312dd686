"""What of Merrow Lock is cut, lettered and smoothed: an archway, a sign, a mooring ring and a ruined wall."""

from __future__ import annotations

import numpy as np

from able_brick.core.files.scene import ScenePart
from able_brick.core.mesh.combine import with_positions
from able_brick.core.mesh.normals import area_vectors
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.shapes.prism import prism
from able_brick.core.shapes.sphere import even_sphere
from able_brick.demo.builder import Builder
from able_brick.level.elements import Elements
from able_brick.level.palette import PALETTE, Tint


def archway_form() -> ScenePart:
    """What the archway takes away: 1.6 m wide, 2.2 m high to the top of its round arch, 1.2 m deep, from its base."""
    bow = np.linspace(0.0, np.pi, 13)
    outline = [(-0.8, 0.0), (0.8, 0.0), *((0.8 * float(np.cos(a)), 1.4 + 0.8 * float(np.sin(a))) for a in bow)]
    return ScenePart("Archway", prism(outline, 1.2), (PALETTE[Tint.PALE_STONE].material(),))


def rubble_form() -> ScenePart:
    """A rough lump, 2 m across, whose top and sides are uneven: what a wall breaks along."""
    ball = even_sphere(1.0, divisions=4)
    random = np.random.default_rng(7)
    rough = ball.positions * (1.0 + 0.16 * random.uniform(-1.0, 1.0, (ball.vertex_count, 1)))
    return ScenePart("Rubble", with_positions(ball, rough), (PALETTE[Tint.STONE].material(),))


def _facing(mesh: PolyMesh, way: tuple[float, float, float]) -> int:
    """The largest face that looks that way."""
    return int(np.argmax(area_vectors(mesh) @ np.array(way)))


def shape_details(b: Builder, pump_house: str) -> None:
    """Shape what the modular pieces do not have."""
    forms = b.bring_in([archway_form(), rubble_form()])
    # a passage into the pump house through its gable
    arch = b.place(forms["Archway"], (-1.4, 1.79, -13.0), 90.0)
    b.step("subtract", (pump_house, arch), cutters="removed", surface="of the cutter")

    board = {"kind": "box", "width": 2.2, "height": 0.4, "depth": 0.08}
    made = b.step("add_shape", shape=board, name="Sign", surface="pale stone")
    sign = (made.select or [""])[0]
    piece, mesh = b.piece_of(sign)
    front = Elements.of(piece.mesh, [_facing(mesh, (0.0, 0.0, 1.0))])
    words = {"text": "Merrow Lock", "height": 0.22, "depth": 0.02, "way": "sunk"}
    b.step("letter_face", (sign,), elements=front.model_dump(), **words)
    # over the archway
    b.step("set_pose", (sign,), position=(-1.54, 4.15, -13.0), turn=(0.0, -90.0, 0.0))

    # a ring drawn with few faces, and smoothed: only where it is looked at closely do they count
    form = {"kind": "torus", "radius": 0.16, "section": 0.035, "sides": 8, "section_sides": 4}
    made = b.step("add_shape", shape=form, name="Mooring ring", surface="iron", position=(-3.0, 1.38, 4.9))
    ring = (made.select or [""])[0]
    b.step("live_smooth", (ring,), levels=2)

    wall = {"kind": "box", "width": 5.0, "height": 2.4, "depth": 0.7}
    made = b.step("add_shape", shape=wall, name="Ruin", surface="stone", position=(-25.5, 1.34, -18.0))
    ruin = (made.select or [""])[0]
    lump = b.place(forms["Rubble"], (-24.2, 3.3, -18.0))
    parts = b.step("split_forms", (ruin, lump), cutters="removed", surface="of the form")
    for key in (key for key in parts.select or () if key != ruin):
        b.step("set_pivot", (b.piece_of(key)[0].id,), place="box")
        b.step("set_pose", (key,), position=(-22.8, 1.34, -16.4), turn=(0.0, 35.0, 6.0))
    b.step("delete", (forms["Archway"], forms["Rubble"]))
