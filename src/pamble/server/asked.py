"""What windows ask over the live socket: the one source of these types, for the server and for the interface."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import BaseModel, Field, TypeAdapter

from pamble.core.lights.bank import Kind as LightKind
from pamble.study.operations import Op


class CombWanted(BaseModel):
    """A comb that a window shows: an edge and the number of teeth."""

    id: str
    edge: str
    teeth: int = Field(60, ge=5, le=400)


Number = Annotated[float, Field(allow_inf_nan=False)]

Way = tuple[Number, Number, Number]


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


class HoleAsked(BaseModel):
    """All edges round the hole that one looks into through a point; way: to the eye; behind: the place that is seen
    through it, if a face lies there.
    """

    type: Literal["hole"] = "hole"
    seq: int
    point: Way
    way: Way
    behind: Way | None = None


class CreaseAsked(BaseModel):
    """The faces along the crease through an edge, and those that come within so many mm of its ends."""

    type: Literal["crease"] = "crease"
    seq: int
    id: str
    edge: str
    within: Annotated[float, Field(gt=0, le=1e6)]


class WaysAsked(BaseModel):
    """Build the other ways in which a step, as it was shown last, could be made, until something else is asked for."""

    type: Literal["ways"] = "ways"
    seq: int
    id: str


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
    | HoleAsked
    | CreaseAsked
    | WaysAsked
    | CombsAsked
    | LightsAsked
    | DependentsAsked
    | Cancel,
    Field(discriminator="type"),
]
CLIENT_MESSAGE: TypeAdapter[ClientMessage] = TypeAdapter(ClientMessage)
