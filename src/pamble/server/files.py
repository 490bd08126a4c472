"""REST for files: what is read into studies, what is written of them. All of it is work for the workers.

A request is answered when the work is done; with the header ``Prefer: respond-async`` (RFC 7240) at once, with 202 and
the job, which is then asked for, stopped, and its file fetched.
"""

from __future__ import annotations

import asyncio
import re
from typing import Annotated, Any, cast
from urllib.parse import quote

from fastapi import APIRouter, File, Query, Request, Response, UploadFile
from fastapi.responses import JSONResponse
from pydantic import BaseModel

from pamble.core.errors import ExchangeError, Missing
from pamble.server.hub import hub_of
from pamble.server.people import who_of
from pamble.server.work import Followed, Work
from pamble.store.jobs import State
from pamble.study.taking import new_id
from pamble.work.kinds import Kind

router = APIRouter(prefix="/api")

_LARGEST = 200 * 1024 * 1024
"""Largest file that is taken, bytes."""

_MEDIA = {"export_step": ("step", "model/step"), "export_json": ("json", "application/json")}


class Created(BaseModel):
    """A study that was created."""

    id: str
    name: str


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


class FileSeam(BaseModel):
    """Two faces of a file that run along each other: gap in mm, angle in degrees, curvature in %, what it reaches."""

    faces: tuple[str, str]
    gap: float
    angle: float
    curvature: float
    reaches: str | None


class OpenEdge(BaseModel):
    """An edge of a face of a file that no other face runs along: its length in mm."""

    face: str
    edge: str
    length: float


class FileCheck(BaseModel):
    """What is found in a STEP file that goes out, read back; seams worst first."""

    faces: int
    curves: int
    closed: bool
    seams: list[FileSeam]
    open_edges: list[OpenEdge]
    problems: list[Untaken]


class Job(BaseModel):
    """Work on its way: 0 to 1 of it is done; message: why it failed; result: what the answer of the request would be,
    but for files.
    """

    id: str
    kind: Kind
    name: str
    state: State
    share: float
    message: str | None = None
    result: dict[str, Any] | None = None


_LATER: dict[int | str, dict[str, Any]] = {202: {"model": Job, "description": "Begun; asked for with Prefer."}}


@router.post("/studies/import", status_code=201, response_model=Created, responses=_LATER)
async def import_study(request: Request, file: Annotated[UploadFile, File()]) -> Any:
    data, who = await _read(file), who_of(request)
    owner = None if who.account is None else who.account.name
    job = await _work(request).ask(
        "study", file.filename or "study.json", data=data, owner=owner, whose=_whose(request)
    )
    return await _answered(request, job)


@router.post("/studies/{id}/step", response_model=StepImport, responses=_LATER)
async def import_step(request: Request, id: str, file: Annotated[UploadFile, File()]) -> Any:
    return await _taken(request, id, "step", file, f"{new_id()}.step")


@router.post("/studies/{id}/mesh", response_model=StepImport, responses=_LATER)
async def import_mesh(request: Request, id: str, file: Annotated[UploadFile, File()]) -> Any:
    return await _taken(request, id, "mesh", file, "mesh.stl")


@router.post("/studies/{id}/picture", response_model=StepImport, responses=_LATER)
async def import_picture(request: Request, id: str, file: Annotated[UploadFile, File()]) -> Any:
    return await _taken(request, id, "picture", file, "picture.png")


@router.get("/studies/{id}/export.step", response_class=Response, responses=_LATER)
async def export_step(request: Request, id: str, face: Annotated[list[str] | None, Query()] = None) -> Any:
    return await _answered(request, await _of_study(request, id, "export_step", face))


@router.get("/studies/{id}/export.json", response_class=Response, responses=_LATER)
async def export_json(request: Request, id: str) -> Any:
    return await _answered(request, await _of_study(request, id, "export_json"))


@router.get("/studies/{id}/check", response_model=FileCheck, responses=_LATER)
async def check(request: Request, id: str, face: Annotated[list[str] | None, Query()] = None) -> Any:
    """The STEP file that would go out, read back and checked."""
    return await _answered(request, await _of_study(request, id, "check", face))


@router.get("/jobs/{id}")
async def job(request: Request, id: str) -> Job:
    return _line(_work(request).found(id, _whose(request)))


@router.get("/jobs/{id}/file", response_class=Response)
async def file_of_job(request: Request, id: str) -> Response:
    found = _work(request).found(id, _whose(request))
    if found.state != "done" or found.kind not in _MEDIA:
        raise Missing("There is no file of this work.")
    return _download(found)


@router.delete("/jobs/{id}", status_code=204)
async def stop_job(request: Request, id: str) -> None:
    work = _work(request)
    await work.stop(work.found(id, _whose(request)))


def _work(request: Request) -> Work:
    work: Work = request.app.state.work
    return work


def _whose(request: Request) -> str:
    who = who_of(request)
    return who.account.name if who.account is not None else f"/{who.linked or ''}"


async def _taken(request: Request, id: str, kind: Kind, file: UploadFile, otherwise: str) -> Any:
    """A file that is read into a study: the operation that adds it, for the window to commit."""
    data, hub = await _read(file), hub_of(request)
    name = file.filename or otherwise
    names = await hub.names(id)

    async def finish(answer: dict[str, Any]) -> dict[str, Any]:
        if kind == "step":
            return answer
        await hub.keep(id, answer["asset"])
        doubt = answer["doubt"]
        problems = [] if doubt is None else [{"name": name, "kind": kind, "reason": doubt}]
        return {"op": answer["op"], "taken": 1, "problems": problems}

    whose = _whose(request)
    job = await _work(request).ask(kind, name, data=data, arguments=(names,), study=id, whose=whose, finish=finish)
    return await _answered(request, job)


async def _of_study(request: Request, id: str, kind: Kind, *arguments: Any) -> Followed:
    stored = await asyncio.to_thread(hub_of(request).store.load, id)
    name = stored.document["name"]
    return await _work(request).ask(kind, name, arguments=arguments, study=id, whose=_whose(request))


async def _answered(request: Request, job: Followed) -> Any:
    """The answer to a request for work: what came of it, or the job where that was preferred."""
    if "respond-async" in request.headers.get("prefer", ""):
        return JSONResponse(_line(job).model_dump(), status_code=202, headers={"Preference-Applied": "respond-async"})
    result = await _work(request).result(job, request.is_disconnected)
    return _download(job) if job.kind in _MEDIA else result


def _line(job: Followed) -> Job:
    done = job.state == "done" and job.kind not in _MEDIA
    return Job(
        id=job.id,
        kind=job.kind,
        name=job.name,
        state=job.state,
        share=job.share,
        message=None if job.error is None else str(job.error),
        result=cast(dict[str, Any], job.result) if done else None,
    )


async def _read(file: UploadFile) -> bytes:
    data = await file.read(_LARGEST + 1)
    if len(data) > _LARGEST:
        raise ExchangeError(f"The file is larger than {_LARGEST // 1024 // 1024} MB.")
    if not data:
        raise ExchangeError("The file is empty.")
    return data


def _download(job: Followed) -> Response:
    suffix, media = _MEDIA[job.kind]
    plain = re.sub(r"[^A-Za-z0-9 _.-]+", "", job.name).strip() or "study"
    header = f"attachment; filename=\"{plain}.{suffix}\"; filename*=UTF-8''{quote(job.name)}.{suffix}"
    return Response(job.result, media_type=media, headers={"Content-Disposition": header})
