"""References: how one step points to what others made or changed."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from pydantic import BaseModel, Field

from pamble.study.stored import Stored

Point = tuple[float, float, float]
"""A point in mm or a direction."""


class Ref(Stored):
    """Points to an object: by the id of the step that made it, or ``step/slot`` where a step makes several."""

    feature: str


class EdgeRef(Ref):
    """A line: an edge of a face by its lasting name, or a curve, ``c0`` and so on.

    near: where on the part it was picked, mm; it puts the choices in order when the name is gone.
    """

    edge: str
    near: Point | None = None


class FaceRef(Ref):
    """A face."""


class ChangedFaceRef(FaceRef):
    """A face that the step changes: steps before it see the old one, steps after it the new one."""


class ChangedEdgeRef(EdgeRef):
    """An edge of a face that the step changes there."""


class PlaneRef(Ref):
    """A plane."""


class CvRef(Ref):
    """A CV of another curve, by its number from 0."""

    cv: int = Field(ge=0)


class OnLine(EdgeRef):
    """A place on a line that stays on it: ``at`` is a fraction of its length, 0 its start and 1 its end."""

    at: float = Field(ge=0, le=1)


Place = Point | OnLine | CvRef
"""A point: in mm, or one that hangs on a line or a CV."""


def found_refs(value: object) -> list[Ref]:
    """All references in a model's values, in order."""
    if isinstance(value, Ref):
        return [value]
    if isinstance(value, BaseModel):
        return [r for name in type(value).model_fields for r in found_refs(getattr(value, name))]
    if isinstance(value, (list, tuple)) and not (value and isinstance(value[0], float)):
        return [r for v in value for r in found_refs(v)]
    return []


def raw_refs(value: Any) -> Iterable[dict[str, Any]]:
    """All references in parameters as they are stored: the dictionaries that name a feature."""
    if isinstance(value, dict):
        if isinstance(value.get("feature"), str):
            yield value
        for v in value.values():
            yield from raw_refs(v)
    elif isinstance(value, (list, tuple)) and not (value and isinstance(value[0], float)):
        for v in value:
            yield from raw_refs(v)


def step_of(object_id: str) -> str:
    """The step that made an object."""
    return object_id.split("/", 1)[0]


def cut_by(edge: str) -> str | None:
    """The step that cut an edge, told by the edge's name; None for sides and edges that came with their face."""
    step, colon, _ = edge.partition(":")
    return step if colon else None
