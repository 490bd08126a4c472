"""Operations on a study. Each is applied to a copy and gives its inverse, so undo is one more operation."""

from __future__ import annotations

from typing import Annotated, Any, Literal, Self

from pydantic import Field, TypeAdapter, ValidationError, model_validator

from pamble.core.errors import StudyError
from pamble.study.document import Feature, Group, Limits, Name, Role, Study, first_problem
from pamble.study.migrate import migrated_operation
from pamble.study.references import CvRef, OnLine
from pamble.study.storable import check_storable
from pamble.study.stored import Stored


class AddFeatures(Stored):
    """Put features into the build, each at its place in ``at`` (behind the marker, or at the end, when null)."""

    op: Literal["add_features"] = "add_features"
    features: list[Feature]
    at: list[int] | None = None


class RemoveFeatures(Stored):
    """Take features out. What depends on them stays and says what it misses."""

    op: Literal["remove_features"] = "remove_features"
    ids: list[str]


class SetParams(Stored):
    """Give parameters of a feature new values; others stay."""

    op: Literal["set_params"] = "set_params"
    id: str
    changes: dict[str, Any]


class MovedCv(Stored):
    """A CV by its place in the net and its new position, mm. on: what a CV or point of a curve hangs on from now on, a
    place on a line or a CV of another curve. freed: it is let go of what it hung on.
    """

    i: int = Field(ge=0)
    j: int = Field(ge=0)
    to: tuple[float, float, float]
    on: OnLine | CvRef | None = None
    freed: bool = False


class MoveCvs(Stored):
    """Move CVs of an object: in the definition of the step that draws it by its CVs, else in a step of their own.

    id: the object. step: id of that step, where one has to be made; found if left out. mirror: the CVs that lie
    mirrored across the plane x = 0, y = 0 or z = 0 move mirrored too. over: a curve that its step draws by points gets
    its control polygon beside them, moved by a step of its own; no CV need move yet.
    """

    op: Literal["move_cvs"] = "move_cvs"
    id: str
    cvs: list[MovedCv]
    step: str | None = Field(None, max_length=64, pattern=r"^[A-Za-z0-9_-]+$")
    mirror: Literal["x", "y", "z"] | None = None
    over: bool = False

    @model_validator(mode="after")
    def _some(self) -> Self:
        if not self.cvs and not self.over:
            raise ValueError("No CV is named that could move.")
        return self


class Reshape(Stored):
    """A named change of a whole curve, such as its degree; which ones there are is said by its tool.

    cvs: the CVs or points that are picked, by number; value: a number that the change asks for.
    """

    op: Literal["reshape"] = "reshape"
    id: str
    action: str
    cvs: list[Annotated[int, Field(ge=0)]] = []
    value: float | None = None


class ReplaceFeature(Stored):
    """Put another step in the place of one with the same id."""

    op: Literal["replace_feature"] = "replace_feature"
    feature: Feature


class BreakFree(Stored):
    """Make a curve that follows from others one of its own, drawn by its CVs; it stays where it is."""

    op: Literal["break_free"] = "break_free"
    id: str


class Solve(Stored):
    """Reach a measured value by changing one number: carried out, and stored, as that change. See `solve_for`."""

    op: Literal["solve"] = "solve"
    measure: str = Field(max_length=200)
    aim: float
    by: str = Field(max_length=200)
    low: float | None = None
    high: float | None = None


class FlagChange(Stored):
    """New values of a feature's flags, role, name and group; null leaves one as it is, an empty group is none."""

    id: str
    name: str | None = Field(None, min_length=1, max_length=120)
    role: Role | None = None
    on: bool | None = None
    hidden: bool | None = None
    locked: bool | None = None
    group: str | None = None


class SetFlags(Stored):
    """Rename, hide, show, switch on and off, give a role: several features in one step."""

    op: Literal["set_flags"] = "set_flags"
    changes: list[FlagChange] = Field(min_length=1)


class SetStudy(Stored):
    """Rename the study or change the limits that seams are judged by."""

    op: Literal["set_study"] = "set_study"
    name: str | None = Field(None, min_length=1, max_length=120)
    limits: Limits | None = None


class SetSeamTarget(Stored):
    """Give a seam a target G0 to G3; null goes back to the proposed one."""

    op: Literal["set_seam_target"] = "set_seam_target"
    key: str
    target: int | None = Field(None, ge=0, le=3)


class SetDimension(Stored):
    """Give a named dimension a value, as it is written; null removes it. A number of a feature may be "=name + 2"."""

    op: Literal["set_dimension"] = "set_dimension"
    name: Name
    value: str | None = Field(None, max_length=200)


class MoveStep(Stored):
    """Give a step another place in the build: ``to`` is its place, from 0, when all is done."""

    op: Literal["move_step"] = "move_step"
    id: str
    to: int = Field(ge=0)


class SetMarker(Stored):
    """Build and show the steps up to this one; all when null. New steps land behind it."""

    op: Literal["set_marker"] = "set_marker"
    step: str | None = None


class Several(Stored):
    """Operations that are one for undo: all are done, or none."""

    op: Literal["several"] = "several"
    ops: list[Op] = Field(min_length=1)


class SetGroups(Stored):
    """The groups of the study in order, and the active one. Features of a group that goes are in none."""

    op: Literal["set_groups"] = "set_groups"
    groups: list[Group]
    active: str | None = None


Op = Annotated[
    AddFeatures
    | RemoveFeatures
    | SetParams
    | MoveCvs
    | Reshape
    | ReplaceFeature
    | BreakFree
    | Solve
    | SetFlags
    | SetStudy
    | SetSeamTarget
    | SetDimension
    | MoveStep
    | SetMarker
    | Several
    | SetGroups,
    Field(discriminator="op"),
]
Several.model_rebuild()
OP: TypeAdapter[Op] = TypeAdapter(Op)


def parse_op(data: Any, study: Study | None = None) -> Op:
    """Check an operation that came from outside, or was stored by an earlier version. Raises `StudyError`.

    study: the one that it is for: it tells the tools of the steps that the operation changes.
    """
    check_storable(data)
    try:
        return OP.validate_python(migrated_operation(data, lambda id: "" if study is None else study.kind_of(id)))
    except ValidationError as error:
        raise StudyError(f"This operation cannot be understood: {first_problem(error)}.") from error
