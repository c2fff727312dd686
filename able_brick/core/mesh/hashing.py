"""The hash of a mesh's content, by the rule that is in use and by earlier ones.

A hash that was given once is valid for ever: rules are added and never changed. By each of them the eight arrays that a
mesh had first enter with their names; what meshes come to have later enters only where a mesh has it.
"""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from typing import TYPE_CHECKING, Any, Final

from blake3 import blake3

from able_brick.core.mesh.little import little_bytes

if TYPE_CHECKING:
    from able_brick.core.mesh.polymesh import PolyMesh

#: The rule by which meshes are hashed now.
RULE: Final = 3
#: Bytes of the hash of a mesh; it is written with two letters each.
HASH_BYTES: Final = 20
_FIRST: Final = ("positions", "face_starts", "corners", "material", "facet", "sharp", "uv", "colour")
#: Arrays that meshes came to have later.
_LATER: Final[tuple[str, ...]] = ("normal",)


def content_hash(mesh: PolyMesh, rule: int = RULE) -> str:
    """Hex hash over every array: equal meshes have equal hashes, on every machine. KeyError for a rule that there is
    not. Source of the rule in use: O'Connor et al. 2020, BLAKE3."""
    h = _RULES[rule]()
    for name in _FIRST:
        h.update(name.encode())
        _enter(h, getattr(mesh, name))
    for name in _LATER:
        array = getattr(mesh, name)
        if array is not None:
            h.update(name.encode())
            _enter(h, array)
    h.update(repr(mesh.smooth_angle).encode())
    return str(h.hexdigest())[: 2 * HASH_BYTES]


def rule_of(mesh: PolyMesh, key: str, rule: int | None) -> int | None:
    """The rule by which a mesh has the hash `key`: the one that is given, else the first that fits; None for none."""
    rules = (rule,) if rule is not None else (RULE, *(r for r in _RULES if r != RULE))
    return next((r for r in rules if r in _RULES and content_hash(mesh, r) == key), None)


def _enter(h: Any, array: Any) -> None:
    if array is not None:
        h.update(repr(array.shape).encode())
        h.update(little_bytes(array))


_RULES: Final[dict[int, Callable[[], Any]]] = {
    1: lambda: hashlib.sha256(b"able-brick mesh 1"),
    2: lambda: hashlib.blake2b(b"able-brick mesh 2", digest_size=HASH_BYTES),
    3: lambda: blake3(b"able-brick mesh 3"),
}
