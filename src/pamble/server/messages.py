"""The live socket's messages: the one source of their types, for the server and for the interface."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import BaseModel, Field, TypeAdapter

from pamble.core.lights.bank import Kind as LightKind
from pamble.server.frames import CombsHeader, FrameHeader, LightsHeader, Sent
from pamble.study.document import Group, Limits, Role
from pamble.study.features.described import ToolInfo
from pamble.study.operations import Op
from pamble.study.references import EdgeRef


class CombWanted(BaseModel):
    """A comb that a window shows: an edge and the number of teeth."""

    id: str
    edge: str
    teeth: int = Field(60, ge=5, le=400)


Way = tuple[float, float, float]


class LightsWanted(BaseModel):
    """A bank of lights: they stand toward a direction and run level across it, turned by so many degrees. height: of
    their plane, mm; spacing: mm, or degrees of an isophote; what suits the part when null. eye: where it is seen from.
    """

    kind: LightKind
    toward: Way
    turn: float = Field(ge=-360, le=360, allow_inf_nan=False)
    eye: Way
    spacing: float | None = Field(None, gt=0, le=1e6, allow_inf_nan=False)
    height: float | None = Field(None, ge=-1e7, le=1e7, allow_inf_nan=False)


class Preview(BaseModel):
    """Show what an operation would make while the pointer is down; only the latest counts.

    combs, lights: the combs and light lines that the window shows, to follow along. watched: the steps whose figures it
    shows, all when null. rest: the pointer rests, so all that follows is worked out, however long it takes, until the
    window asks for something else.
    """

    type: Literal["preview"] = "preview"
    seq: int
    op: Op
    rest: bool = False
    combs: list[CombWanted] = []
    lights: LightsWanted | None = None
    watched: list[str] | None = None


class Commit(BaseModel):
    """Apply an operation on top of version ``base`` and store it."""

    type: Literal["commit"] = "commit"
    seq: int
    base: int
    op: Op


class Step(BaseModel):
    """Undo or redo one operation on top of version ``base``."""

    type: Literal["undo", "redo"]
    seq: int
    base: int


class Probe(BaseModel):
    """Exact curvatures of an object at surface parameters."""

    type: Literal["probe"] = "probe"
    seq: int
    id: str
    u: float
    v: float


class Locate(BaseModel):
    """The exact place on a line, or on a face or plane when ``edge`` is null, nearest to a point seen there."""

    type: Literal["locate"] = "locate"
    seq: int
    id: str
    edge: str | None
    point: tuple[float, float, float]


class WhyAsked(BaseModel):
    """Why a seam, by its key, is not quiet."""

    type: Literal["why"] = "why"
    seq: int
    key: str


class RoundAsked(BaseModel):
    """All edges round the hole that an edge borders."""

    type: Literal["round"] = "round"
    seq: int
    id: str
    edge: str


class CombsAsked(BaseModel):
    """Combs of edges as they are kept, in a binary frame."""

    type: Literal["combs"] = "combs"
    seq: int
    combs: list[CombWanted]


class LightsAsked(BaseModel):
    """Light lines of all faces as they are kept, in a binary frame."""

    type: Literal["lights"] = "lights"
    seq: int
    lights: LightsWanted


class Cancel(BaseModel):
    """Stop what is worked on, if it is not done yet: that answers with an error of the code "cancelled"."""

    type: Literal["cancel"] = "cancel"
    seq: int


class DependentsAsked(BaseModel):
    """What hangs on features."""

    type: Literal["dependents"] = "dependents"
    seq: int
    ids: list[str]


ClientMessage = Annotated[
    Preview
    | Commit
    | Step
    | Probe
    | Locate
    | WhyAsked
    | RoundAsked
    | CombsAsked
    | LightsAsked
    | DependentsAsked
    | Cancel,
    Field(discriminator="type"),
]
CLIENT_MESSAGE: TypeAdapter[ClientMessage] = TypeAdapter(ClientMessage)


class FeatureSummary(Sent):
    """A feature without its bulk. params: the rest of its parameters, as they are written."""

    id: str
    kind: str
    name: str
    role: Role
    on: bool
    hidden: bool
    locked: bool
    group: str | None
    params: dict[str, Any]


class Dimension(Sent):
    """A named dimension as it is written, and its value."""

    name: str
    written: str
    value: float


class StudySummary(Sent):
    """A study without the bulk of its geometry."""

    name: str
    features: list[FeatureSummary]
    limits: Limits
    seam_targets: dict[str, int]
    dimensions: list[Dimension]
    groups: list[Group]
    active_group: str | None
    marker: str | None


class StudyState(Sent):
    """Sent when a study was opened or changed; the frame with the changed shapes follows at once.

    seq and by: the message and the window that caused it.
    """

    type: Literal["state"] = "state"
    reason: Literal["opened", "commit", "undo", "redo", "reload"]
    version: int
    study: StudySummary
    can_undo: bool
    can_redo: bool
    window: str
    by: str | None = None
    seq: int | None = None


class Failed(Sent):
    """A message that could not be carried out, in the user's words."""

    type: Literal["error"] = "error"
    seq: int | None = None
    code: str
    message: str


