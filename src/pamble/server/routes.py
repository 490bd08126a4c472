"""REST for studies: list, create, delete, their pictures."""

from __future__ import annotations

import asyncio
from datetime import datetime
from typing import Annotated

from fastapi import APIRouter, Query, Request, Response
from pydantic import BaseModel, Field

from pamble import __version__
from pamble.core.errors import ExchangeError, Missing, StudyError
from pamble.core.exchange.picture import read_picture
from pamble.demo import DEMOS
from pamble.server.files import Created
from pamble.server.hub import hub_of
from pamble.server.people import access_of, who_of
from pamble.store.accounts import Role
from pamble.study.document import Study
from pamble.study.features import KINDS
from pamble.study.features.described import ToolInfo, describe

router = APIRouter(prefix="/api")

_LARGEST_THUMBNAIL, _WIDEST_THUMBNAIL = 100_000, 640


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


class DemoLine(BaseModel):
    """A demo by short name."""

    name: str
    title: str
    hint: str


@router.get("/health")
def health(request: Request) -> Health:
    return Health(status="ok", version=__version__, studies=len(hub_of(request).store.listed()))


@router.get("/studies")
def studies(request: Request) -> list[StudyLine]:
    all_ = hub_of(request).store.listed()
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
    return Created(id=_owned(request, hub_of(request).store.create(study.model_dump())), name=study.name)


@router.delete("/studies/{id}", status_code=204)
async def remove(request: Request, id: str) -> None:
    await hub_of(request).remove(id)


@router.get("/studies/{id}/pictures/{asset}")
def picture(request: Request, id: str, asset: str) -> Response:
    data = hub_of(request).store.assets(id, asset).get(asset)
    if data is None:
        raise Missing("This picture is not stored with the study.")
    return Response(data, media_type=read_picture(data, asset).media, headers={"Cache-Control": "max-age=31536000"})


@router.put("/studies/{id}/thumbnail", status_code=204)
async def put_thumbnail(request: Request, id: str, version: Annotated[int, Query(ge=0)]) -> None:
    """A small picture of the part as it stands, drawn by a window."""
    data = await request.body()
    if not data or len(data) > _LARGEST_THUMBNAIL:
        raise ExchangeError("A thumbnail is a small picture.")
    if read_picture(data, "thumbnail").width > _WIDEST_THUMBNAIL:
        raise ExchangeError(f"A thumbnail is at most {_WIDEST_THUMBNAIL} pixels wide.")
    await asyncio.to_thread(hub_of(request).store.keep_thumbnail, id, version, data)


@router.get("/studies/{id}/thumbnail")
def thumbnail(request: Request, id: str) -> Response:
    data = hub_of(request).store.thumbnail(id)
    if data is None:
        raise Missing("There is no picture of this study yet.")
    return Response(data, media_type=read_picture(data, "thumbnail").media, headers={"Cache-Control": "no-cache"})


def _owned(request: Request, id: str) -> str:
    """A new study, given to who made it."""
    access, who = access_of(request), who_of(request)
    if access is not None and who.account is not None:
        access.accounts.share(id, who.account.name, "own")
    return id
