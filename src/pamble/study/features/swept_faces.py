"""Faces that a curve makes on its way: extruded, revolved, swept along one rail or between two."""

from __future__ import annotations

from typing import Any, Literal

import numpy as np
from pydantic import Field, field_validator

from pamble.core.arrays import Array
from pamble.core.curves.offset import curve_plane
from pamble.core.curves.relations import straight_line
from pamble.core.errors import GeometryError
from pamble.core.faces.face import Face, natural_edge
from pamble.core.patches.frames import along, between
from pamble.core.patches.match import MOST_ADDED, match_sides
from pamble.core.patches.match_pairs import Pair
from pamble.core.patches.sweep import sweep
from pamble.core.spline.closest import to_curve
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_points
from pamble.core.spline.kinks import begun_at_kink, smooth_pieces
from pamble.core.spline.surface import Surface
from pamble.core.surfaces.draft import drafted
from pamble.core.surfaces.extrude import extrude
from pamble.core.surfaces.revolve import revolve
from pamble.study.features.base import Context, DeclaredSeam, FeatureKind, Inputs, Made, made_faces
from pamble.study.features.fields import choice, heading, number
from pamble.study.features.figures import DEVIATION, JOINTS, MOVED
from pamble.study.features.handles import pull, turn
from pamble.study.references import EdgeRef, FaceRef, Point
from pamble.study.stored import Stored

_AXES = {"x": 0, "y": 1, "z": 2}
_REACH = (-1e5, 1e5)
_BESIDE = 0.1
"""Distance, mm, from a rail within which a side of the sweep lies along it."""


class ExtrudeParams(Stored):
    """A curve moved to both sides. draft: by how much the walls lean outward; 0 is exact."""

    curve: EdgeRef = choice("Curve")
    along: Literal["x", "y", "z", "its plane", "given"] = choice(
        "Along", "its plane", labels={"its plane": "square to its plane"}
    )
    direction: Point = heading("Direction", (0.0, 0.0, 1.0), when=("along", "given"))
    forward: float = number("Forward", 50.0, "mm", ge=-1e5, le=1e5)
    back: float = number("Back", 0.0, "mm", ge=-1e5, le=1e5)
    draft: float = number("Draft", 0.0, "°", gt=-89, lt=89)


def extruded(params: ExtrudeParams, inputs: Inputs, context: Context) -> Made:
    """Build the wall."""
    curve = begun_at_kink(inputs.curve(params.curve))
    way = _direction(params, curve)
    if params.draft == 0:
        surface, off = extrude(curve, way, -params.back, params.forward), 0.0
    else:
        surface, off = drafted(curve, way, -params.back, params.forward, params.draft, context.fit)
    middle = curve_points(curve, [0.5 * sum(curve.domain)])[0]
    handles = (
        pull("forward", "Forward", params.forward, middle, way, limits=_REACH),
        pull("back", "Back", params.back, middle, -way, limits=_REACH),
    )
    return _pieces(surface, handles=handles, deviation=off)


def _pieces(surface: Surface, **more: Any) -> Made:
    """A face for each smooth piece: kinks of the curve are edges between faces."""
    return made_faces([Face(piece) for piece in smooth_pieces(surface)], **more)


def _direction(params: ExtrudeParams, curve: Curve) -> Array:
    if params.along in _AXES:
        return np.asarray(np.eye(3)[_AXES[params.along]])
    if params.along == "given":
        return np.array(params.direction) / max(float(np.linalg.norm(params.direction)), 1e-12)
    normal, off = curve_plane(curve)
    size = float(np.ptp(curve.control, axis=0).max())
    if off > 1e-3 * size:
        raise GeometryError(f"The curve leaves its plane by {off:.2f} mm: choose x, y, z or a direction of your own.")
    up = float(normal[int(np.argmax(np.abs(normal)))])
    return np.asarray(normal if up > 0 else -normal)


class RevolveParams(Stored):
    """A profile turned about an axis, exact. axis: a straight line, or a global axis."""

    profile: EdgeRef = choice("Profile")
    about: Literal["line", "x", "y", "z"] = choice("About", "line", labels={"line": "a line"})
    axis: EdgeRef | None = choice("Axis", None, ("about", "line"), placed=True)
    start: float = number("From", 0.0, "°", ge=-360, le=360)
    end: float = number("To", 360.0, "°", ge=-360, le=360)


def revolved(params: RevolveParams, inputs: Inputs, context: Context) -> Made:
    """Build the surface of revolution."""
    profile = begun_at_kink(inputs.curve(params.profile))
    point, axis = turned_about(params.about, params.axis, inputs)
    surface = revolve(profile, point, axis, params.start, params.end)
    rim = curve_points(profile, [0.5 * sum(profile.domain)])[0]
    centre = point + float((rim - point) @ axis) * axis
    angle = np.radians(params.end)
    arm = rim - centre
    at = centre + np.cos(angle) * arm + np.sin(angle) * np.cross(axis, arm)
    return _pieces(surface, handles=(turn("end", "To", params.end, centre, axis, at, (-360.0, 360.0)),))


def turned_about(about: str, line: EdgeRef | None, inputs: Inputs) -> tuple[Array, Array]:
    """Point and direction of an axis: a straight line of the study, or a global axis by name."""
    if about in _AXES:
        return np.zeros(3), np.asarray(np.eye(3)[_AXES[about]])
    if line is None:
        raise GeometryError("There is no line to turn about: pick one, or choose x, y or z.")
    return straight_line(inputs.curve(line))


