"""Trim: faces cut by faces, curves and planes, or by each other; the picked regions are kept."""

from __future__ import annotations

from typing import Any, Literal

import numpy as np
from pydantic import Field

from pamble.core.arrays import Array
from pamble.core.checks.cuts import measure_cut
from pamble.core.errors import GeometryError
from pamble.core.faces.face import Face, base_name
from pamble.core.faces.inside import inside
from pamble.core.faces.regions.choose import Pick, Region
from pamble.core.faces.trim import Cutter, Divided, divide, proposed
from pamble.core.spline.evaluate import surface_points
from pamble.study.features.base import Context, FeatureKind, Inputs, Made, changed_faces
from pamble.study.features.fields import choice, heading
from pamble.study.features.meeting import Meetings
from pamble.study.inputs import Offered
from pamble.study.references import ChangedFaceRef, EdgeRef, FaceRef, PlaneRef, Point, Ref
from pamble.study.stored import Stored


class RegionPick(Ref):
    """A region that is kept, of the face ``feature``: a place on it as fractions of u and v, and the side of each
    cutter on which it lies, +1 left and -1 right of the cut as it runs.
    """

    at: tuple[float, float]
    sides: dict[str, int] = {}


def by(title: str) -> Any:
    """A list of cutters; one of the lists holds one at least."""
    return Field([], title=title, json_schema_extra={"one_of": "cutters"})


class TrimFacesParams(Stored):
    """each_other: whether the faces that cut are cut in turn. along: how curves come onto the faces. extend: a cut that
    ends inside is carried on. keep: null for the largest region of each face.
    """

    faces: list[ChangedFaceRef] = Field(title="Cut", min_length=1, json_schema_extra={"once": True})
    by_faces: list[FaceRef] = by("By faces")
    by_curves: list[EdgeRef] = by("By curves")
    by_planes: list[PlaneRef] = by("By planes")
    each_other: bool = choice("Cut each other", False)
    along: Literal["surface normal", "direction"] = choice("Curves along", "surface normal")
    direction: Point = heading("Direction", (0.0, 0.0, 1.0), when=("along", "direction"))
    extend: bool = choice("Extend short cuts", False)
    keep: list[RegionPick] | None = Field(None, title="Keep", json_schema_extra={"regions": True})


def run(params: TrimFacesParams, inputs: Inputs, context: Context) -> Made:
    """Cut every face, and hand on what is kept of it; further pieces become objects of their own."""
    refs = [*params.faces, *(params.by_faces if params.each_other else ())]
    ids = [ref.feature for ref in refs]
    if len(set(ids)) < len(ids):
        raise GeometryError("A face is picked twice: each is cut once.")
    faces = {id: inputs.face(ref) for id, ref in zip(ids, refs, strict=True)}
    tolerance = 0.1 * context.fit * (10.0 if context.preview else 1.0)
    meetings = Meetings(tolerance, context.preview, context.memory or ())
    changed: dict[str, Face] = {}
    pieces: dict[str, Face] = {}
    told: list[dict[str, Any]] = []
    warnings: list[str] = []
    for id, face in faces.items():
        cutters = _cutters(params, inputs, context, id)
        if not cutters:
            raise GeometryError("Pick what cuts: another face, a curve, or a plane.")
        try:
            divided = divide(face, cutters, tolerance, meetings.meet, context.preview)
            if len(divided.regions) == 1 and divided.complaints:
                first = divided.complaints[0]
                if first.short is not None and not params.extend:
                    raise Offered(f"{inputs.name(id)}: {first.words}", "Carry the cut on", {"extend": True})
                raise GeometryError(first.words)
            picks = _picks(params, id, divided)
            if not picks:
                raise GeometryError("nothing is kept: pick at least one region.")
            numbers = divided.kept(picks)
            kept = _first_picked_first(divided.holding(numbers), picks[0])
        except Offered:
            raise
        except GeometryError as error:
            raise GeometryError(f"{inputs.name(id)}: {error}") from error
        changed[id] = kept[0]
        for n, piece in enumerate(kept[1:], start=2):
            pieces[f"{n}" if len(faces) == 1 else f"{id.replace('/', '-')}-{n}"] = piece
        told += [_told(id, face, r, r.number in numbers) for r in divided.regions]
        warnings += [f"{inputs.name(id)}: {c.words}" for c in divided.complaints]
    cuts = [] if context.preview else _cuts(context.step, changed)
    return changed_faces(changed, pieces, tuple(warnings), tuple(meetings.after), regions=told, cuts=cuts)


