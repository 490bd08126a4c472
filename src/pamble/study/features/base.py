"""What a tool is to the study: inputs and numbers (a Pydantic model) and a `run` that calls the core."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any, Literal

from pamble.study.document import Role
from pamble.study.inputs import Inputs
from pamble.study.objects import DeclaredSeam, Made, PartHandle, Shape, changed_faces, made_curves, made_face
from pamble.study.stored import Stored

Stage = Literal["plan", "curves", "primaries", "blends", "check"]


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


Action = Callable[[dict[str, Any], list[int], float | None], dict[str, Any]]


@dataclass(frozen=True)
class FeatureKind:
    """A tool. stage: where it stands, None for what is imported; bulk: parameters too large for a card.

    ask: what it wants, one line, said while it is being made. net: where the CVs stand in the parameters, if a person
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
    bulk: tuple[str, ...] = ()
    net: tuple[str, ...] = ()
    settle: Callable[[dict[str, Any], dict[str, Any], list[int]], dict[str, Any]] | None = None
    actions: Mapping[str, Action] = field(default_factory=dict)


__all__ = [
    "Context",
    "DeclaredSeam",
    "FeatureKind",
    "Inputs",
    "Made",
    "PartHandle",
    "Shape",
    "Stage",
    "changed_faces",
    "made_curves",
    "made_face",
]
