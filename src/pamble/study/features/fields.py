"""Fields that tools have in common, with the words and units that a card shows."""

from __future__ import annotations

from typing import Any

from pydantic import Field

from pamble.core.joining.spec import FULLNESS_LIMITS
from pamble.study.stored import Stored

When = tuple[str, ...] | None
"""Where a field counts: the name of a choice, then the words for which it does. A card shows it only then."""


def number(
    title: str, default: Any = ..., unit: str = "", when: When = None, found: str = "", widget: str = "",
    fold: str = "", **limits: Any,
) -> Any:  # fmt: skip
    """A number with its label and unit; limits as Pydantic names them (gt, ge, lt, le). found: the figure of the result
    that says what it came to where it is left open. fold: title under which it is folded away with others.
    """
    extra = _extra(when, unit=unit, found=found, widget=widget, fold=fold)
    return Field(default, title=title, json_schema_extra=extra, **limits)


def choice(title: str, default: Any = ..., when: When = None, **more: Any) -> Any:
    """One of a few words, a switch, a line or a face to pick; more: see `ToolField`."""
    return Field(default, title=title, json_schema_extra=_extra(when, **more))


def heading(title: str, default: Any = ..., when: When = None, **more: Any) -> Any:
    """A direction: it may be taken from the view."""
    return Field(default, title=title, json_schema_extra=_extra(when, direction=True, **more))


def _extra(when: When, **more: Any) -> dict[str, Any]:
    return {**more, **({} if when is None else {"when": {when[0]: list(when[1:])}})}


def unseen(default: Any = ..., **limits: Any) -> Any:
    """What comes with a file and is not for people to change."""
    return Field(default, json_schema_extra={"unseen": True}, **limits)


def continuity(title: str, default: int = 2) -> Any:
    """G0 to G3."""
    return Field(default, title=title, ge=0, le=3, json_schema_extra={"continuity": True})


def hold(title: str, most: int = 2, fold: str = "Hold while CVs move") -> Any:
    """What is kept at an end or side, G0 to ``most``; null for nothing."""
    return Field(None, title=title, ge=0, le=most, json_schema_extra={"continuity": True, "fold": fold})


SOFT_FULLNESS = (0.2, 2.0)
"""Range of a slider for fullness; numbers beyond it can be typed."""


def fullness(title: str, fact: int) -> Any:
    """Fullness of an end; null for the default, which the result tells as the ``fact``-th number of its fullness."""
    extra: dict[str, Any] = {"widget": "slider", "soft": list(SOFT_FULLNESS), "found": f"fullness.{fact}"}
    low, high = FULLNESS_LIMITS
    return Field(None, title=title, ge=low, le=high, json_schema_extra=extra)


class FitParams(Stored):
    """How a result that has no exact form is fitted. spans null: the fewest that stay within the tolerance."""

    degree: int = number("Degree", 5, ge=2, le=9)
    tolerance: float = number("Tolerance", 0.005, "mm", gt=0, le=10)
    spans: int | None = number("Spans", None, ge=1, le=60)
