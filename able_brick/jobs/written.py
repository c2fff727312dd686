"""What a batch may write: files below its folder that it has written itself, or that are not there yet.

Beside the files that it writes a batch keeps what it knows in a folder of its own: for each model a record of what
came of it, and before that a plan of what is about to be written, so that what was cut off is known as its own.
"""

from __future__ import annotations

import hashlib
import json
import os
from collections.abc import Iterable, Mapping
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Final
from uuid import uuid4

from able_brick.core.errors import FileError
from able_brick.core.files.write import WRITTEN

#: Where a batch remembers what it has done, inside the folder that it writes to.
RECORDS: Final = ".able-brick-batch"
REPORTS: Final = ("report.json", "report.csv")
_HALVES: Final = "halves"
_CLAIMS: Final = "claims"
_REPORTED: Final = "reports"


def digest(name: str) -> str:
    """A short name for a long one."""
    return hashlib.blake2b(name.encode("utf-8", "surrogateescape"), digest_size=16).hexdigest()


@dataclass(frozen=True)
class Written:
    """The folder that a batch writes to, resolved, the one that it reads, and the run of the batch that it is."""

    target: Path
    source: Path
    run: str
    replace: bool = False

    # -- what came of a model -

    def record_of(self, path: str) -> Path:
        """Where it is remembered what came of a model."""
        name = digest(path)
        return self.target / RECORDS / name[:2] / f"{name}.json"

    def report_of(self, path: str, content: str) -> dict[str, Any] | None:
        """What came of a model before, where it was the same, and its files are there still."""
        with suppress(OSError, ValueError, KeyError, TypeError):
            found = json.loads(self.record_of(path).read_bytes())
            report: dict[str, Any] = found["report"]
            if found["content"] == content and all((self.target / f).is_file() for f in report["files"]):
                return report
        return None

    def own(self, path: str) -> set[str]:
        """Names of all files that were written for a model, or were about to be."""
        record = self.record_of(path)
        out: set[str] = set()
        for file in (record, record.with_suffix(".plan")):
            with suppress(OSError, ValueError, KeyError, TypeError, AttributeError):
                found = json.loads(file.read_bytes())
                out |= {str(f) for f in found.get("wrote") or found["report"]["files"]}
        return out

    # -- may it be written -

    def fault(self, name: str) -> str | None:
        """Why a file may not be written under a name, whatever is there; None where it may."""
        path = (self.target / name).resolve()
        if not path.is_relative_to(self.target):
            return f"{name} would be written outside of {self.target}, through a link"
        inside = self.target.is_relative_to(self.source)
        if path.is_relative_to(self.source) and not inside:
            return f"{name} would be written into the folder that is read"
        return None

    def foreign(self, path: str, names: Iterable[str]) -> list[str]:
        """Those of the names under which there is something that was not written for this model."""
        there = [name for name in names if os.path.lexists(self.target / name)]
        own = self.own(path) if there else set()
        return [name for name in there if name not in own]

    def claim(self, path: str, sums: Mapping[str, str | None]) -> None:
        """Have names for a model, in this run; with the checksums of what is written there. Raises FileError where
        another model has one of them; but a picture may belong to several."""
        for name, content_sum in sums.items():
            claim = self._own_folder(_CLAIMS) / digest(name)
            mine = json.dumps([path, content_sum]).encode()
            try:
                self._made_at_once(claim, mine)
            except FileExistsError:
                with suppress(OSError, ValueError):
                    other, theirs = json.loads(claim.read_bytes())
                    shared = Path(name).suffix.lower() not in WRITTEN and theirs is not None and theirs == content_sum
                    if other != path and not shared:
                        raise FileError(
                            f"{name} was written for {other} already; put {{name}}, {{folder}} or {{ext}} into the "
                            "pattern.",
                            place="pattern",
                        ) from None

    def _made_at_once(self, file: Path, data: bytes) -> None:
        """A small file with all that is in it, so that nobody reads half of it. Raises FileExistsError where it is
        there already."""
        half = file.with_name(f"{file.name}-{uuid4().hex}")
        half.write_bytes(data)
        try:
            os.link(half, file)
        except FileExistsError:
            raise
        except OSError:  # a file system without links
            with os.fdopen(os.open(file, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o644), "wb", buffering=0) as made:
                made.write(data)
        finally:
            half.unlink(missing_ok=True)

    def check(self, path: str, files: Mapping[str, bytes]) -> None:
        """Claim the names of a model's files. Raises FileError for those under which nothing may be written."""
        sums = {name: sum_of(data) for name, data in files.items()}
        for name in files:
            fault = self.fault(name)
            if fault is not None:
                raise FileError(f"{fault}; nothing was written.", place="target")
        self.claim(path, sums)
        foreign = [] if self.replace else self.foreign(path, files)
        foreign = [name for name in foreign if sum_at(self.target / name) != sums[name]]
        if foreign:
            raise FileError(
                f"{foreign[0]} is there already and was not written by this batch; move it away, or ask for it to be "
                "replaced.",
                place="target",
            )

    def claim_again(self, path: str, names: Iterable[str]) -> None:
        """Claim the names of files that were written before."""
        self.claim(path, {name: sum_at(self.target / name) for name in names})

    # -- writing -

    def put(self, path: str, files: Mapping[str, bytes], content: str, report: dict[str, Any]) -> None:
        """Write the files of a model, each whole or not at all, and remember what came of it."""
        record = self.record_of(path)
        wrote = sorted(self.own(path) | files.keys())
        plan = record.with_suffix(".plan")
        self._whole(plan, json.dumps({"path": path, "wrote": wrote}).encode())
        for name, data in files.items():
            self._whole(self.target / name, data)
        kept = {"path": path, "content": content, "report": report, "wrote": wrote}
        self._whole(record, json.dumps(kept).encode())
        plan.unlink(missing_ok=True)

    def _whole(self, path: Path, data: bytes) -> None:
        """The file, or nothing of it: what is cut off leaves no half. A link under its name is replaced itself."""
        path.parent.mkdir(parents=True, exist_ok=True)
        half = self._own_folder(_HALVES) / digest(str(path))
        try:
            half.write_bytes(data)
            half.replace(path)
        except BaseException:
            with suppress(OSError):
                half.unlink()
            raise

    def _own_folder(self, name: str) -> Path:
        folder = self.target / RECORDS / f"{name}-{self.run}"
        folder.mkdir(parents=True, exist_ok=True)
        return folder

    # -- reports -

    def foreign_reports(self) -> list[str]:
        """The reports that are there and were not written by a batch."""
        record: dict[str, Any] | None = None
        with suppress(OSError, ValueError):
            record = dict(json.loads((self.target / RECORDS / _REPORTED).read_bytes()))
        out = []
        for name in REPORTS:
            file = self.target / name
            if not os.path.lexists(file):
                continue
            # before there was such a note, a folder with records had reports of ours
            ours = record.get(name) == sum_at(file) if record is not None else self._has_records()
            if not ours or file.is_symlink():
                out.append(name)
        return out

    def _has_records(self) -> bool:
        return any((self.target / RECORDS).glob("*/*.json"))

    def half_report(self, name: str) -> Path:
        """Where a report is written until it is whole."""
        return self._own_folder(_HALVES) / f"{name}.half"

    def put_reports(self) -> None:
        """Give the reports their names."""
        sums = {}
        for name in REPORTS:
            half = self.half_report(name)
            sums[name] = sum_at(half)
            half.replace(self.target / name)
        self._whole(self.target / RECORDS / _REPORTED, json.dumps(sums).encode())

    def tidy(self) -> None:
        """Remove what this run needed while it went on."""
        for name in (_HALVES, _CLAIMS):
            _remove(self.target / RECORDS / f"{name}-{self.run}")

    def tidy_after_others(self) -> None:
        """Remove what runs left behind that were killed a day or more ago."""
        import time

        with suppress(OSError):
            for folder in (self.target / RECORDS).iterdir():
                old = time.time() - folder.stat().st_mtime > 86_400
                if old and folder.name.startswith((f"{_HALVES}-", f"{_CLAIMS}-")):
                    _remove(folder)


def sum_of(data: bytes) -> str:
    """A checksum."""
    return hashlib.blake2b(data, digest_size=16).hexdigest()


def sum_at(file: Path) -> str | None:
    """The checksum of an ordinary file; None for what is none."""
    with suppress(OSError):
        if file.is_file() and not file.is_symlink():
            return sum_of(file.read_bytes())
    return None


def _remove(folder: Path) -> None:
    """Remove a folder that holds nothing but files."""
    with suppress(OSError):
        for file in folder.iterdir():
            file.unlink(missing_ok=True)
        folder.rmdir()
