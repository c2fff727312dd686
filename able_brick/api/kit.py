"""Routes of the kit: meshes by hash, bringing files in."""

from __future__ import annotations

from pathlib import PurePath
from typing import Annotated

from fastapi import APIRouter, Form, Path, UploadFile
from fastapi.responses import Response

from able_brick.api.levels import TheProject
from able_brick.core.files.glb_read import read_glb
from able_brick.core.files.part import Scene
from able_brick.core.mesh.polymesh import PolyMesh
from able_brick.core.place.pose import stand_of
from able_brick.level.rows import Surface
from able_brick.steps.import_pieces import Arrival, ImportPieces
from able_brick.store.delta import Delta

router = APIRouter(prefix="/api")


@router.get("/meshes/{name}.glb", response_class=Response)
def mesh(project: TheProject, name: Annotated[str, Path(max_length=80)]) -> Response:
    """The mesh of a hash, as the viewport draws it; never changes."""
    return Response(
        project.meshes.view_glb(name),
        media_type="model/gltf-binary",
        headers={"Cache-Control": "private, max-age=31536000, immutable", "ETag": f'"{name}"'},
    )


@router.post("/kit/import")
def bring_in(
    project: TheProject,
    file: UploadFile,
    level: Annotated[str, Form(max_length=80)],
    revision: Annotated[int, Form(ge=0)],
    place: Annotated[bool, Form()] = False,
) -> Delta:
    """Put the meshes of a GLB file onto the shelf; with `place`, also into the level where they stood in the file."""
    project.snapshot.level(level)
    scene = read_glb(file.file.read())
    arrivals, meshes = arrivals_of(scene)
    name = PurePath(file.filename or "file").name[:120]
    return project.step(level, ImportPieces(file=name, arrivals=arrivals, place=place), (), revision, meshes=meshes)


def arrivals_of(scene: Scene) -> tuple[tuple[Arrival, ...], dict[str, PolyMesh]]:
    """What a scene brings to the shelf, and the meshes by hash."""
    meshes: dict[str, PolyMesh] = {}
    arrivals: list[Arrival] = []
    for index, part in enumerate(scene.parts):
        key = part.mesh.content_hash
        meshes[key] = part.mesh
        stands = tuple((i.name, *stand_of(i.matrix)) for i in scene.instances if i.part == index)
        surfaces = tuple(Surface.of(m) for m in part.materials)
        arrivals.append(Arrival(name=part.name, mesh=key, materials=surfaces, stands=stands))
    return tuple(arrivals), meshes
