"""Tables."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from sqlalchemy import BigInteger, Boolean, DateTime, Float, ForeignKey, Integer, LargeBinary, String, Text, func
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


class AccountRow(Base):
    """Somebody who may sign in: a name in small letters and the argon2 hash of a password."""

    __tablename__ = "accounts"

    name: Mapped[str] = mapped_column(String(64), primary_key=True)
    password: Mapped[str] = mapped_column(String(200))
    admin: Mapped[bool] = mapped_column(Boolean)
    made: Mapped[datetime] = mapped_column(DateTime(timezone=True), server_default=func.now())


class SessionRow(Base):
    """A browser that has signed in, until it signs out or its time is over."""

    __tablename__ = "sessions"

    id: Mapped[str] = mapped_column(String(64), primary_key=True)
    account: Mapped[str] = mapped_column(ForeignKey("accounts.name", ondelete="CASCADE"))
    until: Mapped[datetime] = mapped_column(DateTime(timezone=True))


class ShareRow(Base):
    """Who a study belongs to, and who works on it as a guest."""

    __tablename__ = "shares"

    study: Mapped[str] = mapped_column(ForeignKey("studies.id", ondelete="CASCADE"), primary_key=True)
    account: Mapped[str] = mapped_column(ForeignKey("accounts.name", ondelete="CASCADE"), primary_key=True)
    role: Mapped[str] = mapped_column(String(8))


class LinkRow(Base):
    """The link by which anyone may look at a study: only the digest of it is kept."""

    __tablename__ = "links"

    study: Mapped[str] = mapped_column(ForeignKey("studies.id", ondelete="CASCADE"), primary_key=True)
    digest: Mapped[str] = mapped_column(String(64), unique=True)


class JobRow(Base):
    """Large work: what is asked for, how it stands, its answer. queued: its number in the queue."""

    __tablename__ = "jobs"

    id: Mapped[str] = mapped_column(String(32), primary_key=True)
    queued: Mapped[int] = mapped_column(BigInteger)
    kind: Mapped[str] = mapped_column(String(16))
    name: Mapped[str] = mapped_column(String(300))
    study: Mapped[str | None] = mapped_column(String(32))
    owner: Mapped[str | None] = mapped_column(String(64))
    arguments: Mapped[bytes] = mapped_column(LargeBinary)
    data: Mapped[bytes] = mapped_column(LargeBinary)
    state: Mapped[str] = mapped_column(String(8), server_default="waiting")
    attempt: Mapped[int] = mapped_column(Integer, server_default="0")
    share: Mapped[float] = mapped_column(Float, server_default="0")
    code: Mapped[str] = mapped_column(String(32), server_default="")
    words: Mapped[str] = mapped_column(Text, server_default="")
    answer: Mapped[bytes | None] = mapped_column(LargeBinary)
    bulk: Mapped[bytes | None] = mapped_column(LargeBinary)
    made: Mapped[datetime] = mapped_column(DateTime(timezone=True), server_default=func.now())


class SecretRow(Base):
    """What Pamble signs with."""

    __tablename__ = "secrets"

    name: Mapped[str] = mapped_column(String(32), primary_key=True)
    value: Mapped[bytes] = mapped_column(LargeBinary)
