"""Whether the tests see small faults: `python -m tests.mutations`. One line of the program is spoilt at a time, in a
copy of it, and the tests that are nearest must fail. What lives on is told at the end. By hand: it takes most of an
hour.
"""

from __future__ import annotations

import argparse
import shutil
import subprocess
import sys
import tempfile
from pathlib import Path
from typing import NamedTuple

ROOT = Path(__file__).parents[1]
LETTERS = "tests/core/solid/test_letters.py"
MEND = "tests/core/mend tests/steps/shape/test_mend.py"
EDIT = "tests/core/edit tests/steps/shape"
LIVE = "tests/steps/shape/test_live_finish.py"
LAY = "tests/steps/lay tests/core/test_place_and_path.py"
PLACE = "tests/steps/test_steps.py tests/steps/test_build.py tests/steps/test_groups.py"
IMAGES = "tests/steps/test_images.py tests/steps/lay/test_mirrors.py tests/steps/test_by_hand.py"
NORMALS = "tests/core/test_own_normals.py tests/session/test_own_normals.py"
COMPONENTS = "tests/core/test_components.py"
ARRAYS = "tests/steps/test_group_arrays.py tests/steps/lay tests/steps/test_build.py"


class Mutation(NamedTuple):
    """A line of a file, what becomes of it, and the tests that are to see it."""

    file: str
    line: str
    spoilt: str
    tests: str


