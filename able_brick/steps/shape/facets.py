"""Facets made by hand, and found."""

from __future__ import annotations

from typing import Literal

import numpy as np

from able_brick.core.edit.edited import Edited
from able_brick.core.edit.element_types import ElementType
from able_brick.core.mesh.facets import facets, facets_by_angle, facets_by_material
from able_brick.core.mesh.polymesh import Indices, PolyMesh
from able_brick.level.field import field
from able_brick.level.rows import Piece
from able_brick.steps.shape.element_tool import ElementTool


def _with(mesh: PolyMesh, own: Indices, ids: Indices) -> Edited:
    every = np.arange(mesh.vertex_count, dtype=np.int32)
    return Edited(mesh.replaced(facet=own.astype(np.int32)), every, np.arange(mesh.face_count, dtype=np.int32), ids)


class MakeFacet(ElementTool):
    """Faces that are to be treated as one."""

    tool: Literal["make_facet"] = "make_facet"
    title = "Make facet"
    verb = "Facets"
    about = "Has the picked faces be picked, moved and drawn as one from now on"
    icon = "group"
    instant = True

    def edit(self, piece: Piece, mesh: PolyMesh, kind: ElementType, ids: Indices) -> Edited:
        own = facets(mesh).copy()
        own[ids] = int(own.max()) + 1
        return _with(mesh, own, ids)


class FindFacets(ElementTool):
    """Facets found afresh among the picked faces."""

    tool: Literal["find_facets"] = "find_facets"
    title = "Find facets"
    verb = "Facets"
    about = "Divides the picked faces into facets afresh: flat areas, by an angle, or by material"
    icon = "ungroup"

    by: Literal["flat areas", "angle", "material"] = field("flat areas", "By", "What makes faces one facet")
    angle: float = field(
        20.0, "Angle", "Faces that meet within it are one", unit="°", step=5, gt=0, le=180, when={"by": ["angle"]}
    )

    def edit(self, piece: Piece, mesh: PolyMesh, kind: ElementType, ids: Indices) -> Edited:
        own = facets(mesh).copy()
        if self.by == "material":
            found = facets_by_material(mesh)
        else:
            found = facets_by_angle(mesh, np.radians(1.0 if self.by == "flat areas" else self.angle))
        own[ids] = int(own.max()) + 1 + found[ids]
        return _with(mesh, own, ids)
