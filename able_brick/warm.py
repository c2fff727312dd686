"""Runs every compiled kernel once on a small mesh; their machine code is then kept on disk."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor, as_completed
from multiprocessing import get_context

import numpy as np

from able_brick.core.edit.bevel import bevel
from able_brick.core.edit.carry import carry
from able_brick.core.edit.divide import poke
from able_brick.core.edit.sound import check_sound
from able_brick.core.files.read import read_file
from able_brick.core.files.scene import Scene, ScenePart
from able_brick.core.files.view_glb import ViewItems, write_items_glb, write_view_glb
from able_brick.core.files.write import write_file
from able_brick.core.mesh.combine import joined, with_positions
from able_brick.core.mesh.hardware import hardware_vertices
from able_brick.core.mesh.measure import counts
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.mesh.validity import duplicate_faces
from able_brick.core.path.bend import bent, bent_normals, bent_points
from able_brick.core.path.course import CoursePart, Fit, lay_course
from able_brick.core.path.curve import Curve, PathPoint, curve
from able_brick.core.path.dividing import divided, divided_for
from able_brick.core.path.guide import Guide
from able_brick.core.path.running import Run, Running
from able_brick.core.shapes.plane import plane
from able_brick.core.shapes.turned import turned
from able_brick.core.slim.deviation import Measure, deviation
from able_brick.core.slim.once import reduce_to
from able_brick.core.solid.cutting import cut
from able_brick.core.walk.nearness import from_way
from able_brick.core.walk.rays import first_hits

_TEXT_PLY = (
    b"ply\nformat ascii 1.0\nelement vertex 3\nproperty float x\nproperty float y\nproperty float z\n"
    b"element face 1\nproperty list uchar int vertex_indices\nend_header\n0 0 0\n1 0 0\n0 1 0\n3 0 1 2\n"
)
_TEXT_STL = (
    b"solid a\nfacet normal 0 0 1\nouter loop\nvertex 0 0 0\nvertex 1 0 0\nvertex 0 1 0\nendloop\n"
    b"endfacet\nendsolid a\n"
)


def warm_kernels(tell: Callable[[int, int], None] | None = None) -> None:
    """Compile, or load what has been compiled before, on two processors. `tell` hears how many parts of how many are
    ready."""
    with ProcessPoolExecutor(2, get_context("spawn")) as workers:
        # what takes longest first
        parts = [workers.submit(part) for part in (shaping, courses, paths, files)]
        for k, done in enumerate(as_completed(parts), 1):
            done.result()
            if tell is not None:
                tell(k, len(parts))


def _ball() -> PolyMesh:
    return turned([(0.0, -1.0), (0.8, -0.6), (1.0, 0.0), (0.8, 0.6), (0.0, 1.0)], sides=24)


def shaping() -> None:
    """What meshes are shaped and reduced by."""
    ball = _ball()
    slim = reduce_to(ball, 40).mesh
    deviation(ball, slim, samples=10)
    Measure(ball, samples=10).keeps(slim, 0.5)
    reduce_to(ball.replaced(uv=None, colour=np.ones((len(ball.corners), 4))), 40)
    # small parts beside a large one, which are let go
    bead = with_positions(ball, 0.1 * ball.positions + [5.0, 0.0, 0.0])
    reduce_to(joined([ball, bead]), 40)
    # what many edges take on two threads
    reduce_to(plane(1.0, 1.0, divisions=(200, 200)), 60_000)
    cut(ball, with_positions(ball, ball.positions + 0.3), "unite")
    check_sound(ball, carry(ball, "vertex", np.array([0]), np.eye(3), np.array([0.0, -0.1, 0.0]), np.zeros(3)))
    bevel(ball, np.array([0]), 0.01)
    poke(ball, np.array([0]))
    duplicate_faces(ball)


def _bow() -> Curve:
    return curve([PathPoint((0.0, 0.0, 0.0)), PathPoint((1.0, 0.2, 0.0)), PathPoint((2.0, 0.0, 1.0))], smooth=True)


def courses() -> None:
    """What pieces are laid out along paths by."""
    run = Run(Running.X)
    box = run.box(*(0.1 * b for b in _ball().bounds))
    for way in (_bow(), _bow().on_ground):
        _ = way.smallest_radius, way.drawn(), way.stations(np.array([0.5]))
        for fit in (Fit.FILL, Fit.SPACING):
            lay_course(Guide(way, True), [CoursePart(run, box)], fit=fit, spacing=0.5)


def paths() -> None:
    """What pieces are bent along paths by, and walked among."""
    ball = _ball()
    bow = _bow()
    run = Run(Running.X)
    found = bent(Guide(bow, False), run, run.box(*ball.bounds), np.array([0.0]), np.array([2.0]))
    parts = divided(ball, run.points(ball.positions), found.division(0))
    mesh, points = parts.mesh, parts.points
    world = bent_points(found, points, [0], parts.rows)
    bent_normals(found, points, mesh.positions, [0], parts.rows)
    turning = curve([PathPoint((0.0, 0.0, 0.0)), PathPoint((2.0, 0.0, 0.0)), PathPoint((2.0, 0.0, 2.0))])
    sharp = Guide(turning.on_ground, True).reaching(run.box(*ball.bounds).corners)
    found = bent(sharp, run, run.box(*ball.bounds), np.array([1.0]), np.array([3.0]))
    divided_for(found, 0, ball, run.points(ball.positions))
    hardware = hardware_vertices(mesh)
    write_items_glb([ViewItems(mesh, world, hardware.normals[None], None)])
    from_way(np.zeros((1, 3)), np.zeros((1, 3)), np.ones((1, 3)))
    first_hits(np.zeros((1, 3)), np.array([[0.0, 1.0, 0.0]]), np.eye(3)[None], 9.0)


def files() -> None:
    """What meshes are shown, written and read by."""
    for one in (_ball(), plane(1.0, 1.0, divisions=(2, 2))):  # without uv and with, alone and together
        write_view_glb(one)
        own = hardware_vertices(one)
        uv = None if one.uv is None else np.tile(one.uv[own.corner], (2, 1, 1))
        both = np.tile(one.positions, (2, 1, 1))
        write_items_glb([ViewItems(one, both, np.tile(own.normals, (2, 1, 1)), uv)])
    warm_readers()


def warm_readers() -> None:
    """The same for what reading a file takes."""
    ball = turned([(0.0, -1.0), (0.8, -0.6), (1.0, 0.0), (0.8, 0.6), (0.0, 1.0)], sides=24)
    for end in (".glb", ".obj", ".ply", ".stl"):
        written = write_file(f"ball{end}", Scene((ScenePart("Ball", ball),)))
        counts(read_file(f"ball{end}", written[f"ball{end}"], written.get).parts[0].mesh)
    read_file("a.ply", _TEXT_PLY)
    read_file("a.stl", _TEXT_STL)
