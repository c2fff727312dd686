"""The modular pieces of Merrow Lock, in metres, made from plain shapes."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from able_brick.core.files.scene import ScenePart
from able_brick.core.mesh.combine import joined, moved, with_positions
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.place.pose import from_degrees
from able_brick.core.shapes.box import box
from able_brick.core.shapes.prism import prism
from able_brick.core.shapes.turned import turned
from able_brick.demo.heron import heron
from able_brick.level.palette import PALETTE, Tint

Body = tuple[Tint, PolyMesh]


def _part(name: str, bodies: Sequence[Body]) -> ScenePart:
    tints = list(dict.fromkeys(t for t, _ in bodies))
    mesh = joined([m for _, m in bodies], materials=[tints.index(t) for t, _ in bodies])
    return ScenePart(name, mesh, tuple(PALETTE[t].material() for t in tints))


def _block(x: float, y: float, z: float, width: float, height: float, depth: float) -> PolyMesh:
    """A box whose lowest corner is x, y, z."""
    return moved(box(width, height, depth), (x + width / 2, y, z + depth / 2))


def _turned_about(mesh: PolyMesh, degrees: tuple[float, float, float]) -> PolyMesh:
    return with_positions(mesh, from_degrees(degrees).apply(np.array(mesh.positions)))


def _solid(outline: Sequence[tuple[float, float]], depth: float) -> PolyMesh:
    """A prism whose outline may run either way round."""
    points = list(outline)
    area = sum(a[0] * b[1] - b[0] * a[1] for a, b in zip(points, points[1:] + points[:1], strict=True))
    return prism(points if area > 0 else points[::-1], depth)


def quay_wall() -> ScenePart:
    """A 4 m length of quay wall: battered face to −Z, a plinth, a string course."""
    profile = [
        (-0.22, 0.0),
        (0.9, 0.0),
        (0.9, 1.2),
        (0.0, 1.2),
        (0.0, 0.95),
        (-0.07, 0.90),
        (-0.07, 0.80),
        (-0.02, 0.76),
        (-0.12, 0.30),
        (-0.22, 0.26),
    ]
    return _part("Quay wall 4 m", [(Tint.STONE, _drawn(profile, 4.0))])


def coping() -> ScenePart:
    """A 4 m coping stone with a rounded nose over the water."""
    profile = [
        (0.9, 0.0),
        (0.9, 0.18),
        (0.0, 0.18),
        (-0.10, 0.15),
        (-0.14, 0.09),
        (-0.10, 0.03),
        (-0.04, 0.0),
    ]
    return _part("Coping 4 m", [(Tint.PALE_STONE, _drawn(profile, 4.0))])


def _drawn(profile: Sequence[tuple[float, float]], length: float) -> PolyMesh:
    """A profile of (z, y) points drawn along X, centred on x = 0."""
    return _turned_about(_solid([(-z, y) for z, y in profile], length), (0, 90, 0))


def gate_leaf() -> ScenePart:
    """A lock gate leaf, 4.6 m wide: planks, heel and mitre posts, rails, a brace."""
    bodies: list[Body] = []
    for k in range(7):
        bodies.append((Tint.GATE_GREEN, _block(0.30 + k * 0.58, 0.15, -0.04, 0.55, 3.0, 0.08)))
    for x in (0.0, 4.32):
        bodies.append((Tint.OAK, _block(x, 0.0, -0.15, 0.30, 3.45, 0.30)))
    for y in (0.12, 1.10, 2.10, 3.05):
        bodies.append((Tint.OAK, _block(0.28, y, -0.12, 4.06, 0.22, 0.20)))
    brace = _turned_about(_block(-2.25, -0.09, 0.06, 4.5, 0.18, 0.07), (0, 0, 35))
    bodies.append((Tint.IRON, moved(brace, (2.31, 1.65, 0))))
    for y in (0.5, 2.6):
        bodies.append((Tint.IRON, _block(-0.03, y, -0.18, 0.8, 0.1, 0.36)))
    return _part("Gate leaf", bodies)


def balance_beam() -> ScenePart:
    """The long beam that swings a gate leaf, its grip end chamfered."""
    side = [(-1.2, 0.0), (5.2, 0.08), (5.4, 0.16), (5.4, 0.34), (5.2, 0.42), (-1.2, 0.42)]
    return _part(
        "Balance beam",
        [(Tint.OAK, _solid(side, 0.38)), (Tint.PALE_STONE, _block(4.7, 0.065, -0.2, 0.35, 0.36, 0.4))],
    )


def lamp_post() -> ScenePart:
    """An iron lamp post with a six-sided lantern, 3.9 m tall."""
    post = turned(
        [
            (0.20, 0.0),
            (0.20, 0.18),
            (0.14, 0.24),
            (0.12, 0.55),
            (0.09, 0.62),
            (0.06, 0.80),
            (0.045, 2.95),
            (0.08, 3.0),
            (0.08, 3.05),
            (0.05, 3.1),
        ],
        sides=10,
    )
    lantern = moved(turned([(0.12, 0.0), (0.21, 0.48)], sides=6), (0, 3.12, 0))
    roof = moved(turned([(0.26, 0.0), (0.26, 0.04), (0.08, 0.20), (0.05, 0.30), (0.0, 0.36)], sides=6), (0, 3.58, 0))
    arm = _block(-0.38, 2.72, -0.025, 0.76, 0.05, 0.05)
    return _part("Lamp post", [(Tint.IRON, post), (Tint.LAMP_GLASS, lantern), (Tint.IRON, roof), (Tint.IRON, arm)])


def footbridge() -> ScenePart:
    """A 10 m arched footbridge along X with railings; its deck ends lie at y = 0."""

    def rise(x: float) -> float:
        return 0.9 * (1 - (x / 5.0) ** 2)

    xs = np.linspace(-5.0, 5.0, 13)
    top = [(float(x), rise(float(x))) for x in xs]
    under = [(float(x), rise(float(x)) - 0.22 - 0.25 * abs(float(x)) / 5) for x in xs]
    bodies: list[Body] = [(Tint.OAK, _solid(under + top[::-1], 1.7))]
    for z in (-0.92, 0.92):
        bodies.append(
            (
                Tint.IRON,
                moved(
                    _solid([(x, y - 0.06) for x, y in under] + [(x, y + 0.1) for x, y in top[::-1]], 0.12),
                    (0, 0, z),
                ),
            )
        )
        rail = [(x, y + 1.0) for x, y in top]
        bodies.append((Tint.IRON, moved(_solid(rail + [(x, y + 0.07) for x, y in rail[::-1]], 0.08), (0, 0, z))))
        middle = [(x, y + 0.55) for x, y in top]
        bodies.append((Tint.IRON, moved(_solid(middle + [(x, y + 0.04) for x, y in middle[::-1]], 0.04), (0, 0, z))))
        for x in np.linspace(-4.9, 4.9, 11):
            bodies.append((Tint.IRON, _block(float(x) - 0.03, rise(float(x)), z - 0.03, 0.06, 1.02, 0.06)))
    return _part("Footbridge 10 m", bodies)


def pump_house() -> ScenePart:
    """A brick pump house, 7 × 5 m, with plinth, slate roof, chimney, door and windows."""
    bodies: list[Body] = [
        (Tint.PALE_STONE, _block(-3.6, 0.0, -2.6, 7.2, 0.45, 5.2)),
        (Tint.BRICK, _block(-3.5, 0.45, -2.5, 7.0, 2.9, 5.0)),
        (Tint.PALE_STONE, _block(-3.6, 3.35, -2.6, 7.2, 0.18, 5.2)),
    ]
    gable = _turned_about(_solid([(-2.5, 3.53), (2.5, 3.53), (0.0, 5.2)], 6.9), (0, 90, 0))
    bodies.append((Tint.BRICK, gable))
    roof = [(-2.95, 3.23), (0.0, 5.20), (2.95, 3.23), (3.05, 3.36), (0.0, 5.35), (-3.05, 3.36)]
    bodies.append((Tint.SLATE, _turned_about(_solid(roof, 7.6), (0, 90, 0))))
    bodies.append((Tint.BRICK, _block(2.0, 4.2, -0.9, 0.8, 2.1, 0.8)))
    bodies.append((Tint.PALE_STONE, _block(1.92, 6.3, -0.98, 0.96, 0.14, 0.96)))
    bodies.append((Tint.IRON, moved(turned([(0.2, 0.0), (0.16, 0.5)], sides=10), (2.4, 6.44, -0.5))))
    bodies.append((Tint.GATE_GREEN, _block(-0.65, 0.45, 2.44, 1.3, 2.2, 0.12)))
    bodies.append((Tint.PALE_STONE, _block(-0.85, 2.65, 2.42, 1.7, 0.22, 0.2)))
    bodies.append((Tint.PALE_STONE, _block(-0.9, 0.0, 2.6, 1.8, 0.3, 0.6)))
    for x in (-2.45, 2.45):
        bodies.append((Tint.PLASTER, _block(x - 0.62, 1.2, 2.44, 1.24, 1.5, 0.1)))
        bodies.append((Tint.IRON, _block(x - 0.5, 1.32, 2.46, 1.0, 1.26, 0.11)))
        bodies.append((Tint.PALE_STONE, _block(x - 0.72, 1.06, 2.42, 1.44, 0.14, 0.24)))
        bodies.append((Tint.PLASTER, _block(x - 0.03, 1.32, 2.5, 0.06, 1.26, 0.1)))
    return _part("Pump house", bodies)


def bollard() -> ScenePart:
    """An iron mooring bollard."""
    shape = turned(
        [
            (0.24, 0.0),
            (0.24, 0.06),
            (0.15, 0.12),
            (0.13, 0.40),
            (0.19, 0.50),
            (0.20, 0.58),
            (0.12, 0.66),
            (0.0, 0.68),
        ],
        sides=12,
    )
    return _part("Bollard", [(Tint.IRON, shape)])


def steps() -> ScenePart:
    """Five stone steps, 2 m wide, rising 0.9 m along X."""
    outline = [(0.0, 0.0), (1.5, 0.0), (1.5, 0.9)]
    for k in range(4, -1, -1):
        outline += [(k * 0.3, 0.18 * (k + 1))] + ([(k * 0.3, 0.18 * k)] if k else [])
    return _part("Steps 2 m", [(Tint.PALE_STONE, _solid(outline, 2.0))])


def crate() -> ScenePart:
    """A wooden crate with iron corners."""
    bodies: list[Body] = [(Tint.OAK, box(0.9, 0.8, 0.9))]
    for x in (-0.46, 0.40):
        for z in (-0.46, 0.40):
            bodies.append((Tint.IRON, _block(x, -0.0, z, 0.06, 0.82, 0.06)))
    for y in (0.2, 0.5):
        bodies.append((Tint.OAK, moved(box(0.94, 0.12, 0.94), (0, y, 0))))
    return _part("Crate", bodies)


def bench() -> ScenePart:
    """A park bench of oak and iron, facing +Z."""
    bodies: list[Body] = [(Tint.OAK, _block(-0.9, 0.42, z, 1.8, 0.05, 0.13)) for z in (-0.2, -0.05, 0.1)]
    bodies += [
        (Tint.OAK, moved(_turned_about(_block(-0.9, y, -0.02, 1.8, 0.12, 0.04), (-12, 0, 0)), (0, 0.0, -0.2)))
        for y in (0.55, 0.72)
    ]
    for x in (-0.75, 0.69):
        bodies.append((Tint.IRON, _block(x, 0.0, -0.22, 0.06, 0.42, 0.45)))
        bodies.append(
            (
                Tint.IRON,
                moved(_turned_about(_block(x, 0.4, -0.05, 0.06, 0.48, 0.03), (-12, 0, 0)), (0, 0.0, -0.2)),
            )
        )
    return _part("Bench", bodies)


def tree() -> ScenePart:
    """A plain poplar: a trunk and a pointed crown."""
    trunk = turned([(0.20, 0.0), (0.14, 0.6), (0.12, 1.6)], sides=8)
    crown = moved(
        turned([(0.0, 0.0), (0.75, 0.5), (1.0, 1.5), (0.85, 3.2), (0.45, 4.6), (0.0, 5.4)], sides=9),
        (0, 1.2, 0),
    )
    return _part("Poplar", [(Tint.OAK, trunk), (Tint.GATE_GREEN, crown)])


def railing() -> ScenePart:
    """A 2 m panel of an iron railing about its post."""
    bodies: list[Body] = [(Tint.IRON, _block(-0.03, 0.0, -0.03, 0.06, 1.05, 0.06))]
    for y, size in ((0.98, 0.07), (0.55, 0.04), (0.2, 0.04)):
        bodies.append((Tint.IRON, _block(-1.0, y, -size / 2, 2.0, size, size)))
    return _part("Railing 2 m", bodies)


def railing_gate() -> ScenePart:
    """A 2 m gate in the railing, of oak between iron posts."""
    bodies: list[Body] = [(Tint.IRON, _block(x, 0.0, -0.04, 0.08, 1.2, 0.08)) for x in (-1.0, 0.92)]
    bodies += [(Tint.OAK, _block(-0.86 + 0.3 * k, 0.12, -0.02, 0.22, 0.9, 0.04)) for k in range(6)]
    bodies += [(Tint.OAK, _block(-0.92, y, -0.05, 1.84, 0.1, 0.035)) for y in (0.25, 0.8)]
    return _part("Railing gate 2 m", bodies)


def reeds() -> ScenePart:
    """A clump of reeds, up to 1.3 m tall."""
    bodies: list[Body] = []
    for k in range(9):
        angle, height, away = 40.0 * k, 0.8 + 0.12 * ((k * 3) % 5), 0.06 + 0.03 * (k % 4)
        blade = turned([(0.0, 0.0), (0.035, 0.02), (0.03, height * 0.6), (0.0, height)], sides=4)
        leant = _turned_about(blade, (9.0, angle, 0.0))
        out = (away * float(np.cos(np.radians(angle))), 0.0, away * float(np.sin(np.radians(angle))))
        bodies.append((Tint.GATE_GREEN, moved(leant, out)))
    return _part("Reeds", bodies)


def bank(face: Sequence[tuple[float, float]], back: float, height: float, name: str) -> ScenePart:
    """A piece of ground behind a quay: the face as (x, z) points in rising x, back to z = back."""
    points = [(x, -z) for x, z in face]
    ends = [(face[-1][0], -back), (face[0][0], -back)]
    outline = points + ends
    solid = _solid(outline, height)
    up = with_positions(
        solid,
        np.stack([solid.positions[:, 0], solid.positions[:, 2] + height / 2, -solid.positions[:, 1]], axis=1),
    )
    return _part(name, [(Tint.EARTH, up)])


def heron_part() -> ScenePart:
    """The bronze heron on its rock."""
    return ScenePart("Bronze heron", heron(), (PALETTE[Tint.BRONZE].material(), PALETTE[Tint.STONE].material()))


def all_parts() -> list[ScenePart]:
    """Every piece but the banks, in the order of the shelf."""
    makers = (
        quay_wall,
        coping,
        gate_leaf,
        balance_beam,
        footbridge,
        pump_house,
        lamp_post,
        bollard,
        steps,
        bench,
        crate,
        tree,
        heron_part,
        railing,
        railing_gate,
        reeds,
    )
    return [make() for make in makers]
