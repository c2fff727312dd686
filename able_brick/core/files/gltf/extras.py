"""What other tools tell of a node in its extras: kept as text, and written again."""

from __future__ import annotations

import json
from typing import Any, Final

#: Longer ones are left out, characters.
MOST_EXTRAS: Final = 4_000
_DEEPEST: Final = 32
#: What Able Brick itself tells of nodes, by the kinds of things; those of others may be called the same.
_KINDS: Final = frozenset({"placement", "array", "course", "group"})
_OWN: Final = frozenset({"MSFT_screencoverage"})
#: Where that stands which others call the same.
_APART: Final = "able_brick"


def others_extras(extras: object) -> tuple[str, bool]:
    """What of a node's extras is of others, as JSON text, "" for nothing; and whether some of it is left out."""
    if extras is None:
        return "", False
    if not isinstance(extras, dict):
        return "", True
    if isinstance(extras.get(_APART), dict):
        own = _OWN | {_APART}
    else:
        ours = isinstance(extras.get("kind"), str) and extras["kind"] in _KINDS
        own = _OWN | {"kind", "piece", "thing"} if ours else _OWN
    foreign = {key: value for key, value in extras.items() if key not in own}
    if not foreign:
        return "", False
    try:
        return _text(foreign), False
    except ValueError:
        return "", True


def extras_with(own: dict[str, object], text: str | None) -> dict[str, object]:
    """What is written of a node: what other tools stored with it, and our own, which stands apart where it is called
    alike."""
    theirs = json.loads(text) if text else {}
    if not own or not theirs:
        return theirs or own
    return {**theirs, _APART: own} if own.keys() & theirs.keys() else {**own, **theirs}


def own_extra(extras: object, key: str) -> object:
    """What Able Brick stored in a node's extras under a key; None where it did not."""
    if not isinstance(extras, dict):
        return None
    apart = extras.get(_APART)
    return (apart if isinstance(apart, dict) and key in apart else extras).get(key)


def checked_extras(text: str) -> str:
    """The text of a JSON object as it is kept. Raises ValueError for another one, and where it is too long or deep."""
    try:
        found = json.loads(text)
    except RecursionError as error:
        raise ValueError("Extras lie too deep in one another.") from error
    if not isinstance(found, dict):
        raise ValueError("Extras are the text of a JSON object.")
    return _text(found)


def _text(foreign: dict[str, Any]) -> str:
    if _deeper(foreign, _DEEPEST):
        raise ValueError("Extras lie too deep in one another.")
    out = json.dumps(foreign, separators=(",", ":"), ensure_ascii=False, allow_nan=False)
    out.encode()
    if len(out) > MOST_EXTRAS:
        raise ValueError(f"Extras are at most {MOST_EXTRAS} characters.")
    return out


def _deeper(value: object, most: int) -> bool:
    """Whether objects and lists lie in one another more than so many times."""
    if not isinstance(value, (dict, list)):
        return False
    return most == 0 or any(_deeper(v, most - 1) for v in (value.values() if isinstance(value, dict) else value))
