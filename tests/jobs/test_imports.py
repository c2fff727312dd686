"""Files read in a process of their own: progress, cancel, limits, and readers that break down."""

from __future__ import annotations

import io
import resource
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from able_brick.core.errors import FileError, UnknownIdError
from able_brick.core.files.scene import Instance, Material, Scene, ScenePart, Texture
from able_brick.core.files.units import Unit, Up
from able_brick.core.files.write import write_file
from able_brick.core.mesh.measure import counts
from able_brick.core.mesh.mesh_cache import found_with
from able_brick.core.shapes.plane import plane
from able_brick.jobs import imports as jobs
from able_brick.jobs import limits as process_limits
from able_brick.jobs import read_worker
from able_brick.jobs import spare as spares
from able_brick.jobs.imports import Import, Imports
from able_brick.jobs.mesh_facts import attach_mesh_facts, write_mesh_facts
from able_brick.jobs.scene_folder import read_scene, write_scene
from able_brick.jobs.sheet import sheet_of
from able_brick.store.mesh_codec import decode
from tests.core.test_formats import BRICKS, OBJ
from tests.thorough import long
from tests.zoo import ZOO


@pytest.fixture
def imports() -> Iterator[Imports]:
    made = Imports()
    yield made
    made.close()


def taken(imports: Imports, **files: bytes) -> Import:
    return imports.take({name.replace("_", "."): io.BytesIO(data) for name, data in files.items()})


def ended(imports: Imports, incoming: Import) -> Import:
    """The import when its reading has ended; `seen` has every share that was told on the way."""
    while incoming.state == "reading":
        imports.wait(incoming.id, 5.0, incoming.share)
    return incoming


def test_a_model_with_its_materials_is_read_and_told(imports: Imports) -> None:
    incoming = ended(imports, taken(imports, trial_obj=OBJ, trial_mtl=b"newmtl red\nKd 1 0 0\n"))
    assert incoming.state == "ready", incoming.reason
    sheet = incoming.sheet
    assert sheet is not None
    assert [(p.name, p.faces, p.ngons) for p in sheet.parts] == [("Wall", 1, 1), ("Roof", 1, 0)]
    assert (sheet.unit, sheet.up, sheet.fixed) == (Unit.METRES, Up.Y, False)
    assert "The material blue is not defined; it is plain." in sheet.notes
    scene, _ = imports.taken(incoming.id)
    assert scene.parts[0].mesh.face_sizes.tolist() == [5]
    assert scene.parts[0].materials[0].colour == (1.0, 0.0, 0.0, 1.0)
    imports.discard(incoming.id)
    with pytest.raises(UnknownIdError, match="no longer waiting"):
        imports.get(incoming.id)
    assert not incoming.folder.exists()


def test_reading_again_without_welding(imports: Imports) -> None:
    (drum,) = write_file("drum.stl", Scene((ScenePart("Drum", ZOO["drum"]()),))).values()
    incoming = ended(imports, taken(imports, drum_stl=drum))
    welded = incoming.sheet.vertices if incoming.sheet else 0
    again = ended(imports, imports.read_again(incoming.id, weld=False))
    assert again.sheet is not None
    assert again.sheet.vertices == 3 * again.sheet.faces > welded
    assert again.sheet.up is Up.Z


def test_cancel_stops_the_reading(imports: Imports) -> None:
    sheet = plane(10.0, 10.0, divisions=(500, 500))
    (big,) = write_file("big.glb", Scene((ScenePart("Big", sheet),))).values()
    incoming = taken(imports, big_glb=big)
    process = incoming.process
    assert process is not None
    imports.discard(incoming.id)
    assert process.wait(10) == -9
    assert not incoming.folder.exists()


