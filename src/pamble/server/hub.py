"""Open studies: one kernel each, shared by all windows that show the study."""

from __future__ import annotations

import asyncio
import contextlib
from collections.abc import Callable, Coroutine, Sequence
from dataclasses import dataclass, field
from typing import Any, Literal, Protocol

import structlog
from fastapi import Request
from sqlalchemy.exc import SQLAlchemyError

from pamble.core.errors import Conflict, PambleError
from pamble.server.builders import Builders
from pamble.server.kernels import KernelLost, KernelPool, KernelProcess
from pamble.server.messages import Dimension, FeatureSummary, StudyState, StudySummary
from pamble.server.metrics import RESTARTS
from pamble.store.studies import Results, StoredStudy, Studies
from pamble.study.dimensions import dimension_values
from pamble.study.features import KINDS
from pamble.study.migrate import migrated

log = structlog.get_logger()

Reason = Literal["opened", "commit", "undo", "redo", "reload"]


class Window(Protocol):
    """A client that shows a study."""

    id: str

    def send_state(self, state: StudyState, frame: bytes) -> None:
        """Put a new state and the shapes that changed into the outbox."""

    def send_progress(self, share: float) -> None:
        """Tell how far long work is, 0 to 1."""


def summary(document: dict[str, Any]) -> StudySummary:
    """A study's document without the bulk of its geometry."""
    document = migrated(document)
    features = []
    for f in document["features"]:
        head = {k: f.get(k) for k in ("id", "kind", "name", "role", "on", "hidden", "group")}
        head["locked"] = f.get("locked", False)
        bulk = KINDS[f["kind"]].bulk if f["kind"] in KINDS else ()
        params = {k: v for k, v in f["params"].items() if k not in bulk}
        features.append(FeatureSummary.model_validate({**head, "params": params}))
    written = document.get("dimensions", {})
    try:
        values = dimension_values(written)
    except PambleError:
        values = {}  # The steps that use them say what is wrong.
    return StudySummary(
        name=document["name"],
        features=features,
        limits=document["limits"],
        seam_targets=document["seam_targets"],
        groups=document.get("groups", []),
        active_group=document.get("active_group"),
        marker=document.get("marker"),
        dimensions=[Dimension(name=n, written=w, value=values.get(n, 0.0)) for n, w in written.items()],
    )


_PICTURE_FIRST = 0.5
"""Seconds after loading before results are packed."""


class NotStored(PambleError):
    """A change that may or may not have been stored: the database did not answer."""

    code = "store"


