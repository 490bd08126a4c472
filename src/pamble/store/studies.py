"""Studies in the database: list, open, change, undo, redo. Every change is stored whole or not at all."""

from __future__ import annotations

import uuid
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import Engine, delete, func, literal, select, update
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from pamble.core.errors import Conflict, Missing, StudyError
from pamble.store.models import AssetRow, OpRow, ResultRow, StudyRow, ThumbnailRow

Results = dict[str, tuple[str, bytes]]
"""By step: the key that a result came from, and the result, packed."""


@dataclass(frozen=True)
class StudyEntry:
    """A line in the list of studies."""

    id: str
    name: str
    version: int
    features: int
    changed: datetime
    thumbnail: int | None


@dataclass(frozen=True)
class StoredStudy:
    """A study as it stands: its document, version, and whether there is something to undo or redo."""

    id: str
    document: dict[str, Any]
    version: int
    can_undo: bool
    can_redo: bool


class Studies:
    """Repository of studies. Raises `StudyError` for an unknown study and `Conflict` for a stale version."""

    def __init__(self, engine: Engine) -> None:
        self._engine = engine

    def listed(self) -> list[StudyEntry]:
        """All studies, last changed first."""
        count = func.jsonb_array_length(StudyRow.document["features"])
        with Session(self._engine) as session:
            rows = session.execute(
                select(StudyRow.id, StudyRow.name, StudyRow.version, count, StudyRow.changed, ThumbnailRow.version)
                .outerjoin(ThumbnailRow, ThumbnailRow.study == StudyRow.id)
                .order_by(StudyRow.changed.desc())
            )
            return [StudyEntry(*row) for row in rows]

    def create(self, document: dict[str, Any], assets: Mapping[str, bytes] | None = None, id: str | None = None) -> str:
        """Store a new study with its meshes and pictures; returns its id. id: of its own; one that is there stays."""
        with Session(self._engine) as session, session.begin():
            if id is not None and session.get(StudyRow, id) is not None:
                return id
            id = id or uuid.uuid4().hex
            session.add(StudyRow(id=id, name=document["name"], document=document))
            session.flush()
            session.add_all(AssetRow(study=id, id=k, data=v) for k, v in (assets or {}).items())
            self._as_worked_out_before(session, id, document)
        return id

    def keep_thumbnail(self, id: str, version: int, data: bytes) -> None:
        """Store a small picture of a study's part; an older one than is there is passed over."""
        with Session(self._engine) as session, session.begin():
            if session.get(StudyRow, id) is None:
                raise Missing("This study is no longer there.")
            row = session.get(ThumbnailRow, id)
            if row is None:
                session.add(ThumbnailRow(study=id, version=version, data=data))
            elif row.version <= version:
                row.version, row.data = version, data

    def thumbnail(self, id: str) -> bytes | None:
        """The small picture of a study's part, if there is one."""
        with Session(self._engine) as session:
            row = session.get(ThumbnailRow, id)
            return None if row is None else row.data

    def add_asset(self, id: str, asset: str, data: bytes) -> None:
        """Store bulk with a study; what is there already is left as it is."""
        with Session(self._engine) as session, session.begin():
            if session.get(StudyRow, id) is None:
                raise Missing("This study is no longer there.")
            if session.get(AssetRow, (id, asset)) is None:
                session.add(AssetRow(study=id, id=asset, data=data))

    def assets(self, id: str, only: str | None = None) -> dict[str, bytes]:
        """All meshes and pictures of a study by name, or one of them."""
        wanted = select(AssetRow.id, AssetRow.data).where(AssetRow.study == id)
        with Session(self._engine) as session:
            rows = session.execute(wanted if only is None else wanted.where(AssetRow.id == only))
            return {row[0]: row[1] for row in rows}

    def remove(self, id: str) -> None:
        """Delete a study with all its operations."""
        with Session(self._engine) as session, session.begin():
            if not session.execute(delete(StudyRow).where(StudyRow.id == id).returning(StudyRow.id)).first():
                raise Missing("This study is no longer there.")

    def load(self, id: str) -> StoredStudy:
        """The study as it stands."""
        with Session(self._engine) as session:
            row = session.get(StudyRow, id)
            if row is None:
                raise Missing("This study is no longer there.")
            last = self._last(session, id)
            return StoredStudy(id, row.document, row.version, row.position > 0, row.position < last)

    def results(self, id: str) -> Results:
        """Last good results of a study's steps: key and packed data by step."""
        with Session(self._engine) as session:
            rows = session.execute(select(ResultRow.step, ResultRow.key, ResultRow.data).where(ResultRow.study == id))
            return {row[0]: (row[1], row[2]) for row in rows}

    @staticmethod
    def _as_worked_out_before(session: Session, id: str, document: dict[str, Any]) -> None:
        """A study that is word for word one that is there, a demo begun again, takes its results over."""
        alike = (StudyRow.name == document["name"], StudyRow.document == document, StudyRow.id != id)
        twin = session.scalar(select(StudyRow.id).where(*alike).limit(1))
        if twin is not None:
            own = select(literal(id), ResultRow.step, ResultRow.key, ResultRow.data).where(ResultRow.study == twin)
            session.execute(insert(ResultRow).from_select(["study", "step", "key", "data"], own))

    def keep(self, id: str, results: Results) -> None:
        """Store results of steps: they hang on their keys, so the study may have moved on. Raises `StudyError`."""
        with Session(self._engine) as session, session.begin():
            if session.get(StudyRow, id) is None:
                raise Missing("This study is no longer there.")
            self._keep(session, id, results)

    def append(
        self,
        id: str,
        base: int,
        op: dict[str, Any],
        inverse: dict[str, Any],
        document: dict[str, Any],
        results: Results | None = None,
    ) -> StoredStudy:
        """Store an operation on top of version ``base``, and results of steps; what was undone before is dropped."""
        with Session(self._engine) as session, session.begin():
            position = self._advance(session, id, base, 1, document)
            self._keep(session, id, results)
            session.execute(delete(OpRow).where(OpRow.study == id, OpRow.seq >= position))
            session.add(OpRow(study=id, seq=position, op=op, inverse=inverse))
        return StoredStudy(id, document, base + 1, True, False)

    def step(self, id: str, direction: int) -> dict[str, Any]:
        """The operation that an undo (-1) or redo (+1) would apply."""
        with Session(self._engine) as session:
            row = session.get(StudyRow, id)
            if row is None:
                raise Missing("This study is no longer there.")
            seq = row.position if direction < 0 else row.position + 1
            found = session.get(OpRow, (id, seq))
            if found is None:
                raise StudyError("There is nothing to undo." if direction < 0 else "There is nothing to redo.")
            return found.inverse if direction < 0 else found.op

    def moved(
        self, id: str, base: int, direction: int, document: dict[str, Any], results: Results | None = None
    ) -> StoredStudy:
        """Store that an undo or redo on top of version ``base`` was carried out, and new results of steps."""
        with Session(self._engine) as session, session.begin():
            position = self._advance(session, id, base, direction, document)
            self._keep(session, id, results)
            last = self._last(session, id)
        return StoredStudy(id, document, base + 1, position > 0, position < last)

    @staticmethod
    def _keep(session: Session, id: str, results: Results | None) -> None:
        for step, (key, data) in (results or {}).items():
            values = {"key": key, "data": data}
            row = insert(ResultRow).values(study=id, step=step, **values)
            session.execute(row.on_conflict_do_update(index_elements=["study", "step"], set_=values))

    def _advance(self, session: Session, id: str, base: int, by: int, document: dict[str, Any]) -> int:
        """Move a study one version on, if nobody else has."""
        position = session.execute(
            update(StudyRow)
            .where(StudyRow.id == id, StudyRow.version == base)
            .values(
                document=document,
                name=document["name"],
                version=base + 1,
                position=StudyRow.position + by,
                changed=func.now(),
            )
            .returning(StudyRow.position)
        ).scalar()
        if position is None:
            raise Conflict("The study was changed elsewhere in the meantime: this step was not applied.")
        return int(position)

    @staticmethod
    def _last(session: Session, id: str) -> int:
        return int(session.execute(select(func.coalesce(func.max(OpRow.seq), 0)).where(OpRow.study == id)).scalar_one())
