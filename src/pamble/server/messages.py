"""What windows are told over the live socket: the one source of these types, for the server and for the interface."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field

from pamble.server.frames import CombsHeader, FrameHeader, LightsHeader, Sent
from pamble.study.document import Group, Limits, Role
from pamble.study.features.described import ToolInfo
from pamble.study.references import EdgeRef


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
    """Answer to `RoundAsked`: the edge that was named first, then round the hole; and to `HoleAsked`."""

    type: Literal["rounded"] = "rounded"
    seq: int
    edges: list[NamedEdge]


class About(Sent):
    """Answer to `CreaseAsked`: objects."""

    type: Literal["about"] = "about"
    seq: int
    faces: list[str]


class Ways(Sent):
    """Answers to `WaysAsked`, one for each way that was built. rows: all of them, as in the facts of the step; left:
    how many are still to come.
    """

    type: Literal["ways"] = "ways"
    seq: int
    id: str
    rows: list[dict[str, Any]]
    left: int


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
    StudyState | Failed | Passed | Progress | Probed | Traced | Rounded | About | Ways | Located | Dependents,
    Field(discriminator="type"),
]

SENT_MODELS: tuple[Any, ...] = (ServerMessage, FrameHeader, CombsHeader, LightsHeader, ToolInfo, EdgeRef)
"""Everything that is sent over the socket, for the generated types."""
