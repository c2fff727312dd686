"""What a glTF file holds that is not taken over: reported by count and by name."""

from __future__ import annotations

from collections.abc import Container, Iterable, Iterator
from typing import Any, Final

from able_brick.core.files.gltf.extras import others_extras
from able_brick.core.text import counted, listed

#: Extensions that are read, wherever they stand.
READ: Final = frozenset(
    {
        *("KHR_mesh_quantization", "KHR_texture_transform", "KHR_materials_unlit", "MSFT_lod"),
        *("EXT_mesh_gpu_instancing", "EXT_texture_webp", "KHR_texture_basisu", "KHR_lights_punctual"),
    }
)
_ATTRIBUTES: Final = frozenset({"POSITION", "NORMAL", "TEXCOORD_0", "COLOR_0"})
_MAPS: Final = {
    "normalTexture": "normal",
    "occlusionTexture": "occlusion",
    "emissiveTexture": "emissive",
    "metallicRoughnessTexture": "metallic-roughness",
}


def losses(document: dict[str, Any], reached: Container[int], kept: Container[int]) -> list[str]:
    """A sentence for each kind of what is left out, where so many nodes were `reached`, and the extras of some are
    `kept`. Nothing in the document is believed, and nothing is refused."""
    return [*_of_file(document), *_of_nodes(document, reached, kept), *_of_meshes(document), *_of_materials(document)]


def _list(holder: object, key: str) -> list[Any]:
    found = holder.get(key) if isinstance(holder, dict) else None
    return found if isinstance(found, list) else []


def _object(holder: object, key: str) -> dict[str, Any]:
    found = holder.get(key) if isinstance(holder, dict) else None
    return found if isinstance(found, dict) else {}


def _items(holder: object, key: str) -> list[dict[str, Any]]:
    return [v for v in _list(holder, key) if isinstance(v, dict)]


def _names(items: Iterable[dict[str, Any]]) -> str:
    """The names of some things in brackets, "" where none has one."""
    plain = ("".join(c for c in str(i.get("name") or "") if c.isprintable())[:60].strip() for i in items)
    named = list(dict.fromkeys(n for n in plain if n))
    return f" ({listed(named)})" if named else ""


def _left(items: Iterable[dict[str, Any]], one: str, plural: str) -> Iterator[str]:
    some = list({id(i): i for i in items}.values())
    if some:
        yield f"{counted(len(some), one, plural)} {'was' if len(some) == 1 else 'were'} left out{_names(some)}."


def _left_out_of(what: str, items: Iterable[dict[str, Any]], one: str, plural: str) -> Iterator[str]:
    some = list({id(i): i for i in items}.values())
    if some:
        were = "were" if what.endswith("s") else "was"
        yield f"{what} of {counted(len(some), one, plural)} {were} left out{_names(some)}."


def _of_file(document: dict[str, Any]) -> Iterator[str]:
    yield from _left(_items(document, "animations"), "animation", "animations")
    yield from _left(_items(document, "skins"), "skin", "skins")
    yield from _left(_items(document, "cameras"), "camera", "cameras")
    lights = _items(_object(_object(document, "extensions"), "KHR_lights_punctual"), "lights")
    yield from _left(lights, "light", "lights")
    shown = document.get("scene", 0)
    others = [s for k, s in enumerate(_items(document, "scenes")) if k != shown]
    yield from _left(others, "further scene", "further scenes")
    packed = [i for i in _items(document, "images") if i.get("mimeType") == "image/ktx2"]
    yield from _left(packed, "KTX2 picture", "KTX2 pictures")
    other = sorted({str(e)[:60] for e in _list(document, "extensionsUsed") if str(e) not in READ})
    if other:
        yield f"What the extension{'' if len(other) == 1 else 's'} {listed(other, 6)} told was left out."


def _of_nodes(document: dict[str, Any], reached: Container[int], kept: Container[int]) -> Iterator[str]:
    every = [(k, n) for k, n in enumerate(_list(document, "nodes")) if isinstance(n, dict)]
    left_out = [n for k, n in every if k not in kept and others_extras(n.get("extras")) != ("", False)]
    yield from _left_out_of("Extras", left_out, "node", "nodes")
    lone = [n for k, n in enumerate(_list(document, "nodes")) if k not in reached and isinstance(n, dict)]
    yield from _left((n for n in lone if "mesh" in n), "node that is in no scene", "nodes that are in no scene")


def _of_meshes(document: dict[str, Any]) -> Iterator[str]:
    primitives = [(m, p) for m in _items(document, "meshes") for p in _items(m, "primitives")]
    changing = (m for m, p in primitives if _items(p, "targets"))
    yield from _left_out_of("Morph targets", changing, "mesh", "meshes")
    holders: dict[str, list[dict[str, Any]]] = {}
    for mesh, p in primitives:
        for name in _object(p, "attributes").keys() - _ATTRIBUTES:
            holders.setdefault(_kind(name), []).append(mesh)
    for kind in sorted(holders):
        yield from _left_out_of(kind, holders[kind], "mesh", "meshes")
    packed = (m for m, p in primitives if _object(p, "extensions").keys() - READ)
    yield from _left_out_of("Extensions", packed, "mesh", "meshes")


def _kind(name: str) -> str:
    if name == "TANGENT":
        return "Tangents"
    if name.startswith("TEXCOORD_"):
        return "Further texture coordinates"
    if name.startswith("COLOR_"):
        return "Further vertex colours"
    if name.startswith(("JOINTS_", "WEIGHTS_")):
        return "Bone weights"
    return f"The attribute {''.join(c for c in name if c.isprintable())[:40]}"


def _of_materials(document: dict[str, Any]) -> Iterator[str]:
    materials = _items(document, "materials")
    for key, word in _MAPS.items():
        some = (m for m in materials if key in m or key in _object(m, "pbrMetallicRoughness"))
        yield from _left(some, f"{word} picture", f"{word} pictures")
    glow = (m for m in materials if any(v != 0 for v in _list(m, "emissiveFactor")))
    yield from _left_out_of("The glow", glow, "material", "materials")
    unlit = (m for m in materials if "KHR_materials_unlit" in _object(m, "extensions"))
    yield from _left(unlit, "unlit look", "unlit looks")
    more = (m for m in materials if _object(m, "extensions").keys() - READ)
    yield from _left_out_of("Extensions", more, "material", "materials")
