"""From a tool's name and raw parameters to a checked tool, with errors an artist can read."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Final

from pydantic import BaseModel, ValidationError

from able_brick.core.errors import InputError
from able_brick.core.formats import FormatError
from able_brick.level.shapes.catalogue import SHAPES
from able_brick.steps.formats import params_chain
from able_brick.steps.registry import TOOLS
from able_brick.steps.tool import Tool

#: More settings than any tool has.
_MOST_PARAMS: Final = 100


def parse_tool(name: str, params: Mapping[str, Any], version: int | None = None) -> Tool:
    """The tool with its parameters, which are of an earlier format where `version` says so. Raises InputError that
    names each wrong field and what is allowed."""
    kind = TOOLS.get(name)
    if kind is None:
        raise InputError(f"There is no tool {name[:60]!r}.", field="tool", received=name[:60], allowed=sorted(TOOLS))
    if "tool" in params:
        raise InputError("The parameters must not hold “tool”; it stands beside them.", field="tool")
    if len(params) > _MOST_PARAMS:
        raise InputError(
            f"{len(params)} settings came for {kind.title}; it has {len(kind.model_fields) - 1}.",
            received=len(params),
            allowed=_MOST_PARAMS,
        )
    chain = params_chain(name)
    if version is not None and version != chain.version:
        try:
            params = chain.upgraded(dict(params), version)
        except (FormatError, KeyError, TypeError, AttributeError) as error:
            raise InputError(
                f"Format {version} of the settings of {kind.title} cannot be read; give 1 to {chain.version}.",
                field="format",
                received=version,
                allowed=chain.version,
            ) from error
    try:
        return kind.model_validate(dict(params))
    except ValidationError as error:
        fields = [{"field": _path(e["loc"]), "text": _sentence(kind, dict(e))} for e in error.errors()][:20]
        raise InputError(" ".join(str(f["text"]) for f in fields[:3]), fields=fields) from None


def _path(loc: tuple[int | str, ...]) -> str:
    """Where in the parameters; the kind of a shape is no step on the way."""
    return ".".join(str(p) for k, p in enumerate(loc) if not (k == 1 and loc[0] == "shape" and p in SHAPES))


def _sentence(outer: type[Tool], error: dict[str, Any]) -> str:
    loc = error["loc"]
    kind: type[BaseModel] = outer
    if len(loc) > 2 and loc[0] == "shape" and loc[1] in SHAPES:
        kind, loc = SHAPES[str(loc[1])], loc[2:]
    info = kind.model_fields.get(str(loc[0])) if loc else None
    title = (info.title if info and info.title else str(loc[0]) if loc else "The request").strip()
    if len(loc) > 1 and isinstance(loc[1], int) and loc[1] < 3:
        title += f" {'XYZ'[loc[1]]}"
    if error["type"] == "union_tag_invalid" or error["type"] == "union_tag_not_found":
        return f"{title} is not a kind of shape; give one of {', '.join(sorted(SHAPES))}."
    if error["type"] == "extra_forbidden":
        allowed = ", ".join(sorted(set(kind.model_fields) - {"tool", "kind"}))
        return f"{title} is not a setting of {getattr(kind, 'title', kind.__name__)}; it has {allowed}."
    return sentence(title, error)


def sentence(title: str, error: Mapping[str, Any]) -> str:
    """One of the validator's findings about what is called `title`, in words."""
    got = repr(error.get("input"))
    got = got if len(got) <= 40 else got[:37] + "…"
    limits = error.get("ctx", {})
    match error["type"]:
        case "greater_than_equal":
            return f"{title} is {got}; give {limits['ge']:g} or more."
        case "greater_than":
            return f"{title} is {got}; give more than {limits['gt']:g}."
        case "less_than_equal":
            return f"{title} is {got}; give {limits['le']:g} or less."
        case "less_than":
            return f"{title} is {got}; give less than {limits['lt']:g}."
        case "literal_error" | "enum":
            return f"{title} is {got}; give {limits['expected']}."
        case "finite_number":
            return f"{title} is {got}; give a finite number."
        case "float_parsing" | "float_type" | "int_parsing" | "int_type" | "int_from_float" | "int_parsing_size":
            whole = "whole " if error["type"].startswith("int") else ""
            return f"{title} is {got}; give a {whole}number."
        case "bool_parsing" | "bool_type":
            return f"{title} is {got}; give true or false."
        case "string_type":
            return f"{title} is {got}; give text."
        case "string_unicode":
            return f"{title} holds half a character; give whole ones."
        case "string_too_short" | "too_short":
            return f"{title} is too short; give at least {limits['min_length']}."
        case "string_too_long" | "too_long":
            return f"{title} is too long; give at most {limits['max_length']}."
        case "string_pattern_mismatch":
            return f"{title} is {got}, which does not have the right form."
        case "tuple_type" | "list_type" | "set_type":
            return f"{title} is {got}; give a list."
        case "dict_type" | "model_type" | "model_attributes_type" | "dataclass_type":
            return f"{title} is {got}; give an object with its fields."
        case "json_invalid":
            return f"{title} is not JSON; send a JSON object."
        case "value_error":
            return f"{title} cannot be read: {limits.get('error', 'it has no meaning')}"
        case "missing":
            return f"{title} is missing."
        case "extra_forbidden":
            return f"{title} is not known here; leave it out."
        case "union_tag_invalid" | "union_tag_not_found":
            return f"{title} is not a known kind; give one of {limits.get('expected_tags', 'those allowed')}."
        case _:
            return f"{title} is {got}, which cannot be used here."
