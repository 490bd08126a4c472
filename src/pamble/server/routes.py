"""REST for studies: list, create, delete, import, export."""

from __future__ import annotations

import asyncio
import re
from datetime import datetime
from typing import Annotated, Any
from urllib.parse import quote

from fastapi import APIRouter, File, Query, Request, Response, UploadFile
from pydantic import BaseModel, Field

from pamble import __version__
from pamble.core.errors import ExchangeError, StudyError
from pamble.core.exchange.picture import read_picture
from pamble.demo import DEMOS
from pamble.server.hub import Hub
from pamble.server.people import access_of, who_of
from pamble.store.accounts import Role
from pamble.study.document import Study
from pamble.study.features import KINDS
from pamble.study.features.described import ToolInfo, describe
from pamble.study.taking import new_id

router = APIRouter(prefix="/api")

_LARGEST_THUMBNAIL, _WIDEST_THUMBNAIL = 100_000, 640
_LARGEST = 200 * 1024 * 1024
"""Largest file that is taken, bytes."""


class Health(BaseModel):
    """Whether the server and its database work."""

    status: str
    version: str
    studies: int


class StudyLine(BaseModel):
    """A study in the list."""

    id: str
    name: str
    version: int
    features: int
    changed: datetime
    thumbnail: int | None
    role: Role = "own"


class NewStudy(BaseModel):
    """A study to create: empty, or a copy of a demo."""

    name: str | None = Field(None, min_length=1, max_length=120)
    demo: str | None = None


class Created(BaseModel):
    """A study that was created."""

    id: str
    name: str


class DemoLine(BaseModel):
    """A demo by short name."""

    name: str
    title: str
    hint: str


class Untaken(BaseModel):
    """A face of a file that cannot be taken, and why."""

    name: str
    kind: str
    reason: str


class StepImport(BaseModel):
    """Result of reading a file: the operation that puts its shapes into the study, for the window to commit."""

    op: dict[str, Any] | None
    taken: int
    problems: list[Untaken]


def _hub(request: Request) -> Hub:
    hub: Hub = request.app.state.hub
    return hub


@router.get("/health")
def health(request: Request) -> Health:
    return Health(status="ok", version=__version__, studies=len(_hub(request).store.listed()))


@router.get("/studies")
def studies(request: Request) -> list[StudyLine]:
    all_ = _hub(request).store.listed()
    access, who = access_of(request), who_of(request)
    if access is None or (who.account is not None and who.account.admin):
        return [StudyLine(**vars(s)) for s in all_]
    roles: dict[str, Role] = {} if who.linked is None else {who.linked: "look"}
    roles |= {} if who.account is None else access.accounts.roles(who.account)
    return [StudyLine(**vars(s), role=roles[s.id]) for s in all_ if s.id in roles]


@router.get("/tools")
def tools() -> list[ToolInfo]:
    """Every tool as a window needs to know it."""
    return [describe(k) for k in KINDS.values()]


@router.get("/demos")
def demos() -> list[DemoLine]:
    return [DemoLine(name=k, title=d.title, hint=d.hint) for k, d in DEMOS.items()]


@router.post("/studies", status_code=201)
def create(request: Request, wanted: NewStudy) -> Created:
    if wanted.demo is not None and wanted.demo not in DEMOS:
        raise StudyError(f"There is no demo {wanted.demo!r}: there are {', '.join(DEMOS)}.")
    study = DEMOS[wanted.demo].study() if wanted.demo else Study(name=wanted.name or "New study")
    if wanted.name:
        study = study.model_copy(update={"name": wanted.name})
    return Created(id=_owned(request, _hub(request).store.create(study.model_dump())), name=study.name)


@router.post("/studies/import", status_code=201)
async def import_study(request: Request, file: Annotated[UploadFile, File()]) -> Created:
    hub = _hub(request)
    document, assets = await hub.readers.read("study", await _read(file), file.filename or "study.json")
    id = await asyncio.to_thread(lambda: _owned(request, hub.store.create(document, assets)))
    return Created(id=id, name=document["name"])


