"""The command line: serve, inspect, convert, reduce, batch, and what set-up needs."""

from __future__ import annotations

import gc
import json
import socket
import sys
import time
from pathlib import Path
from typing import Annotated, Any, Literal

import typer
from pydantic import ValidationError

from able_brick.core.allocator import limit_arenas
from able_brick.core.errors import AbleBrickError, InputError
from able_brick.core.events import set_up
from able_brick.core.gc_pause import gc_paused, keep_what_stands

with gc_paused():  # what is imported stays: to look for garbage in it would take a good part of a start
    from able_brick.core.files.glb_nodes import Rungs
    from able_brick.core.files.read import read_file
    from able_brick.core.files.regular import read_beside, read_regular
    from able_brick.core.files.scene import Scene
    from able_brick.core.files.units import Unit, Up, brought_in
    from able_brick.core.files.write import write_file
    from able_brick.core.mesh.measure import counts_of_all
    from able_brick.core.mesh.validity import problems_of_all
    from able_brick.core.slim.ladder import Target
    from able_brick.core.text import at_most, counted, grouped, listed
    from able_brick.jobs.batch import USUAL_OF_ALL, USUAL_PATTERN, Progress, run_batch
    from able_brick.jobs.naming import NamePattern
    from able_brick.jobs.slim_scene import slim_scene, with_rungs

LogLevel = Literal["debug", "info", "warning", "error"]
#: Bytes of a file that is read.
_MOST_BYTES = 2 * 2**30
app = typer.Typer(add_completion=False, no_args_is_help=True, pretty_exceptions_enable=False, help=__doc__)


@app.command()
def serve(
    db: Annotated[Path, typer.Option(help="Project file; made when it does not exist")] = Path("project.db"),
    port: Annotated[
        int, typer.Option(help="The next free port is taken when this one is in use", min=1, max=65535)
    ] = 8484,
    demo: Annotated[bool, typer.Option(help="Build Merrow Lock when the file does not exist yet")] = False,
    log_level: Annotated[LogLevel, typer.Option(help="How much is told of what happens, as lines of JSON")] = "warning",
    log_file: Annotated[Path | None, typer.Option(help="A file to write that to as well; it is rotated")] = None,
) -> None:
    """Serve the web application on 127.0.0.1."""
    limit_arenas()
    gc.disable()  # until everything is there
    # whoever answers a tab waits this long at most for a thread that computes something, instead of ten times as long
    sys.setswitchinterval(0.0005)
    import uvicorn

    from able_brick.api.app import create_app
    from able_brick.session.project import Project
    from able_brick.store.recent import remember
    from able_brick.store.scratch import remove_abandoned

    try:
        set_up(log_level, None if log_file is None else str(log_file))
    except OSError as error:
        typer.echo(f"{log_file} cannot be written to: {error.strerror}.", err=True)
        raise typer.Exit(2) from None
    remove_abandoned()
    _warm_once()
    try:
        if demo and not db.exists():
            _lay_demo(db)
        project = Project(db)
        if not project.snapshot.levels and project.read_only is None:
            project.create_level("First level")
    except AbleBrickError as error:
        typer.echo(str(error), err=True)
        raise typer.Exit(2) from None
    for note in project.notes:
        typer.echo(note, err=True)
    if project.read_only is not None:
        typer.echo(f"{project.read_only} It is open for looking only; “Save a copy” in the page keeps what is in it.")
    remember(db)
    listener = _free_port(port)
    typer.echo(f"Able Brick is at http://127.0.0.1:{listener.getsockname()[1]}/  (Ctrl+C stops it)")
    sys.stdout.flush()
    server = uvicorn.Server(
        uvicorn.Config(
            create_app(project, serving=True, build_demo=_lay_demo),
            log_level="warning",
            ws="websockets-sansio",
            timeout_graceful_shutdown=2,
            timeout_keep_alive=75,  # a request on a connection that is just being closed would be lost
        )
    )
    keep_what_stands()
    server.run(sockets=[listener])


def _lay_demo(db: Path) -> None:
    """Build the demo project beside its place and move it there when whole, so that no half of it is ever served."""
    from able_brick.demo.build import build_demo
    from able_brick.session.project import Project
    from able_brick.store.making import made_beside

    typer.echo("Building Merrow Lock …")
    db.parent.mkdir(parents=True, exist_ok=True)

    def make(half: Path) -> None:
        project = Project(half)
        try:
            build_demo(project)
        finally:
            project.close()

    for note in made_beside(db, f"{db.name}.building", make):
        typer.echo(note, err=True)


