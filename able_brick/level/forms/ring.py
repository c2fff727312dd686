"""Items round a centre."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np

from able_brick.core.errors import InputError
from able_brick.core.mesh.polymesh import Floats
from able_brick.core.place.copies import MOST_ITEMS
from able_brick.core.place.pose import vector
from able_brick.core.place.repeats import Motions, ring
from able_brick.core.text import counted
from able_brick.level.forms.form import End, Form, asked, line_end, setting


def _beside(k: int) -> tuple[Floats, Floats]:
    """Two unit vectors (3,) beside axis k: angles about it count from the first to the second."""
    eye = np.eye(3)
    return {0: (eye[1], eye[2]), 1: (eye[0], -eye[2]), 2: (eye[0], eye[1])}[k]


class Ring(Form):
    """Items about an axis through a centre `radius` metres away, toward `heading`, over `sweep` degrees."""

    form_name = "ring"
    centred = True

    ring_about: Literal["x", "y", "z"] = setting("y", "About", "The piece's own axis that the ring goes about")
    radius: Annotated[float, asked(step=0.25, ge=0, le=100_000)] = setting(
        4.0, "Radius", "From the centre to the items", "m"
    )
    heading: Annotated[float, asked(step=15, ge=-360, le=360)] = setting(
        0.0, "Centre toward", "Where the centre is, from the first item: an angle about the axis", "°"
    )
    sweep: Annotated[float, asked(step=15, ge=-360, le=360)] = setting(
        360.0, "Sweep", "How much of the circle; 360 is all of it", "°"
    )
    turned: bool = setting(True, "Turn items", "Items turn with the circle")

    @property
    def _about(self) -> int:
        return "xyz".index(self.ring_about)

    @property
    def toward(self) -> Floats:
        """The direction (3,) from the first item to the centre, as that item sees it."""
        a, b = _beside(self._about)
        angle = np.radians(self.heading)
        out: Floats = a * np.cos(angle) + b * np.sin(angle)
        return out

    @property
    def centre(self) -> Floats:
        """The centre (3,), as the first item sees it, metres."""
        out: Floats = self.toward * self.radius
        return out

    @property
    def _whole(self) -> bool:
        return abs(abs(self.sweep) - 360.0) < 1e-9

    def with_centre(self, centre: Floats) -> dict[str, object]:
        a, b = _beside(self._about)
        x, y = float(a @ np.asarray(centre)), float(b @ np.asarray(centre))
        return {"radius": float(np.hypot(x, y)), "heading": float(np.degrees(np.arctan2(y, x))) + 0.0}

    def motions(self, extent: Floats) -> Motions:
        sweep = float(np.radians(self.sweep))
        return ring(self.count, self.centre, self._about, sweep=sweep, turned=self.turned)

    def ends(self, extent: Floats, grid: float) -> list[End]:
        """The radius by its centre, the count along its circle, and how much of the circle by the last item."""
        centre = self.centre
        radius = float(np.linalg.norm(centre))
        axis = np.eye(3)[self._about]
        toward = centre / radius if radius > 0 else self.toward
        out = [
            line_end("radius", "Radius", centre, toward, self.radius, 1.0, least=0.01, most=1e5, step=0.25, unit="m")
        ]
        parts = self.count if self._whole else max(self.count - 1, 1)
        angle = np.radians(self.sweep) / parts * (self.count - 1)
        outward = -centre
        side = np.cross(axis, outward)
        last = centre + outward * np.cos(angle) + side * np.sin(angle)
        if self._whole:  # across from the first item, where the handles are not
            angle = np.pi
        tangent = (side * np.cos(angle) - outward * np.sin(angle)) * np.sign(self.sweep)
        if not radius > 1e-9:
            return out
        tangent = tangent / radius
        base = centre + outward * np.cos(angle) + side * np.sin(angle)
        pitch = max(radius * abs(np.radians(self.sweep)) / parts, 1e-6)
        tab = base + tangent * pitch / 2
        counts = {"least": 1, "most": MOST_ITEMS, "step": 1, "unit": "", "base": vector(base)}
        out.append(line_end("count", "Items", tab, tangent, self.count, 1 / pitch, **counts))
        if not self._whole and self.count > 1:
            low, high = (1.0, 359.0) if self.sweep > 0 else (-359.0, -1.0)
            angles = {"least": low, "most": high, "step": 5.0, "unit": "°", "base": vector(centre), "turn": True}
            out.append(line_end("sweep", "Sweep", last, axis, self.sweep, 1.0, **angles))
        return out

    def summary(self, extent: Floats) -> str:
        if self.sweep == 0:
            raise InputError("A sweep of 0° has no room for more than one item; give an angle.", field="sweep")
        how = "round the whole circle" if abs(self.sweep) == 360 else f"over {self.sweep:g}°"
        return f"{counted(self.total, 'item', 'items')} {how}, radius {self.radius:.2f} m"

    def scaled(self, own: Floats) -> dict[str, object]:
        return self.with_centre(self.centre * own)

    def turned_over(self, across: int) -> dict[str, object]:
        over = np.ones(3)
        over[across] = -1.0
        out = self.with_centre(self.centre * over)
        if "xyz"[across] != self.ring_about:  # it goes the other way round
            out["sweep"] = -self.sweep
        return out

    def pivot_moved(self, away: Floats) -> dict[str, object]:
        return self.with_centre(self.centre + away)  # the centre stays where it is
