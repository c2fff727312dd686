"""Random work in two levels that share a kit: whatever happens, every level opens and nothing is lost or moved."""

from __future__ import annotations

import json
import os
import shutil
import tempfile
from pathlib import Path
from typing import Any

from hypothesis import HealthCheck, settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, initialize, invariant, rule

from able_brick.core.errors import AbleBrickError
from able_brick.level.evaluate import summary
from able_brick.level.finish import finished
from able_brick.level.ordering import row_order
from able_brick.level.rows import Piece
from able_brick.level.rows.instances import Load
from able_brick.level.snapshot import Snapshot
from able_brick.level.things import Things
from able_brick.session.delta import Delta
from able_brick.steps.parse import parse_tool
from able_brick.steps.registry import TOOLS as TOOLS_OF
from tests.columns import read_columns, with_placements_last
from tests.session.bench import Bench, told
from tests.thorough import by_day

number = st.sampled_from([-1.0, 0.0, 0.3, 1.0, 2.5])
vec = st.tuples(number, number, number)
sizes = st.sampled_from([(1.0, 1.0, 1.0), (2.0, 1.0, 1.0), (-1.0, 1.0, 1.0), (2.0, 2.0, 2.0), (1.0, -0.5, 3.0)])
levels = st.integers(0, 1)
_TOGETHER = st.sampled_from(["together", "each"])


def same_as_made_anew(snapshot: Snapshot, load: Load) -> None:
    """What a project knows of itself, and has carried on from change to change, is what its rows alone say."""
    anew = Snapshot(snapshot.pieces, snapshot.levels, {k: Things(t) for k, t in snapshot.things.items()})
    for key, things in snapshot.things.items():
        assert list(things) == sorted(things, key=row_order)
        other = anew.things[key]
        for index in ("groups_used", "paths_used", "uses"):
            ids, made = getattr(things, index), getattr(other, index)
            assert {k: list(v) for k, v in ids.items()} == {k: list(v) for k, v in made.items()}
        assert things.runs_and_paths == other.runs_and_paths
        assert {t.id for t in things.repeated} == {t.id for t in other.repeated}
        assert things.in_circle == other.in_circle
        assert things.names == other.names
        assert list(things.locked) == list(other.locked)
        assert summary(snapshot, key, load) == summary(anew, key, load)


