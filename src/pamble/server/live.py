"""The live socket of an open study. While the pointer is down only the latest intent counts.

Every message gets one answer with its number: a state or frame that carries it, an error, or the word that it was
passed over. Each window has an outbox of its own: one that reads slowly keeps no other waiting.
"""

from __future__ import annotations

import asyncio
import contextlib
import json
import uuid
from collections import deque
from collections.abc import Callable
from typing import Any

import structlog
from fastapi import WebSocket, WebSocketDisconnect
from pydantic import BaseModel, ValidationError

from pamble.core.errors import PambleError
from pamble.core.ticking import Cancelled
from pamble.server.asked import (
    CLIENT_MESSAGE,
    Cancel,
    ClientMessage,
    CombsAsked,
    CombWanted,
    Commit,
    CreaseAsked,
    DependentsAsked,
    HoleAsked,
    LightsAsked,
    Locate,
    Preview,
    Probe,
    RoundAsked,
    Step,
    WaysAsked,
    WhyAsked,
)
from pamble.server.builders import Builders
from pamble.server.hub import Hub, OpenStudy
from pamble.server.messages import (
    About,
    Dependents,
    Failed,
    Located,
    Passed,
    Probed,
    Progress,
    Rounded,
    StudyState,
    Traced,
)
from pamble.server.metrics import COMMITS, FAULTS, REFUSED, UPDATES, timed
from pamble.server.ways import Building
from pamble.store.accounts import Role

log = structlog.get_logger()

_WAITING = 256
"""Messages that may wait for a window; one that lets more wait is closed, and opens again with the whole state."""

_QUICK = 0.4
"""Seconds that work may take before it is told how far it is."""


_LOOKED_AFTER = 20.0
"""Seconds after which it is asked again whether a window may still be there."""

Asked = Callable[[], Role | None]
"""Gives what somebody may do with the study."""


class LookOnly(PambleError):
    """A change by somebody who may only look."""

    code = "read-only"