@router.delete("/studies/{id}", status_code=204)
async def remove(request: Request, id: str) -> None:
    await _hub(request).remove(id)


@router.post("/studies/{id}/step")
async def import_step(request: Request, id: str, file: Annotated[UploadFile, File()]) -> StepImport:
    study = await _hub(request).open(id)
    return StepImport(**await study.take_step(await _read(file), file.filename or f"{new_id()}.step"))


@router.post("/studies/{id}/mesh")
async def import_mesh(request: Request, id: str, file: Annotated[UploadFile, File()]) -> StepImport:
    study = await _hub(request).open(id)
    name = file.filename or "mesh.stl"
    read = await study.take_reference("mesh", await _read(file), name)
    problems = [] if read["doubt"] is None else [Untaken(name=name, kind="mesh", reason=read["doubt"])]
    return StepImport(op=read["op"], taken=1, problems=problems)


@router.post("/studies/{id}/picture")
async def import_picture(request: Request, id: str, file: Annotated[UploadFile, File()]) -> StepImport:
    study = await _hub(request).open(id)
    read = await study.take_reference("picture", await _read(file), file.filename or "picture.png")
    return StepImport(op=read["op"], taken=1, problems=[])


@router.get("/studies/{id}/pictures/{asset}")
def picture(request: Request, id: str, asset: str) -> Response:
    data = _hub(request).store.assets(id, asset).get(asset)
    if data is None:
        raise StudyError("This picture is not stored with the study.")
    return Response(data, media_type=read_picture(data, asset).media, headers={"Cache-Control": "max-age=31536000"})


@router.put("/studies/{id}/thumbnail", status_code=204)
async def put_thumbnail(request: Request, id: str, version: Annotated[int, Query(ge=0)]) -> None:
    """A small picture of the part as it stands, drawn by a window."""
    data = await request.body()
    if not data or len(data) > _LARGEST_THUMBNAIL:
        raise ExchangeError("A thumbnail is a small picture.")
    if read_picture(data, "thumbnail").width > _WIDEST_THUMBNAIL:
        raise ExchangeError(f"A thumbnail is at most {_WIDEST_THUMBNAIL} pixels wide.")
    await asyncio.to_thread(_hub(request).store.keep_thumbnail, id, version, data)


@router.get("/studies/{id}/thumbnail")
def thumbnail(request: Request, id: str) -> Response:
    data = _hub(request).store.thumbnail(id)
    if data is None:
        raise StudyError("There is no picture of this study yet.")
    return Response(data, media_type=read_picture(data, "thumbnail").media, headers={"Cache-Control": "no-cache"})


@router.get("/studies/{id}/export.step")
async def export_step(request: Request, id: str, face: Annotated[list[str] | None, Query()] = None) -> Response:
    study = await _hub(request).open(id)
    return _download(await study.ask("export_step", face), study.stored.document["name"], "step", "model/step")


@router.get("/studies/{id}/export.json")
async def export_json(request: Request, id: str) -> Response:
    study = await _hub(request).open(id)
    return _download(await study.ask("export_json"), study.stored.document["name"], "json", "application/json")


def _owned(request: Request, id: str) -> str:
    """A new study, given to who made it."""
    access, who = access_of(request), who_of(request)
    if access is not None and who.account is not None:
        access.accounts.share(id, who.account.name, "own")
    return id


async def _read(file: UploadFile) -> bytes:
    data = await file.read(_LARGEST + 1)
    if len(data) > _LARGEST:
        raise ExchangeError(f"The file is larger than {_LARGEST // 1024 // 1024} MB.")
    if not data:
        raise ExchangeError("The file is empty.")
    return data


def _download(data: bytes, name: str, suffix: str, media: str) -> Response:
    plain = re.sub(r"[^A-Za-z0-9 _.-]+", "", name).strip() or "study"
    header = f"attachment; filename=\"{plain}.{suffix}\"; filename*=UTF-8''{quote(name)}.{suffix}"
    return Response(data, media_type=media, headers={"Content-Disposition": header})
