"""Routes of the kit: meshes, textures and thumbnails by hash, shapes, export of pieces."""

from __future__ import annotations

import io
import zipfile
from functools import lru_cache
from typing import Annotated, Literal

from fastapi import APIRouter, Path, Query, Request
from fastapi.concurrency import run_in_threadpool
from fastapi.responses import Response
from pydantic import TypeAdapter

from able_brick.api.within import PREFIX, TheProject
from able_brick.core.errors import UnknownIdError
from able_brick.core.files.glb_nodes import Rungs
from able_brick.core.files.scene import Scene
from able_brick.core.files.units import Unit, Up
from able_brick.core.files.write import write_file
from able_brick.level.export import piece_part
from able_brick.level.shapes.catalogue import ShapeInfo, describe_shapes

router = APIRouter(prefix=PREFIX)
general = APIRouter(prefix="/api")
_FOR_EVER = "private, max-age=31536000, immutable"
_MEDIA = {".glb": "model/gltf-binary", ".ply": "application/octet-stream", ".stl": "model/stl"}
Hash = Annotated[str, Path(max_length=80, pattern="^[0-9a-f]+$")]
#: The hash of a mesh, and eight digits for how it looks.
LookKey = Annotated[str, Path(pattern="^[0-9a-f]{48}$")]


@lru_cache
def _shapes() -> bytes:
    return TypeAdapter(list[ShapeInfo]).dump_json(describe_shapes())


@general.get("/shapes", response_model=list[ShapeInfo])
def shapes() -> Response:
    """All shapes that can be drawn, with the description that their cards and their drawing are made from."""
    return Response(_shapes(), media_type="application/json")


@router.get("/meshes/{name}.glb", response_class=Response)
def mesh(project: TheProject, name: Annotated[str, Path(max_length=80)]) -> Response:
    """The mesh of a hash, as the viewport draws it; never changes."""
    return Response(
        project.view_glb(name),
        media_type="model/gltf-binary",
        headers={"Cache-Control": _FOR_EVER, "ETag": f'"{name}"'},
    )


@router.get("/meshes/{name}/stand-in.glb", response_class=Response)
def stand_in(project: TheProject, name: Annotated[str, Path(max_length=80)]) -> Response:
    """Something coarser for the mesh of a hash, to be drawn while a view without a graphics card moves."""
    return Response(
        project.meshes.stand_in_glb(name),
        media_type="model/gltf-binary",
        headers={"Cache-Control": _FOR_EVER, "ETag": f'"{name}-stand-in"'},
    )


@router.get("/meshes/{name}/deviation/{source}", response_class=Response)
def deviations(project: TheProject, name: Hash, source: Hash) -> Response:
    """How far each vertex of a mesh, as the viewport draws them, is from another: float32, metres."""
    data = project.meshes.deviations(name, source)
    return Response(data, media_type="application/octet-stream", headers={"Cache-Control": _FOR_EVER})


@router.get("/textures/{name}", response_class=Response)
def texture(project: TheProject, name: Hash) -> Response:
    """The texture of a hash, as it came; never changes."""
    found = project.pictures.get(name)
    return Response(found.data, media_type=found.media, headers={"Cache-Control": _FOR_EVER, "ETag": f'"{name}"'})


@router.get("/thumbnails/{key}", response_class=Response)
def thumbnail(project: TheProject, key: LookKey) -> Response:
    """The shelf's picture of a piece, or 204 where no browser has drawn it yet."""
    data = project.pictures.thumbnail(key)
    if data is None:
        return Response(status_code=204)
    return Response(data, media_type="image/png", headers={"Cache-Control": _FOR_EVER, "ETag": f'"{key}"'})


@router.put("/thumbnails/{key}", status_code=204)
async def keep_thumbnail(project: TheProject, key: LookKey, request: Request) -> None:
    """Keep the picture of a piece: the body is a PNG."""
    data = await request.body()
    await run_in_threadpool(project.pictures.keep_thumbnail, key, data)


@router.get("/pieces/{piece}/export", response_class=Response)
async def export(
    project: TheProject,
    piece: Annotated[str, Path(max_length=80)],
    kind: Annotated[Literal["glb", "obj", "ply", "stl"], Query(alias="format")] = "glb",
    unit: Unit = Unit.METRES,
    up: Up = Up.Y,
    rungs: Rungs | None = None,
) -> Response:
    """A piece as a file, its pivot at the origin; OBJ comes as a ZIP with its materials. A GLB may have its rungs."""

    def build() -> tuple[str, dict[str, bytes]]:
        row = project.snapshot.pieces.get(piece)
        if row is None:
            raise UnknownIdError(f"There is no piece {piece[:40]!r} on the shelf (any more).", id=piece)
        load = project.meshes.get
        part = piece_part(row, load(row.mesh), project.pictures.get, None if rungs is None else load)
        stem = "".join(c if c.isascii() and c.isalnum() else "-" for c in row.name.lower()).strip("-") or "piece"
        return f"{stem}.{kind}", write_file(f"{stem}.{kind}", Scene((part,)), unit=unit, up=up, rungs=rungs)

    name, files = await run_in_threadpool(build)
    if kind == "obj":
        packed = io.BytesIO()
        with zipfile.ZipFile(packed, "w", zipfile.ZIP_DEFLATED) as archive:
            for title, content in files.items():
                archive.writestr(zipfile.ZipInfo(title), content, zipfile.ZIP_DEFLATED)
        return _download(packed.getvalue(), name.replace(".obj", ".zip"), "application/zip")
    return _download(files[name], name, _MEDIA[f".{kind}"])


def _download(data: bytes, name: str, media: str) -> Response:
    return Response(data, media_type=media, headers={"Content-Disposition": f'attachment; filename="{name}"'})
