"""What a step reads: the objects that it points to, as they stand before it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from pamble.core.arrays import Array
from pamble.core.curves.measure import length_parameters
from pamble.core.errors import GeometryError, ReferenceLost
from pamble.core.faces.face import Edge, Face, base_name, edge_words
from pamble.core.planes import Plane
from pamble.core.spline.closest import to_curve
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_points
from pamble.study.objects import Shape
from pamble.study.references import CvRef, EdgeRef, FaceRef, OnLine, Place, PlaneRef


class Offered(GeometryError):
    """A step that fails, with a change of its parameters that would mend it. label: what the change does, in words."""

    def __init__(self, message: str, label: str, changes: Mapping[str, object]) -> None:
        super().__init__(message)
        self.label, self.changes = label, dict(changes)


class EdgeLost(ReferenceLost):
    """An edge or line that is gone or has become several. candidates: lines that may be meant, likeliest first."""

    def __init__(self, message: str, feature: str, edge: str, candidates: tuple[str, ...]) -> None:
        super().__init__(message)
        self.feature, self.edge, self.candidates = feature, edge, candidates


@dataclass(frozen=True)
class Inputs:
    """The shapes that a step points to, by object id, and the names of all objects."""

    shapes: Mapping[str, Shape]
    names: Mapping[str, str]

    def name(self, id: str) -> str:
        """An object's name in words."""
        return self.names.get(id, id)

    def shape(self, id: str) -> Shape:
        """The shape of an object. Raises `ReferenceLost`."""
        if id not in self.shapes:
            raise ReferenceLost(f"{self.name(id)} is no longer there.")
        return self.shapes[id]

    def face(self, ref: FaceRef) -> Face:
        """The face that is pointed to. Raises `ReferenceLost`."""
        face = self.shape(ref.feature).face
        if face is None:
            raise ReferenceLost(f"{self.name(ref.feature)} has no face: a face is needed here.")
        return face

    def edge(self, ref: EdgeRef) -> Edge:
        """The edge of a face. Raises `ReferenceLost`."""
        face = self.shape(ref.feature).face
        if face is None:
            raise ReferenceLost(f"{self.name(ref.feature)} has no face: an edge of a face is needed here.")
        for edge in face.edges:
            if edge.name == ref.edge:
                return edge
        self._line(ref)  # It is gone: this says what may be meant.
        return face.edge(ref.edge)

    def curve(self, ref: EdgeRef) -> Curve:
        """A curve, or an edge as one. Raises `ReferenceLost`."""
        return self._line(ref)

    def _line(self, ref: EdgeRef) -> Curve:
        lines = self.shape(ref.feature).lines
        if ref.edge in lines:
            return lines[ref.edge]
        name = self.name(ref.feature)
        parts = [e for e in lines if base_name(e) == base_name(ref.edge)]
        likely, old = tuple(_likeliest(lines, parts, ref)), edge_words(ref.edge)
        if len(parts) > 1:
            words = f"{name}: the edge {old} has become {len(parts)}: pick the one that is meant."
        elif parts:
            words = f"{name}: the edge {old} is one with its neighbours now: pick that, or another."
        else:
            words = f"{name}: the line {old} is no longer there; pick another of its {len(lines)}."
        raise EdgeLost(words, ref.feature, ref.edge, likely)

    def plane(self, ref: PlaneRef) -> Plane:
        """The plane that is pointed to. Raises `ReferenceLost`."""
        plane = self.shape(ref.feature).plane
        if plane is None:
            raise ReferenceLost(f"{self.name(ref.feature)} is no plane: a plane is needed here.")
        return plane

    def point(self, place: Place) -> Array:
        """Coordinates (3,) of a place. Raises `ReferenceLost`."""
        if isinstance(place, OnLine):
            curve = self._line(place)
            inner = 0 < place.at < 1
            t = length_parameters(curve, np.array([place.at])) if inner else [curve.domain[int(place.at)]]
            return np.asarray(curve_points(curve, t)[0])
        if isinstance(place, CvRef):
            shape = self.shape(place.feature)
            if not shape.curves or place.cv >= len(shape.net):
                raise ReferenceLost(f"{self.name(place.feature)}: CV {place.cv + 1} is no longer there.")
            return np.asarray(shape.net[place.cv])
        return np.array(place)

    def different(self, refs: Sequence[EdgeRef]) -> list[Curve]:
        """The curves that are pointed to, each once. Raises `GeometryError` if one is picked twice."""
        seen: set[tuple[str, str]] = set()
        for ref in refs:
            if (ref.feature, ref.edge) in seen:
                raise GeometryError(f"{self.name(ref.feature)} is picked twice: pick another curve.")
            seen.add((ref.feature, ref.edge))
        return [self.curve(ref) for ref in refs]

    def is_edge(self, ref: EdgeRef) -> bool:
        """Whether the line is an edge of a face, so that there is a surface beside it."""
        face = self.shape(ref.feature).face
        return face is not None and ref.edge in {e.name for e in face.edges}


def _likeliest(lines: Mapping[str, Curve], parts: Sequence[str], ref: EdgeRef) -> list[str]:
    """Lines that may be meant: the parts of the old one, all lines without; by nearness to where it was picked."""
    likely = sorted(parts) if parts else list(lines)
    if ref.near is None:
        return likely
    place = np.array([ref.near])
    return sorted(likely, key=lambda e: float(to_curve(lines[e], place).distance[0]))
