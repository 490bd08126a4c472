"""What a tool is to the study: inputs and numbers (a Pydantic model) and a `run` that calls the core."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any, Literal

from pamble.core.faces.face import Face
from pamble.study.document import Role
from pamble.study.inputs import Inputs
from pamble.study.objects import (
    DeclaredSeam,
    Made,
    PartHandle,
    Shape,
    changed_faces,
    made_curves,
    made_face,
    made_faces,
)
from pamble.study.stored import Stored

Stage = Literal["plan", "curves", "primaries", "blends", "corners", "check"]


@dataclass(frozen=True)
class Context:
    """What a run is to know beside its inputs. step: the step's id; what it cuts is named by it. preview: whether the
    pointer is down. kept: what the step did when it was last built in full. memory: what its last run left to start
    from, only while the pointer is down. fit: the study's tolerance of fits, mm. assets: packed meshes and pictures.
    """

    step: str
    preview: bool
    kept: Made | None
    memory: Any = None
    fit: float = 0.001
    assets: Mapping[str, bytes] = field(default_factory=dict)

    @property
    def quick(self) -> bool:
        """Whether something that was built in full before is dragged: a step in work was not, and its figures count."""
        return self.preview and self.kept is not None

    @property
    def dragged(self) -> Face | None:
        """The face that the step made when it was last kept, while the pointer is down."""
        shape = self.kept.shape if self.preview and self.kept is not None else None
        return None if shape is None else shape.face

    def changed(self, id: str) -> Face | None:
        """The face of another step as this one changed it when it was last kept, while the pointer is down."""
        shape = self.kept.changes.get(id) if self.preview and self.kept is not None else None
        return None if shape is None else shape.face


@dataclass(frozen=True)
class AskedNumber:
    """A number that an action takes. shows: what of the shape it is at first, degree or spans; 0 for neither."""

    unit: str
    low: float
    high: float
    whole: bool = False
    shows: Literal["", "degree", "spans"] = ""


@dataclass(frozen=True)
class Action:
    """A named change of a whole curve or at some of its CVs: ``run`` takes the parameters, the numbers of the picked
    CVs and a number, and gives new parameters.

    label, about: its name, and what it does in one line. at: where it is offered. recounts: whether CVs have other
    numbers afterwards. asks: the number that it takes.
    """

    run: Callable[[dict[str, Any], list[int], float | None], dict[str, Any]]
    label: str
    about: str = ""
    at: Literal["whole", "cvs", "both"] = "both"
    recounts: bool = False
    asks: AskedNumber | None = None


@dataclass(frozen=True)
class Figure:
    """A figure of a result for the card. key: its name in the facts; form: number, a list of numbers, parts of each
    entry, words, or the curve of spans against accuracy. each: label of an entry, with {n} for its number; negative:
    that of one below zero. parts: names and units of a figure's parts. fills: of sketches, a choice, its word
    that makes them count, and the field that takes the name of the one that is picked.
    """

    key: str
    label: str
    unit: str = ""
    form: Literal["number", "size", "list", "parts", "words", "trade-off", "sketches"] = "number"
    each: str = ""
    negative: str = ""
    parts: tuple[tuple[str, str], ...] = ()
    fills: tuple[str, str, str] | None = None


@dataclass(frozen=True)
class FeatureKind:
    """A tool. stage: where it stands, None for what is imported; bulk: parameters too large for a card.

    section: heading under which its stage lists it, "" for the row; key: the key that starts it. makes: what it makes.
    ask: what it wants, one line, said while it is being made; doing: what may be done once it is shown. figures: what
    its card shows of the result. net: where the CVs stand in the parameters, if a person
    may move them. settle: brings parameters in order after a change, given the numbers of the CVs that were moved.
    actions: named changes of the whole net; each takes the parameters, the numbers of the picked CVs and a number, and
    gives new parameters.
    """

    kind: str
    label: str
    role: Role
    params: type[Stored]
    run: Callable[[Any, Inputs, Context], Made]
    stage: Stage | None = None
    ask: str = ""
    makes: Literal["curve", "face", "plane", "mesh", "picture", "figure", "change"] = "curve"
    section: str = ""
    key: str = ""
    doing: str = ""
    figures: tuple[Figure, ...] = ()
    bulk: tuple[str, ...] = ()
    net: tuple[str, ...] = ()
    settle: Callable[[dict[str, Any], dict[str, Any], list[int]], dict[str, Any]] | None = None
    actions: Mapping[str, Action] = field(default_factory=dict)


__all__ = [
    "Action",
    "AskedNumber",
    "Context",
    "DeclaredSeam",
    "FeatureKind",
    "Figure",
    "Inputs",
    "Made",
    "PartHandle",
    "Shape",
    "Stage",
    "changed_faces",
    "made_curves",
    "made_face",
    "made_faces",
]
