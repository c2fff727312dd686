"""A whole level written to a file beside other work."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from able_brick.core.files.glb_nodes import Rungs
from able_brick.core.files.glb_write import write_glb
from able_brick.core.text import counted
from able_brick.level.export import level_file
from able_brick.session.project import Project
from able_brick.session.work import Outcome
from able_brick.steps.draft import ProgressCallback


def file_name(level_name: str) -> str:
    """What the file of a level is called."""
    plain = "".join(c if c.isascii() and c.isalnum() else "-" for c in level_name.lower()).strip("-")
    return f"{plain or 'level'}.glb"


def level_glb(
    project: Project,
    level: str,
    tell: ProgressCallback | None = None,
    *,
    lean: bool = False,
    rungs: Rungs | None = None,
) -> tuple[str, bytes]:
    """The name and the bytes of a level as binary glTF 2.0; a `lean` one has no extras. `rungs` says how those of
    pieces are written; None leaves them out. `tell` hears how far it is and may raise to stop it."""

    def first(share: float) -> None:
        if tell is not None:
            tell(0.4 * share, "Gathering what stands in the level")

    def second(share: float) -> None:
        if tell is not None:
            tell(0.4 + 0.6 * share, "Writing")

    snapshot = project.snapshot
    name = snapshot.level(level).name
    load, pictures = project.meshes.get, project.pictures.get
    made = level_file(snapshot, level, load, pictures, first, rungs=rungs is not None, lean=lean)
    data = write_glb(made.parts, made.nodes, name=name, lean=lean, rungs=rungs, rows=made.rows, tell=second)
    return file_name(name), data


def export(
    project: Project,
    level: str,
    room: Callable[[], Path],
    tell: ProgressCallback,
    *,
    lean: bool = False,
    rungs: Rungs | None = None,
) -> Outcome:
    """Write a level into a folder that is asked for; what came of it."""
    name, data = level_glb(project, level, tell, lean=lean, rungs=rungs)
    path = room() / name
    path.write_bytes(data)
    items = len(project.snapshot.of(level))
    return Outcome(note=f"{name} with {counted(items, 'item', 'items')} is ready.", file=path)
