"""A folder of models slimmed by one worker and by two, as whole batches and as the pace between the first and the last
file: the start of workers is not what they do."""

from __future__ import annotations

import tempfile
import time
from pathlib import Path

from able_brick.core.files.scene import Material, Scene, ScenePart
from able_brick.core.files.write import write_file
from able_brick.jobs.batch import Progress, run_batch
from able_brick.level.recipe import Recipe
from able_brick.level.rows import RungTarget
from tests.zoo import bumpy_ball

FILES = 60
RECIPE = Recipe(name="Halves", rungs=tuple(RungTarget(kind="share", value=v) for v in (50.0, 20.0)))


def fill(folder: Path) -> None:
    for k in range(FILES):
        part = ScenePart(f"Piece {k}", bumpy_ball(70 + k % 5), (Material("stone"),))
        name = f"piece {k}.glb"
        (folder / name).write_bytes(write_file(name, Scene((part,)))[name])


def timed(source: Path, target: Path, jobs: int) -> tuple[float, float]:
    """Seconds of the whole, and files a second from the first that was done to the last."""
    seen: list[tuple[float, int]] = []

    def tell(progress: Progress) -> None:
        seen.append((time.perf_counter(), progress.done))

    start = time.perf_counter()
    run_batch(source, target, RECIPE, jobs=jobs, tell=tell)
    spent = time.perf_counter() - start
    first = next(s for s in seen if s[1] >= 5)
    last = seen[-1]
    return spent, (last[1] - first[1]) / (last[0] - first[0])


def main() -> None:
    with tempfile.TemporaryDirectory() as base:
        source = Path(base) / "in"
        source.mkdir()
        fill(source)
        one, pace = timed(source, Path(base) / "one", 1)
        two, faster = timed(source, Path(base) / "two", 2)
    print(f"Batches: {FILES} models of about 10 000 triangles, two rungs each")
    print(f"  one worker {one:.1f} s, two {two:.1f} s: {one / two:.2f} ×")
    print(f"  {pace:.1f} and {faster:.1f} files a second: {faster / pace:.2f} ×")


if __name__ == "__main__":
    main()