class SweepParams(Stored):
    """Sections along a rail, or between two. way: how the section turns on its way. meets: continuity with which the
    face meets those beside its rails, where these are their edges; then its rows beside them give way.
    """

    rail: EdgeRef = choice("Rail")
    sections: list[EdgeRef] = Field(title="Sections", min_length=1)
    second: EdgeRef | None = choice("Second rail", None)
    way: Literal["turning", "fixed", "held", "face"] = choice(
        "The section", "turning",
        labels={"turning": "turns with the path", "fixed": "keeps its direction", "held": "is held to a direction",
                "face": "is held to a face"},
    )  # fmt: skip
    held: Point = heading("Direction", (0.0, 0.0, 1.0), when=("way", "held"))
    face: FaceRef | None = choice("Face", None, ("way", "face"), placed=True)
    straight: bool = choice("Straight between sections", False)
    keep_height: bool = choice("Height stays between two rails", False)
    meets: tuple[int, int] = choice(
        "Meets the face", (0, 0), continuity=True, sides=("rail", "second"), limits={"maximum": 2}
    )
    tolerance: float = number("Tolerance", 0.002, "mm", gt=0, le=10)

    @field_validator("meets")
    @classmethod
    def _known(cls, value: tuple[int, int]) -> tuple[int, int]:
        if not all(0 <= g <= 2 for g in value):
            raise ValueError("a sweep meets the faces beside its rails with G0, G1 or G2")
        return value


def swept(params: SweepParams, inputs: Inputs, context: Context) -> Made:
    """Build the sweep."""
    rails = [ref for ref in (params.rail, params.second) if ref is not None]
    rail, *more = inputs.different([*rails, *params.sections])
    sections = [begun_at_kink(c) for c in more[len(rails) - 1 :]]
    if params.second is not None:
        path = between(rail, inputs.curve(params.second), params.keep_height)
    else:
        face = inputs.face(params.face).surface if params.way == "face" and params.face is not None else None
        path = along(rail, params.way, np.array(params.held), face)
    # What is to meet others is matched by its CVs, which rational ones are not.
    joined = any(params.meets)
    made = sweep(sections, path, straight=params.straight, tolerance=params.tolerance, exact=not joined)
    if joined:
        return _met(params, inputs, Face(made.surface), made.deviation, context)
    over = made.deviation > params.tolerance
    words = (f"The rows lie up to {made.deviation:.4f} mm off the true sweep: the rail is not calm.",) if over else ()
    return _pieces(made.surface, deviation=made.deviation, warnings=words)


def _met(params: SweepParams, inputs: Inputs, face: Face, deviation: float, context: Context) -> Made:
    """The sweep matched to the faces beside its rails, as one of its sides lies along each."""
    rails = zip((params.rail, params.second), params.meets, strict=True)
    refs = [(ref, order) for ref, order in rails if ref is not None and order]
    if len(smooth_pieces(face.surface)) > 1:
        raise GeometryError("A sweep that meets faces beside its rails has sections without kinks.")
    pairs, seams = [], []
    for ref, order in refs:
        if not inputs.is_edge(ref):
            raise GeometryError(f"{inputs.name(ref.feature)} is no edge of a face: the sweep can meet nothing there.")
        edge = inputs.edge(ref)
        middle = curve_points(edge.space, [0.5 * sum(edge.domain)])
        away = {s: float(to_curve(natural_edge(face.surface, s).space, middle).distance[0]) for s in ("u0", "u1")}
        side = min(away, key=lambda s: away[s])
        if away[side] > _BESIDE:
            name = inputs.name(ref.feature)
            raise GeometryError(f"The section does not end on {name}: it passes {away[side]:.2f} mm beside its edge.")
        pairs.append(Pair(side, edge, order))
        seams.append(DeclaredSeam(side, ref.feature, ref.edge, order))
    diagonal = max(face.surface.diagonal, *(p.to.surface.diagonal for p in pairs))
    most = 0 if context.quick else MOST_ADDED
    made = match_sides(face, pairs, diagonal, most_added=most, before=context.dragged)
    words = () if made.ratio <= 1 else (f"A rail is met no better than {made.ratio:.1f} times what is aimed at.",)
    joints = [{"gap": s.gap, "angle": s.angle, "curvature": s.curvature} for s in made.sides]
    facts = {"deviation": deviation, "moved": float(made.moved.max()), "joints": joints}
    return made_faces([made.face], seams=tuple(seams), warnings=words, **facts)


KINDS = (
    FeatureKind(
        "extrude", "Extrude", "primary", ExtrudeParams, extruded, "primaries", "Pick a curve.", makes="face",
        section="", key="E", doing="Pull the handles. Enter keeps it, Esc drops it.", figures=(DEVIATION,),
    ),
    FeatureKind(
        "revolve", "Revolve", "primary", RevolveParams, revolved, "primaries", "Pick a profile, then the axis.",
        makes="face", section="From curves",
    ),
    FeatureKind(
        "sweep", "Sweep", "primary", SweepParams, swept, "primaries", "Pick the rail, then the section.", makes="face",
        section="From curves", figures=(DEVIATION, MOVED, JOINTS),
    ),
)  # fmt: skip