MUTATIONS = [
    Mutation(*m)
    for m in (
        # what is mirrored and smoothed live
        ("core/finish/halves.py", "was[np.maximum(own, 0)], now)", "now, now)", LIVE),
        ("core/finish/halves.py", "not _closes(before, over, weld) or ", "", LIVE),
        ("core/finish/halves.py", "half = _carried_half(_put_on(kept, border, over), over, weld)", "pass", LIVE),
        ("level/finish.py", "settled(out.positions, finish.mirror.reflection())", "out.positions", LIVE),
        ("steps/draft.py", 'fresh = finish.model_copy(update={"source": source, "mesh": key})', "fresh = finish", LIVE),
        ("steps/twins.py", "finish.over(axis)", "finish", LIVE),
        ("level/rows/piece.py", "self.dimensions.mesh == self.source", "self.dimensions.mesh == self.mesh", LIVE),
        ("steps/shape/live_finish.py", "plane.reflection(), self.weld).mesh", "plane.reflection(), 9.0).mesh", LIVE),
        ("level/check.py", "carried_back(source, whole, row[4], row[5])", "row[5]", LIVE),
        # relaxing
        ("core/edit/relax.py", "total > 2.0 * np.sin", "total > 9.0 * np.sin", "tests/core/edit/test_relax.py"),
        ("core/edit/relax.py", "straight[one] & along", "straight[one]", "tests/core/edit/test_relax.py"),
        ("core/edit/relax.py", "way[near.free] -= dots", "way[near.free] += dots", "tests/core/edit/test_relax.py"),
        # mirrored faces and smooth surfaces
        ("core/edit/mirror_faces.py", "keep &= ~(inside & picked)", "pass", EDIT),
        ("core/edit/mirror_faces.py", "base.sharp[order[base.next_corner[c]]]", "base.sharp[order[c]]", EDIT),
        ("core/finish/seam.py", "on = (uses == 1) & near", "on = (uses >= 1) & near", EDIT),
        ("core/finish/smooth.py", "still = sharps > 2", "still = sharps > 3", "tests/core/finish"),
        ("core/finish/smooth.py", "(fans > 1) | (faces == 1)", "faces == 1", "tests/core/finish"),
        ("steps/shape/finish.py", 'self.half == "low"', 'self.half == "high"', EDIT),
        # letters and fills
        (
            "core/solid/letters.py",
            "right = right * (1.0 if",
            "right = right * (-1.0 if",
            "tests/core/solid/test_letters.py",
        ),
        (
            "core/solid/letters.py",
            '"sunk": -depth / 2, "drawn"',
            '"sunk": depth / 2, "drawn"',
            "tests/core/solid/test_letters.py",
        ),
        (
            "core/solid/letters.py",
            "out[k] = bool(np.logical_and.reduce(inside).any())",
            "out[k] = True",
            "tests/core/solid/test_letters.py",
        ),
        ("core/edit/fill_patches.py", "1e3 * longest, 0.0)", "0.0, 0.0)", EDIT),
        ("core/edit/fill_patches.py", " - both @ loop[corner]", "", EDIT),
        ("core/edit/fill.py", "along & mesh.sharp", "mesh.sharp", EDIT),
        ("core/mend/winding.py", "hidden[part[unsound(mesh).crossing]] = False", "pass", MEND),
        ("core/mend/winding.py", "for j in around) > 0.5", "for j in around) < 9.5", MEND),
        # mending
        ("core/mend/seams.py", "uses[number] == 2", "uses[number] >= 2", MEND),
        ("core/mend/skins.py", "gone = ahead[1:] + back[1:]", "gone = ahead[1:]", MEND),
        ("core/mend/skins.py", "if (left[beside] >= 4).all():", "if True:", MEND),
        ("core/solid/touching.py", "corners[at] = own[number.ravel()]", "pass", MEND),
        ("core/mend/winding.py", "(of[as_is] < of[over])", "(of[as_is] > of[over])", MEND),
        ("core/mend/winding.py", "volume[outer] < 0", "volume < 0", MEND),
        ("core/mend/thin.py", "[(v, 1.0 - s) for s, v in between[::-1]]", "[(v, s) for s, v in between]", MEND),
        ("core/mend/thin.py", "_TOGETHER * long", "-1.0", MEND),
        ("core/mend/keyholes.py", "keep[face] = False", "pass", MEND),
        ("core/edit/compose.py", "first[np.maximum(then, 0)]", "np.maximum(then, 0)", MEND),
        ("core/mend/faults.py", "if (f.code in codes if codes else f.safe)", "if f.safe", MEND),
        ("level/check.py", "overlapping[[face for", "overlapping.copy()[[face for", MEND),
        # triangles
        (
            "core/edit/triangles.py",
            "        score = -np.stack(",
            "        score = np.stack(",
            "tests/core/edit/test_triangles.py",
        ),
        (
            "core/edit/triangles.py",
            "    other = sound[rows, 1 - now] & (",
            "    other = sound[rows, 1 - now] & ~(",
            "tests/core/edit/test_triangles.py",
        ),
        (
            "core/edit/triangles.py",
            "        if not (taken[f[k]] or taken[g[k]]):",
            "        if True:",
            "tests/core/edit/test_triangles.py",
        ),
        ("core/edit/triangles.py", "    sharp[:, 3] = mesh.sharp[v]  # v → w", "", "tests/core/edit/test_triangles.py"),
        # borders joined
        (
            "core/edit/bridge.py",
            "    b = np.roll(b, -start)",
            "    b = np.roll(b, start + 1)",
            "tests/core/edit/test_bridge.py",
        ),
        ("core/edit/bridge.py", "    least = min(costs)", "    least = max(costs)", "tests/core/edit/test_bridge.py"),
        (
            "core/edit/bridge.py",
            "h[2] * end - h[3] * length * back",
            "h[2] * end + h[3] * length * back",
            "tests/core/edit/test_bridge.py",
        ),
        ("core/edit/bridge.py", "        keep=~gone,", "        keep=None,", "tests/core/edit/test_bridge.py"),
        # forms cut by each other
        ("core/solid/flush.py", "        return against\n", "        return along\n", "tests/core/solid"),
        ("core/solid/flush.py", "        return along\n", "        return along & ~along\n", "tests/core/solid"),
        (
            "core/solid/flush.py",
            "    order = np.flatnonzero(most <= near)",
            "    order = np.flatnonzero(most < 0)",
            "tests/core/solid",
        ),
        (
            "core/solid/cut.py",
            "    out[which[exact], axis[exact]] = value[exact]",
            "    out += 1e-9",
            "tests/core/solid",
        ),
        (
            "core/solid/own_parts.py",
            "    if count < 2 or not crosses_itself(mesh):",
            "    if count:",
            "tests/core/solid",
        ),
        (
            "core/solid/cutting.py",
            "    return parted_edges(_sharp_along(soup, out.mesh, of))",
            "    return _sharp_along(soup, out.mesh, of)",
            "tests/core/solid",
        ),
        (
            "core/solid/outlines.py",
            "        if len(set(one) & set(two)) != 2:",
            "        if False:",
            "tests/core/solid",
        ),
        (
            "core/solid/restore.py",
            "    keep = np.flatnonzero(there & ~thin)",
            "    keep = np.flatnonzero(there)",
            "tests/core/solid",
        ),
        (
            "core/solid/zip.py",
            "        between = _vertices_on(soup.positions, alone, near)",
            "        between = {}",
            "tests/core/solid",
        ),
        (
            "steps/cut_forms.py",
            "            own = turned_over(own) if over else own",
            "            pass",
            "tests/steps/test_cut_forms.py",
        ),
        (
            "steps/cut_forms.py",
            "        if len(draft.users(piece.id)) == 1 and host.image is None:",
            "        if True:",
            "tests/steps/test_cut_forms.py",
        ),
        # what is fused, taken apart, closed, and where a place on a face is
        ("core/mesh/fuse.py", "        elif ahead in alike:", "        elif False:", "tests/steps/test_fuse.py"),
        (
            "core/mesh/fuse.py",
            "    joins[edges.edges[edges.border]] = True",
            "    joins[:] = True",
            "tests/steps/test_fuse.py",
        ),
        ("core/mesh/fuse.py", "    out[lead] = first[label[lead]]", "    pass", "tests/steps/test_fuse.py"),
        (
            "core/mesh/parts.py",
            "if motion.turned_over == mirrored and",
            "if",
            "tests/steps/test_separate.py",
        ),
        (
            "core/mesh/parts.py",
            "made = (mesh.face_sizes, rank[number.ravel()], mesh.material, mesh.sharp)",
            "made = (mesh.face_sizes, rank[number.ravel()], mesh.sharp)",
            "tests/steps/test_separate.py",
        ),
        (
            "steps/separate.py",
            "        if turned and (size != size[0]).any():",
            "        if False:",
            "tests/steps/test_separate.py",
        ),
        (
            "steps/shape/part.py",
            "    if axis is not None and not is_own_mirror(draft, piece, axis):",
            "    if False:",
            "tests/steps/shape/test_part.py",
        ),
        (
            "steps/shape/part.py",
            "part, pivot = mirrored(part, axis), over(pivot, axis)",
            "pass",
            "tests/steps/shape/test_part.py",
        ),
        (
            "core/edit/fill.py",
            "    backward = [loop[::-1] for loop in loops]",
            "    backward = list(loops)",
            "tests/core/edit/test_fill.py",
        ),
        (
            "core/place/on_face.py",
            "        if _on(outline, spot):",
            "        if True:",
            "tests/steps/test_on_face.py",
        ),
        (
            "level/grips.py",
            "    out: Floats = place if abs(off) <= _ROUNDING * size else place - off * normal",
            "    out: Floats = place",
            "tests/steps/test_on_face.py",
        ),
        # edges, facets, colours and maps of what is shaped
        (
            "core/edit/assemble.py",
            "sharp = [chosen_rows(mesh.sharp, of_whole)]",
            "sharp = [chosen_rows(~mesh.sharp, of_whole)]",
            EDIT,
        ),
        (
            "core/edit/assemble.py",
            "mesh.facet.max(initial=-1)) + 1 + added",
            "mesh.facet.max(initial=-1)) + added",
            EDIT,
        ),
        (
            "core/edit/assemble.py",
            "colours.append(blended(part.weights, mesh.colour))",
            "colours.append(0 * blended(part.weights, mesh.colour))",
            EDIT,
        ),
        ("core/edit/assemble.py", "        smooth_angle=mesh.smooth_angle,", "        smooth_angle=0.5,", EDIT),
        ("core/edit/assemble.py", 'order = np.argsort(origin, kind="stable")', "order = np.arange(len(origin))", EDIT),
        ("core/edit/walls.py", "np.stack([c, ahead, ahead, c]", "np.stack([c, c, ahead, ahead]", EDIT),
        ("core/edit/walls.py", "uv_above[:, 1], uv_above[:, 0]", "uv_above[:, 0], uv_above[:, 1]", EDIT),
        ("core/edit/walls.py", "if fresh else None", "if not fresh else None", EDIT),
        ("core/edit/regions.py", "loose |= at[vertex] != own", "loose |= at[vertex] < own", EDIT),
        ("core/edit/inset.py", "region.even_moves() * depth", "region.even_moves() * -depth", EDIT),
        ("core/edit/inset.py", "inward[region.fan[c]] * width)", "inward[region.fan[c]])", EDIT),
        (
            "core/edit/extrude.py",
            "np.concatenate([own, own, between.like])]] < 0",
            "np.concatenate([own, own, between.like])]] > 0",
            EDIT,
        ),
        ("core/edit/extrude.py", "sideways = move - edge * part[:, None]", "sideways = move", EDIT),
        ("core/edit/cut.py", "sharp[-1] = False", "sharp[0] = False", EDIT),
        ("core/edit/cut.py", "if min(ways) <= 1e-12 * abs(whole):", "if min(ways) <= -1e12 * abs(whole):", EDIT),
        ("core/edit/cut.py", "add(name, c, share if ahead else 1.0 - share)", "add(name, c, share)", EDIT),
        ("core/edit/cut.py", "made = out.replaced(facet=mesh.facet[source])", "made = out", EDIT),
        ("core/edit/divide.py", "_sides_of(out.mesh, made, (1, 3))", "_sides_of(out.mesh, made, (0, 2))", EDIT),
        ("core/edit/bevel_rails.py", "self.lines[self.end][:, ::-1]", "self.lines[self.end]", EDIT),
        (
            "core/edit/bevel_patches.py",
            "rail_uv[lines[curved], (s - at)[curved]]",
            "rail_uv[lines[curved], at[curved]]",
            EDIT,
        ),
        ("core/edit/bevel_faces.py", "sharp[end - 1] = mesh.sharp[c] &", "sharp[end - count] = mesh.sharp[c] &", EDIT),
        (
            "core/edit/bevel_vertices.py",
            "width / long[t.corner_edge[k]], mesh.sharp[k]",
            "width / long[t.corner_edge[k]], False",
            EDIT,
        ),
        ("core/edit/bevel_vertices.py", "far[:, None] * outward[k]", "far[:, None] * -outward[k]", EDIT),
        ("core/edit/sound.py", "whole) < -1e-6", "whole) < -1e6", EDIT),
        ("core/edit/sound_kernels.py", "return 2 if dot > 0 else 3", "return 3 if dot > 0 else 2", EDIT),
        ("core/edit/sound_kernels.py", "        if inner[t, k]:", "        if inner[s, k]:", EDIT),
        ("core/edit/sound_kernels.py", "(mark[j] >= 4 and j <= i)", "(mark[j] >= 4 or j <= i)", EDIT),
        ("core/mesh/rings.py", "(1 if ahead else -1)", "1", "tests/core/test_rings.py"),
        ("core/mesh/rings.py", "*chain.from_iterable(ways[2:])", "", "tests/core/test_rings.py"),
        ("core/mesh/uv_gradients.py", "rcond=1e-9", "rcond=1e-1", EDIT),
        # mirror images
        ("core/place/mirror.py", ", corners[at], mesh.sharp[at]]", ", corners[at]]", IMAGES),
        ("core/place/mirror.py", "columns.append(mesh.colour[at].reshape(len(faces), -1))", "columns += []", IMAGES),
        ("core/place/mirror.py", "over[:, k] = -over[:, k]", "over[:, 0] = -over[:, 0]", IMAGES),
        ("steps/twins.py", "for k in (0, 2, 1)", "for k in (0, 2)", IMAGES),
        ("steps/images.py", "half_turned(made.turn, 3 - axis)", "half_turned(made.turn, axis)", IMAGES),
        ("steps/images.py", "for across in (axis, 0):", "for across in (axis,):", IMAGES),
        ("steps/images.py", "for p in (piece, *twins_of(draft, piece))", "for p in (piece,)", IMAGES),
        ("steps/make_real.py", 'getattr(of, "image", None)', "None", IMAGES),
        ("steps/set_pivot.py", "part_images(draft, piece, piece.changed(pivot=new, axes=axes))", "pass", IMAGES),
        ("steps/items.py", "row = beside(draft, row, by)", "pass", IMAGES),
        ("steps/shelf.py", "user.changed(image=None)", "user", IMAGES),
        ("level/rows/path.py", "roll=self.leaning_back if over else self.roll", "roll=self.roll", IMAGES),
        # placing and repeating
        ("core/place/dock.py", "down = -landing.normal", "down = landing.normal", PLACE),
        ("core/place/dock.py", "if angle > math.pi / 2:", "if angle > math.pi:", PLACE),
        ("steps/dock.py", "self.gap * landing.normal", "-self.gap * landing.normal", PLACE),
        ("core/place/pivots.py", "np.abs(swap.T) @ np.asarray(size)", "np.abs(swap) @ np.asarray(size)", PLACE),
        ("core/place/pivots.py", "(a * size[0], b * size[1], c * size[2])", "(a, b, c)", PLACE),
        ("core/place/repeats.py", "parts = count if whole else max(count - 1, 1)", "parts = count", ARRAYS),
        ("core/place/repeats.py", "(along[:, None] + shifts[None])", "(along[None] + shifts[:, None])", ARRAYS),
        ("level/forms/ring.py", 'out["sweep"] = -self.sweep', 'out["sweep"] = self.sweep', IMAGES),
        ("level/forms/line.py", "/ (count - 1) if count > 1", "/ count if count > 1", ARRAYS),
        ("level/forms/grid.py", '"x": ("z", "y")', '"x": ("y", "z")', ARRAYS),
        ("core/place/scatter.py", "offset = random.uniform(-1.0, 1.0, 3)", "offset = random.uniform(0.0, 1.0, 3)", LAY),
        ("core/path/fitting.py", "gaps = count if leg.whole else count - 1", "gaps = count - 1", LAY),
        (
            "core/path/fitting.py",
            "return after if less < more else after + 1",
            "return after + 1 if less < more else after",
            LAY,
        ),
        ("core/path/fitting.py", "leg.begin + first / 2 if leg.whole", "leg.begin if leg.whole", LAY),
        ("steps/keep.py", "draft.put(now.changed(stations=None))", "pass", "tests/steps"),
        (
            "core/text.py",
            'return f"{shown} %" if float(shown) else "0 %"',
            'return f"{shown} %"',
            "tests/core tests/steps",
        ),
        # the project
        (
            "session/history.py",
            "len(self.elsewhere) - behind :]",
            "len(self.elsewhere) - behind + 1 :]",
            "tests/session/test_elsewhere.py",
        ),
        (
            "session/ledger.py",
            "None if key == level or key in where else pieces",
            "pieces",
            "tests/session/test_elsewhere.py",
        ),
        (
            "session/ledger.py",
            "return not self.again and not self.edits",
            "return not self.edits",
            "tests/session/test_idle.py",
        ),
        ("session/columns.py", '"z": 12', '"z": 8', "tests/session/test_columns.py"),
        # normals of files, and what others tell of nodes
        (
            "core/mesh/combine.py",
            "across = np.linalg.det(linear) * np.linalg.inv(linear).T",
            "across = linear",
            NORMALS,
        ),
        ("core/mesh/polymesh.py", 'kept["normal"] = None', "pass", NORMALS),
        ("core/mesh/combine.py", '{"normal": 0.0 - mesh.normal[order]}', '{"normal": mesh.normal[order]}', NORMALS),
        ("core/slim/attributes.py", "mesh = with_normals(mesh, fresh[:, -3:])", "pass", NORMALS),
        (
            "core/path/running.py",
            "self.wound(mapped(mesh, points, linear))",
            "self.wound(mapped(mesh, points))",
            NORMALS,
        ),
        (
            "session/claiming.py",
            "mapped(mesh, points, rotated(row.axes, np.eye(3)).T)",
            "mapped(mesh, points)",
            NORMALS,
        ),
        ("core/files/gltf/extras.py", "if own.keys() & theirs.keys()", "if False", "tests/session/test_node_extras.py"),
        ("level/carried.py", "thing.changed(extras=extras or None)", "thing", "tests/session/test_node_extras.py"),
        # what is let go, and what shows
        (
            "core/slim/components.py",
            "old = chosen[self._stale[chosen]]",
            "old = chosen[:0]",
            COMPONENTS,
        ),
        ("core/slim/components.py", "label[np.isin(label, gone)] = -1", "pass", COMPONENTS),
        ("core/slim/outline.py", "np.where(convex, angle / np.pi, 0.0)", "angle / np.pi", "tests/core/test_outline.py"),
    )
]