def _free_port(port: int) -> socket.socket:
    for candidate in range(port, min(port + 50, 65536)):
        # with the protocol named, asyncio sends small replies at once instead of waiting for the other side
        listener = socket.socket(socket.AF_INET, socket.SOCK_STREAM, socket.IPPROTO_TCP)
        listener.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            listener.bind(("127.0.0.1", candidate))
        except OSError:
            listener.close()
            continue
        return listener
    typer.echo(f"No port from {port} to {port + 49} is free; give another with --port.", err=True)
    raise typer.Exit(2)


@app.command()
def inspect(
    files: Annotated[list[Path], typer.Argument(help="GLB, glTF, OBJ, PLY or STL files")],
    as_json: Annotated[bool, typer.Option("--json", help="Print a JSON list")] = False,
) -> None:
    """Tell what files hold. Exit code 2 when one cannot be read, with a line that says why."""
    reports = [_report(path) for path in files]
    if as_json:
        typer.echo(json.dumps(reports, indent=2))
    for r in reports:
        if not r["ok"]:
            typer.echo(f"{r['file']}: {r['reason']}", err=True)
        elif not as_json:
            size = " × ".join(f"{v:.3f}" for v in r["size_m"])
            closed = "closed" if r["closed"] else "open"
            closed += ", with normals of its own" if r["own_normals"] else ""
            typer.echo(
                f"{r['file']}: {r['vertices']} vertices, {r['faces']} faces, {r['triangles']} triangles, "
                f"{r['hardware_vertices']} hardware vertices, {size} m, {closed}"
            )
            for text in r["problems"]:
                typer.echo(f"  {text}")
    if not all(r["ok"] for r in reports):
        raise typer.Exit(2)


def _report(path: Path) -> dict[str, Any]:
    try:
        scene = _read(path)
    except AbleBrickError as error:
        return {"file": str(path), "ok": False, "reason": str(error).replace("\n", " ")}
    except OSError as error:
        return {"file": str(path), "ok": False, "reason": str(error.strerror)}
    low, high = scene.bounds()
    meshes = [p.mesh for p in scene.parts]
    every = [vars(c) for c in counts_of_all(meshes)]
    total = {k: sum(c[k] for c in every) for k in every[0] if k not in ("closed", "own_normals")}
    return {
        "file": str(path),
        "ok": True,
        **total,
        "materials": sorted({m.name for p in scene.parts for m in p.materials}),
        "size_m": [round(float(v), 6) for v in high - low],
        "closed": all(c["closed"] for c in every),
        "own_normals": any(c["own_normals"] for c in every),
        "problems": [
            *(
                f"{p.name}: {q.text}"
                for p, found in zip(scene.parts, problems_of_all(meshes), strict=True)
                for q in found
            ),
            *scene.notes,
        ],
    }


@app.command()
def reduce(
    source: Annotated[Path, typer.Argument(help="File to read: GLB, glTF, OBJ, PLY or STL")],
    target: Annotated[
        Path, typer.Argument(help="File to write: GLB, OBJ, PLY or STL; for several rungs {rung} or {tris} stand in it")
    ],
    share: Annotated[
        float | None, typer.Option(help="Share of the triangles that is left, above 0 and up to 1")
    ] = None,
    triangles: Annotated[
        int | None, typer.Option(help="At most this many triangles are left of all that stands in the file")
    ] = None,
    deviation: Annotated[
        float | None, typer.Option(help="Nowhere farther from the source than this where it stands, mm")
    ] = None,
    pixels: Annotated[
        float | None, typer.Option(help="It shows by no more pixels than this at --distance, anywhere in a picture")
    ] = None,
    distance: Annotated[float, typer.Option(help="Metres from which --pixels are seen")] = 10.0,
    ladder: Annotated[str | None, typer.Option(help="Several rungs by their shares, such as 1,0.5,0.25")] = None,
    keep_seams: Annotated[bool, typer.Option("--keep-seams", help="Open borders stay exactly where they are")] = False,
    outline: Annotated[
        bool, typer.Option("--silhouette", help="What shows against the background counts before what lies inside")
    ] = False,
    rungs: Annotated[
        Rungs | None,
        typer.Option(help="One GLB with all rungs: by the extension MSFT_lod, or as nodes called {name}_LOD{n}"),
    ] = None,
    as_json: Annotated[bool, typer.Option("--json", help="Print a list with an object for each rung")] = False,
) -> None:
    """Reduce the triangles of a file, to one rung or to several.

    By shares every mesh gives the same; of a number of triangles, what costs least is taken first. Ends with 1 where a
    number could not be reached.
    """
    _warm_once()
    wanted = [v for v in (share, triangles, deviation, pixels, ladder) if v is not None]
    if len(wanted) != 1:
        said = "More than one target is given" if wanted else "No target is given"
        typer.echo(f"{said}: give one of --share, --triangles, --deviation, --pixels and --ladder.", err=True)
        raise typer.Exit(2)
    try:
        targets = _targets(share, triangles, deviation, pixels, distance, ladder)
        each = 1 if rungs is not None else len(targets)
        pattern = target.name if each == 1 or "{" in target.name else f"{target.stem}_{{rung}}{target.suffix}"
        named = NamePattern.parse(pattern, rungs=each)
        scene = _read(source)
        total = sum(p.mesh.triangle_count for p in scene.parts)
        made = slim_scene(scene, targets, keep_seams=keep_seams, outline=outline)
        reports = []
        for k, rung in enumerate(made, 1):
            of = min(k, each)
            at = target.with_name(str(named.of(source.stem, of, made[of - 1].triangles, "", target.suffix)))
            if rungs is None:
                _write(at, rung.scene)
            elif k == 1:
                _write(at, with_rungs(scene, made), rungs=rungs)
            reports.append({"rung": k, "file": str(at), "notes": list(scene.notes), **rung.report()})
    except AbleBrickError as error:
        typer.echo(f"{source}: {error}", err=True)
        raise typer.Exit(2) from None
    except OSError as error:
        typer.echo(f"{error.filename}: {error.strerror}", err=True)
        raise typer.Exit(2) from None
    if as_json:
        typer.echo(json.dumps(reports, indent=1))
    else:
        for note in scene.notes[:20]:
            typer.echo(f"  {note}")
    for one in reports:
        if not as_json:
            far = at_most(one["max_deviation_m"])
            lost = one["parts_let_go"]
            gone = f", {counted(lost, 'small part', 'small parts')} let go" if lost else ""
            typer.echo(
                f"{source}: {total} → {one['triangles']} triangles, nowhere farther than {far}{gone}, "
                f"written to {one['file']}"
            )
        if one["reached"]:
            continue
        if triangles is None:
            typer.echo(f"{one['file']}: not every mesh could give its share; borders, seams and form stay.", err=True)
        else:
            least = grouped(one["drawn_triangles"])
            typer.echo(
                f"{one['file']}: {grouped(triangles)} triangles were asked for; {least} are the fewest that borders, "
                "seams and form allow.",
                err=True,
            )
    if triangles is not None and not reports[0]["reached"]:
        raise typer.Exit(1)