def test_a_reader_that_takes_too_long_is_given_up(imports: Imports, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(jobs, "SECONDS", 0.01)
    sheet = plane(10.0, 10.0, divisions=(500, 500))
    (big,) = write_file("big.glb", Scene((ScenePart("Big", sheet),))).values()
    incoming = ended(imports, taken(imports, big_glb=big))
    assert incoming.state == "failed"
    assert "took too long or too much memory to read and was given up" in incoming.reason


def test_a_reader_that_breaks_down_breaks_nothing_else(imports: Imports, monkeypatch: pytest.MonkeyPatch) -> None:
    started = spares._started

    def doomed() -> Any:
        process = started()
        process.kill()
        process.wait()
        return process

    monkeypatch.setattr(spares, "_started", doomed)
    incoming = ended(imports, taken(imports, trial_obj=OBJ))
    assert incoming.state == "failed"
    assert "nothing was changed" in incoming.reason.lower()
    monkeypatch.setattr(spares, "_started", started)
    assert ended(imports, taken(imports, trial_obj=OBJ)).state == "ready"


def test_a_reader_that_waits_is_shared_and_outlives_whoever_asked_for_it() -> None:
    spare = spares.Spare()
    first, second = Imports(spare), Imports(spare)
    try:
        first.warm()
        waiting = spare._waiting
        assert waiting is not None
        second.warm()
        first.close()
        assert spare._waiting is waiting and waiting.poll() is None, "what waits knows of no project"
        incoming = taken(second, trial_obj=OBJ)
        assert incoming.process is waiting
        assert ended(second, incoming).state == "ready"
    finally:
        second.close()
        spare.warm()
        last = spare._waiting
        spare.close()
    assert last is not None and last.poll() is not None
    spare.warm()
    assert spare._waiting is None, "nothing is left behind by who comes late"


def test_memory_is_bounded(tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]) -> None:
    def greedy(*_: Any, **__: Any) -> Scene:
        raise MemoryError

    limits: list[tuple[int, tuple[int, int]]] = []
    monkeypatch.setattr(resource, "setrlimit", lambda what, how: limits.append((what, how)))
    monkeypatch.setattr(read_worker, "warm_readers", lambda: None)
    monkeypatch.setattr(read_worker, "read_file", greedy)
    monkeypatch.setattr(read_worker.sys, "stdin", io.StringIO(f"{tmp_path}\n"))
    (tmp_path / "job.json").write_text('{"main": "a.obj", "files": {"a.obj": "file-0"}, "weld": true}')
    (tmp_path / "file-0").write_bytes(b"x")
    read_worker.main()
    assert "needs more memory than one file may take" in capsys.readouterr().out
    taken_before = process_limits._taken()
    held = dict(limits)[resource.RLIMIT_AS][0]
    assert held == pytest.approx(taken_before + process_limits.MEMORY, abs=2**28)
    monkeypatch.setattr(process_limits, "LARGE_FILE", 0)
    monkeypatch.setattr(read_worker.sys, "stdin", io.StringIO(f"{tmp_path}\n"))
    read_worker.main()
    assert limits[3][1][0] == pytest.approx(taken_before + process_limits.MOST_MEMORY, abs=2**28)
    assert resource.RLIMIT_CPU in dict(limits)


@pytest.mark.parametrize(
    ("files", "text"),
    [
        ({}, "Give 1 to 200 files"),
        ({"notes_txt": b"x"}, "There is no model among the files"),
        ({"a_obj": b"x", "b_stl": b"x"}, "2 models came at once"),
    ],
)
def test_what_is_no_model_is_refused_at_once(imports: Imports, files: dict[str, bytes], text: str) -> None:
    with pytest.raises(FileError, match=text):
        taken(imports, **files)


def test_bad_files_fail_with_their_reason(imports: Imports) -> None:
    incoming = ended(imports, taken(imports, a_obj=b"v 0 0\nf 1 1 1\n"))
    assert (incoming.state, incoming.reason) == ("failed", "Line 1 has too few numbers; export the file again.")
    assert incoming.data == {"place": "line 1"}
    with pytest.raises(FileError, match="Line 1 has too few numbers"):
        imports.taken(incoming.id)


@long
def test_only_so_many_wait(imports: Imports) -> None:
    every = [taken(imports, trial_obj=OBJ) for _ in range(9)]
    with pytest.raises(UnknownIdError):
        imports.get(every[0].id)
    assert ended(imports, every[-1]).state == "ready"