def killed(mutation: Mutation, folder: Path) -> bool:
    """Whether a test fails with it."""
    file = folder / "able_brick" / mutation.file
    sound = file.read_text(encoding="utf-8")
    file.write_text(sound.replace(mutation.line, mutation.spoilt), encoding="utf-8")
    try:
        command = [sys.executable, "-m", "pytest", "-q", "-x", "-n", "2", *mutation.tests.split()]
        return subprocess.run(command, cwd=folder, capture_output=True, check=False).returncode != 0
    finally:
        file.write_text(sound, encoding="utf-8")


def main() -> None:
    options = argparse.ArgumentParser()
    options.add_argument("--only", type=int, nargs="*", help="numbers of some of them")
    chosen = options.parse_args().only or range(len(MUTATIONS))
    with tempfile.TemporaryDirectory() as where:
        folder = Path(where)
        for name in ("able_brick", "tests", "web/src/testing", "docs"):
            shutil.copytree(ROOT / name, folder / name)
        shutil.copyfile(ROOT / "pyproject.toml", folder / "pyproject.toml")
        lived = []
        for k in chosen:
            found = killed(MUTATIONS[k], folder)
            print(f"{k:3} {'killed' if found else 'LIVED '} {MUTATIONS[k].file}: {MUTATIONS[k].spoilt}", flush=True)
            lived += [] if found else [k]
    print(f"{len(chosen) - len(lived)} of {len(chosen)} are seen; these are not: {lived}")


if __name__ == "__main__":
    main()
