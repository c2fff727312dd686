"""The materials of a glTF file, with their pictures."""

from __future__ import annotations

from typing import Final

from able_brick.core.errors import FileError
from able_brick.core.files.gltf import models
from able_brick.core.files.gltf.document import Document
from able_brick.core.files.gltf.models import NONE
from able_brick.core.files.pictures import texture
from able_brick.core.files.scene import Alpha, Material, Texture, UvTransform

_STILL: Final = (0.0, 0.0, 0.0, 1.0, 1.0)


class MaterialReader:
    """Reads materials; each picture once."""

    def __init__(self, document: Document) -> None:
        self._document = document
        self._pictures: dict[int, Texture | None] = {}

    def every(self) -> list[Material]:
        """All materials of the file, in its order."""
        return [self._material(k) for k in range(self._document.count(models.Material))]

    def _material(self, index: int) -> Material:
        m = self._document.item(models.Material, index, "materials")
        pbr = m.pbr_metallic_roughness
        r, g, b, a = (min(max(v, 0.0), 1.0) for v in pbr.base_color_factor)
        alpha: Alpha | None = "opaque" if a < 1 else None
        if m.alpha_mode == "MASK":
            alpha = "mask"
        elif m.alpha_mode == "BLEND":
            alpha = "blend" if a >= 1 else None
        info = pbr.base_color_texture
        return Material(
            m.name or f"Material {index + 1}",
            (r, g, b, a),
            pbr.roughness_factor,
            pbr.metallic_factor,
            None if info is None else self._picture(info, f"materials[{index}].baseColorTexture"),
            alpha,
            m.alpha_cutoff if alpha == "mask" else 0.5,
            m.double_sided,
            None if info is None else _moved(info),
        )

    def _picture(self, info: models.TextureInfo, place: str) -> Texture | None:
        """The picture of a texture; one that cannot be shown is left out, with a note."""
        moved = info.extensions.transform.tex_coord
        if (info.tex_coord if moved is None else moved) != 0:
            self._document.notes.append(f"{place} uses a second set of texture coordinates, which is not read.")
        found = self._document.item(models.Texture, info.index, f"{place}.index")
        webp = found.extensions.webp.source
        source = found.source if webp == NONE else webp
        if source == NONE:
            return None
        self._document.check_index(models.Image, source, f"{place}.source")
        if source not in self._pictures:
            try:
                self._pictures[source] = self._image(source)
            except FileError as error:
                self._document.notes.append(f"A texture was left out: {error}")
                self._pictures[source] = None
        return self._pictures[source]

    def _image(self, index: int) -> Texture:
        image = self._document.item(models.Image, index, "images")
        place = f"images[{index}]"
        if image.uri is not None:
            data = self._document.fetch(image.uri, f"{place}.uri")
            fallback = "texture" if image.uri.startswith("data:") else image.uri.rsplit("/", 1)[-1]
        else:
            data, fallback = self._document.view(image.buffer_view, f"{place}.bufferView"), f"texture {index + 1}"
        return texture(image.name or fallback, data, place)


def _moved(info: models.TextureInfo) -> UvTransform | None:
    """How a picture is moved on its surface; None where it is not."""
    declared = info.extensions.transform
    (u, v), (a, b) = declared.offset, declared.scale
    moved = (u, v, declared.rotation, a, b)
    return None if moved == _STILL else moved
