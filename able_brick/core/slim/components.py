"""The parts of a mesh that hang together, and what it costs to let one go."""

from __future__ import annotations

import copy
from functools import cached_property
from typing import TYPE_CHECKING, Final, Self

import numpy as np
import numpy.typing as npt

from able_brick.core.kernel import kernel
from able_brick.core.mesh.polymesh import Bools, Floats, Ints
from able_brick.core.slim.tree import Tree, build_tree, nearest_others

if TYPE_CHECKING:
    from able_brick.core.mesh.polymesh import Indices, Ints

#: Triangles of a part from which it is looked how far it is to others, about so many at most.
_LOOKED_FROM: Final = 6
#: The share of all that might go, one in so many, that goes before it is looked at the others again.
_AT_ONCE: Final = 8
#: A part with more faces is not let go before it has become small.
_SMALL: Final = 64
#: By how many times it may cost more than what is being taken, by its size, to be worth looking at more closely.
_WORTH_CHECKING: Final = 30.0


class Components:
    """The parts (P) of a mesh: the part `of` each vertex (V), −1 for none.

    To let one go costs its area times the mean square of how far it is from the others: what remains there.
    """

    def __init__(self, of: Ints, area: Floats, size: Floats, stays: Bools, soon: Bools) -> None:
        self.of, self._area, self._size, self._stays, self._soon = of, area, size, stays, soon
        self._away, self._farthest = np.full(len(area), np.nan), np.full(len(area), np.nan)
        # parts of which the nearest of the others has gone since it was looked at them
        self._stale = np.zeros(len(area), np.bool_)
        # of all places that it was looked from: the part, and the one that is nearest there
        self._looked, self._near = np.zeros(0, np.int32), np.zeros(0, np.int32)
        guess = (area * size**2 / 12)[soon & ~stays]
        #: What an edge costs, at least, before a part is worth a look.
        self.least = 2 * float(guess.min(initial=np.inf)) / (_WORTH_CHECKING * _SMALL)

    @classmethod
    def found(cls, pos: Floats, tri: Ints, kept: Bools, border: Bools) -> Self | None:
        """The parts of triangles; None where there is one. Parts with vertices that are kept, and the largest one, stay
        for good; those with borders, which may be cards that cover much, as long as anything else can be taken."""
        of, count = labels(tri, len(pos))
        if count < 2:
            return None
        label = of[tri[:, 0]]
        a, b, c = (pos[tri[:, k]] for k in range(3))
        area = np.bincount(label, np.linalg.norm(np.cross(b - a, c - a), axis=1) / 2, count)
        low, high = np.full((count, 3), np.inf), np.full((count, 3), -np.inf)
        used = np.flatnonzero(of >= 0)
        np.minimum.at(low, of[used], pos[used])
        np.maximum.at(high, of[used], pos[used])
        size = np.linalg.norm(high - low, axis=1)
        stays, soon = np.zeros(count, np.bool_), np.ones(count, np.bool_)
        stays[np.argmax(area * size * size)] = True
        stays[of[kept & (of >= 0)]] = True
        soon[of[border & (of >= 0)]] = False
        return cls(of, np.asarray(area, np.float64), size, stays, soon)

    def among(self, left: Ints) -> Self:
        """Them, where only some vertices are left."""
        out = self.copied()
        out.of = self.of[left]
        return out

    def copied(self) -> Self:
        """Others that can go on from here by themselves."""
        out = copy.copy(self)
        for name in ("_away", "_farthest", "_stale"):
            setattr(out, name, getattr(self, name).copy())
        return out

    def to_let_go(
        self, pos: Floats, tri: Ints, fixed: Bools, surplus: int, taken: float | None, limit: float, rounds: int = 1
    ) -> tuple[Ints, Floats, Ints]:
        """The parts (n) that may go, in their order, with the cost (n) and the faces (n) of each: those that cost less,
        for the faces that they have, than what an edge has cost that was `taken`; all, the cheapest first, where
        nothing can be taken. None is farther than the limit from the others. Together they have no more faces than the
        surplus, but where nothing else can be. Some go at once, and are looked at as gone in so many `rounds`."""
        faces = np.bincount(self.of[tri[:, 0]], minlength=len(self._area))
        kept = np.zeros(len(self._area), np.bool_)
        kept[self.of[fixed & (self.of >= 0)]] = True
        others = _Others(pos, tri, self.of[tri[:, 0]])
        every: list[Ints] = []
        costs = [np.zeros(0)]
        while len(every) < rounds and surplus > 0:
            chosen, cost = self._next(others, faces, kept, surplus, taken, limit)
            if not len(chosen):
                break
            every.append(chosen)
            costs.append(cost)
            surplus -= int(faces[chosen].sum())
            kept[chosen] = True
            others.leave(chosen)
        gone = np.concatenate([np.zeros(0, np.int32), *every])
        return gone, np.concatenate(costs), faces[gone].astype(np.int32)

    def _next(
        self, others: _Others, faces: npt.NDArray[np.intp], kept: Bools, surplus: int, taken: float | None, limit: float
    ) -> tuple[Ints, Floats]:
        """Those that go next, and the cost of each."""
        may = (faces > 0) & ~self._stays & ~kept
        if taken is not None:
            guess = self._area * self._size**2 / 12
            may &= self._soon & (faces <= min(_SMALL, surplus)) & (2 * guess <= _WORTH_CHECKING * taken * faces)
        some = np.flatnonzero(may)
        self._look(others, some[np.isnan(self._away[some])])
        while True:
            chosen, cost = self._cheapest(some, faces, taken, limit)
            old = chosen[self._stale[chosen]]
            if not len(old):
                break
            self._look(others, old)
        before = np.cumsum(faces[chosen]) - faces[chosen]
        within = before < surplus if taken is None else before + faces[chosen] <= surplus
        chosen = chosen[within]
        self._stale[self._looked[np.isin(self._near, chosen)]] = True
        return chosen.astype(np.int32), cost[within]

    def _cheapest(
        self, some: npt.NDArray[np.intp], faces: npt.NDArray[np.intp], taken: float | None, limit: float
    ) -> tuple[npt.NDArray[np.intp], Floats]:
        """Those of some parts that may go first, in order, and the cost of each. Where what was near to one has gone
        since it was looked at, it costs no less than that."""
        some = some[self._farthest[some] <= limit * limit]
        cost = self._area[some] * self._away[some]
        if taken is not None:
            good = 2 * cost <= taken * faces[some]
            some, cost = some[good], cost[good]
        # only some at once: what goes may have been what others were near to
        order = np.lexsort((cost, ~self._soon[some]))[: max(1, len(some) // _AT_ONCE)]
        return some[order], cost[order]

    def _look(self, others: _Others, unknown: npt.NDArray[np.intp]) -> None:
        """See how far parts are from others."""
        if not len(unknown):
            return
        which = np.zeros(len(self._area), np.bool_)
        which[unknown] = True
        own, far, near = others.seen_from(which)
        old = ~which[self._looked]
        self._looked, self._near = np.concatenate([self._looked[old], own]), np.concatenate([self._near[old], near])
        mean = np.bincount(own, far, len(self._area)) / np.bincount(own, minlength=len(self._area)).clip(1)
        most = np.zeros(len(self._area))
        np.maximum.at(most, own, far)
        self._away[unknown], self._farthest[unknown] = mean[unknown], most[unknown]
        self._stale[unknown] = False


class _Others:
    """The triangles of all parts as they are now, with the part of each (T)."""

    def __init__(self, pos: Floats, tri: Ints, label: Ints) -> None:
        self._pos, self._tri, self._label = pos, tri, label

    @cached_property
    def _tree(self) -> tuple[Tree, Floats, Ints]:
        soup = self._pos[self._tri]
        tree = build_tree(soup)
        return tree, soup[tree[0]], self._label[tree[0]]

    def leave(self, gone: Ints) -> None:
        """Some parts are no longer there."""
        cached = self.__dict__.get("_tree")
        for label in (self._label,) if cached is None else (self._label, cached[2]):
            label[np.isin(label, gone)] = -1

    def seen_from(self, which: Bools) -> tuple[Ints, Floats, Ints]:
        """Places all over some of the parts (P): the part (n) that each is on, the squared distance (n) to the others,
        and which of them (n) is nearest there."""
        count = np.bincount(self._label + 1, minlength=len(which) + 1)[1:]
        looked = np.flatnonzero((self._label >= 0) & which[self._label])
        looked = looked[np.argsort(self._label[looked], kind="stable")]
        label = self._label[looked]
        ends = np.cumsum(np.where(which, count, 0))
        place = np.arange(len(looked)) - (ends - count)[label]
        chosen = looked[place % np.maximum(1, count // _LOOKED_FROM)[label] == 0]
        corners = self._pos[self._tri[chosen]]
        mids = (corners + np.roll(corners, 1, axis=1)) / 2
        points = np.concatenate([corners, mids, corners.mean(axis=1, keepdims=True)], axis=1).reshape(-1, 3)
        own = np.repeat(self._label[chosen], 7)
        (_, low, high, child), soup, of = self._tree
        far, near = nearest_others(points, own, soup, of, low, high, child)
        return own, far, near


@kernel
def labels(tri: Indices, count: int) -> tuple[Ints, int]:
    """(V) the number of the part that each vertex is in, −1 for those of no triangle; how many parts there are."""
    root = np.arange(count).astype(np.int32)
    for f in range(len(tri)):
        a = tri[f, 0]
        while root[a] != a:
            root[a] = root[root[a]]
            a = root[a]
        for k in range(1, 3):
            b = tri[f, k]
            while root[b] != b:
                root[b] = root[root[b]]
                b = root[b]
            if a < b:
                root[b] = a
            elif b < a:
                root[a] = b
                a = b
    number = np.full(count, -1, np.int32)
    out = np.full(count, -1, np.int32)
    n = 0
    for f in range(len(tri)):
        for k in range(3):
            v = tri[f, k]
            if out[v] >= 0:
                continue
            r = v
            while root[r] != r:
                root[r] = root[root[r]]
                r = root[r]
            if number[r] < 0:
                number[r] = n
                n += 1
            out[v] = number[r]
    return out, n
