"""What is compiled before the first start."""

from __future__ import annotations

import subprocess
import sys

#: In a process of its own, where no other test has compiled anything. A kernel that others call is part of them.
_LOOK = """
import importlib, pkgutil
import able_brick.core
from able_brick import warm
from able_brick.core.kernel import Kernel
warm.shaping(), warm.courses(), warm.paths(), warm.files()
found = set()
for module in pkgutil.walk_packages(able_brick.core.__path__, "able_brick.core."):
    found |= {v for v in vars(importlib.import_module(module.name)).values() if isinstance(v, Kernel)}
called = {name for k in found for name in k._function.__code__.co_names}
cold = [k.__name__ for k in found if k.__name__ not in called and not (k._compiled and k._compiled.signatures)]
print(len(found) - len(cold), sorted(cold))
"""


def test_every_kernel_is_made_ready() -> None:
    told = subprocess.run([sys.executable, "-c", _LOOK], capture_output=True, text=True, check=True).stdout
    ready, cold = told.split(maxsplit=1)
    assert cold.strip() == "[]"
    assert int(ready) > 100