def _targets(
    share: float | None,
    triangles: int | None,
    deviation: float | None,
    pixels: float | None,
    distance: float,
    ladder: str | None,
) -> list[Target]:
    """What the options mean."""
    if ladder is not None:
        try:
            return [Target("share", float(s)) for s in ladder.split(",")]
        except ValueError:
            raise InputError(f"--ladder {ladder!r} is no list of shares; give one such as 1,0.5,0.25.") from None
    if share is not None:
        return [Target("share", share)]
    if triangles is not None:
        return [Target("count", triangles)]
    if deviation is not None:
        return [Target("deviation", deviation / 1000)]
    return [Target("pixels", pixels or 0.0, distance)]


@app.command()
def batch(
    source: Annotated[Path, typer.Argument(metavar="IN_DIR", help="Folder to read, with those below it")],
    target: Annotated[Path, typer.Argument(metavar="OUT_DIR", help="Folder to write to")],
    recipe: Annotated[Path, typer.Option(help="Recipe as JSON, as the Slim stage exports it")],
    pattern: Annotated[
        str | None,
        typer.Option(
            help="Names of the files written: {name}, {rung}, {tris}, {folder}, {ext}; usually "
            f"{USUAL_PATTERN}, and {USUAL_OF_ALL} with --rungs"
        ),
    ] = None,
    rungs: Annotated[
        Rungs | None,
        typer.Option(help="One GLB of each model with all rungs: by MSFT_lod, or as nodes called {name}_LOD{n}"),
    ] = None,
    jobs: Annotated[int | None, typer.Option(help="Processes on this machine; usually one a core", min=1)] = None,
    scheduler: Annotated[
        str | None, typer.Option(envvar="ABLE_BRICK_SCHEDULER", help="Address of a dask scheduler, for a cluster")
    ] = None,
    replace: Annotated[
        bool, typer.Option("--replace", help="Replace files that are there and were not written by this batch")
    ] = False,
    as_json: Annotated[bool, typer.Option("--json", help="Print what came of it as JSON")] = False,
) -> None:
    """Slim every model in a folder by a recipe, a file for each rung, with report.json and report.csv.

    What is interrupted goes on where it stopped when it is run again. Ends with 1 where a file could not be done.
    """
    from able_brick.level.recipe import Recipe

    _warm_once()
    last = 0.0

    def tell(now: Progress) -> None:
        nonlocal last
        if as_json or not (now.ended == now.total or time.monotonic() - last > 1):
            return
        last = time.monotonic()
        left = f", {now.left:.0f} s left" if now.ended < now.total else ""
        failed = f", {now.failed} failed" if now.failed else ""
        typer.echo(f"{now.ended} of {now.total} files, {now.rate:.1f} a second{left}{failed}", err=True)

    try:
        how = Recipe.model_validate_json(recipe.read_bytes())
        done = run_batch(
            source,
            target,
            how,
            pattern=pattern,
            rungs=rungs,
            jobs=jobs,
            scheduler=scheduler,
            replace=replace,
            tell=tell,
        )
    except ValidationError as error:
        typer.echo(f"{recipe}: this is no recipe ({error.errors()[0]['msg']}).", err=True)
        raise typer.Exit(2) from None
    except AbleBrickError as error:
        typer.echo(f"{source}: {error}", err=True)
        raise typer.Exit(2) from None
    except OSError as error:
        typer.echo(f"{error.filename or scheduler}: {error.strerror or error}", err=True)
        raise typer.Exit(2) from None
    except KeyboardInterrupt:
        typer.echo("Stopped; run it again to go on.", err=True)
        raise typer.Exit(130) from None
    if as_json:
        typer.echo(json.dumps({"total": done.total, "done": done.done, "failed": done.failed, "again": done.again}))
    else:
        typer.echo(f"{done.done} files done ({done.again} before), {done.failed} failed; see {target / 'report.csv'}")
    if done.failed:
        raise typer.Exit(1)


