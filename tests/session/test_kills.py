"""A few of the kills that `python -m tests.session.kills` tries by the hundred."""

from __future__ import annotations

import subprocess
import sys

from tests.thorough import by_day

KILLS = by_day("6", "12")


def test_nothing_acknowledged_is_lost_when_the_power_fails() -> None:
    # in a process of its own: it forks, and the tests' process has threads
    done = subprocess.run(
        [sys.executable, "-W", "error", "-m", "tests.session.kills", "--kills", KILLS, "--seed", "7"],
        capture_output=True,
        text=True,
    )
    assert done.returncode == 0, done.stdout + done.stderr
    assert f"{KILLS} kills" in done.stdout
