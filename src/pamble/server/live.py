"""The live socket of an open study. While the pointer is down only the latest intent counts."""

from __future__ import annotations

import asyncio
import uuid
from typing import Any

import structlog
from fastapi import WebSocket, WebSocketDisconnect
from pydantic import BaseModel, ValidationError

from pamble.core.errors import PambleError
from pamble.server.hub import Hub, OpenStudy
from pamble.server.messages import (
    CLIENT_MESSAGE,
    ClientMessage,
    CombsAsked,
    CombWanted,
    Commit,
    Dependents,
    DependentsAsked,
    Failed,
    Locate,
    Located,
    Preview,
    Probe,
    Probed,
    Step,
    StudyState,
)

log = structlog.get_logger()


class LiveWindow:
    """One browser window on a study."""

    def __init__(self, socket: WebSocket, study: OpenStudy) -> None:
        self.id = uuid.uuid4().hex[:8]
        self._socket, self._study = socket, study
        self._sending = asyncio.Lock()
        self._latest: Preview | None = None
        self._previewing: asyncio.Task[None] | None = None

    async def send_state(self, state: StudyState, frame: bytes) -> None:
        """Deliver a state and its frame, nothing in between. A window that is gone is passed over."""
        try:
            async with self._sending:
                await self._socket.send_text(state.model_dump_json())
                await self._socket.send_bytes(frame)
        except (RuntimeError, WebSocketDisconnect):
            self._study.windows.discard(self)

    async def _send(self, message: BaseModel) -> None:
        async with self._sending:
            await self._socket.send_text(message.model_dump_json())

    async def run(self) -> None:
        """Read messages until the window is closed."""
        while True:
            text = await self._socket.receive_text()
            try:
                message = CLIENT_MESSAGE.validate_json(text)
            except ValidationError as error:
                first = error.errors()[0]
                await self._send(Failed(code="message", message=f"{first['loc']}: {first['msg']}"))
                continue
            if isinstance(message, Preview):
                self._latest = message
                if self._previewing is None or self._previewing.done():
                    self._previewing = asyncio.create_task(self._preview())
                continue
            self._latest = None
            await self._guarded(message)

    async def _preview(self) -> None:
        """Work off previews, always the latest, until none waits."""
        while self._latest is not None:
            message, self._latest = self._latest, None
            try:
                op, combs = message.op.model_dump(), _plain(message.combs)
                frame = await self._study.ask("preview", op, combs, message.watched)
                async with self._sending:
                    await self._socket.send_bytes(frame)
            except PambleError as error:
                await self._send(Failed(seq=message.seq, code=error.code, message=str(error)))
            except (RuntimeError, WebSocketDisconnect):
                return

    async def _guarded(self, message: ClientMessage) -> None:
        try:
            await self._handle(message)
        except PambleError as error:
            await self._send(Failed(seq=message.seq, code=error.code, message=str(error)))
        except (RuntimeError, WebSocketDisconnect):
            raise
        except Exception:
            log.exception("message failed", study=self._study.id, kind=message.type)
            words = "Pamble could not carry this out. What was stored before is safe."
            await self._send(Failed(seq=message.seq, code="fault", message=words))

    async def _handle(self, message: ClientMessage) -> None:
        study = self._study
        match message:
            case Commit():
                await study.commit(self, message.seq, message.base, message.op.model_dump())
            case Step():
                await study.step(self, message.seq, message.base, -1 if message.type == "undo" else 1)
            case Probe():
                answer: dict[str, Any] = await study.ask("probe", message.id, message.u, message.v)
                await self._send(Probed(seq=message.seq, id=message.id, **answer))
            case Locate():
                place = await study.ask("locate", message.id, message.edge, list(message.point))
                await self._send(Located(seq=message.seq, **place))
            case CombsAsked():
                frame = await study.ask("combs", _plain(message.combs))
                async with self._sending:
                    await self._socket.send_bytes(frame)
            case DependentsAsked():
                items = await study.ask("dependents", message.ids)
                await self._send(Dependents(seq=message.seq, items=items))
            case Preview():
                pass


def _plain(combs: list[CombWanted]) -> list[dict[str, Any]]:
    return [c.model_dump() for c in combs]


async def live(socket: WebSocket, hub: Hub, id: str) -> None:
    """Serve one window."""
    await socket.accept()
    try:
        study = await hub.open(id)
    except PambleError as error:
        await socket.send_text(Failed(code=error.code, message=str(error)).model_dump_json())
        await socket.close(code=4004)
        return
    window = LiveWindow(socket, study)
    try:
        await hub.enter(study, window)
        await window.run()
    except (WebSocketDisconnect, RuntimeError):
        pass
    finally:
        hub.leave(study, window)
