"""The versions of the parameters of tools, in the history and in requests."""

from __future__ import annotations

from typing import Final

from able_brick.core.formats import FIRST, Chain, unchanged

#: Chains of the tools whose parameters have changed since their first version; the others are as they were.
PARAMS: Final[dict[str, Chain]] = {
    # 2: points of paths may leave to those beside them how they lean
    "draw_path": Chain((unchanged,)),
    "edit_path": Chain((unchanged,)),
}


def params_chain(tool: str) -> Chain:
    """The upgrades of a tool's parameters."""
    return PARAMS.get(tool, FIRST)
