"""One tree of errors. Each has a closed `code`, data fields, and a text that says what to do."""

from __future__ import annotations

from typing import ClassVar


class AbleBrickError(Exception):
    """Base of everything Able Brick raises on purpose.

    `code` is a closed word for programs; `str(error)` is for the artist; `data` holds the
    received and the allowed values as plain JSON types.
    """

    code: ClassVar[str] = "error"

    def __init__(self, text: str, **data: object) -> None:
        super().__init__(text)
        self.data: dict[str, object] = data


class GeometryError(AbleBrickError):
    """The geometry asked for cannot exist."""

    code = "geometry"


class UnsoundError(GeometryError):
    """What would come of an operation is no sound mesh."""

    code = "unsound"


class FileError(AbleBrickError):
    """A file cannot be read as what it claims to be."""

    code = "file"


class InputError(AbleBrickError):
    """A request's own values are wrong."""

    code = "input"


class UnknownIdError(AbleBrickError):
    """Something is named that is not there (any more)."""

    code = "unknown_id"


class SelectionError(AbleBrickError):
    """The selection does not suit the tool."""

    code = "selection"


class StaleRevisionError(AbleBrickError):
    """The level has moved on since the caller last looked."""

    code = "stale_revision"


class StaleElementsError(AbleBrickError):
    """What was picked is of a mesh that the piece has not any more."""

    code = "stale_elements"


class HistoryError(AbleBrickError):
    """Nothing to undo, redo or adjust."""

    code = "history"


class BusyError(AbleBrickError):
    """More is asked for at once than is answered."""

    code = "busy"


class StorageError(AbleBrickError):
    """The project file cannot be opened or written."""

    code = "storage"


class ClosedError(StorageError):
    """The project file has been closed meanwhile."""

    code = "closed"


class OtherProjectError(AbleBrickError):
    """A request is meant for another project than the one that is open."""

    code = "other_project"


class WorkRunningError(AbleBrickError):
    """A project cannot be closed yet, as something is being worked on."""

    code = "work_running"
