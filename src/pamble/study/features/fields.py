"""Fields that tools have in common, with the words and units that a card shows."""

from __future__ import annotations

from typing import Any

from pydantic import Field

from pamble.study.stored import Stored

When = tuple[str, ...] | None
"""Where a field counts: the name of a choice, then the words for which it does. A card shows it only then."""


def number(title: str, default: Any = ..., unit: str = "", when: When = None, **limits: Any) -> Any:
    """A number with its label and unit; limits as Pydantic names them (gt, ge, lt, le)."""
    return Field(default, title=title, json_schema_extra=_extra(when, unit=unit), **limits)


def choice(title: str, default: Any = ..., when: When = None) -> Any:
    """One of a few words, a switch, a line or a face to pick."""
    return Field(default, title=title, json_schema_extra=_extra(when))


def heading(title: str, default: Any = ..., when: When = None) -> Any:
    """A direction: it may be taken from the view."""
    return Field(default, title=title, json_schema_extra=_extra(when, direction=True))


def _extra(when: When, **more: Any) -> dict[str, Any]:
    return {**more, **({} if when is None else {"when": {when[0]: list(when[1:])}})}


def unseen(default: Any = ..., **limits: Any) -> Any:
    """What comes with a file and is not for people to change."""
    return Field(default, json_schema_extra={"unseen": True}, **limits)


def continuity(title: str, default: int = 2) -> Any:
    """G0 to G3."""
    return Field(default, title=title, ge=0, le=3, json_schema_extra={"continuity": True})


def hold(title: str) -> Any:
    """What is kept at an end or side, G0 to G2; null for nothing."""
    return Field(None, title=title, ge=0, le=2, json_schema_extra={"continuity": True})


def fullness(title: str) -> Any:
    """Fullness of an end; null for the default."""
    return Field(None, title=title, ge=0.05, le=4)


class FitParams(Stored):
    """How a result that has no exact form is fitted. spans null: the fewest that stay within the tolerance."""

    degree: int = number("Degree", 5, ge=2, le=9)
    tolerance: float = number("Tolerance", 0.005, "mm", gt=0, le=10)
    spans: int | None = number("Spans", None, ge=1, le=60)
