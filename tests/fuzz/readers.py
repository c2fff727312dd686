"""Fuzzing of the file readers: `python -m tests.fuzz.readers FORMAT --seconds 300`.

Sound files are broken in ways that hypothesis chooses. Nothing but FileError may come out, no file may take long, and
the process may not grow beyond 1 GB.
"""

from __future__ import annotations

import argparse
import base64
import json
import resource
import struct
import time
import warnings
from typing import Any

from hypothesis import HealthCheck, given, seed, settings
from hypothesis import strategies as st
from hypothesis.errors import HypothesisWarning

from able_brick.core.errors import FileError
from able_brick.core.files.read import read_file
from able_brick.core.files.scene import Material, Scene, ScenePart
from able_brick.core.files.write import write_file
from able_brick.core.mesh.measure import counts
from able_brick.core.mesh.validity import problems
from tests.core.test_formats import PNG, ply_text, stl_text
from tests.zoo import ZOO

MOST_SECONDS = 5.0
MOST_BYTES = 2**30
EDGES = [0, 1, 2, 3, 127, 128, 255, 256, 32767, 65535, 65536, 2**31 - 1, 2**31, 2**32 - 1]
WORDS = [
    b"nan", b"-inf", b"1e999", b"-1", b"0", b"999999999999999999999", b"1e-400", b"/", b"//", b"\\\n", b"#", b" ",
    b"\n", b"f 1 2 3\n", b"v 1 2 3\n", b"end_header\n", b"list", b"property", b"element", b"vertex", b"4294967295",
    b"\x00", b"\xff", b"usemtl x\n", b"o \n", b"s 1\n", b"-999999999", b"[", b"]", b"{", b"}", b"null", b"true",
    b"1.5", b"1e308", b'""',
]  # fmt: skip


def corpus(kind: str) -> list[tuple[str, bytes]]:
    """Sound files of a format."""
    out = []
    for name in ("box", "waves", "arrow", "cone", "two parts"):
        mesh = ZOO[name]()
        materials = tuple(Material(f"m{k}") for k in range(int(mesh.material.max()) + 1))
        if kind in ("glb", "obj", "ply", "stl"):
            scene = Scene((ScenePart(name, mesh, materials),))
            out.append((f"a.{kind}", write_file(f"a.{kind}", scene)[f"a.{kind}"]))
        if kind == "gltf":
            glb = write_file("a.glb", Scene((ScenePart(name, mesh, materials),)))["a.glb"]
            (size,) = struct.unpack_from("<I", glb, 12)
            document = json.loads(glb[20 : 20 + size])
            body = base64.b64encode(glb[28 + size :]).decode()
            document["buffers"][0]["uri"] = "data:application/octet-stream;base64," + body
            document["accessors"][0]["sparse"] = {
                "count": 1,
                "indices": {"bufferView": 0, "componentType": 5121},
                "values": {"bufferView": 0},
            }
            document["images"] = [{"uri": "data:image/png;base64," + base64.b64encode(PNG).decode()}]
            document["textures"] = [{"source": 0}]
            out.append(("a.gltf", json.dumps(document).encode()))
    if kind == "ply":
        out.append(("a.ply", ply_text()))
    if kind == "stl":
        out.append(("a.stl", stl_text()))
    if kind == "obj":
        head = b"mtllib a.mtl\no a\ng b\ns 1\nv 0 0 0 1 0 0\nv 1 0 0 1 0 0\nv 0 1 0 1 0 0\nvt 0 0\nvn 0 0 1\n"
        out.append(("a.obj", head + b"usemtl red\nf 1/1/1 2/1/1 3/1/1\nf -1 -2 -3\n"))
    return out


@st.composite
def broken(draw: Any, files: list[tuple[str, bytes]]) -> tuple[str, bytes]:
    """A sound file with some of its bytes, numbers or words changed, doubled or cut."""
    name, data = draw(st.sampled_from(files))
    out = bytearray(data)
    head = min(len(out), 4096)
    for _ in range(draw(st.integers(1, 6))):
        if not out:
            break
        at = (
            draw(st.integers(0, len(out) - 1)) if draw(st.booleans()) else draw(st.integers(0, min(head, len(out)) - 1))
        )
        match draw(st.integers(0, 6)):
            case 0:
                out[at] ^= 1 << draw(st.integers(0, 7))
            case 1:
                out[at : at + 4] = struct.pack("<I", draw(st.sampled_from(EDGES)))
            case 2:
                out[at:at] = draw(st.sampled_from(WORDS))
            case 3:
                word = draw(st.sampled_from(WORDS))
                out[at : at + len(word)] = word
            case 4:
                del out[at : at + draw(st.integers(1, 64))]
            case 5:
                out[at:at] = out[at : at + draw(st.integers(1, 200))]
            case 6:
                del out[at:]
    if name.endswith("gltf") and draw(st.booleans()):
        out = bytearray(_other_value(draw, data))
    return name, bytes(out)


def _other_value(draw: Any, data: bytes) -> bytes:
    """A document with one of its values changed for another, so that it stays JSON."""
    document = json.loads(data)
    places: list[tuple[Any, Any]] = []

    def walk(value: Any) -> None:
        for key in value if isinstance(value, dict) else range(len(value)):
            places.append((value, key))
            if isinstance(value[key], (dict, list)):
                walk(value[key])

    walk(document)
    for _ in range(draw(st.integers(1, 3))):
        holder, key = draw(st.sampled_from(places))
        other = [None, True, -1, 0, 1, 2, 2**31, 1e300, "x", [], {}, [1], 5121, 5126, "VEC3", "SCALAR", 10**30]
        holder[key] = draw(st.sampled_from(other))
    return json.dumps(document).encode()


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("format", choices=["glb", "gltf", "obj", "ply", "stl"])
    parser.add_argument("--seconds", type=float, default=300.0)
    given_args = parser.parse_args()
    files = corpus(given_args.format)
    for name, data in files:
        read_file(name, data)
    tally = {"read": 0, "refused": 0}
    slowest = 0.0

    @settings(max_examples=3000, database=None, deadline=None, suppress_health_check=list(HealthCheck))
    @given(broken(files))
    def trial(file: tuple[str, bytes]) -> None:
        nonlocal slowest
        name, data = file
        begun = time.perf_counter()
        try:
            scene = read_file(name, data, lambda _: PNG)
        except FileError:
            tally["refused"] += 1
        else:
            tally["read"] += 1
            for part in scene.parts:
                counts(part.mesh)
                wrong = {p.code for p in problems(part.mesh)}
                assert not wrong & {"unused_vertices", "degenerate_faces"}, wrong
        took = time.perf_counter() - begun
        slowest = max(slowest, took)
        assert took < MOST_SECONDS, f"{took:.1f} s for {len(data)} bytes"
        assert resource.getrusage(resource.RUSAGE_SELF).ru_maxrss * 1024 < MOST_BYTES

    warnings.simplefilter("error")
    warnings.simplefilter("ignore", HypothesisWarning)  # of its own doings, such as long examples
    end = time.monotonic() + given_args.seconds
    number = 0
    while time.monotonic() < end:
        number += 1
        seed(number)(trial)()
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    print(f"{given_args.format}: {tally}, slowest {slowest:.2f} s, peak {peak:.0f} MB, {number} rounds")


if __name__ == "__main__":
    main()
