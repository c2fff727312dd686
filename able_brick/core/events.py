"""What happens, as one line each for whoever runs the program: JSON, with times and names, and no contents."""

from __future__ import annotations

import json
import logging
import time
from typing import Any, Final

_LOG: Final = logging.getLogger("able_brick.events")
#: What takes longer than so many milliseconds is logged as a warning.
SLOW: Final = 1000.0


def event(what: str, *, level: int = logging.INFO, ms: float | None = None, **facts: Any) -> None:
    """Tell that something happened: `what`, with facts about it that hold nothing of what artists make. `ms` is how
    long it took: what takes long is logged as a warning."""
    if ms is not None and ms > SLOW and level < logging.WARNING:
        level, facts = logging.WARNING, {**facts, "slow": True}
    if not _LOG.isEnabledFor(level):
        return
    fields = {"event": what, **{k: v for k, v in facts.items() if v is not None}}
    if ms is not None:
        fields["ms"] = round(ms, 1)
    _LOG.log(level, "%s", json.dumps(fields, default=str))


class Lines(logging.Formatter):
    """Each record as a line of JSON: its time in UTC, its level, and what happened or the text."""

    def format(self, record: logging.LogRecord) -> str:
        at = time.strftime("%Y-%m-%dT%H:%M:%S", time.gmtime(record.created)) + f".{int(record.msecs):03d}Z"
        head = {"time": at, "level": record.levelname.lower()}
        if record.name == _LOG.name:
            return json.dumps({**head, **json.loads(record.getMessage())})
        fields: dict[str, str] = {**head, "event": "log", "logger": record.name, "text": record.getMessage()}
        if record.exc_info:
            fields["trace"] = self.formatException(record.exc_info)
        return json.dumps(fields)


def set_up(level: str, file: str | None) -> None:
    """Have lines written to the standard error output, and to a file as well where one is named: ten megabytes at most,
    with the five before it. Raises OSError where the file cannot be written."""
    handlers: list[logging.Handler] = [logging.StreamHandler()]
    if file is not None:
        from logging.handlers import RotatingFileHandler

        handlers.append(RotatingFileHandler(file, maxBytes=10 * 2**20, backupCount=5, encoding="utf-8"))
    for handler in handlers:
        handler.setFormatter(Lines())
    logging.basicConfig(level=logging.WARNING, handlers=handlers, force=True)
    logging.getLogger("able_brick").setLevel(level.upper())
