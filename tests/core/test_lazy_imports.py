"""What takes long to load is loaded when it is first wanted, once, and does then what it would have done anyway."""

from __future__ import annotations

import subprocess
import sys
import threading

import numpy as np
from scipy.spatial import transform

from able_brick.core.kernel import inline_kernel, kernel
from able_brick.core.lazy_imports import Rotation
from able_brick.core.mesh.hull import on_hull

_SLOW = ("numba", "llvmlite", "scipy", "alembic", "distributed")


@inline_kernel
def _double(x):  # type: ignore[no-untyped-def]
    return 2 * x


@kernel
def _next(x):  # type: ignore[no-untyped-def]
    """The one after its double."""
    return _double(x) + 1


@kernel
def _summed(values):  # type: ignore[no-untyped-def]
    total = 0
    for k in range(len(values)):
        total += _next(values[k])
    return total


def test_a_server_loads_nothing_slow_before_it_is_wanted() -> None:
    code = f"import able_brick.cli, able_brick.api.app, sys; print([m for m in {_SLOW} if m in sys.modules])"
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, timeout=60, check=True)
    assert done.stdout.strip() == "[]"


def test_kernels_call_kernels_and_keep_their_names() -> None:
    assert _summed(np.arange(5)) == sum(2 * k + 1 for k in range(5))
    assert (_next(3), _next(0.25), _next.__name__, _next.__doc__) == (7, 1.5, "_next", "The one after its double.")
    assert len(_next.signatures) == 2  # once for whole numbers and once for others


def test_threads_that_call_a_kernel_at_once_share_what_is_made_ready() -> None:
    @kernel
    def fresh(x):  # type: ignore[no-untyped-def]
        return x * x

    together, made, told = threading.Barrier(4), [], []

    def call() -> None:
        together.wait()
        told.append(fresh(7))
        made.append(fresh._ready())

    threads = [threading.Thread(target=call) for _ in range(4)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert told == [49] * 4
    assert len(set(map(id, made))) == 1


def test_what_stands_for_a_class_makes_the_same_things() -> None:
    turn = Rotation.from_rotvec([0.0, 0.5, 0.0])
    assert type(turn) is transform.Rotation
    assert Rotation.identity().magnitude() == 0.0


def test_a_hull_is_told_where_there_is_one() -> None:
    square = np.array([[0.0, 0.0], [1.0, 0.0], [1.0, 1.0], [0.0, 1.0], [0.5, 0.5]])
    found = on_hull(square)
    assert found is not None and sorted(found.tolist()) == [0, 1, 2, 3]
    ring = square[found]
    after = np.roll(ring, -1, axis=0)
    assert np.sum(ring[:, 0] * after[:, 1] - after[:, 0] * ring[:, 1]) > 0  # counter-clockwise
    assert on_hull(square[:2]) is None
    assert on_hull(np.outer(np.arange(9.0), [1.0, 2.0])) is None
