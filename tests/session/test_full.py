"""A disk that is full, as `python -m tests.session.full` has it."""

from __future__ import annotations

import json
import subprocess
import sys


def test_what_does_not_fit_on_the_disk_is_told_and_nothing_is_lost() -> None:
    # in a process of its own: the limit is for all of it
    command = [sys.executable, "-m", "tests.session.full"]
    done = subprocess.run(command, capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stdout + done.stderr
    came = json.loads(done.stdout.splitlines()[-1])
    for what in ("step", "import", "export", "backup", "copy", "slim", "upgrade"):
        assert came.get(f"{what} told", 0) > 0, f"{what} had room at every limit: {came}"
        assert came.get(f"{what} done", 0) > 0, f"{what} had room at none: {came}"