@dataclass
class OpenStudy:
    """A study in work: its kernel, its stored state, and the windows that show it.

    unsure: the kernel may not stand where the store does; it is loaded again before anything else is done with it.
    """

    id: str
    store: Studies
    pool: KernelPool
    stored: StoredStudy
    kernel: KernelProcess
    windows: set[Window] = field(default_factory=set)
    lock: asyncio.Lock = field(default_factory=asyncio.Lock)
    restarting: asyncio.Lock = field(default_factory=asyncio.Lock)
    unsure: bool = False

    def __post_init__(self) -> None:
        self.kernel.progress = self._progress

    async def ask(self, method: str, *arguments: Any) -> Any:
        """Call the kernel; if its process is gone, start it again from the store and say so."""
        await self._sure()
        kernel = self.kernel
        try:
            return await kernel.call(method, *arguments)
        except KernelLost:
            async with self.restarting:
                # Of several who were waiting for it the first one starts it again.
                if kernel is self.kernel:
                    self.unsure = True
                    await self.restart()
            raise

    async def _sure(self) -> None:
        """A kernel that may not stand where the store does is started again, by the first of all who ask."""
        if self.unsure:
            async with self.restarting:
                if self.unsure:
                    await self.restart()

    async def restart(self) -> None:
        """A new kernel from what is stored, and the whole state to every window. Raises `NotStored`."""
        log.warning("kernel restarted", study=self.id, pid=self.kernel.pid)
        RESTARTS.inc()
        self.kernel.close()
        try:
            self.stored = await asyncio.to_thread(self.store.load, self.id)
            bulk = await asyncio.to_thread(_bulk, self.store, self.id)
        except PambleError:
            raise
        except Exception as error:
            words = "The database does not answer: nothing can be changed until it does. What was stored is safe."
            raise NotStored(words) from error
        self.kernel = await self.pool.loaded(self.stored.document, *bulk)
        self.kernel.progress = self._progress
        self.unsure = False
        self._tell("reload", await self.kernel.call("frame"), None, None)

    async def commit(self, window: Window, seq: int, base: int, op: dict[str, Any]) -> None:
        """Apply an operation, store it, then tell every window."""

        def store(done: dict[str, Any]) -> StoredStudy:
            return self.store.append(self.id, base, done["op"], done["inverse"], done["document"], done["results"])

        async def chosen() -> dict[str, Any]:
            return op

        await self._change("commit", window, seq, base, chosen, store)

    async def step(self, window: Window, seq: int, base: int, direction: int) -> None:
        """Undo (-1) or redo (+1)."""

        def store(done: dict[str, Any]) -> StoredStudy:
            return self.store.moved(self.id, base, direction, done["document"], done["results"])

        async def chosen() -> dict[str, Any]:
            return await asyncio.to_thread(self.store.step, self.id, direction)

        await self._change("undo" if direction < 0 else "redo", window, seq, base, chosen, store)

    async def _change(
        self,
        reason: Reason,
        window: Window,
        seq: int,
        base: int,
        choose: Callable[[], Coroutine[Any, Any, dict[str, Any]]],
        store: Callable[[dict[str, Any]], StoredStudy],
    ) -> None:
        """Prepared by the kernel, stored, and only then accepted: the kernel is never ahead of the store."""
        async with self.lock:
            await self._sure()
            if base != self.stored.version:
                raise Conflict("The study was changed in another window: this step was not applied.")
            done = await self.ask("prepare", await choose())
            try:
                self.stored = await asyncio.to_thread(store, done)
            except PambleError as error:
                # A store that stands elsewhere than was known here is asked again before anything else is done.
                self.unsure = isinstance(error, Conflict)
                await self.ask("discard")
                raise
            except BaseException as error:
                # It may have been stored or not: the store alone knows, and is asked before anything else is done.
                self.unsure = True
                if not isinstance(error, Exception):
                    raise
                log.exception("not stored", study=self.id)
                words = "The database did not answer: look whether this step is there before you do it again."
                raise NotStored(words) from error
            await self.ask("accept")
            self._tell(reason, done["frame"], window.id, seq)

    def cancel(self, method: str | None = None) -> None:
        """Stop what the kernel works on, if that is long; method: only if it is that."""
        self.kernel.cancel(method)

    def _progress(self, share: float) -> None:
        for window in list(self.windows):
            window.send_progress(share)

    def _tell(self, reason: Reason, frame: bytes, by: str | None, seq: int | None) -> None:
        """Put a state into every window's outbox; none waits for another."""
        for window in list(self.windows):
            window.send_state(self.state(reason, window, by, seq), frame)

    def state(self, reason: Reason, window: Window, by: str | None = None, seq: int | None = None) -> StudyState:
        """The message that tells a window how the study stands."""
        s = self.stored
        return StudyState(
            reason=reason,
            version=s.version,
            study=summary(s.document),
            can_undo=s.can_undo,
            can_redo=s.can_redo,
            window=window.id,
            by=by,
            seq=seq,
        )


def _bulk(store: Studies, id: str) -> tuple[dict[str, bytes], Results]:
    """Assets of a study, and stored results of its steps."""
    return store.assets(id), store.results(id)


def hub_of(request: Request) -> Hub:
    """The hub of the application that a request is for."""
    hub: Hub = request.app.state.hub
    return hub