def test_what_waits_lies_on_disk_and_is_forgotten_in_time(imports: Imports, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(jobs, "SMALL", 0)
    incoming = ended(imports, taken(imports, trial_obj=OBJ))
    scene, ready = imports.taken(incoming.id)
    assert set(ready) == {p.mesh.content_hash for p in scene.parts}
    for part in scene.parts:
        assert decode(ready[part.mesh.content_hash].read_bytes()).content_hash == part.mesh.content_hash
    assert not any(isinstance(v, Scene) for v in vars(incoming).values()), "nothing of it is held in memory"
    imports._expire()
    assert incoming.folder.exists(), "somebody has just asked about it"
    monkeypatch.setattr(jobs, "_EXPIRES", 0.0)
    imports._expire()
    assert not incoming.folder.exists()
    with pytest.raises(UnknownIdError, match="no longer waiting"):
        imports.get(incoming.id)


def test_scenes_go_through_a_folder_unchanged(tmp_path: Path) -> None:
    shiny = Material("shiny", (0.1, 0.2, 0.3, 0.4), 0.5, 0.6, BRICKS)
    other = Texture("other.jpg", "image/jpeg", b"\xff\xd8\xff\xe0")
    scene = Scene(
        (
            ScenePart("One", ZOO["waves"](), (shiny, Material("plain"))),
            ScenePart("Two", ZOO["box"](), (Material("m", texture=other),)),
        ),
        (Instance(0, "here", np.eye(4)), Instance(1, "there", np.diag([2.0, 2, 2, 1]))),
        ("a note",),
    )
    write_scene(tmp_path, scene)
    back = read_scene(tmp_path)
    assert [p.mesh.content_hash for p in back.parts] == [p.mesh.content_hash for p in scene.parts]
    assert [p.materials for p in back.parts] == [p.materials for p in scene.parts]
    assert back.notes == scene.notes
    assert np.array_equal(back.instances[1].matrix, scene.instances[1].matrix)
    (tmp_path / "meshes").unlink()
    with pytest.raises(FileError, match="no longer there"):
        read_scene(tmp_path)


def test_what_is_known_of_small_meshes_goes_with_them(imports: Imports, tmp_path: Path) -> None:
    meshes = [make() for make in ZOO.values()]
    write_mesh_facts(tmp_path, meshes, 60)
    small = [m for m in meshes if m.face_count < 60]
    assert 0 < len(small) < len(meshes)
    fresh = [m.replaced() for m in meshes]
    stored = attach_mesh_facts(tmp_path, fresh)
    assert stored.keys() == {m.content_hash for m in small}
    for mesh, made in zip(meshes, fresh, strict=True):
        assert (found_with(made, counts) is not None) == (mesh.face_count < 60)
        anew = made.replaced()
        assert (anew.content_hash, counts(anew)) == (made.content_hash, counts(made))
        assert all(np.array_equal(a, b) for a, b in zip(anew.bounds, made.bounds, strict=True))
        if mesh.content_hash in stored:
            assert decode(bytes(stored[mesh.content_hash])).content_hash == mesh.content_hash
    # read again while it is being taken over
    write_mesh_facts(tmp_path, meshes, 0)
    assert attach_mesh_facts(tmp_path, meshes) == {}
    assert {decode(bytes(data)).content_hash for data in stored.values()} == stored.keys()
    # what is not there, or is no longer whole, is reckoned when it is taken over
    incoming = ended(imports, taken(imports, trial_obj=OBJ))
    assert len(imports.taken(incoming.id)[1]) == 2
    for name in ("hashes", "boxes.npy", "known.npy", "stored"):
        file = incoming.folder / name
        whole = file.read_bytes()
        for broken in (b"", b"no", whole[: len(whole) // 2], whole[:-1]):
            file.write_bytes(broken)
            scene, ready = imports.taken(incoming.id)
            assert len(scene.parts) == 2
            assert name == "stored" or not ready
        file.unlink()
        assert not imports.taken(incoming.id)[1]
        file.write_bytes(whole)
    assert len(imports.taken(incoming.id)[1]) == 2


def test_sheets_guess_units_and_show_the_shadow() -> None:
    box = ZOO["box"]()
    assert (
        sheet_of("a.obj", Scene((ScenePart("b", box),), (Instance(0, "b", np.diag([400.0, 400, 400, 1])),))).unit
        is Unit.CENTIMETRES
    )
    assert (
        sheet_of("a.obj", Scene((ScenePart("b", box),), (Instance(0, "b", np.diag([9000.0, 1, 1, 1])),))).unit
        is Unit.MILLIMETRES
    )
    sheet = sheet_of("a.glb", Scene((ScenePart("b", box),), (Instance(0, "b", np.eye(4)),)))
    assert (sheet.unit, sheet.fixed) == (Unit.METRES, True)
    corners = np.array([p for polygon in sheet.outline_y for p in polygon])
    assert corners.min(axis=0).tolist() == [-0.5, 0.0]
    assert corners.max(axis=0).tolist() == [0.5, 2.0]
