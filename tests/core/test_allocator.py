"""Memory of a server that many short-lived threads work in."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path

import pytest

HEAPS = """
import ctypes, sys, threading
from able_brick.core.allocator import limit_arenas

libc = ctypes.CDLL(None)
libc.malloc.restype = libc.fopen.restype = ctypes.c_void_p
limited = limit_arenas() if sys.argv[2] == "limited" else True
together = threading.Barrier(12)

def work():
    together.wait()
    block = libc.malloc(ctypes.c_size_t(2000))
    together.wait()
    libc.free(ctypes.c_void_p(block))

threads = [threading.Thread(target=work) for _ in range(12)]
for t in threads: t.start()
for t in threads: t.join()
stream = ctypes.c_void_p(libc.fopen(sys.argv[1].encode(), b"w"))
libc.malloc_info(0, stream)
libc.fclose(stream)
print(limited)
"""


@pytest.mark.skipif(not sys.platform.startswith("linux"), reason="glibc alone has arenas")
def test_threads_share_two_heaps(tmp_path: Path) -> None:
    heaps = {}
    for how in ("limited", "as it is"):
        told = tmp_path / how
        ran = subprocess.run([sys.executable, "-c", HEAPS, str(told), how], capture_output=True, text=True, check=True)
        if ran.stdout.strip() == "False":
            pytest.skip("this C library has no arenas")
        heaps[how] = told.read_text().count("<heap ")
    assert heaps["limited"] <= 2 < heaps["as it is"]


def test_the_server_limits_its_heaps_first(monkeypatch: pytest.MonkeyPatch) -> None:
    from able_brick import cli

    class LimitedError(Exception):
        pass

    def limited() -> None:
        raise LimitedError

    monkeypatch.setattr(cli, "limit_arenas", limited)
    with pytest.raises(LimitedError):
        cli.serve()
