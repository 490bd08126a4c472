"""Tables."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from sqlalchemy import BigInteger, DateTime, ForeignKey, Integer, LargeBinary, String, func
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column


class Base(DeclarativeBase):
    """Base of all tables."""


class StudyRow(Base):
    """A study: its document after ``position`` of its operations. version rises with every change."""

    __tablename__ = "studies"

    id: Mapped[str] = mapped_column(String(32), primary_key=True)
    name: Mapped[str] = mapped_column(String(200))
    document: Mapped[dict[str, Any]] = mapped_column(JSONB)
    version: Mapped[int] = mapped_column(BigInteger, default=0)
    position: Mapped[int] = mapped_column(Integer, default=0)
    created: Mapped[datetime] = mapped_column(DateTime(timezone=True), server_default=func.now())
    changed: Mapped[datetime] = mapped_column(DateTime(timezone=True), server_default=func.now())


class AssetRow(Base):
    """Bulk that belongs to a study: a reference mesh, packed. It stays when its feature goes, for undo."""

    __tablename__ = "assets"

    study: Mapped[str] = mapped_column(ForeignKey("studies.id", ondelete="CASCADE"), primary_key=True)
    id: Mapped[str] = mapped_column(String(64), primary_key=True)
    data: Mapped[bytes] = mapped_column(LargeBinary)


class ResultRow(Base):
    """Last good result of a step, packed, and the key that it came from. It may be older than the document."""

    __tablename__ = "results"

    study: Mapped[str] = mapped_column(ForeignKey("studies.id", ondelete="CASCADE"), primary_key=True)
    step: Mapped[str] = mapped_column(String(64), primary_key=True)
    key: Mapped[str] = mapped_column(String(64))
    data: Mapped[bytes] = mapped_column(LargeBinary)


class ThumbnailRow(Base):
    """A small picture of a study's part at a version."""

    __tablename__ = "thumbnails"

    study: Mapped[str] = mapped_column(ForeignKey("studies.id", ondelete="CASCADE"), primary_key=True)
    version: Mapped[int] = mapped_column(BigInteger)
    data: Mapped[bytes] = mapped_column(LargeBinary)


class OpRow(Base):
    """One operation of a study and its inverse. Those above the study's position wait to be done again."""

    __tablename__ = "ops"

    study: Mapped[str] = mapped_column(ForeignKey("studies.id", ondelete="CASCADE"), primary_key=True)
    seq: Mapped[int] = mapped_column(Integer, primary_key=True)
    op: Mapped[dict[str, Any]] = mapped_column(JSONB)
    inverse: Mapped[dict[str, Any]] = mapped_column(JSONB)
    made: Mapped[datetime] = mapped_column(DateTime(timezone=True), server_default=func.now())
