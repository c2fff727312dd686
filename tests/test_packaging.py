"""A wheel has the web app in it, and who installs one is told once that kernels are compiled."""

from __future__ import annotations

import shutil
import subprocess
import sys
import zipfile
from pathlib import Path

import pytest

from able_brick import warm, warmed

ROOT = Path(__file__).parents[1]
BUILD = "from setuptools import build_meta; print(build_meta.build_wheel({!r}))"


@pytest.mark.parametrize("built", [False, True])
def test_a_wheel_without_the_web_app_is_refused(tmp_path: Path, built: bool) -> None:
    work = tmp_path / "work"
    (work / "able_brick").mkdir(parents=True)
    for name in ("pyproject.toml", "setup.py", "README.md", "LICENSE"):
        shutil.copy(ROOT / name, work / name)
    for file in (ROOT / "able_brick").glob("*.py"):
        shutil.copy(file, work / "able_brick")
    if built:
        page = work / "able_brick" / "web_dist" / "index.html"
        page.parent.mkdir()
        page.write_text("<title>Able Brick</title>")
    out = tmp_path / "out"
    out.mkdir()
    done = subprocess.run(
        [sys.executable, "-c", BUILD.format(str(out))], cwd=work, capture_output=True, text=True, check=False
    )
    wheels = list(out.glob("*.whl"))
    if not built:
        assert done.returncode != 0
        assert "The web app is not built" in done.stderr
        assert not wheels
        return
    assert done.returncode == 0, done.stderr
    assert "able_brick/web_dist/index.html" in zipfile.ZipFile(wheels[0]).namelist()


def test_kernels_are_compiled_once_and_that_is_told(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    said: list[str] = []
    warmed_up: list[int] = []

    def compile_all(tell: object) -> None:
        warmed_up.append(1)
        tell(1, 2)  # type: ignore[operator]

    marks = [tmp_path / "file" / "kernels-0123456789abcdef", tmp_path / "temp" / "kernels-0123456789abcdef"]
    (tmp_path / "file").write_text("a folder that cannot be written to")
    (tmp_path / "temp").mkdir()
    monkeypatch.setattr(warmed, "_marks", lambda: marks)
    monkeypatch.setattr(warm, "warm_kernels", compile_all)
    for _ in range(3):
        warmed.warm_once(said.append)
    assert len(warmed_up) == 1
    assert len(said) == 2
    assert "about a minute" in said[0]
    assert marks[1].exists()
