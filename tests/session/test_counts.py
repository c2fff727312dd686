"""One truth: what is told of triangles and hardware vertices is what the exported file holds."""

from __future__ import annotations

from pathlib import Path

import pytest

from able_brick.core.files.glb_write import write_glb
from able_brick.core.files.read import read_file
from able_brick.core.mesh.topology import topology
from able_brick.level.export import level_file
from tests.session.bench import Bench

PATHS = {
    "smooth": {"points": [{"position": p} for p in ((0, 0, 0), (14, 0, 6), (30, 0, -4))], "smooth": True},
    "sharp": {"points": [{"position": p} for p in ((0, 0, 0), (10, 0, 0), (10, 0, 10))], "smooth": False},
    "sharp in items": {"points": [{"position": p} for p in ((0, 0, 0), (11, 0, 0), (3, 0, 7))], "smooth": False},
    "sloping": {"points": [{"position": p} for p in ((0, 0, 0), (9, 3, 0), (20, 0, 9))], "smooth": True},
}
PIECES = {
    "box": {"kind": "box", "width": 2.0, "height": 1.0, "depth": 0.5},
    "cylinder": {"kind": "cylinder", "sides": 9, "height": 1.0, "radius": 0.5},
    "letter": {"kind": "lettering", "text": "R", "height": 1.0, "depth": 0.4},
    "doorway": {"kind": "doorway"},
}


@pytest.mark.parametrize("path", PATHS)
@pytest.mark.parametrize("piece", PIECES)
def test_courses_are_told_as_they_are_written(tmp_path: Path, path: str, piece: str) -> None:
    bench = Bench(tmp_path / "trial.db")
    bench.do("add_shape", shape=PIECES[piece])
    bench.do("draw_path", **PATHS[path])
    (course,) = bench.do("lay_course", "path-1", piece="piece-1", bend=True).select or ()
    (row,) = [r for r in bench.rows().values() if r.id == course]
    bench.check()
    assert row.bend
    # turned over, in a group that repeats, and made real
    bench.do("mirror", "path-1", across=("x",), copy_it=True)
    bench.do("make_group", "path-1", course)
    (group,) = [i for i in bench.rows() if i.startswith("group-")]
    bench.do("line_array", group, count=3)
    bench.do("live_mirror", group, across="z")
    bench.check()
    bench.do("end_array", group)
    (made,) = bench.do("make_real", course).select or ()
    bench.check()
    rows = bench.rows()
    assert rows[rows[made].piece].facts.closed
    made = level_file(bench.project.snapshot, bench.level, bench.project.meshes.get, bench.project.pictures.get)
    written = read_file("level.glb", write_glb(made.parts, made.nodes)).parts
    assert [topology(p.mesh).is_closed for p in written] == [True] * len(written)
    bench.project.close()


def test_several_pieces_along_one_path(tmp_path: Path) -> None:
    bench = Bench(tmp_path / "trial.db")
    for shape in PIECES.values():
        bench.do("add_shape", shape=shape)
    bench.do("draw_path", **PATHS["sharp in items"])
    bench.do("lay_course", "path-1", piece="piece-1", pattern=["piece-2"], corner="piece-4", first="piece-3", bend=True)
    bench.do("stepped_copies", "placement-1", count=3, offset=(0, 0, 3))
    bench.do("line_array", "placement-2", count=5)
    bench.check()
    bench.project.close()
