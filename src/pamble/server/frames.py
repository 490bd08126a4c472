"""Headers of the binary frames: shapes, seams and figures of a study, and where their numbers stand."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import BaseModel, ConfigDict


class Sent(BaseModel):
    """Base of what the server sends: every field is always there."""

    model_config = ConfigDict(json_schema_serialization_defaults_required=True)


Place = tuple[int, int]
"""Offset and count of an array in a frame's float block."""

Point = tuple[float, float, float]


class FrameEdge(Sent):
    """An edge as a polyline."""

    name: str
    points: Place


class FrameCvs(Sent):
    """The CV net: count along u and v, and the points in double precision, v running first. through: they are points
    that the curve runs through."""

    count: tuple[int, int]
    through: bool
    points: list[float]


class FrameObject(Sent):
    """A shape. by: the step that made or changed it last; stale: it is a last good shape. vertices: 10
    floats each, position, normal, largest and smallest curvature, u, v. triangles: numbers of
    vertices, three each, where the vertices are no grid. plane: origin, x and y axis of a plane.
    """

    id: str
    by: str
    stale: bool
    kind: Literal["face", "curves", "mesh", "plane"]
    vertices: Place
    grid: tuple[int, int] | None
    triangles: Place | None
    edges: list[FrameEdge]
    isos: list[Place]
    cvs: FrameCvs
    degree: tuple[int, int]
    spans: tuple[int, int]
    rational: bool
    trimmed: bool
    plane: tuple[Point, Point, Point] | None


class FrameHandle(Sent):
    """A handle on the part; see `PartHandle` of the study."""

    form: Literal["pull", "slide", "move", "turn", "way"]
    field: str
    index: int
    label: str
    point: Point
    direction: Point
    value: float
    low: float
    high: float
    unit: str
    per_mm: float
    centre: Point | None
    line: list[Point] | None
    side: str
    along: list[str]


class FrameLost(Sent):
    """A reference that holds no longer; candidates: lines of the object that may be meant, likeliest first."""

    feature: str
    edge: str
    candidates: list[str]


class FrameOffer(Sent):
    """A change of a step's parameters that would mend it."""

    label: str
    changes: dict[str, Any]


class FrameFeature(Sent):
    """What evaluation says of a step. makes, changes: objects."""

    id: str
    status: Literal["fresh", "behind", "failed", "lost", "off", "beyond"]
    problem: str | None
    stale: bool
    makes: list[str]
    changes: list[str]
    facts: dict[str, Any]
    warnings: list[str]
    handles: list[FrameHandle]
    lost: FrameLost | None
    offer: FrameOffer | None


class SeamWorst(Sent):
    """A largest value, its distance along the seam in mm, and its place."""

    max: float
    at: float
    point: Point


class SeamCurvature(SeamWorst):
    """Curvature mismatch in %, and the largest in 1/mm."""

    absolute: float


class SeamEdge(Sent):
    """One side of a seam."""

    feature: str
    edge: str


class FrameSeam(Sent):
    """A line of the ledger. sides: names of both faces. by: the step that promises it, "" where it was found. stale: a
    side stands as its last good shape. plot: rows of 7 floats, length, gap, angle, curvature, x, y, z.
    """

    key: str
    name: str
    sides: tuple[str, str]
    a: SeamEdge
    b: SeamEdge
    target: int
    promised: int | None
    by: str
    proposed: int
    gap: SeamWorst
    angle: SeamWorst
    curvature: SeamCurvature
    rate: SeamCurvature | None
    length: float
    opposed: bool
    state: Literal["holds", "close", "over"]
    ratio: float
    stale: bool
    plot: Place


class FrameComb(Sent):
    """A comb. teeth: rows of 8 floats, point, tooth (1/mm), curvature, length; largest curvature 1/mm, radius mm."""

    id: str
    edge: str
    teeth: Place
    largest: float
    least_radius: float | None


class FrameLight(Sent):
    """Light lines on an object. segments: straight pieces, each two points of 3; lines: how many there are."""

    id: str
    segments: Place
    lines: int


class LightSeam(Sent):
    """A seam that light lines cross: the farthest jump, mm along the seam, and the sharpest kink, degrees, with
    places.
    """

    key: str
    lines: int
    jump: float
    jump_at: tuple[float, float, float]
    kink: float
    kink_at: tuple[float, float, float]


class LightsHeader(Sent):
    """Header of a binary frame with the light lines of all faces. spacing, height: of the lights, as used."""

    type: Literal["lights"]
    seq: int | None
    lights: list[FrameLight]
    seams: list[LightSeam]
    spacing: float
    height: float


class FrameHeader(Sent):
    """Header of a binary frame: of shapes, steps and seams those that changed, all of them when ``whole``.

    seq: the message that a preview answers. late: whether steps stay as they were because the pointer moves. order:
    keys of all seams, worst first.
    """

    type: Literal["frame"]
    preview: bool
    late: bool
    seq: int | None
    said: str | None
    whole: bool
    features: list[FrameFeature]
    objects: list[FrameObject]
    removed: list[str]
    seams: list[FrameSeam]
    order: list[str]
    combs: list[FrameComb]
    lights: list[FrameLight]


class CombsHeader(Sent):
    """Header of a binary frame with combs only."""

    type: Literal["combs"]
    seq: int | None
    combs: list[FrameComb]
