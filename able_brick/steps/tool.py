"""What every tool is: a frozen, tagged model that can be applied to a draft, and that describes itself to the cards."""

# annotations are not kept as text here: they would be worked out again for each of a hundred tools
from typing import ClassVar, Literal

from pydantic import BaseModel, ConfigDict

from able_brick.core.edit.element_types import ElementType
from able_brick.core.errors import SelectionError
from able_brick.level.rows import KIND_WORDS, Kind
from able_brick.level.snapshot import ARow
from able_brick.steps.draft import Draft

Verb = Literal[
    "Make", "Place", "Copy", "Lay", "Add form", "Divide", "Move", "Join and part", "Facets", "Slim", "Keep"
]  # fmt: skip
Stage = Literal["kit", "build", "shape", "slim", "ship"]


class Need(BaseModel):
    """What must be selected: kinds, and how many of them.

    `having` are settings of which one must be given where a row may have them: the tool is only offered then, and says
    itself what is missing.
    """

    model_config = ConfigDict(frozen=True)

    kinds: tuple[Kind, ...] = ()
    least: int = 0
    most: int | None = None
    having: tuple[str, ...] = ()

    @property
    def asks(self) -> str:
        """What to select."""
        words = [KIND_WORDS[k] for k in self.kinds]
        listed = ", ".join(words[:-1]) + " or " + words[-1] if len(words) > 1 else "".join(words)
        return f"Select {f'{self.least} things: ' if self.least > 1 else ''}{listed or 'nothing'}."

    def check(self, title: str, rows: list[ARow]) -> None:
        """SelectionError, with what to select, when the rows do not suit."""
        if len(rows) < self.least:
            raise SelectionError(f"{title} needs a selection. {self.asks}", needed=list(self.kinds))
        if self.most is not None and len(rows) > self.most:
            raise SelectionError(
                f"{title} works on {self.most} at a time; {len(rows)} are selected.",
                allowed=self.most,
                received=len(rows),
            )
        wrong = [r.id for r in rows if r.kind not in self.kinds]
        if wrong and self.least:
            raise SelectionError(f"{title} cannot work on {', '.join(wrong[:3])}. {self.asks}", received=wrong)


class Tool(BaseModel):
    """Base of all tools. Subclasses add `tool: Literal[name]`, their fields, and `apply`."""

    # each is made ready when it is first used: all at once they take a good part of the start
    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False, defer_build=True)

    tool: str

    title: ClassVar[str]
    about: ClassVar[str]
    verb: ClassVar[Verb]
    stages: ClassVar[tuple[Stage, ...]]
    need: ClassVar[Need] = Need()
    key: ClassVar[str | None] = None
    icon: ClassVar[str] = "box"
    hidden: ClassVar[bool] = False
    prefill: ClassVar[bool] = False
    instant: ClassVar[bool] = False
    adjustable: ClassVar[bool] = True
    #: Parameters that the journal does not keep, as nothing is made again from them.
    unkept: ClassVar[frozenset[str]] = frozenset()
    previews: ClassVar[bool] = True
    on_locked: ClassVar[bool] = False
    #: Of what kinds of elements of a mesh it wants some picked.
    takes: ClassVar[tuple[ElementType, ...]] = ()
    #: The numbers that the line of the last step shows; None for the first ones that it has.
    leads: ClassVar[tuple[str, ...] | None] = None
    #: Takes so long that it is done off the request, with progress and cancel.
    long: ClassVar[bool] = False

    @property
    def plans(self) -> bool:
        """Whether it only tells what it would come to, as its note, and changes nothing."""
        return False

    @property
    def moves_nothing(self) -> bool:
        """Whether what the step changes is seen nowhere, so that it may be done to what is locked elsewhere."""
        return False

    def check_locked(self, locked: list[ARow]) -> None:
        """SelectionError when something among the selection is locked and the tool is not made for that."""
        if locked and not self.on_locked:
            names = ", ".join(r.name for r in locked[:3]) + (" …" if len(locked) > 3 else "")
            raise SelectionError(
                f"{names} {'is' if len(locked) == 1 else 'are'} locked. Unlock in the level list first.",
                locked=[r.id for r in locked[:100]],
            )

    def apply(self, draft: Draft, rows: list[ARow]) -> None:
        """Change the draft. `rows` are the selected rows, already checked against `need`."""
        raise NotImplementedError
