"""Objects of a study and what a step does to them: it makes some and changes others.

A version of an object is told by a hash of its numbers: equal hashes mean equal shapes, so an unchanged result stops
the wave of a change.
"""

from __future__ import annotations

import hashlib
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any, Literal

import numpy as np

from pamble.core.arrays import Array
from pamble.core.faces.face import Face
from pamble.core.meshes.mesh import TriangleMesh
from pamble.core.planes import Plane
from pamble.core.spline.curve import Curve


@dataclass(frozen=True, eq=False)
class Shape:
    """One version of an object: a face, curves, a plane or a reference mesh.

    names: of the curves, ``c0`` and so on where a step gives none. points: (n, 3) what is moved in place of CVs, for a
    curve through points.
    """

    face: Face | None = None
    curves: tuple[Curve, ...] = ()
    names: tuple[str, ...] = ()
    mesh: TriangleMesh | None = None
    plane: Plane | None = None
    points: Array | None = None

    @property
    def visible(self) -> bool:
        """Whether there is something to draw; a picture is drawn by the window itself."""
        return any(x is not None for x in (self.face, self.mesh, self.plane)) or bool(self.curves)

    @property
    def net(self) -> Array:
        """What stands for the CVs of a curve, (n, 3): those of the first curve, or the points it runs through."""
        return self.curves[0].control if self.points is None else self.points

    @cached_property
    def lines(self) -> dict[str, Curve]:
        """Everything that can be picked as a line, by lasting name: edges of the face, or the curves."""
        names = self.names or tuple(f"c{i}" for i in range(len(self.curves)))
        own = dict(zip(names, self.curves, strict=True))
        return own if self.face is None else {e.name: e.space for e in self.face.edges} | own

    @cached_property
    def version(self) -> str:
        """Hash of the shape's numbers."""
        digest = hashlib.blake2b("|".join(self.names).encode(), digest_size=12)
        for curve in self.curves:
            _add(digest, bytes([curve.degree]), curve.knots, curve.control, curve.weights)
        if self.face is not None:
            _add_face(digest, self.face)
        if self.plane is not None:
            _add(digest, b"plane", self.plane.origin, self.plane.x, self.plane.y)
        if self.mesh is not None:
            digest.update(b"mesh" + self.mesh.vertices.tobytes() + self.mesh.triangles.tobytes())
        _add(digest, b"points", self.points)
        return digest.hexdigest()


def _add(digest: hashlib.blake2b, head: bytes, *arrays: Array | None) -> None:
    digest.update(head)
    for array in arrays:
        if array is not None:
            digest.update(array.tobytes())


def _add_face(digest: hashlib.blake2b, face: Face) -> None:
    s = face.surface
    digest.update("|".join(face.names).encode())
    _add(digest, bytes([s.degree_u, s.degree_v]), s.knots_u, s.knots_v, s.control, s.weights)
    for loop in face.loops:
        digest.update(b"loop")
        for e in loop:
            p, c = e.pcurve, e.space
            _add(digest, e.name.encode() + bytes([p.degree, c.degree]), p.knots, p.control, p.weights)
            _add(digest, b"+" if e.inward > 0 else b"-", c.knots, c.control, c.weights)


@dataclass(frozen=True)
class DeclaredSeam:
    """A seam that a step promises: an edge of what it made, the other object and edge, continuity 0 to 3; slot: of the
    object that it made. part: whether the other edge runs along only a part of the own one. changed: the object whose
    edge it is, where the step made none but changed it.
    """

    edge: str
    feature: str
    other: str
    continuity: int
    slot: str = ""
    part: bool = False
    changed: str = ""

    def object(self, step: str) -> str:
        """Id of the object whose edge it is."""
        return self.changed or object_id(step, self.slot)