#: A tool, and its parameters from what is drawn; those that need a piece or a group get one of those that there are.
TOOLS: dict[str, dict[str, st.SearchStrategy[Any]]] = {
    "add_shape": {"shape": st.sampled_from([{"kind": "box"}, {"kind": "wedge"}, {"kind": "cylinder", "sides": 5}])},
    "place_piece": {"position": vec},
    "move": {"by": vec},
    "turn": {"angle": st.sampled_from([30.0, 90.0, -45.0]), "about_what": st.sampled_from(["own pivot", "middle"])},
    "size": {"factors": st.sampled_from([(2.0, 2.0, 2.0), (1.0, 3.0, 1.0), (0.01, 0.01, 0.01)])},
    "set_pose": {"size": sizes, "position": vec},
    "spread": {"factor": st.sampled_from([0.5, 2.0, 1000.0])},
    "bake_size": {"result": st.sampled_from(["new piece", "same piece"])},
    "set_pivot": {
        "place": st.just("typed"),
        "point": vec,
        "outcome": st.sampled_from(["pieces stay", "numbers stay"]),
    },
    "duplicate": {"count": st.integers(1, 3), "linked": st.booleans(), "distance": st.sampled_from([2.0, -1.5])},
    "line_array": {
        "form": st.sampled_from(["line", "grid", "ring"]),
        "count": st.integers(1, 4),
        "spacing_by": st.sampled_from(["lengths", "metres"]),
    },
    "adjust_array": {"count": st.integers(1, 5), "axis": st.sampled_from(["x", "-z"])},
    "draw_path": {
        "points": st.just([{"position": (0, 0, 0)}, {"position": (5, 1, 0)}, {"position": (9, 0, 4)}]),
        "closed": st.booleans(),
    },
    "draw_course": {
        "points": st.just([{"position": (0, 0, 9)}, {"position": (6, 0, 9)}, {"position": (9, 1, 14)}]),
        "closed": st.booleans(),
        "bend": st.booleans(),
    },
    "lay_course": {
        "piece": st.just("piece"),
        "fit": st.sampled_from(["fill", "number", "spacing"]),
        "bend": st.booleans(),
    },
    "adjust_course": {
        "piece": st.just("piece"),
        "gap": st.sampled_from([0.0, 0.2, -0.2]),
        "bend": st.booleans(),
        "corner": st.sampled_from(["piece", None]),
        "corner_angle": st.sampled_from([20.0, 180.0]),
        "stand": st.sampled_from(["upright", "following"]),
    },
    "one_more": {},
    "stepped_copies": {"count": st.integers(1, 2), "offset": vec, "linked": st.booleans()},
    "mirror": {"across": st.sampled_from([("x",), ("y", "z")]), "copy_it": st.booleans()},
    "live_mirror": {"across": st.sampled_from(["x", "z"])},
    "end_array": {},
    "scatter": {"seed": st.integers(0, 3), "offset": vec, "turn": vec},
    "swap_items": {
        "becomes": st.sampled_from(["another piece", "nothing", "as usual"]),
        "piece": st.just("piece"),
        "items": st.sampled_from([(0,), (1, 2)]),
    },
    "make_real": {"result": st.sampled_from(["as it is", "placements", "one mesh"])},
    "path_points": {
        "does": st.sampled_from(["put in", "take out", "make sharp", "lean"]),
        "points": st.just((1,)),
        "at": st.sampled_from([0.5, 1.25]),
        "roll": st.sampled_from([0.0, 10.0]),
    },
    "fillet": {"radius": st.sampled_from([0.2, 100.0])},
    "set_path_length": {"length": st.sampled_from([0.5, 12.0])},
    "reverse_path": {},
    "join_paths": {},
    "split_path": {},
    "slim": {"share": st.sampled_from([40.0, 100.0]), "result": st.sampled_from(["new piece", "same piece"])},
    "make_ladder": {"rungs": st.just([{"kind": "share", "value": 50.0}])},
    "remake_ladder": {},
    "take_rung": {"rung": st.integers(1, 2), "result": st.sampled_from(["new piece", "same piece"])},
    "share_budget": {"share": st.sampled_from([60.0, 100.0])},
    "extrude": {"elements": st.just("elements"), "depth": st.sampled_from([0.3, -0.1]), "faces": _TOGETHER},
    "inset": {"elements": st.just("elements"), "width": st.sampled_from([0.05, 9.0]), "faces": _TOGETHER},
    "taper": {"elements": st.just("elements"), "share": st.sampled_from([75.0, 150.0])},
    "bevel": {"elements": st.just("elements"), "width": st.just(0.05), "segments": st.integers(1, 3)},
    "extrude_along": {"elements": st.just("elements"), "path": st.just("path"), "sections": st.integers(1, 3)},
    "add_loops": {"elements": st.just("elements"), "count": st.integers(1, 2)},
    "slide_loop": {"elements": st.just("elements"), "share": st.sampled_from([30.0, -30.0])},
    "slice_plane": {"elements": st.just("elements"), "at": st.sampled_from([0.3, 50.0])},
    "divide": {"elements": st.just("elements"), "parts": st.integers(2, 3)},
    "poke": {"elements": st.just("elements"), "height": st.sampled_from([0.0, 0.1])},
    "pull_edges": {"elements": st.just("elements"), "depth": st.sampled_from([0.2, -0.1])},
    "copy_faces": {"elements": st.just("elements"), "by": vec},
    "move_elements": {
        "elements": st.just("elements"),
        "by": vec,
        "keep_to": st.sampled_from(["free", "edges", "surface", "normal"]),
        "radius": st.sampled_from([0.0, 1.0]),
    },
    "dock_elements": {"elements": st.just("elements"), "grip": st.integers(0, 3), "landing": vec},
    "stretch_elements": {
        "elements": st.just("elements"),
        "side": st.sampled_from(["length", "width", "height"]),
        "length": st.floats(0.01, 9),
    },
    "place_elements": {"elements": st.just("elements"), "at": vec},
    "turn_elements": {
        "elements": st.just("elements"),
        "angle": st.sampled_from([15.0, 90.0]),
        "about_what": st.sampled_from(["middle", "each", "pivot"]),
    },
    "size_elements": {
        "elements": st.just("elements"),
        "shares": st.sampled_from([(50.0, 100.0, 200.0), (0.0, 0.0, 0.0)]),
    },
    "relax": {
        "elements": st.just("elements"),
        "keep": st.sampled_from(["surface", "volume", "nothing"]),
        "hold_sharp": st.booleans(),
    },
    "flatten": {"elements": st.just("elements"), "plane": st.sampled_from(["own", "y"])},
    "even_out": {"elements": st.just("elements")},
    "dissolve_elements": {"elements": st.just("elements")},
    "collapse": {"elements": st.just("elements")},
    "weld": {"elements": st.just("elements"), "distance": st.sampled_from([0.01, 1.0])},
    "bridge": {
        "elements": st.just("elements"),
        "segments": st.integers(1, 4),
        "way": st.sampled_from(["straight", "arc"]),
        "twist": st.integers(-2, 2),
    },
    "triangulate": {
        "elements": st.just("elements"),
        "by": st.sampled_from(["shortest diagonal", "best angles", "flattest fold"]),
    },
    "letter_face": {
        "elements": st.just("elements"),
        "text": st.sampled_from(["B", "o7"]),
        "height": st.sampled_from([0.1, 3.0]),
        "way": st.sampled_from(["raised", "sunk", "drawn"]),
    },
    "mend": {
        "elements": st.just("elements"),
        "faults": st.sampled_from([(), ("border",), ("bent", "slivers"), ("crossing",)]),
    },
    "mirror_elements": {
        "elements": st.just("elements"),
        "across": st.sampled_from(["x", "y"]),
        "through": st.sampled_from(["middle", "high side"]),
        "result": st.sampled_from(["both halves alike", "copy", "in place"]),
    },
    "smooth": {"elements": st.just("elements"), "levels": st.just(1)},
    "live_half": {
        "across": st.sampled_from(["x", "y"]),
        "through": st.sampled_from(["pivot", "middle"]),
        "half": st.sampled_from(["high", "low"]),
    },
    "live_smooth": {"levels": st.integers(0, 1), "creases": st.sampled_from(["sharp edges", "by angle"])},
    "finish_real": {"what": st.sampled_from(["all", "half"])},
    "turn_edges": {"elements": st.just("elements")},
    "quads_of_triangles": {"elements": st.just("elements"), "bend": st.just(30.0), "skew": st.just(80.0)},
    "fill": {"elements": st.just("elements"), "how": st.sampled_from(["one face", "fan", "least area", "grid"])},
    "detach": {"elements": st.just("elements"), "leave_copy": st.booleans()},
    **{
        tool: {
            "cut_one": st.sampled_from(["first selected", "last selected"]),
            "cutters": st.sampled_from(["removed", "hidden", "kept"]),
            "surface": st.sampled_from(["of the cutter", "of the form"]),
        }
        for tool in ("unite", "subtract", "intersect", "imprint", "split_forms")
    },
    "fuse": {
        "weld": st.booleans(),
        "within": st.sampled_from([0.0, 0.01]),
        "pivot": st.sampled_from(["base centre", "first pivot"]),
    },
    "separate": {"by": st.sampled_from(["connected parts", "materials", "facets", "what repeats"])},
    "make_facet": {"elements": st.just("elements")},
    "find_facets": {"elements": st.just("elements"), "by": st.sampled_from(["flat areas", "angle", "material"])},
    "delete_elements": {"elements": st.just("elements")},
    "flip_faces": {"elements": st.just("elements")},
    "strew_again": {"seed": st.integers(0, 3)},
    "keep_vertices": {},
    "piece_as_rung": {"piece": st.just("piece")},
    "make_group": {},
    "dissolve_group": {},
    "put_into_group": {"into": st.just("group")},
    "make_independent": {},
    "duplicate_piece": {},
    "replace_piece": {"by": st.just("piece"), "where": st.sampled_from(["everywhere", "selected"])},
    "set_dimensions": {"shape": st.sampled_from([{"kind": "box", "width": 3.0}, {"kind": "wedge", "height": 2.0}])},
    "back_to_dimensions": {},
    "rename": {"name": st.sampled_from(["Quay", "Gate", " ", "x\x00"])},
    "set_marks": {"lock": st.booleans()},
    "delete": {},
    "level_settings": {"budget": st.integers(1, 50)},
}


