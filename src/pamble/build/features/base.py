"""What a tool is to the build: inputs and numbers (a Pydantic model) and a `run` that calls the core."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any

from pamble.build.data import Stored
from pamble.build.study import Role
from pamble.core.arrays import Array
from pamble.core.faces.face import Face


@dataclass(frozen=True)
class DeclaredSeam:
    """A seam that a feature promises: its own edge, the neighbour's feature and edge, and the continuity 0 to 3."""

    edge: str
    feature: str
    other: str
    continuity: int


@dataclass(frozen=True)
class PartHandle:
    """A handle on the part: pulling it ``per_mm`` along ``direction`` from ``point`` changes ``field[index]``."""

    field: str
    index: int
    label: str
    point: Array
    direction: Array
    per_mm: float
    value: float


@dataclass(frozen=True)
class Made:
    """What a feature made. facts: plain figures for its card; warnings: words shown beside it."""

    face: Face
    seams: tuple[DeclaredSeam, ...] = ()
    handles: tuple[PartHandle, ...] = ()
    facts: dict[str, Any] = field(default_factory=dict)
    warnings: tuple[str, ...] = ()


@dataclass(frozen=True)
class Context:
    """preview: whether the pointer is down. kept: what the feature made when it was last built in full."""

    preview: bool
    kept: Made | None
    names: Mapping[str, str]


@dataclass(frozen=True)
class FeatureKind:
    """A tool. references: ids of the features that the parameters point to."""

    kind: str
    label: str
    role: Role
    params: type[Stored]
    references: Callable[[Any], list[str]]
    run: Callable[[Any, Mapping[str, Face], Context], Made]
