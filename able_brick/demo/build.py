"""Building Merrow Lock: a canal lock with quay walls, gates, a footbridge, a pump house, lamps and a bronze heron."""

from __future__ import annotations

import numpy as np

from able_brick.core.path.course import Fit
from able_brick.demo import pieces
from able_brick.demo.builder import Builder
from able_brick.demo.shaped import shape_details
from able_brick.level.rows import Group, Path, Placement
from able_brick.session.project import Project

QUAY = (
    (-30.0, 0.0, 15.0),
    (-19.0, 0.0, 9.5),
    (-8.0, 0.0, 4.6),
    (4.0, 0.0, 4.0),
    (14.0, 0.0, 5.6),
    (24.0, 0.0, 12.0),
    (30.0, 0.0, 20.0),
)
TOP = 1.38


def build_demo(project: Project) -> str:
    """Build Merrow Lock as a new level of the project; its id."""
    level = project.create_level("Merrow Lock").id
    b = Builder(project, level)
    b.step("level_settings", budget=220_000, step=0.5, module=4.0, home=((-15.5, 7.4, 19.5), (-0.8, 1.1, 0.2)))
    kit = b.bring_in(pieces.all_parts())

    quay = b.step("draw_path", points=[{"position": p} for p in QUAY], name="Quay line")
    path_id = (quay.select or [""])[0]
    path = next(r for r in quay.changed if isinstance(r, Path))
    curve = path.curve()
    samples = curve.points(curve.parameters(np.linspace(0.0, curve.length, 48)))
    face = [(float(x), float(z) + 0.6) for x, _, z in samples]
    banks = b.bring_in(
        [
            pieces.bank(face, 34.0, 1.34, "South bank"),
            pieces.bank([(-32.0, -4.6), (32.0, -4.6)], -22.0, 1.34, "North bank"),
        ]
    )
    b.step(
        "add_shape",
        shape={"kind": "plane", "width": 66.0, "depth": 40.0},
        name="Water",
        surface="water",
        position=(0.0, -0.02, 2.0),
    )
    b.place(banks["South bank"], (0.0, 0.0, 0.0))
    b.place(banks["North bank"], (0.0, 0.0, 0.0))

    wall = b.step("lay_course", (path_id,), piece=kit["Quay wall 4 m"], name="Wall course", bend=True)
    joints = (wall.select or [""])[0]
    b.step("lay_course", (path_id,), piece=kit["Coping 4 m"], name="Coping course", bend=True, up=1.2, stations=joints)
    rail = b.step("lay_course", (path_id,), piece=kit["Railing 2 m"], name="Railing", bend=True, sideways=-0.78, up=TOP)
    railing = tuple(rail.select or ())
    # a gate by the bench, and free where the beam swings and the footbridge ends
    b.step("swap_items", railing, piece=kit["Railing gate 2 m"], items=[8])
    b.step("swap_items", railing, becomes="nothing", items=[12, 13, 14, 15, 16, 17, 20, 21, 22])
    for name, piece, up in (("North wall", "Quay wall 4 m", 0.0), ("North coping", "Coping 4 m", 1.2)):
        first = b.place(kit[piece], (30.0, up, -4.0), 180.0)
        row = b.step("line_array", (first,), count=16, axis="x", spacing_by="lengths", spacing=1.0)
        b.step("rename", tuple(row.select or ()), name=name)

    for piece in ("Gate leaf", "Balance beam"):
        b.step("set_pivot", (kit[piece],), place="typed", point=(0.15, 0.0, 0.0))
    leaf = b.place(kit["Gate leaf"], (0.0, -0.9, -3.9), -70.0, "North leaf")
    beam = b.place(kit["Balance beam"], (0.0, 2.55, -3.9), 110.0, "North beam")
    # each gate turns about its hinge; the other one is its mirror image
    north = b.group("North gate", leaf, beam, pivot="first")
    image = b.step("mirror", (north,), across=("z",), about_what="point", point=(0.0, 0.0, 0.0))
    south = (image.select or [""])[0]
    for half in image.changed:
        if isinstance(half, (Group, Placement)):
            b.step("rename", (half.id,), name=f"South {half.name.split()[1]}")
    b.group("Lock gates", north, south)

    b.place(kit["Footbridge 10 m"], (11.5, TOP, 0.6), 90.0)
    house = b.place(kit["Pump house"], (2.0, 1.34, -13.0))
    first = b.place(kit["Lamp post"], (-26.0, TOP, -5.4))
    lamps = b.step("line_array", (first,), count=8, axis="x", spacing_by="metres", spacing=7.0)
    b.step("rename", tuple(lamps.select or ()), name="Lamp row")
    b.step(
        "lay_course",
        (path_id,),
        piece=kit["Bollard"],
        name="Bollards",
        fit=Fit.SPACING,
        spacing=6.0,
        sideways=-0.55,
        up=TOP,
    )

    plinth = b.step(
        "add_shape",
        shape={"kind": "cylinder", "radius": 0.9, "height": 0.7, "sides": 12},
        name="Plinth",
        surface="pale stone",
        position=(-6.5, 1.34, 10.0),
    )
    b.place(kit["Bronze heron"], (-6.5, 2.03, 10.0), 150.0)
    far = b.step("duplicate", tuple(plinth.select or ()), distance=-18.5, count=1, axis="z")
    b.step("set_pose", tuple(far.select or ()), position=(-12.0, 1.34, -8.5))
    slim = b.step("slim", (kit["Bronze heron"],), target="share", share=25.0)
    rungs = [{"kind": "share", "value": v} for v in (50.0, 25.0, 12.5, 3.0)]
    b.step("make_ladder", (kit["Bronze heron"],), rungs=rungs)
    b.place((slim.select or [""])[0], (-12.0, 2.03, -8.5), 20.0, "Heron across the water")

    b.place(kit["Steps 2 m"], (-20.0, 1.34, 17.0), 60.0)
    for k, (x, z, heading) in enumerate(((-2.5, 8.2, 170.0), (8.5, 9.5, 195.0), (-14.0, 14.0, 150.0))):
        b.place(kit["Bench"], (x, 1.34, z), heading, f"Bench {k + 1}")
    crates = [
        b.place(kit["Crate"], (x, y, z), heading)
        for x, y, z, heading in ((7.2, 1.34, -8.6, 12.0), (8.3, 1.34, -8.9, -8.0), (7.6, 2.16, -8.7, 30.0))
    ]
    b.group("Crate stack", *crates)
    for x, z in (
        (-24.0, -12.0),
        (-17.5, -16.0),
        (14.0, -15.0),
        (21.0, -10.0),
        (-26.0, 23.0),
        (12.0, 22.0),
        (3.0, 26.0),
    ):
        b.place(kit["Poplar"], (x, 1.34, z), 40.0 * x)
    b.step("place_piece", (kit["Bollard"],), position=(-24.0, TOP, -4.9))

    shape_details(b, house)
    post = b.place(kit["Lamp post"], (-10.0, 1.34, 19.5))
    ring = b.step("line_array", (post,), form="ring", count=7, radius=4.5, heading=-90.0)
    b.step("rename", tuple(ring.select or ()), name="Lamp ring")
    clump = b.place(kit["Reeds"], (-29.0, -0.05, -3.0), name="Reeds")
    more = b.step("duplicate", (clump,), distance=1.45, count=17, axis="x")
    bed = (clump, *(more.select or ()))
    b.step("scatter", bed, seed=4, offset=(0.6, 0.0, 0.35), turn=(0.0, 180.0, 0.0), smallest=0.7, largest=1.25)
    b.group("Reed bed", *bed)
    return level
