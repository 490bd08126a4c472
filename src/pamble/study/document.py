"""The study document: steps in the order of the build, seam targets, tolerances."""

from __future__ import annotations

import base64
from collections.abc import Mapping
from typing import Annotated, Any, Literal

import orjson
from pydantic import BaseModel, Field, ValidationError, field_validator, model_validator

from pamble.core.errors import StudyError
from pamble.core.tolerances import Tolerances
from pamble.study.migrate import migrated
from pamble.study.storable import check_assets, check_storable
from pamble.study.stored import Stored

FORMAT: Literal["pamble-study"] = "pamble-study"
FORMAT_VERSION = 3

Name = Annotated[str, Field(pattern=r"^[A-Za-z_][A-Za-z0-9_]{0,39}$")]
"""Name of a dimension."""

Role = Literal["construction", "theoretical", "primary", "secondary", "tertiary"]


class Feature(Stored):
    """One step of the build. kind names the tool; params are that tool's inputs and numbers. group: the group it is in.

    locked: it cannot be changed or deleted until it is unlocked; others may still hang on it.
    """

    id: str = Field(min_length=1, max_length=64, pattern=r"^[A-Za-z0-9_-]+$")
    kind: str
    name: str = Field(min_length=1, max_length=120)
    role: Role
    on: bool = True
    hidden: bool = False
    locked: bool = False
    group: str | None = None
    params: dict[str, Any]


class Group(Stored):
    """A named group of features; what is made while it is active lands in it with its role."""

    id: str = Field(min_length=1, max_length=64, pattern=r"^[A-Za-z0-9_-]+$")
    name: str = Field(min_length=1, max_length=120)
    role: Role


class Limits(Stored):
    """What seams are judged by: gap in mm, angle in degrees, curvature mismatch in %, mismatch of its change in %; and
    the fit, mm: within a tenth of it cuts follow their surfaces.
    """

    gap: float = Field(0.01, gt=0)
    angle: float = Field(0.1, gt=0)
    curvature: float = Field(5.0, gt=0)
    fit: float = Field(0.001, gt=0)
    rate: float = Field(10.0, gt=0)

    def tolerances(self) -> Tolerances:
        return Tolerances(self.gap, self.angle, self.curvature, self.fit, self.rate)


class Study(Stored):
    """A study, as stored and as exchanged in its JSON form. Lengths in mm.

    dimensions: named values as they are written; a number of a feature may be written as "=name * 2".
    marker: the last step that is built and shown; all when null. New steps land behind it.
    """

    format: Literal["pamble-study"] = FORMAT
    format_version: int = FORMAT_VERSION
    name: str = Field(min_length=1, max_length=120)
    features: list[Feature] = []
    seam_targets: dict[str, int] = {}
    limits: Limits = Limits()
    dimensions: dict[Name, str] = {}
    groups: list[Group] = []
    active_group: str | None = None
    marker: str | None = None

    @field_validator("format_version")
    @classmethod
    def _known_version(cls, value: int) -> int:
        if value != FORMAT_VERSION:
            raise ValueError(f"version {value} of the study format is not known; this Pamble reads {FORMAT_VERSION}")
        return value

    @model_validator(mode="after")
    def _ids_differ(self) -> Study:
        ids = [f.id for f in self.features]
        if len(set(ids)) != len(ids):
            raise ValueError("two features have the same id")
        if self.marker is not None and self.marker not in ids:
            raise ValueError("the marker names no feature of the study")
        return self

    @property
    def built(self) -> list[Feature]:
        """The steps up to the marker."""
        if self.marker is None:
            return self.features
        return self.features[: self.place(self.marker) + 1]

    def place(self, id: str) -> int:
        """Place of a step in the build, from 0. Raises `StudyError`."""
        return self.features.index(self.feature(id))

    def kind_of(self, id: str) -> str:
        """The tool of a step; no word if there is no such step."""
        return next((f.kind for f in self.features if f.id == id), "")

    def feature(self, id: str) -> Feature:
        """The feature of that id. Raises `StudyError`."""
        for f in self.features:
            if f.id == id:
                return f
        raise StudyError(f"There is no feature {id} in the study: it may have been deleted in another window.")


def study_to_json(study: Study, assets: Mapping[str, bytes] | None = None) -> bytes:
    """The documented JSON form of a study, its meshes within it."""
    out = study.model_dump()
    if assets:
        out["assets"] = {k: base64.b64encode(v).decode() for k, v in assets.items()}
    return orjson.dumps(out, option=orjson.OPT_INDENT_2)


def study_from_json(data: bytes) -> Study:
    """Read the JSON form without its meshes. Raises `StudyError` that names the first place that is wrong."""
    return read_study_file(data)[0]


def read_study_file(data: bytes) -> tuple[Study, dict[str, bytes]]:
    """Read the JSON form and the meshes in it. Raises `StudyError` that names the first place that is wrong."""
    try:
        raw = orjson.loads(data)
    except orjson.JSONDecodeError as error:
        raise StudyError(f"This is no whole study file: it breaks off or is damaged in line {error.lineno}.") from error
    if not isinstance(raw, dict) or raw.get("format") != FORMAT:
        raise StudyError('This is no study file: it does not say "format": "pamble-study".')
    packed = raw.pop("assets", {})
    try:
        check_storable(raw)
        check_assets(packed)
    except StudyError as error:
        raise StudyError(f"The study file is wrong. {error}") from error
    try:
        assets = {str(k): base64.b64decode(v, validate=True) for k, v in packed.items()}
    except (AttributeError, TypeError, ValueError) as error:
        raise StudyError("The study file is wrong at assets: these are no meshes as Pamble writes them.") from error
    try:
        return Study.model_validate(migrated(raw)), assets
    except ValidationError as error:
        raise StudyError(f"The study file is wrong at {first_problem(error)}.") from error


_LIMITS = {
    "greater_than": ("above", "gt"),
    "greater_than_equal": ("of at least", "ge"),
    "less_than": ("below", "lt"),
    "less_than_equal": ("of at most", "le"),
}
"""How a number beyond a limit is worded, and where the error holds that limit."""


def first_problem(error: ValidationError, model: type[BaseModel] | None = None) -> str:
    """Place and words of the first problem, for people. model: whose fields are called by their titles."""
    first = error.errors()[0]
    loc = [str(p) for p in first["loc"]]
    field = None if model is None or not loc else model.model_fields.get(loc[0])
    place = ".".join([field.title, *loc[1:]] if field is not None and field.title else loc) or "its top"
    if first["type"] in _LIMITS:
        words, key = _LIMITS[first["type"]]
        return f"{place}: a number {words} {first['ctx'][key]:g} is needed"
    return f"{place}: {first['msg'].removeprefix('Value error, ')}"
