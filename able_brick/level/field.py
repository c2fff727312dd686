"""Fields that describe themselves to the cards."""

from __future__ import annotations

from typing import Any

from pydantic import Field


def field(
    default: Any,
    title: str,
    about: str,
    *,
    unit: str | None = None,
    step: float | None = None,
    widget: str | None = None,
    section: str | None = None,
    when: dict[str, list[str]] | None = None,
    **limits: Any,
) -> Any:
    """A field with what its card needs: title, help, unit, drag step, widget, the section that it is folded
    into, and when it matters."""
    extra: dict[str, Any] = {
        k: v
        for k, v in (("unit", unit), ("step", step), ("widget", widget), ("section", section), ("when", when))
        if v is not None
    }
    return Field(default, title=title, description=about, json_schema_extra=extra or None, **limits)


def length(default: float, title: str, about: str, *, least: float = 0.001, step: float = 0.1, **more: Any) -> Any:
    """A length in metres up to 10 km."""
    return field(default, title, about, unit="m", step=step, ge=least, le=10_000, **more)


def count(default: int, title: str, about: str, least: int, most: int, **more: Any) -> Any:
    """A whole number within a range."""
    return field(default, title, about, ge=least, le=most, **more)