@app.command()
def convert(
    source: Annotated[Path, typer.Argument(help="File to read: GLB, glTF, OBJ, PLY or STL")],
    target: Annotated[Path, typer.Argument(help="File to write: GLB, OBJ, PLY or STL")],
    up: Annotated[Up, typer.Option(help="The axis that points up in the file written")] = Up.Y,
    unit: Annotated[Unit, typer.Option(help="What one number is long in the file written")] = Unit.METRES,
    from_up: Annotated[Up, typer.Option(help="The axis that points up in the file read")] = Up.Y,
    from_unit: Annotated[Unit, typer.Option(help="What one number is long in the file read")] = Unit.METRES,
    lean: Annotated[
        bool, typer.Option("--lean", help="A GLB of triangles alone, without what brings polygons back here")
    ] = False,
    rungs: Annotated[
        Rungs | None,
        typer.Option(help="How a GLB has the rungs of the file read; without it they are left out, and that is told"),
    ] = None,
) -> None:
    """Write a file in another format, unit or up axis. Faces, texture coordinates, materials and names survive where
    the format has them."""
    try:
        scene = brought_in(_read(source), from_unit, from_up)
        written = _write(target, scene, unit=unit, up=up, lean=lean, rungs=rungs)
    except AbleBrickError as error:
        typer.echo(f"{source}: {error}", err=True)
        raise typer.Exit(2) from None
    except OSError as error:
        typer.echo(f"{error.filename}: {error.strerror}", err=True)
        raise typer.Exit(2) from None
    faces = sum(p.mesh.face_count for p in scene.parts)
    typer.echo(f"{source}: {faces} faces in {len(scene.parts)} parts, written to {', '.join(map(str, written))}")
    left = [p.name for p in scene.parts if p.rungs] if rungs is None else []
    if left:
        typer.echo(f"  The rungs of {listed(left)} were left out; ask for them with --rungs.")
    for note in scene.notes[:20]:
        typer.echo(f"  {note}")


def _read(path: Path) -> Scene:
    """What a file holds; files that it names are looked for beside it, and nowhere else."""
    folder = path.parent.resolve()
    data = read_regular(path, _MOST_BYTES)
    return read_file(path.name, data, lambda name: read_beside(folder, name, _MOST_BYTES))


def _write(
    target: Path,
    scene: Scene,
    *,
    unit: Unit = Unit.METRES,
    up: Up = Up.Y,
    lean: bool = False,
    rungs: Rungs | None = None,
) -> list[Path]:
    """Write a scene; all files are made before the first is written."""
    out = []
    for name, data in write_file(target.name, scene, unit=unit, up=up, lean=lean, rungs=rungs).items():
        path = target.with_name(name)
        path.write_bytes(data)
        out.append(path)
    return out


def _warm_once() -> None:
    """Have the kernels compiled, as make does, for who has installed the package by itself."""
    from able_brick.warmed import warm_once

    warm_once(lambda line: typer.echo(line, err=True))


@app.command()
def warm() -> None:
    """Compile all kernels once, so that nobody waits for them later."""
    from able_brick.warm import warm_kernels
    from able_brick.warmed import remember_warm

    warm_kernels()
    remember_warm()
    typer.echo("Kernels are compiled.")


@app.command()
def openapi() -> None:
    """Print the API's description."""
    from tempfile import TemporaryDirectory

    from able_brick.api.app import create_app
    from able_brick.session.project import Project

    with TemporaryDirectory() as folder:
        project = Project(Path(folder) / "empty.db")
        typer.echo(json.dumps(create_app(project).openapi(), indent=1, sort_keys=True))
        project.close()


if __name__ == "__main__":
    app()
