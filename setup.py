"""What a wheel needs beside the metadata in pyproject.toml: the web app, built."""

from pathlib import Path

from setuptools import setup
from setuptools.command.build_py import build_py
from setuptools.errors import SetupError


class BuildWithWeb(build_py):
    """Copies the package, and refuses to make a wheel that has no page to serve."""

    def run(self) -> None:
        page = Path(__file__).parent / "able_brick" / "web_dist" / "index.html"
        if not self.editable_mode and not page.exists():
            raise SetupError("The web app is not built; run `make setup` before a wheel is made.")
        super().run()


setup(cmdclass={"build_py": BuildWithWeb})