def _cutters(params: TrimFacesParams, inputs: Inputs, context: Context, id: str) -> list[Cutter]:
    """What cuts a face; every cutter's edges are named by the step and the object that cuts."""
    step, extend = context.step, params.extend
    out = []
    cutting: list[FaceRef] = params.by_faces
    if params.each_other and all(id != ref.feature for ref in params.faces):
        cutting = list(params.faces)
    for ref in cutting:
        if ref.feature == id:
            raise GeometryError(f"{inputs.name(id)} cannot cut itself: pick another face.")
        out.append(Cutter(f"{step}:{ref.feature}", inputs.name(ref.feature), inputs.face(ref), extend=extend))
    direction = np.array(params.direction) if params.along == "direction" else None
    for edge in params.by_curves:
        name = f"{step}:{edge.feature}-{edge.edge}".replace(".", "-")
        out.append(Cutter(name, inputs.name(edge.feature), inputs.curve(edge), direction, extend))
    for plane in params.by_planes:
        out.append(Cutter(f"{step}:{plane.feature}", inputs.name(plane.feature), inputs.plane(plane)))
    return out


def _picks(params: TrimFacesParams, id: str, divided: Divided) -> list[Pick]:
    if params.keep is None:
        return [proposed(divided)]
    own = [p for p in params.keep if p.feature == id]
    if not own and all(p.feature != id for p in params.keep) and params.keep:
        return [proposed(divided)]
    low, high = np.array(divided.face.surface.domain).T
    return [Pick(low + np.array(p.at) * (high - low), p.sides) for p in own]


def _first_picked_first(kept: list[Face], pick: Pick) -> list[Face]:
    """Pieces, the one that holds the first pick in front: that one goes on being the face."""
    for i, face in enumerate(kept if len(kept) > 1 else ()):
        if inside(face, pick.at[:1], pick.at[1:])[0]:
            return [face, *kept[:i], *kept[i + 1 :]]
    return kept


def _told(id: str, face: Face, region: Region, kept: bool) -> dict[str, Any]:
    """A region for the window: where it is, how it is picked, and whether it is kept."""
    low, high = np.array(face.surface.domain).T
    at: Array = (region.at - low) / (high - low)
    point = surface_points(face.surface, region.at[:1], region.at[1:])[0]
    pick = {"feature": id, "at": at.tolist(), "sides": dict(region.sides)}
    return {"point": point.tolist(), "pick": pick, "kept": kept}


def _cuts(step: str, changed: dict[str, Face]) -> list[dict[str, Any]]:
    """Figures of the new edges: length mm, CVs, and how far they are off their face, mm."""
    cuts = [(id, e) for id, face in changed.items() for e in face.edges if base_name(e.name).startswith(f"{step}:")]
    return [
        {"face": id, "edge": e.name, "length": f.length, "cvs": len(e.space.control), "off": f.off_face}
        for id, e, f in ((id, e, measure_cut(e)) for id, e in cuts)
    ]


KIND = FeatureKind(
    "trim_faces",
    "Trim",
    "primary",
    TrimFacesParams,
    run,
    "primaries",
    "Pick a face to cut, then what cuts it: faces, curves or planes. Then click what is to be kept.",
    makes="change",
    key="T",
)
