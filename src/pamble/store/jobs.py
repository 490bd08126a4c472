"""Jobs: large work that waits for a worker, is worked on, or has its answer. The queue itself is procrastinate's."""

from __future__ import annotations

import uuid
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import timedelta
from typing import Any, Literal, cast

import orjson
from procrastinate import App, SyncPsycopgConnector
from sqlalchemy import Engine, delete, func, select, text, update
from sqlalchemy.orm import Session

from pamble.core.errors import PambleError
from pamble.store.models import JobRow

State = Literal["waiting", "working", "done", "failed", "stopped"]
OPEN: tuple[State, ...] = ("waiting", "working")

TASK = "pamble.work"
"""The one task of the queue: a job by its id."""

_MOST_ATTEMPTS = 3
_KEPT = timedelta(hours=1)
"""For how long an answer that nobody has fetched is kept."""

_SETTLED = timedelta(seconds=5)
"""Age from which a job is looked for in the queue."""

_LOST = text("not exists (select from procrastinate_jobs q where q.id = jobs.queued and q.status in ('todo', 'doing'))")

_MOST_OPEN = 64
"""Jobs that may wait or be worked on at a time."""


class TooMuch(PambleError):
    """More work than is taken at a time."""

    code = "busy"


@dataclass(frozen=True)
class Standing:
    """How a job stands; code and words where it has failed."""

    state: State
    share: float
    code: str
    words: str


@dataclass(frozen=True)
class Taken:
    """A job as a worker has taken it. attempt: which worker this is to try it, from 1."""

    id: str
    attempt: int
    kind: str
    name: str
    study: str | None
    owner: str | None
    arguments: Any
    data: bytes


class Jobs:
    """Repository of jobs."""

    def __init__(self, engine: Engine) -> None:
        self._engine = engine
        self._queue = App(connector=SyncPsycopgConnector())

    def put(
        self,
        kind: str,
        name: str,
        data: bytes = b"",
        arguments: Any = None,
        study: str | None = None,
        owner: str | None = None,
    ) -> str:
        """Store a job and put it into the queue, both or neither; returns its id. Raises `TooMuch`.

        name: of the file or study. data: the file. study: what it is for. owner: the account that it is done for.
        """
        id = uuid.uuid4().hex
        with Session(self._engine) as session, session.begin():
            session.execute(delete(JobRow).where(JobRow.made < func.now() - _KEPT, JobRow.state.not_in(OPEN)))
            if self._open(session) >= _MOST_OPEN:
                raise TooMuch("There is more work waiting than Pamble takes at a time: try again in a minute.")
            queued = self._queue.configure_task(TASK, connection=_raw(session)).defer(job=id)
            values = {"kind": kind, "name": name, "study": study, "owner": owner, "data": data}
            session.add(JobRow(id=id, queued=queued, arguments=orjson.dumps(arguments), **values))
        return id

    def mend(self) -> list[str]:
        """Put jobs that wait or are worked on, but are in the queue no longer, into it again; returns their ids.

        A database that dies between the two notes of a worker leaves such.
        """
        lost = select(JobRow).where(JobRow.state.in_(OPEN), JobRow.made < func.now() - _SETTLED, _LOST)
        with Session(self._engine) as session, session.begin():
            rows = list(session.scalars(lost.with_for_update(skip_locked=True)))
            for row in rows:
                row.queued = self._queue.configure_task(TASK, connection=_raw(session)).defer(job=row.id)
            return [row.id for row in rows]

    def take(self, id: str) -> Taken | None:
        """A job for a worker; None for one that is no longer wanted. One that has ended worker after worker fails."""
        with Session(self._engine) as session, session.begin():
            row = session.scalar(select(JobRow).where(JobRow.id == id, JobRow.state.in_(OPEN)).with_for_update())
            if row is None:
                return None
            if row.attempt >= _MOST_ATTEMPTS:
                row.state, row.code = "failed", "exchange"
                row.words = f"{row.name}: the worker ended at it {row.attempt} times. Nothing was changed."
                return None
            row.state, row.attempt, row.share = "working", row.attempt + 1, 0.0
            arguments = orjson.loads(row.arguments)
            return Taken(id, row.attempt, row.kind, row.name, row.study, row.owner, arguments, row.data)

    def tell(self, taken: Taken, share: float) -> bool:
        """Store how far a job is; whether it is still wanted of this worker."""
        return self._set(taken, share=share)

    def finish(self, taken: Taken, answer: Any, bulk: bytes = b"") -> bool:
        """Store a job's answer: plain data, and bytes; whether it was still wanted."""
        return self._set(taken, state="done", share=1.0, answer=orjson.dumps(answer), bulk=bulk, data=b"")

    def fail(self, taken: Taken, code: str, words: str) -> bool:
        """Store why a job has no answer; whether it was still wanted."""
        return self._set(taken, state="failed", code=code, words=words, data=b"")

    def stop(self, id: str) -> bool:
        """Stop a job that has no answer yet, if it is there; whoever works on it is told."""
        stopped = update(JobRow).where(JobRow.id == id, JobRow.state.in_(OPEN)).values(state="stopped", data=b"")
        with Session(self._engine) as session, session.begin():
            queued = session.scalar(stopped.returning(JobRow.queued))
            if queued is not None:
                self._queue.job_manager.cancel_job_by_id(queued, abort=True, connection=_raw(session))
            return queued is not None

    def standing(self, id: str) -> Standing | None:
        """How a job stands, if it is there."""
        with Session(self._engine) as session:
            wanted = select(JobRow.state, JobRow.share, JobRow.code, JobRow.words).where(JobRow.id == id)
            row = session.execute(wanted).first()
            return None if row is None else Standing(cast(State, row[0]), *row[1:])

    def answer(self, id: str) -> tuple[Any, bytes]:
        """The answer of a job that is done; it is kept here no longer."""
        with Session(self._engine) as session, session.begin():
            gone = delete(JobRow).where(JobRow.id == id, JobRow.state == "done")
            row = session.execute(gone.returning(JobRow.answer, JobRow.bulk)).first()
            if row is None or row[0] is None:
                raise PambleError("This work is no longer there.")
            return orjson.loads(row[0]), row[1] or b""

    def counts(self) -> Mapping[str, int]:
        """Jobs by state."""
        with Session(self._engine) as session:
            rows = session.execute(select(JobRow.state, func.count()).group_by(JobRow.state))
            return {row[0]: row[1] for row in rows}

    def _set(self, taken: Taken, **values: Any) -> bool:
        mine = (JobRow.id == taken.id, JobRow.state == "working", JobRow.attempt == taken.attempt)
        with Session(self._engine) as session, session.begin():
            return session.scalar(update(JobRow).where(*mine).values(**values).returning(JobRow.id)) is not None

    @staticmethod
    def _open(session: Session) -> int:
        return session.scalar(select(func.count()).select_from(JobRow).where(JobRow.state.in_(OPEN))) or 0


def _raw(session: Session) -> Any:
    """The database's own connection that a session works on."""
    return session.connection().connection.driver_connection
