"""What a tool is to the build: inputs and numbers (a Pydantic model) and a `run` that calls the core."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any, Literal

import numpy as np

from pamble.core.arrays import Array
from pamble.core.curves.layout import check_layout
from pamble.core.curves.measure import curve_facts, length_parameters
from pamble.core.errors import GeometryError, ReferenceLost
from pamble.core.faces.face import Edge, Face
from pamble.core.meshes.mesh import TriangleMesh
from pamble.core.planes import Plane
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_points
from pamble.study.data import CvRef, EdgeRef, FaceRef, OnLine, Place, PlaneRef, Stored
from pamble.study.document import Role

Stage = Literal["plan", "curves", "primaries", "blends", "check"]


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
    """What a feature made: a face, curves, a plane or a reference mesh. facts: figures for its card; warnings: words.

    points: (n, 3) what is moved in place of CVs, for a curve through points.
    """

    face: Face | None = None
    curves: tuple[Curve, ...] = ()
    mesh: TriangleMesh | None = None
    seams: tuple[DeclaredSeam, ...] = ()
    handles: tuple[PartHandle, ...] = ()
    facts: dict[str, Any] = field(default_factory=dict)
    warnings: tuple[str, ...] = ()
    points: Array | None = None
    plane: Plane | None = None

    @property
    def visible(self) -> bool:
        """Whether there is a shape to send; a picture is drawn by the window itself."""
        return any(x is not None for x in (self.face, self.mesh, self.plane)) or bool(self.curves)

    @property
    def net(self) -> Array:
        """What stands for the CVs of a curve, (n, 3): those of the first curve, or the points it runs through."""
        return self.curves[0].control if self.points is None else self.points

    @property
    def lines(self) -> dict[str, Curve]:
        """Everything that can be picked as a line, by lasting name: edges of the face, or the curves."""
        own = {f"c{i}": c for i, c in enumerate(self.curves)}
        return own if self.face is None else {e.name: e.space for e in self.face.edges} | own


def made_curves(*curves: Curve, warnings: tuple[str, ...] = (), **facts: Any) -> Made:
    """A result of curves. Figures of each are added by the evaluation."""
    return Made(curves=curves, facts=facts, warnings=warnings)


def described(made: Made, quick: bool, last: Made | None = None) -> Made:
    """The result with the figures of its curves; of the first alone, and roughly, while the pointer is down.

    last: what was described before; its figures stand in where nobody looks at the new ones.
    """
    if not made.curves:
        return made
    if last is not None and "curves" in last.facts:
        return replace(made, facts={**made.facts, "curves": last.facts["curves"]})
    drawn = made.points is None
    chosen = made.curves[:1] if quick else made.curves
    figures = [describe_curve(c, quick, drawn and c.weights is None) for c in chosen]
    return replace(made, facts={**made.facts, "curves": figures})


def describe_curve(curve: Curve, quick: bool = False, polygon: bool = True) -> dict[str, Any]:
    """Figures of a curve as plain data: make, length, least radius and where, inflections, layout of its CVs.

    polygon: whether a person shapes it by its CVs, so that their layout is to be judged; conics are what they are.
    """
    f = curve_facts(curve, quick)
    layout = check_layout(curve, len(f.inflections)) if polygon else None
    return {
        "degree": curve.degree,
        "spans": curve.spans,
        "cvs": len(curve.control),
        "rational": curve.weights is not None,
        "length": f.length,
        "largest": f.largest,
        "least_radius": f.least_radius,
        "least_point": f.least_point.tolist(),
        "inflections": f.inflections.tolist(),
        "humps": f.humps,
        "layout": layout.score if layout else None,
        "faults": [{"cv": fault.cv, "words": fault.words} for fault in layout.faults] if layout else [],
    }


@dataclass(frozen=True)
class Inputs:
    """What the features made that a feature points to."""

    made: Mapping[str, Made]
    names: Mapping[str, str]

    def _of(self, id: str) -> tuple[str, Made]:
        name = self.names.get(id, id)
        if id not in self.made:
            raise ReferenceLost(f"{name} is no longer there.")
        return name, self.made[id]

    def face(self, ref: FaceRef) -> Face:
        """The face that is pointed to. Raises `ReferenceLost`."""
        name, made = self._of(ref.feature)
        if made.face is None:
            raise ReferenceLost(f"{name} has no face: a face is needed here.")
        return made.face

    def edge(self, ref: EdgeRef) -> Edge:
        """The edge of a face. Raises `ReferenceLost`."""
        name, made = self._of(ref.feature)
        if made.face is None:
            raise ReferenceLost(f"{name} has no face: an edge of a face is needed here.")
        try:
            return made.face.edge(ref.edge)
        except ReferenceLost as error:
            raise ReferenceLost(f"{name}: {error}") from error

    def curve(self, ref: EdgeRef) -> Curve:
        """A curve, or an edge as one. Raises `ReferenceLost`."""
        name, made = self._of(ref.feature)
        if ref.edge not in made.lines:
            have = ", ".join(made.lines) or "none"
            raise ReferenceLost(f"{name}: the line {ref.edge} is no longer there; it has {have}.")
        return made.lines[ref.edge]

    def plane(self, ref: PlaneRef) -> Plane:
        """The plane that is pointed to. Raises `ReferenceLost`."""
        name, made = self._of(ref.feature)
        if made.plane is None:
            raise ReferenceLost(f"{name} is no plane: a plane is needed here.")
        return made.plane

    def point(self, place: Place) -> Array:
        """Coordinates (3,) of a place. Raises `ReferenceLost`."""
        if isinstance(place, OnLine):
            curve = self.curve(EdgeRef(feature=place.feature, edge=place.edge))
            inner = 0 < place.at < 1
            t = length_parameters(curve, np.array([place.at])) if inner else [curve.domain[int(place.at)]]
            return np.asarray(curve_points(curve, t)[0])
        if isinstance(place, CvRef):
            name, made = self._of(place.feature)
            if not made.curves or place.cv >= len(made.net):
                raise ReferenceLost(f"{name}: CV {place.cv + 1} is no longer there.")
            return np.asarray(made.net[place.cv])
        return np.array(place)

    def different(self, refs: Sequence[EdgeRef]) -> list[Curve]:
        """The curves that are pointed to, each once. Raises `GeometryError` if one is picked twice."""
        seen: set[tuple[str, str]] = set()
        for ref in refs:
            if (ref.feature, ref.edge) in seen:
                raise GeometryError(f"{self.names.get(ref.feature, ref.feature)} is picked twice: pick another curve.")
            seen.add((ref.feature, ref.edge))
        return [self.curve(ref) for ref in refs]

    def is_edge(self, ref: EdgeRef) -> bool:
        """Whether the line is an edge of a face, so that there is a surface beside it."""
        made = self._of(ref.feature)[1]
        return made.face is not None and ref.edge in {e.name for e in made.face.edges}


@dataclass(frozen=True)
class Context:
    """preview: whether the pointer is down. kept: what the feature made when it was last built in full. assets: packed
    meshes and pictures that are stored with the study, by name.
    """

    preview: bool
    kept: Made | None
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