class Hub:
    """All open studies. The kernel of a study is ended when its last window has been gone for a while."""

    def __init__(self, store: Studies, linger: float = 60.0) -> None:
        self.store = store
        self.pool = KernelPool()
        self.builders = Builders()
        self._linger = linger
        self._open: dict[str, OpenStudy] = {}
        self._opening: dict[str, asyncio.Lock] = {}
        self._preparing: set[asyncio.Task[None]] = set()

    async def open(self, id: str) -> OpenStudy:
        """The study, its kernel loaded. Raises `StudyError` if there is none of that id."""
        # Each study waits for itself alone.
        async with self._opening.setdefault(id, asyncio.Lock()):
            if id not in self._open:
                stored = await asyncio.to_thread(self.store.load, id)
                kernel = await self.pool.loaded(stored.document, *await asyncio.to_thread(_bulk, self.store, id))
                self._open[id] = OpenStudy(id, self.store, self.pool, stored, kernel)
                self._behind(self._store_made(self._open[id], _PICTURE_FIRST))
            return self._open[id]

    async def _store_made(self, study: OpenStudy, after: float) -> None:
        """What had to be worked out of a study is stored, some seconds on."""
        await asyncio.sleep(after)
        # A kernel that has died is for the next who needs it: nothing is started again for this.
        with contextlib.suppress(PambleError, SQLAlchemyError):
            async with study.lock:
                made = await study.kernel.call("made_anew")
            if made:
                await asyncio.to_thread(self.store.keep, study.id, made)

    async def names(self, id: str) -> list[str]:
        """Names of all steps of a study. Raises `StudyError` if there is none of that id."""
        study = self._open.get(id)
        stored = await asyncio.to_thread(self.store.load, id) if study is None else study.stored
        return [f["name"] for f in stored.document["features"]]

    async def keep(self, id: str, asset: str) -> None:
        """Bulk that was stored with a study is given to its kernel, where it has one."""
        study = self._open.get(id)
        if study is not None:
            data = await asyncio.to_thread(self.store.assets, id, asset)
            await study.ask("keep", asset, data[asset])

    @property
    def studies(self) -> list[OpenStudy]:
        """All that are open."""
        return list(self._open.values())

    def shown(self, id: str) -> OpenStudy | None:
        """The study, if it is open."""
        return self._open.get(id)

    def expect(self, id: str) -> None:
        """A window is about to ask for a study: it is opened while the window's scripts are loaded."""
        self._behind(self._prepare(id))

    def get_ready(self, ids: Sequence[str]) -> None:
        """Work studies out, one after the other, so that they open at once."""

        async def all_of_them() -> None:
            for id in ids:
                await self._prepare(id)

        self._behind(all_of_them())

    def _behind(self, work: Coroutine[Any, Any, None]) -> None:
        task = asyncio.get_running_loop().create_task(work)
        self._preparing.add(task)
        task.add_done_callback(self._preparing.discard)

    async def _prepare(self, id: str) -> None:
        # What is wrong with it, the window is told when it asks.
        with contextlib.suppress(PambleError, SQLAlchemyError):
            study = await self.open(id)
            async with study.lock:
                await study.ask("frame")
            self._let_go(study)

    async def enter(self, study: OpenStudy, window: Window) -> None:
        """Show a study in a window: it gets the whole state, then every change."""
        async with study.lock:
            frame = await study.ask("frame")
            study.windows.add(window)
            window.send_state(study.state("opened", window), frame)

    def leave(self, study: OpenStudy, window: Window) -> None:
        """A window was closed."""
        study.windows.discard(window)
        self._let_go(study)

    def _let_go(self, study: OpenStudy) -> None:
        if not study.windows:
            asyncio.get_running_loop().call_later(self._linger, self._drop, study)

    def _drop(self, study: OpenStudy) -> None:
        if self._idle(study):
            self._behind(self._end(study))

    async def _end(self, study: OpenStudy) -> None:
        """End an idle kernel, once its ledger is stored for the next time."""
        await self._store_made(study, 0)
        if self._idle(study):
            del self._open[study.id]
            study.kernel.close()

    def _idle(self, study: OpenStudy) -> bool:
        return not study.windows and self._open.get(study.id) is study and not study.lock.locked()

    async def remove(self, id: str) -> None:
        """Delete a study for good."""
        await asyncio.to_thread(self.store.remove, id)
        self._opening.pop(id, None)
        study = self._open.pop(id, None)
        if study is not None:
            study.kernel.close()

    def close(self) -> None:
        """End all kernels."""
        for task in self._preparing:
            task.cancel()
        for study in self._open.values():
            study.kernel.close()
        self.pool.close()
