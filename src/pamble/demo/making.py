"""What the demo studies are written with: steps, and references to what they make."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from pamble.study.document import Feature, Group, Role
from pamble.study.features import KINDS

Point = Sequence[float]
Ref = dict[str, Any]


def face(id: str) -> Ref:
    """A face, by the step that made it, ``step/slot`` where that makes several."""
    return {"feature": id}


def edge(id: str, name: str = "c0") -> Ref:
    """An edge of a face, or a curve."""
    return {"feature": id, "edge": name}


def cvs(control: Sequence[Point]) -> dict[str, Any]:
    """A curve by its CVs, mm, of the highest degree up to 5."""
    rows = [[float(v) for v in p] for p in control]
    return {"degree": min(5, len(rows) - 1), "control": rows}


class Row:
    """Steps of one group, in order."""

    def __init__(self, id: str, name: str, role: Role) -> None:
        self.group = Group(id=id, name=name, role=role)
        self.steps: list[Feature] = []

    def add(self, id: str, kind: str, name: str, **params: Any) -> Row:
        """A step with the group's role. ``hidden`` and ``on`` are the step's own; all else is its parameters."""
        own = {k: params.pop(k) for k in ("hidden", "on") if k in params}
        role = self.group.role if KINDS[kind].makes != "figure" else KINDS[kind].role
        self.steps.append(Feature(id=id, kind=kind, name=name, role=role, group=self.group.id, params=params, **own))
        return self

    def curve(self, id: str, name: str, control: Sequence[Point], **own: Any) -> Row:
        """A curve drawn by its CVs."""
        return self.add(id, "cv_curve", name, curve=cvs(control), **own)
