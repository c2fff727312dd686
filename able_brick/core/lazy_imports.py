"""Parts of SciPy that are loaded when something of them is first asked for.

Together they take longer to load than a project takes to open, and a server that has just been started is asked for
other things first. Who imports them from here writes what he would write otherwise.
"""

from __future__ import annotations

from importlib import import_module
from typing import TYPE_CHECKING, Any


def load() -> None:
    """Load them all now, and the compiler of kernels, so that whoever wants them first need not wait."""
    for name in ("numba", "scipy.spatial.transform", "scipy.sparse.csgraph"):
        import_module(name)


if TYPE_CHECKING:
    from scipy.sparse import csr_array as csr_array
    from scipy.sparse import vstack as vstack
    from scipy.sparse.csgraph import dijkstra as dijkstra
    from scipy.spatial import cKDTree as cKDTree
    from scipy.spatial.transform import Rotation as Rotation
else:

    class _LazyAttribute:
        """Stands for a class or a function of a module, which is imported when it is called or asked for a part."""

        def __init__(self, module: str, name: str) -> None:
            self._module = module
            self._name = name
            self._found = None

        def _loaded(self) -> Any:
            self._found = getattr(import_module(self._module), self._name)
            return self._found

        def __call__(self, *args: Any, **kwargs: Any) -> Any:
            return (self._found or self._loaded())(*args, **kwargs)

        def __getattr__(self, name: str) -> Any:
            if name.startswith("__"):
                raise AttributeError(name)
            part = self.__dict__[name] = getattr(self._loaded(), name)
            return part

    csr_array = _LazyAttribute("scipy.sparse", "csr_array")
    vstack = _LazyAttribute("scipy.sparse", "vstack")
    dijkstra = _LazyAttribute("scipy.sparse.csgraph", "dijkstra")
    cKDTree = _LazyAttribute("scipy.spatial", "cKDTree")  # noqa: N816
    Rotation = _LazyAttribute("scipy.spatial.transform", "Rotation")