class Passed(Sent):
    """Answer to a message that needs no other: a preview that was overtaken, a wish that was taken."""

    type: Literal["passed"] = "passed"
    seq: int


class Progress(Sent):
    """How far long work is, 0 to 1. No answer to anything."""

    type: Literal["progress"] = "progress"
    share: float


class Probed(Sent):
    """Answer to `Probe`; curvatures in 1/mm, Gauss in 1/mm^2, radius in mm; null where not defined."""

    type: Literal["probed"] = "probed"
    seq: int
    id: str
    point: tuple[float, float, float]
    normal: tuple[float, float, float]
    largest: float | None
    smallest: float | None
    gauss: float | None
    mean: float | None
    radius: float | None


class CreaseTold(Sent):
    """Least and largest angle between the faces along a seam, and its unevenness, degrees."""

    least: float
    largest: float
    unevenness: float


class SpansTold(Sent):
    """Spans that a blend needs along a seam, and those that the one there has; null without one."""

    needed: int
    have: int | None


class CauseTold(Sent):
    """What keeps a seam from being quiet, by name. place: where it is worst, mm; step: the one to change; object: what
    it made.
    """

    name: str
    place: tuple[float, float, float]
    step: str
    object: str


class Traced(Sent):
    """Answer to `WhyAsked`. causes: none where the seam is sound, two where both its sides are to be mended."""

    type: Literal["traced"] = "traced"
    seq: int
    key: str
    words: str
    crease: CreaseTold
    spans: SpansTold
    causes: list[CauseTold]


class NamedEdge(Sent):
    """An edge of an object."""

    feature: str
    edge: str


class Rounded(Sent):
    """Answer to `RoundAsked`: the edge that was named first, then round the hole."""

    type: Literal["rounded"] = "rounded"
    seq: int
    edges: list[NamedEdge]


class Located(Sent):
    """Answer to `Locate`. at: fraction of the line's length, null on a face or plane."""

    type: Literal["located"] = "located"
    seq: int
    point: tuple[float, float, float]
    at: float | None


class NamedId(Sent):
    """An object by id and name."""

    id: str
    name: str


class Dependents(Sent):
    """Answer to `DependentsAsked`."""

    type: Literal["dependents"] = "dependents"
    seq: int
    items: list[NamedId]


ServerMessage = Annotated[
    StudyState | Failed | Passed | Progress | Probed | Traced | Rounded | Located | Dependents,
    Field(discriminator="type"),
]

RECEIVED_MODELS: tuple[Any, ...] = (ClientMessage,)
SENT_MODELS: tuple[Any, ...] = (ServerMessage, FrameHeader, CombsHeader, LightsHeader, ToolInfo, EdgeRef)
"""Everything that travels over the socket, for the generated types."""
