"""Fails when the API's description or the types made from it are older than the code."""

import subprocess
import sys
from pathlib import Path
from tempfile import TemporaryDirectory

ROOT = Path(__file__).parents[1]
description = subprocess.run(
    [sys.executable, "-m", "able_brick.cli", "openapi"], capture_output=True, text=True, check=True, cwd=ROOT
).stdout
if description != (ROOT / "docs/openapi.json").read_text():
    sys.exit("docs/openapi.json is old: run `make openapi` and commit what it changes.")
with TemporaryDirectory() as folder:
    made = Path(folder) / "schema.ts"
    subprocess.run(
        ["npx", "openapi-typescript", "../docs/openapi.json", "-o", str(made)],
        check=True,
        cwd=ROOT / "web",
        capture_output=True,
    )
    if made.read_text() != (ROOT / "web/src/api/schema.generated.ts").read_text():
        sys.exit("web/src/api/schema.generated.ts is old: run `make openapi` and commit what it changes.")
print("API description and types are fresh.")