class TwoLevels(RuleBasedStateMachine):
    """Steps, previews, adjusting, undo and redo at random, each checked against what must hold."""

    @initialize()
    def begin(self) -> None:
        self.folder = Path(tempfile.mkdtemp())
        self.bench = Bench(self.folder / "trial.db")
        self.levels = [self.bench.level, self.bench.other()]
        self.bench.do("add_shape", shape={"kind": "box"})
        self.bench.do("place_piece", "piece-1", level=self.levels[1])
        self.seen = {key: self.bench.state(key) for key in self.levels}
        self.ids: dict[str, str] = {}
        self.past: dict[str, list[Any]] = {key: [] for key in self.levels}
        self.bench.project.listen(self.hear)

    def hear(self, level: str, make: Any) -> None:
        """Add every change up, as a tab does."""
        delta: Delta = make()
        rows, items, _ = self.seen[level]
        rows, items = dict(rows), dict(items)
        for key in delta.removed:
            rows.pop(key, None)
            items.pop(key, None)
        for row in delta.changed:
            rows[row.id] = row
        items |= told(delta.items)
        # what stands by itself again has no items of its own
        items = {k: v for k, v in items.items() if v or not k.startswith("placement-")}
        self.seen[level] = (rows, items, delta.summary)
        assert read_columns(delta.columns()) == with_placements_last(json.loads(delta.text()))

    def world(self) -> Any:
        snapshot = self.bench.project.snapshot
        things = {k: [*t.items()] for k, t in snapshot.things.items()}
        return [*snapshot.pieces.items()], [*snapshot.levels.items()], things

    def chosen(self, level: str, tool: str, pick: int) -> tuple[str, ...]:
        """Rows that suit the tool; now and then any."""
        snapshot = self.bench.project.snapshot
        every = [*snapshot.pieces.values(), *snapshot.of(level).values()]
        need = TOOLS_OF[tool].need
        suit = [r.id for r in every if pick % 7 == 0 or r.kind in need.kinds]
        if not suit:
            return ()
        count = min(1 + pick % 3, need.most or 3)
        return tuple(dict.fromkeys(suit[(pick * k + pick // 3) % len(suit)] for k in range(1, count + 1)))

    def filled(self, level: str, params: dict[str, Any], pick: int) -> dict[str, Any]:
        snapshot = self.bench.project.snapshot
        groups = [t.id for t in snapshot.of(level).values() if t.kind == "group"]
        paths = [t.id for t in snapshot.of(level).values() if t.kind == "path"]
        stand_in = {"piece": [*snapshot.pieces], "group": groups, "path": paths}
        return {
            k: stand_in[v][pick % len(stand_in[v])] if isinstance(v, str) and stand_in.get(v) else v
            for k, v in params.items()
        }

    def picked(self, level: str, select: tuple[str, ...], pick: int, takes: tuple[str, ...]) -> dict[str, Any]:
        """Some elements of the piece that is selected; now and then of a mesh that it has not."""
        snapshot = self.bench.project.snapshot
        row = snapshot.find(level, select[0]) if select else None
        piece = row if isinstance(row, Piece) else snapshot.pieces.get(getattr(row, "piece", ""))
        if piece is None:
            return {"mesh": "", "kind": "face", "ids": []}
        kind = takes[pick % len(takes)] if takes else "face"
        edited = self.bench.project.meshes.get(piece.source)
        count = edited.face_count if kind == "face" else edited.vertex_count
        first = pick % count
        last = min(first + pick % 3, count - 1)
        mesh = "0" * 40 if pick % 11 == 0 else piece.source
        return {"mesh": mesh, "kind": kind, "ids": [[first, last]]}

    def attempt(self, level: str, act: Any) -> bool:
        """Whether it was done; where it was refused, nothing has changed."""
        before = self.world()
        try:
            act()
        except AbleBrickError:
            assert self.world() == before
            return False
        self.past[level].append(before)
        return True

    @rule(level=levels, picks=st.lists(st.integers(0, 60), min_size=1, max_size=4), data=st.data(), again=st.booleans())
    def steps(self, level: int, picks: list[int], data: st.DataObject, again: bool) -> None:
        for pick in picks:
            self.step(level, pick, data, again=again)

    def step(self, level: int, pick: int, data: st.DataObject, *, again: bool) -> None:
        key = self.levels[level]
        name = data.draw(st.sampled_from(sorted(TOOLS)))
        params = self.filled(key, {k: data.draw(v) for k, v in TOOLS[name].items()}, pick)
        select = self.chosen(key, name, pick)
        if "elements" in params:
            params["elements"] = self.picked(key, select, pick, TOOLS_OF[name].takes)
        project = self.bench.project
        try:
            tool = parse_tool(name, params)
            shown = project.preview(key, tool, select, project.revision(key))
        except AbleBrickError:
            shown = None
        fresh = set(self.ids)
        done = self.attempt(key, lambda: self.bench.do(name, *select, level=key, **params))
        if TOOLS_OF[name].previews:
            assert done == (shown is not None), "a preview is refused where the step is, and nowhere else"
        else:
            assert shown is None, "what takes long is not shown before it is done"
        if shown is not None:
            rows, _, _ = self.bench.state(key)
            for row in shown.changed:
                assert rows[row.id] == row
            assert not set(shown.removed) & set(rows)
            new = {r.id for r in shown.changed} - fresh
            assert not {i for i in new if i in self.ids}
        if done and again:
            self.adjust(level, pick, data)

    def adjust(self, level: int, pick: int, data: st.DataObject) -> None:
        key = self.levels[level]
        last = self.bench.project.view(key).history.last
        if last is None or last.tool not in TOOLS:
            return
        params = self.filled(key, {k: data.draw(v) for k, v in TOOLS[last.tool].items()}, pick)
        if "elements" in params:
            params["elements"] = last.params["elements"]
        before = self.world()
        try:
            self.bench.adjust(last.tool, level=key, **params)
        except AbleBrickError:
            assert self.world() == before

    @rule(level=levels)
    def undo(self, level: int) -> None:
        key = self.levels[level]
        elsewhere = self.bench.vertices(self.levels[1 - level])
        project = self.bench.project
        last = project.view(key).history.last
        before = self.world()
        try:
            self.bench.undo(key)
        except AbleBrickError:
            assert self.world() == before
            return
        if last is not None and last.tool == "set_pivot" and last.params["outcome"] == "pieces stay":
            for thing, points in self.bench.vertices(self.levels[1 - level]).items():
                assert abs(points - elsewhere[thing]).max() < 1e-9, "nothing moves behind another level's back"
        after = self.world()
        self.bench.redo(key)
        assert self.world() == before, "redo restores rows bit for bit and in order"
        self.bench.undo(key)
        assert self.world() == after, "so does undo"

    @rule(level=levels)
    def redo(self, level: int) -> None:
        self.attempt(self.levels[level], lambda: self.bench.redo(self.levels[level]))

    @rule()
    def restart(self) -> None:
        before = self.world()
        self.bench.reopen()
        self.bench.project.listen(self.hear)
        assert self.world() == before

    @invariant()
    def everything_opens_and_adds_up(self) -> None:
        if not hasattr(self, "bench"):
            return
        self.bench.check()
        for key in self.levels:
            assert self.seen[key] == self.bench.state(key), "deltas add up to the whole"
        snapshot = self.bench.project.snapshot
        same_as_made_anew(snapshot, self.bench.project.meshes.get)
        for piece in snapshot.pieces.values():
            if piece.finish is not None:
                made = finished(self.bench.project.meshes.get(piece.source), piece.finish)
                assert made.content_hash == piece.mesh == piece.finish.mesh, "what is shown is made of what is edited"
        every = [*snapshot.pieces, *snapshot.levels, *(i for t in snapshot.things.values() for i in t)]
        assert len(every) == len(set(every)), "no id twice"
        for row in (*snapshot.pieces.values(), *(t for of in snapshot.things.values() for t in of.values())):
            home = "" if isinstance(row, Piece) else row.level
            assert self.ids.setdefault(row.id, home) == home, "an id stays in its level"
        assert not [
            f for key in self.levels for f in self.bench.state(key)[2].findings if f.code.startswith(("missing", "imp"))
        ]

    def teardown(self) -> None:
        if hasattr(self, "bench"):
            self.bench.project.close()
            shutil.rmtree(self.folder)


TestTwoLevels = TwoLevels.TestCase
#: A long run looks for new examples: HYPOTHESIS_PROFILE=default MACHINE_RUNS=1000 pytest tests/session/test_machine.py
TestTwoLevels.settings = settings(
    max_examples=int(os.environ.get("MACHINE_RUNS", by_day("8", "20"))),
    stateful_step_count=30,
    deadline=None,
    suppress_health_check=[HealthCheck.too_slow, HealthCheck.data_too_large],
)
