"""Every shape over random dimensions: sound, closed where claimed, of the right volume, area and connection."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from able_brick.core.errors import GeometryError
from able_brick.core.mesh.measure import area, volume
from able_brick.core.mesh.normals import area_vectors
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.mesh.topology import topology
from able_brick.core.mesh.triangulate import triangulated
from able_brick.core.mesh.validity import problems
from able_brick.core.shapes.arch import arch
from able_brick.core.shapes.cylinder import capsule, cone, cylinder
from able_brick.core.shapes.doorway import doorway
from able_brick.core.shapes.helix import helix
from able_brick.core.shapes.lettering import lettering
from able_brick.core.shapes.plane import plane
from able_brick.core.shapes.sphere import even_sphere, sphere
from able_brick.core.shapes.stairs import spiral_stairs, stairs, steps_for
from able_brick.core.shapes.tube import torus, tube
from able_brick.core.shapes.wedge import pyramid, wedge
from able_brick.level.shapes.catalogue import SHAPES

size = st.floats(0.05, 20.0)
few = st.integers(1, 6)
sides = st.integers(3, 40)


def characteristic(mesh: PolyMesh) -> int:
    """Vertices less edges plus faces."""
    return mesh.vertex_count - len(topology(mesh).edges) + mesh.face_count


def uv_areas(mesh: PolyMesh) -> np.ndarray:
    assert mesh.uv is not None
    after = mesh.uv[mesh.next_corner]
    cross = mesh.uv[:, 0] * after[:, 1] - after[:, 0] * mesh.uv[:, 1]
    return np.add.reduceat(cross, mesh.face_starts[:-1]) / 2


def sound(mesh: PolyMesh, euler: int, *, closed: bool = True, flat: bool = False) -> None:
    """What every shape promises; `flat` ones also keep areas in their texture coordinates."""
    assert problems(mesh) == []
    assert topology(mesh).is_closed == closed
    assert characteristic(mesh) == euler
    assert closed is False or volume(mesh) > 0
    assert mesh.uv is not None
    assert np.isfinite(mesh.uv).all()
    faces = np.linalg.norm(area_vectors(mesh), axis=1)
    assert (uv_areas(mesh) > 0).all(), "no face is mirrored in its texture"
    if flat:
        assert uv_areas(mesh) == pytest.approx(faces, rel=1e-9, abs=1e-12)
    assert sorted(set(mesh.facet.tolist())) == list(range(int(mesh.facet.max()) + 1))


def polygon(n: int) -> float:
    """The area of a regular polygon in the unit circle."""
    return n / 2 * math.sin(2 * math.pi / n)


@given(size, size, sides, few, st.integers(0, 4))
@settings(max_examples=40)
def test_cylinders(radius: float, height: float, n: int, rows: int, rings: int) -> None:
    mesh = cylinder(radius, height, sides=n, rows=rows, cap_rings=rings)
    sound(mesh, 2)
    assert volume(mesh) == pytest.approx(polygon(n) * radius**2 * height)
    wall = 2 * n * radius * math.sin(math.pi / n) * height
    assert area(mesh) == pytest.approx(wall + 2 * polygon(n) * radius**2)
    assert mesh.bounds[0][1] == 0.0
    assert mesh.bounds[1][1] == height
    assert mesh.face_count == n * rows + (2 if rings == 0 else 2 * n * rings)


@given(size, st.floats(0.05, 1.0), st.floats(1.0, 4.0), st.integers(8, 48), st.integers(2, 12))
@settings(max_examples=40)
def test_rounded_cylinders_lie_between_the_sharp_and_the_smooth(
    radius: float, share: float, tall: float, n: int, rows: int
) -> None:
    height = 2 * radius * tall
    mesh = cylinder(radius, height, sides=n, cap_rings=1, rounding=radius * share, round_rows=rows)
    sound(mesh, 2)
    r = radius * share
    core = radius - r
    smooth = math.pi * (radius**2 * (height - 2 * r) + 2 * (core**2 * r + core * r**2 * math.pi / 2 + 2 / 3 * r**3))
    chord = 1 - polygon(n) / math.pi + (math.pi / (2 * rows)) ** 2 / 6
    assert smooth * (1 - 2 * chord) < volume(mesh) < smooth


@given(size, size, st.floats(0, 1.5), sides, few)
@settings(max_examples=40)
def test_cones(radius: float, height: float, top: float, n: int, rows: int) -> None:
    mesh = cone(radius, height, top_radius=radius * top, sides=n, rows=rows)
    sound(mesh, 2)
    r, s = radius, radius * top
    assert volume(mesh) == pytest.approx(polygon(n) * height * (r * r + r * s + s * s) / 3)


@given(size, st.floats(1.0, 5.0), st.integers(8, 60), st.integers(4, 20))
@settings(max_examples=30)
def test_capsules(radius: float, tall: float, n: int, rows: int) -> None:
    height = 2 * radius * tall
    mesh = capsule(radius, height, sides=n, cap_rows=rows)
    sound(mesh, 2)
    smooth = math.pi * radius**2 * (height - 2 * radius) + 4 / 3 * math.pi * radius**3
    chord = 1 - polygon(n) / math.pi + (math.pi / (2 * rows)) ** 2 / 4
    assert smooth * (1 - chord) < volume(mesh) < smooth
    assert np.linalg.norm(mesh.positions[:, [0, 2]], axis=1).max() == pytest.approx(radius)


@given(size, st.integers(8, 80), st.integers(6, 60))
@settings(max_examples=30)
def test_spheres(radius: float, n: int, rows: int) -> None:
    mesh = sphere(radius, sides=n, rows=rows)
    sound(mesh, 2)
    chord = 1 - polygon(n) / math.pi + (math.pi / rows) ** 2 / 4
    assert 4 / 3 * math.pi * radius**3 * (1 - chord) < volume(mesh) < 4 / 3 * math.pi * radius**3
    assert np.linalg.norm(mesh.positions - [0, radius, 0], axis=1) == pytest.approx(radius)


@given(size, st.integers(1, 20))
@settings(max_examples=20)
def test_even_spheres_have_even_quads(radius: float, n: int) -> None:
    mesh = even_sphere(radius, divisions=n)
    sound(mesh, 2)
    assert (mesh.face_sizes == 4).all()
    assert mesh.face_count == 6 * n * n
    faces = np.linalg.norm(area_vectors(mesh), axis=1)
    assert faces.max() / faces.min() < 1.5
    assert np.linalg.norm(mesh.positions - [0, radius, 0], axis=1) == pytest.approx(radius)


@given(size, size, st.floats(0.05, 0.9), sides, few, few)
@settings(max_examples=30)
def test_tubes(radius: float, height: float, wall: float, n: int, rows: int, rings: int) -> None:
    mesh = tube(radius, height, radius * wall, sides=n, rows=rows, end_rings=rings)
    sound(mesh, 0)
    inner = radius * (1 - wall)
    assert volume(mesh) == pytest.approx(polygon(n) * (radius**2 - inner**2) * height)


@given(size, st.floats(0.05, 0.9), st.integers(3, 60), st.integers(3, 30))
@settings(max_examples=30)
def test_tori(radius: float, share: float, n: int, m: int) -> None:
    mesh = torus(radius, radius * share, sides=n, section_sides=m)
    sound(mesh, 0)
    # each slice is a prism-like stump whose mean radius is that of the section's centre
    assert volume(mesh) == pytest.approx(2 * polygon(n) * radius * polygon(m) * (radius * share) ** 2, rel=1e-9)


@given(st.floats(0.2, 5.0), st.floats(0.3, 3.0), st.floats(0.1, 6.0), st.booleans())
@settings(max_examples=30)
def test_helices(radius: float, pitch: float, turns: float, left: bool) -> None:
    section = min(radius, pitch) * 0.2
    mesh = helix(radius, pitch, turns, section, divisions=48, section_sides=12, left_handed=left)
    sound(mesh, 2)
    run = turns * math.hypot(2 * math.pi * radius, pitch)
    assert volume(mesh) == pytest.approx(run * polygon(12) * section**2, rel=0.02)
    assert mesh.bounds[0][1] == pytest.approx(0.0, abs=1e-12)


def test_the_hand_of_a_helix() -> None:
    for left, sign in ((False, 1), (True, -1)):
        mesh = helix(1.0, 1.0, 0.25, 0.05, left_handed=left)
        end = mesh.positions[mesh.positions[:, 1].argmax()]
        assert math.copysign(1, -end[2]) == sign, "a right-handed one climbs toward −Z from +X"


@given(size, size, st.floats(0.05, 3.0), size, st.integers(2, 40), few)
@settings(max_examples=30)
def test_arches(span: float, rise: float, thickness: float, depth: float, n: int, rows: int) -> None:
    mesh = arch(span, rise, thickness, depth, divisions=n, rows=rows)
    sound(mesh, 2, flat=True)
    half = n / 2 * math.sin(math.pi / n)
    ring = half * ((span / 2 + thickness) * (rise + thickness) - span / 2 * rise)
    assert volume(mesh) == pytest.approx(ring * depth)


@given(size, size, size, st.floats(0.1, 0.8), st.floats(0.1, 0.8), st.floats(-0.9, 0.9), st.floats(0, 0.15))
@settings(max_examples=40)
def test_doorways(w: float, h: float, t: float, ow: float, oh: float, off: float, sill: float) -> None:
    low = h * sill if sill > 0.01 else 0.0
    offset = off * (w - w * ow) / 2
    mesh = doorway(w, h, t, opening_width=w * ow, opening_height=h * oh, offset=offset, sill=low)
    sound(mesh, 0 if low > 0 else 2, flat=True)
    assert (mesh.face_sizes == 4).all()
    assert volume(mesh) == pytest.approx(w * h * t * (1 - ow * oh))


@given(size, size, size, few, st.floats(0, 1))
@settings(max_examples=30)
def test_wedges_and_pyramids(w: float, h: float, d: float, rows: int, top: float) -> None:
    ramp = wedge(w, h, d, rows=rows)
    sound(ramp, 2, flat=True)
    assert volume(ramp) == pytest.approx(w * h * d / 2)
    top = top if top > 0.01 else 0.0
    heap = pyramid(w, h, d, top=top, rows=rows)
    sound(heap, 2, flat=True)
    assert volume(heap) == pytest.approx(w * h * d * (1 + top + top * top) / 3)


@given(size, size, size, st.integers(1, 30), st.floats(0, 1))
@settings(max_examples=40)
def test_straight_stairs(w: float, h: float, d: float, n: int, slab: float) -> None:
    mesh = stairs(w, h, d, steps=n, thickness=h * slab if slab > 0.05 else 0.0)
    sound(mesh, 2, flat=True)
    solid = w * d * h * (n + 1) / (2 * n)
    if slab <= 0.05:
        assert volume(mesh) == pytest.approx(solid)
    else:
        assert 0 < volume(mesh) <= solid * (1 + 1e-9)
    treads = sorted({round(float(y), 9) for y in mesh.positions[:, 1]})
    assert treads[-1] == pytest.approx(h)
    assert set(mesh.face_sizes.tolist()) <= {3, 4}


@given(st.floats(0.5, 5.0), st.floats(0.1, 0.9), st.floats(20, 700), st.integers(4, 40), st.integers(1, 3))
@settings(max_examples=40)
def test_spiral_stairs(radius: float, core: float, degrees: float, n: int, divisions: int) -> None:
    sweep = math.radians(degrees)
    steps = max(n, math.ceil(sweep / 1.2))
    height = 0.2 * steps
    climb = height * min(1.0, 2 * math.pi / sweep)
    slab = min(0.15, climb * 0.3)
    for clockwise in (False, True):
        mesh = spiral_stairs(
            radius, height, core=radius * core, sweep=sweep, steps=steps, thickness=slab, divisions=divisions,
            clockwise=clockwise,
        )  # fmt: skip
        sound(mesh, 2)
        assert mesh.bounds[1][1] == height
        assert np.linalg.norm(mesh.positions[:, [0, 2]], axis=1).max() == pytest.approx(radius)


def test_solid_spiral_stairs_have_the_volume_of_their_columns() -> None:
    mesh = spiral_stairs(2.0, 3.0, core=0.5, sweep=math.pi, steps=10, thickness=0.0)
    sector = math.sin(math.pi / 10) / 2 * (2.0**2 - 0.5**2)
    assert volume(mesh) == pytest.approx(sector * sum(0.3 * k for k in range(1, 11)))


@pytest.mark.parametrize(("text", "euler"), [("I", 2), ("i", 4), ("B", -2), ("O8", -2), ("LOCK 6", 6), ("%", 6 - 4)])
def test_letters_have_their_holes(text: str, euler: int) -> None:
    mesh = lettering(text, 0.5, 0.1)
    sound(mesh, euler, flat=True)
    assert mesh.bounds[1][2] - mesh.bounds[0][2] == pytest.approx(0.1)
    finer = lettering(text, 0.5, 0.1, chord_error=0.0002)
    assert volume(finer) == pytest.approx(volume(mesh), rel=0.02)
    assert finer.face_count >= mesh.face_count


def test_planes_face_up_with_upright_textures() -> None:
    sheet = plane(3.0, 2.0, divisions=(2, 3))
    sound(sheet, 1, closed=False, flat=True)


@given(st.floats(0.5, 10.0), st.floats(0.05, 0.4))
def test_the_nearest_step_height_is_taken(height: float, wanted: float) -> None:
    n = steps_for(height, wanted)
    assert all(
        abs(height / n - wanted) <= abs(height / m - wanted) + 1e-9 or abs(m - n) != 1 for m in (n - 1, n + 1) if m
    )
    assert n >= 1


@pytest.mark.parametrize("kind", SHAPES)
def test_every_shape_of_the_catalogue(kind: str) -> None:
    shape = SHAPES[kind]()
    quads = shape.mesh()
    assert problems(quads) == []
    cut = SHAPES[kind].model_validate({"faces": "triangles"}).mesh()
    assert (cut.face_sizes == 3).all()
    assert cut.triangle_count == quads.triangle_count
    assert area(cut) == pytest.approx(area(quads), rel=0.05)
    triangles = triangulated(quads)
    assert triangles.content_hash == cut.content_hash
    for drag in shape.drags:
        assert set(drag.sets) <= set(SHAPES[kind].model_fields)
        assert all(isinstance(getattr(shape, name), float) for name in drag.sets)


BAD: list[tuple[Any, str]] = [
    (lambda: tube(1.0, 1.0, 1.0), "Thickness is 1 m; give 0.0001 m to 0.9999 m"),
    (lambda: torus(1.0, 2.0), "Section radius is 2 m; give"),
    (lambda: capsule(1.0, 1.0), "Height is 1 m; give 2 m"),
    (lambda: cylinder(1.0, 1.0, rounding=0.6), "Rounding is 0.6 m; give 0 m to 0.5 m"),
    (lambda: cylinder(float("nan"), 1.0), "Radius is nan m"),
    (lambda: cone(0.0, 1.0), "Both radii of the cone are 0"),
    (lambda: helix(1.0, 0.1, 3.0, 0.2), "coils would run into each other; give a pitch above 0.40"),
    (lambda: doorway(4.0, 3.0, 0.3, opening_width=1.0, opening_height=2.0, offset=1.6), "The opening leaves the wall"),
    (lambda: doorway(4.0, 3.0, 0.3, opening_width=5.0, opening_height=2.0), "Opening width is 5 m"),
    (lambda: spiral_stairs(1.0, 3.0, core=0.2, sweep=7.0, steps=20, thickness=0.0), "cannot turn all the way round"),
    (lambda: spiral_stairs(1.0, 3.0, core=0.2, sweep=14.0, steps=20, thickness=1.5), "turns would run into each other"),
    (lambda: spiral_stairs(1.0, 3.0, core=0.2, sweep=6.0, steps=2), "turns more than 90°"),
    (lambda: lettering("  ", 1.0, 0.1), "has no letters"),
    (lambda: lettering("鎖", 1.0, 0.1), "The font has no letter for 鎖"),
    (lambda: lettering("x" * 300, 1.0, 0.1), "has 300 letters; give at most 200"),
    (lambda: even_sphere(1.0, divisions=401), "Divisions is 401; give 1 to 400"),
    (lambda: cylinder(1.0, 1.0, sides=2000, rows=1000), "more than 1000000 faces; lower its divisions"),
    (lambda: steps_for(1.0, 2.0), "Step height is 2 m"),
]


@pytest.mark.parametrize(("make", "text"), BAD)
def test_dimensions_beyond_sense_are_refused_with_the_allowed_range(make: Any, text: str) -> None:
    with pytest.raises(GeometryError, match=text):
        make()