@dataclass(frozen=True, eq=False)
class PartHandle:
    """A handle on the part at ``point``; it changes ``field``, or its entry ``index`` if that is not negative.

    form: pull, a number by ``per_mm`` for each mm along ``direction``; slide, a number from low to high along ``line``
    (m, 3); move, a point in the plane square to ``direction``; turn, degrees about ``direction`` through ``centre``;
    way, turned by a click: the field is a switch, or a list that holds ``index`` while the way along ``direction`` is a
    turned one, ``value`` 1.
    along: points that move by as much as it does; then ``field`` does too. low, high: limits of the number. side: the
    field that names what lies on its side, where there are two.
    """

    form: Literal["pull", "slide", "move", "turn", "way"]
    field: str
    index: int
    label: str
    point: Array
    direction: Array
    value: float
    low: float = 0.0
    high: float = 1e9
    unit: str = ""
    per_mm: float = 1.0
    centre: Array | None = None
    line: Array | None = None
    side: str = ""
    along: tuple[str, ...] = ()

    def plain(self) -> dict[str, Any]:
        """As plain numbers."""
        return {k: v.tolist() if isinstance(v, np.ndarray) else v for k, v in vars(self).items()}

    @staticmethod
    def read(plain: Mapping[str, Any]) -> PartHandle:
        """From plain numbers."""
        arrays: dict[str, Any] = {k: np.array(v) if isinstance(v, list) else v for k, v in plain.items()}
        return PartHandle(**arrays | {"along": tuple(plain.get("along", ()))})


@dataclass(frozen=True, eq=False)
class Made:
    """What a step did. makes: shapes by slot, the first one ""; changes: new shapes of others' objects, by object.

    removes: objects that are no more behind it. facts: figures for its card; warnings: words. memory: what the next run
    may start from, never part of the result. ways: others in which it could be made, that can be built beside.
    """

    makes: Mapping[str, Shape] = field(default_factory=dict)
    changes: Mapping[str, Shape] = field(default_factory=dict)
    seams: tuple[DeclaredSeam, ...] = ()
    handles: tuple[PartHandle, ...] = ()
    facts: Mapping[str, Any] = field(default_factory=dict)
    warnings: tuple[str, ...] = ()
    memory: Any = None
    removes: tuple[str, ...] = ()
    ways: Any = None

    @property
    def shape(self) -> Shape | None:
        """The shape in the first slot."""
        return self.makes.get("")

    def objects(self, step: str) -> dict[str, Shape]:
        """Everything that the step hands on, by object id."""
        return {object_id(step, slot): shape for slot, shape in self.makes.items()} | dict(self.changes)


def object_id(step: str, slot: str) -> str:
    """Id of what a step makes in a slot."""
    return f"{step}/{slot}" if slot else step


def made_face(
    face: Face,
    seams: tuple[DeclaredSeam, ...] = (),
    handles: tuple[PartHandle, ...] = (),
    warnings: tuple[str, ...] = (),
    **facts: Any,
) -> Made:
    """A result of one face."""
    return Made({"": Shape(face)}, {}, seams, handles, facts, warnings)


def made_faces(faces: Sequence[Face], **more: Any) -> Made:
    """A result of faces in order: the first in the slot "", the others by their number from 2. more: of `made_face`."""
    made = made_face(faces[0], **more)
    return replace(made, makes={str(i + 1) if i else "": Shape(face) for i, face in enumerate(faces)})


def made_curves(
    *curves: Curve, names: tuple[str, ...] = (), warnings: tuple[str, ...] = (), points: Array | None = None,
    handles: tuple[PartHandle, ...] = (), **facts: Any,
) -> Made:  # fmt: skip
    """A result of curves. Figures of each are added by the evaluation."""
    shape = Shape(curves=curves, names=names, points=points)
    return Made({"": shape}, facts=facts, warnings=warnings, handles=handles)


def changed_faces(
    changes: Mapping[str, Face], more: Mapping[str, Face] | None = None, warnings: tuple[str, ...] = (),
    memory: Any = None, seams: tuple[DeclaredSeam, ...] = (), **facts: Any,
) -> Made:  # fmt: skip
    """A result that changes faces of others, and makes ``more`` in slots of its own."""
    own = {slot: Shape(face) for slot, face in (more or {}).items()}
    return Made(own, {k: Shape(f) for k, f in changes.items()}, seams, facts=facts, warnings=warnings, memory=memory)
