"""What an evaluation leaves: the state of every step, and every object as it stands. Values, made anew by each."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, Literal

from pamble.core.faces.face import Face
from pamble.core.spline.curve import Curve
from pamble.study.document import Study
from pamble.study.objects import Made, Shape
from pamble.study.references import step_of

Status = Literal["fresh", "behind", "failed", "lost", "off", "beyond"]
"""fresh: as its inputs ask. behind: something before it is not fresh; it shows its last good shape. failed: it says
why. lost: it asks for something that is gone or has become several. off: switched off. beyond: behind the marker."""


@dataclass(frozen=True)
class Lost:
    """A reference that holds no longer: the object and line that were asked for, and what may be meant."""

    feature: str
    edge: str
    candidates: tuple[str, ...]


@dataclass(frozen=True)
class Offer:
    """A change of a step's parameters that would mend it. label: what it does, in words."""

    label: str
    changes: dict[str, Any]


@dataclass(frozen=True, eq=False)
class State:
    """A step after evaluation. made: what it hands on, its last good result when it is not fresh.

    key: what its result came from; equal keys mean equal results.
    """

    status: Status
    made: Made | None = None
    problem: str | None = None
    key: str = ""
    lost: Lost | None = None
    offer: Offer | None = None

    @property
    def stale(self) -> bool:
        return self.status in ("behind", "failed", "lost")

    @property
    def hands_on(self) -> bool:
        return self.made is not None and self.status not in ("off", "beyond")


@dataclass(frozen=True, eq=False)
class Standing:
    """An object as it stands: its shape, whether that is out of date, and the step that made or changed it last."""

    shape: Shape
    stale: bool
    by: str


@dataclass(frozen=True, eq=False)
class Evaluation:
    """States of all steps, and the world after the last one that is built. ran: steps that were run for it. late:
    whether some stay as they were because there was no time for them.
    """

    states: Mapping[str, State] = field(default_factory=dict)
    world: Mapping[str, Standing] = field(default_factory=dict)
    ran: tuple[str, ...] = ()
    late: bool = False

    def changed_objects(self, before: Evaluation) -> set[str]:
        """Objects whose shape or standing differs, those that are gone included."""
        a, b = before.world, self.world
        return {
            id
            for id in a.keys() | b.keys()
            if (x := a.get(id)) is None or (y := b.get(id)) is None or x.shape is not y.shape or x.stale != y.stale
        }

    def changed_steps(self, before: Evaluation) -> set[str]:
        """Steps whose state differs, those that are gone included."""
        ids = self.states.keys() | before.states.keys()
        return {id for id in ids if self.states.get(id) is not before.states.get(id)}


def object_names(study: Study, evaluation: Evaluation) -> dict[str, str]:
    """Names in words of all objects that are known: the step's, and "piece 2" for what it makes beside."""
    names = {f.id: f.name for f in study.features}
    for step, state in evaluation.states.items():
        for slot in state.made.makes if state.made is not None else ():
            if slot and step in names:
                names[f"{step}/{slot}"] = f"{names[step]}, piece {slot}"
    return names


def exported(study: Study, evaluation: Evaluation) -> dict[str, list[tuple[str, Face | Curve]]]:
    """Named faces and curves of all objects that stand, by object."""
    names = object_names(study, evaluation)
    order = {f.id: i for i, f in enumerate(study.features)}
    out: dict[str, list[tuple[str, Face | Curve]]] = {}
    for id in sorted(evaluation.world, key=lambda id: (order.get(step_of(id), 0), id)):
        shape, name = evaluation.world[id].shape, names.get(id, id)
        many = len(shape.curves) > 1
        items: list[tuple[str, Face | Curve]] = [
            (f"{name} {i + 1}" if many else name, c) for i, c in enumerate(shape.curves)
        ]
        if shape.face is not None:
            items = [(name, shape.face), *items]
        if items:
            out[id] = items
    return out