class LiveWindow:
    """One browser window on a study."""

    def __init__(self, socket: WebSocket, study: OpenStudy, builders: Builders, role: Asked | None = None) -> None:
        self.id = uuid.uuid4().hex[:8]
        self._socket, self._study, self._role = socket, study, role
        self._outbox: deque[str | bytes] = deque()
        self._filled, self._emptied = asyncio.Event(), asyncio.Event()
        self._emptied.set()
        self._latest: Preview | None = None
        self._previewing: asyncio.Task[None] | None = None
        self._resting = False
        self._working: float | None = None
        self._building = Building(study, builders)

    def send_state(self, state: StudyState, frame: bytes) -> None:
        """Put a state and its frame into the outbox, nothing in between."""
        self._put(state.model_dump_json(), frame)

    def send_progress(self, share: float) -> None:
        """Tell how far long work is, if this window waits for it."""
        if self._working is not None and asyncio.get_running_loop().time() - self._working > _QUICK:
            self._send(Progress(share=share))

    def _send(self, message: BaseModel) -> None:
        self._put(message.model_dump_json())

    def _put(self, *parts: str | bytes) -> None:
        if len(self._outbox) > _WAITING:
            self._study.windows.discard(self)
            self._outbox.clear()
            asyncio.get_running_loop().create_task(self._close())
            return
        self._outbox.extend(parts)
        self._emptied.clear()
        self._filled.set()

    async def _close(self) -> None:
        with contextlib.suppress(RuntimeError):
            await self._socket.close(code=4008)

    async def write(self) -> None:
        """Deliver what is in the outbox, for as long as the window is there."""
        try:
            while True:
                await self._filled.wait()
                while self._outbox:
                    part = self._outbox.popleft()
                    if isinstance(part, str):
                        await self._socket.send_text(part)
                    else:
                        await self._socket.send_bytes(part)
                self._filled.clear()
                self._emptied.set()
        except (RuntimeError, WebSocketDisconnect):
            self._study.windows.discard(self)
        finally:
            self._emptied.set()

    async def run(self) -> None:
        """Read messages until the window is closed."""
        while True:
            text = await self._socket.receive_text()
            try:
                message = CLIENT_MESSAGE.validate_json(text)
            except ValidationError as error:
                first = error.errors()[0]
                self._send(Failed(seq=_number(text), code="message", message=f"{first['loc']}: {first['msg']}"))
                continue
            if self._resting:
                self._study.cancel("preview")
            if isinstance(message, (Preview, Commit, Step, Cancel)):
                self._building.stop()
            if isinstance(message, Preview):
                self._pass_over()
                self._latest = message
                if self._previewing is None or self._previewing.done():
                    self._previewing = asyncio.create_task(self._preview())
            elif isinstance(message, Cancel):
                self._study.cancel()
                self._send(Passed(seq=message.seq))
            else:
                self._pass_over()
                asyncio.get_running_loop().create_task(self._guarded(message))

    def stop(self) -> None:
        """The window is gone: nothing is built for it any more."""
        self._building.stop()

    def _pass_over(self) -> None:
        """A preview that waits is overtaken: it is answered all the same."""
        if self._latest is not None:
            self._send(Passed(seq=self._latest.seq))
            self._latest = None

    async def _preview(self) -> None:
        """Work off previews, always the latest, until none waits; the next only when the last one was delivered."""
        while self._latest is not None:
            message, self._latest = self._latest, None
            self._resting = message.rest
            try:
                lights = None if message.lights is None else message.lights.model_dump()
                arguments = (message.op.model_dump(), _plain(message.combs), message.watched, message.seq, lights)
                with contextlib.nullcontext() if message.rest else timed(UPDATES):
                    frame = await self._study.ask("preview", *arguments, message.rest)
                self._put(frame)
                await self._emptied.wait()
            except PambleError as error:
                if error.code == Cancelled.code:
                    self._send(Passed(seq=message.seq))
                else:
                    self._refuse(message.seq, error)
            except Exception:
                self._fault(message.seq, "preview")
            finally:
                self._resting = False

    async def _may_change(self) -> None:
        role = "own" if self._role is None else await asyncio.to_thread(self._role)
        if role is None:
            raise LookOnly("You are no longer signed in, or this study is no longer open to you: nothing was stored.")
        if role == "look":
            raise LookOnly("You may look at this study, and not change it.")

    async def watch(self) -> None:
        """Close the window when the study is no longer open to who has it; never where nobody is asked."""
        while self._role is not None:
            await asyncio.sleep(_LOOKED_AFTER)
            if await asyncio.to_thread(self._role) is None:
                self._send(Failed(code="sign-in", message="This study is no longer open to you."))
                await self._emptied.wait()
                await self._socket.close(code=4004)
                return

    async def _guarded(self, message: ClientMessage) -> None:
        self._working = asyncio.get_running_loop().time()
        try:
            await self._handle(message)
        except PambleError as error:
            self._refuse(message.seq, error)
        except Exception:
            self._fault(message.seq, message.type)
        finally:
            self._working = None

    def _refuse(self, seq: int, error: PambleError) -> None:
        REFUSED.labels(error.code).inc()
        self._send(Failed(seq=seq, code=error.code, message=str(error)))

    def _fault(self, seq: int, kind: str) -> None:
        FAULTS.inc()
        log.exception("message failed", study=self._study.id, kind=kind)
        words = "Pamble could not carry this out. What was stored before is safe."
        self._send(Failed(seq=seq, code="fault", message=words))

    async def _handle(self, message: ClientMessage) -> None:
        study = self._study
        match message:
            case Commit():
                await self._may_change()
                with timed(COMMITS):
                    await study.commit(self, message.seq, message.base, message.op.model_dump())
            case Step():
                await self._may_change()
                await study.step(self, message.seq, message.base, -1 if message.type == "undo" else 1)
            case Probe():
                answer: dict[str, Any] = await study.ask("probe", message.id, message.u, message.v)
                self._send(Probed(seq=message.seq, id=message.id, **answer))
            case Locate():
                place = await study.ask("locate", message.id, message.edge, list(message.point))
                self._send(Located(seq=message.seq, **place))
            case WhyAsked():
                found = await study.ask("why", message.key)
                self._send(Traced(seq=message.seq, **found))
            case RoundAsked():
                edges = await study.ask("round_hole", message.id, message.edge)
                self._send(Rounded(seq=message.seq, edges=edges))
            case HoleAsked():
                behind = None if message.behind is None else list(message.behind)
                edges = await study.ask("hole_under", list(message.point), list(message.way), behind)
                self._send(Rounded(seq=message.seq, edges=edges))
            case CreaseAsked():
                faces = await study.ask("about_crease", message.id, message.edge, message.within)
                self._send(About(seq=message.seq, faces=faces))
            case WaysAsked():
                await self._building.run(message.seq, message.id, self._send)
            case CombsAsked():
                self._put(await study.ask("combs", _plain(message.combs), message.seq))
            case LightsAsked():
                self._put(await study.ask("lights", message.lights.model_dump(), message.seq))
            case DependentsAsked():
                items = await study.ask("dependents", message.ids)
                self._send(Dependents(seq=message.seq, items=items))
            case Preview() | Cancel():
                pass


def _plain(combs: list[CombWanted]) -> list[dict[str, Any]]:
    return [c.model_dump() for c in combs]


def _number(text: str) -> int | None:
    """The number of a message that cannot be understood otherwise."""
    try:
        seq = json.loads(text)["seq"]
        return seq if isinstance(seq, int) else None
    except (ValueError, KeyError, TypeError):
        return None


async def live(socket: WebSocket, hub: Hub, id: str, role: Asked | None = None) -> None:
    """Serve one window. role: what who has it may do at the moment; None where nobody is asked."""
    await socket.accept()
    try:
        study = await hub.open(id)
        window = LiveWindow(socket, study, hub.builders, role)
        await hub.enter(study, window)
    except PambleError as error:
        await socket.send_text(Failed(code=error.code, message=str(error)).model_dump_json())
        await socket.close(code=4004)
        return
    except Exception:
        log.exception("study cannot be opened", study=id)
        words = "This study cannot be opened at the moment. What is stored is safe."
        await socket.send_text(Failed(code="fault", message=words).model_dump_json())
        await socket.close(code=1011)
        return
    beside = [asyncio.create_task(window.write()), asyncio.create_task(window.watch())]
    try:
        await window.run()
    except (WebSocketDisconnect, RuntimeError):
        pass
    finally:
        for task in beside:
            task.cancel()
        window.stop()
        hub.leave(study, window)
