"""The application: routes, the live socket, errors in plain words, and the built interface."""

from __future__ import annotations

import asyncio
from collections.abc import AsyncIterator, Awaitable, Callable, Sequence
from contextlib import asynccontextmanager
from pathlib import Path
from typing import Any, Literal

import structlog
from fastapi import FastAPI, Request, Response, WebSocket
from fastapi.responses import FileResponse, JSONResponse, RedirectResponse
from fastapi.staticfiles import StaticFiles
from pydantic import BaseModel, TypeAdapter
from sqlalchemy import Engine
from sqlalchemy.exc import SQLAlchemyError
from starlette.exceptions import HTTPException

from pamble import __version__
from pamble.core.errors import Conflict, Missing, PambleError
from pamble.server import metrics
from pamble.server.access import LINK, NO_DATABASE, Access, SignIn
from pamble.server.asked import ClientMessage
from pamble.server.files import router as files
from pamble.server.guard import OWN, Guard
from pamble.server.hub import Hub
from pamble.server.live import live
from pamble.server.messages import SENT_MODELS
from pamble.server.methods import not_so
from pamble.server.people import NotSignedIn, who_of
from pamble.server.people import router as people
from pamble.server.routes import router
from pamble.server.work import Work
from pamble.store.jobs import Jobs
from pamble.store.studies import Studies

log = structlog.get_logger()

_HEADERS = {
    "Content-Security-Policy": "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data: blob:; "
    "font-src 'self' data:; connect-src 'self' ws: wss:; frame-ancestors 'none'",
    "X-Content-Type-Options": "nosniff",
    "Referrer-Policy": "no-referrer",
}


class Problem(BaseModel):
    """Why a request was refused, in words."""

    code: str
    message: str


_STATUS = ((Conflict, 409), (NotSignedIn, 401), (Missing, 404))
_WORDS = {
    400: "What was asked for cannot be done.",
    401: "Nobody has signed in.",
    403: "Not of this study, or not by who may only look.",
    404: "There is nothing here.",
    409: "It was changed elsewhere in the meantime.",
    503: "The database cannot be reached.",
}
_REFUSALS: dict[int | str, dict[str, Any]] = {k: {"model": Problem, "description": v} for k, v in _WORDS.items()}
"""Answers that any route may give."""


def create_app(
    engine: Engine,
    interface: Path | None = None,
    ready: Sequence[str] = (),
    access: Access | None = None,
    wanted: Callable[[], None] = lambda: None,
) -> FastAPI:
    """The application on an open database; ``interface`` is the folder of the built front end.

    ready: studies that are worked out as soon as it runs. access: who may, where it is reached from other machines;
    None for this machine alone. wanted: called when there is work for a worker.
    """

    @asynccontextmanager
    async def lifespan(app: FastAPI) -> AsyncIterator[None]:
        app.state.hub, app.state.work = Hub(Studies(engine)), Work(Jobs(engine), wanted)
        app.state.hub.get_ready(ready)
        yield
        app.state.work.close()
        app.state.hub.close()

    app = FastAPI(
        title="Pamble", version=__version__, lifespan=lifespan, docs_url=None, redoc_url=None, openapi_url=None
    )
    if access is not None:
        app.add_middleware(SignIn, access=access)
    app.add_middleware(Guard, names=OWN if access is None else None)
    for each in (router, files, people):
        app.include_router(each, responses=_REFUSALS)

    @app.exception_handler(PambleError)
    async def _in_words(_: Request, error: PambleError) -> JSONResponse:
        status = next((s for kind, s in _STATUS if isinstance(error, kind)), 400)
        return JSONResponse({"code": error.code, "message": str(error)}, status_code=status)

    @app.exception_handler(SQLAlchemyError)
    async def _no_database(request: Request, error: SQLAlchemyError) -> JSONResponse:
        log.error("the database did not answer", path=request.url.path, words=str(error))
        _, code, words = NO_DATABASE
        return JSONResponse({"code": code, "message": words}, status_code=503)

    @app.exception_handler(HTTPException)
    async def _not_understood(request: Request, error: HTTPException) -> JSONResponse:
        if error.status_code in (404, 405):
            return not_so(app, request.url.path)
        return JSONResponse({"code": "request", "message": str(error.detail)}, status_code=error.status_code)

    @app.middleware("http")
    async def _headers(request: Request, call: Callable[[Request], Awaitable[Response]]) -> Response:
        response = await call(request)
        response.headers.update(_HEADERS)
        return response

    @app.websocket("/api/studies/{id}/live")
    async def _live(socket: WebSocket, id: str) -> None:
        await live(
            socket, app.state.hub, id, None if access is None else lambda: access.role(id, access.who(socket.scope))
        )

    @app.get("/metrics", include_in_schema=False)
    def _metrics() -> Response:
        return Response(metrics.page(app.state.hub, app.state.work.jobs), media_type=metrics.CONTENT_TYPE)

    if interface is not None and (interface / "index.html").exists():
        app.mount("/assets", StaticFiles(directory=interface / "assets"), name="assets")

        @app.get("/study/{id}", include_in_schema=False)
        async def _study(request: Request, id: str) -> Response:
            if access is None or await asyncio.to_thread(access.role, id, who_of(request)) is not None:
                app.state.hub.expect(id)
            return FileResponse(interface / "index.html")

        @app.get("/look/{token}", include_in_schema=False)
        async def _look(token: str) -> Response:
            study = None if access is None else await asyncio.to_thread(access.accounts.linked, token)
            answer = RedirectResponse("/" if study is None else f"/study/{study}", status_code=303)
            if access is not None and study is not None:
                answer.set_cookie(
                    LINK, access.cookie(token), httponly=True, samesite="lax", secure=access.secure, path="/"
                )
            return answer

        @app.get("/{path:path}", include_in_schema=False)
        def _page(path: str) -> Response:
            if path.startswith("api/"):
                return not_so(app, f"/{path}")
            icon = interface / path
            return FileResponse(icon if path == "icon.svg" and icon.exists() else interface / "index.html")

    return app


def schema() -> dict[str, Any]:
    """OpenAPI of the routes together with the socket's messages: the source of the interface's types."""
    from sqlalchemy import create_engine

    app = create_app(create_engine("postgresql+psycopg://"))
    out = app.openapi()
    schemas = out["components"]["schemas"]
    modes: list[tuple[Any, Literal["validation", "serialization"]]] = [
        *((model, "validation") for model in (ClientMessage,)),
        *((model, "serialization") for model in SENT_MODELS),
    ]
    for model, mode in modes:
        part = TypeAdapter(model).json_schema(mode=mode, ref_template="#/components/schemas/{model}")
        schemas.update(part.pop("$defs", {}))
        if "title" in part:
            schemas[part["title"]] = part
    return out
