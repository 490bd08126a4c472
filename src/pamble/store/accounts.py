"""Accounts: who may sign in, whose studies are whose, and links by which a study is looked at."""

from __future__ import annotations

import hashlib
import re
import secrets
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from typing import Literal

from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerificationError
from sqlalchemy import Engine, delete, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from pamble.core.errors import PambleError
from pamble.store.models import AccountRow, LinkRow, SecretRow, SessionRow, ShareRow, StudyRow

Role = Literal["own", "change", "look"]
"""What somebody may do with a study: all, all but deleting and sharing it, or only look."""

_NAME = re.compile(r"[a-z0-9][a-z0-9._-]{0,63}")
_SHORTEST = 10
_SESSION = timedelta(hours=12)

_HASHER = PasswordHasher()
"""argon2id with the library's own cost, RFC 9106's second choice."""

_NOBODY = _HASHER.hash(secrets.token_hex())
"""What a password is held against where there is no such account, so that both take as long."""


class NoAccount(PambleError):
    """There is no such account."""

    code = "account"


@dataclass(frozen=True)
class Account:
    """Somebody who may sign in."""

    name: str
    admin: bool


@dataclass(frozen=True)
class Sharing:
    """Whom a study is open to, by name; linked: whether there is a link to look at it."""

    owners: tuple[str, ...]
    guests: tuple[str, ...]
    linked: bool


class Accounts:
    """Repository of accounts. Names count in small letters. Raises `NoAccount` for one that is not there."""

    def __init__(self, engine: Engine) -> None:
        self._engine = engine

    def add(self, name: str, password: str, admin: bool = False) -> None:
        """Make an account. Raises `PambleError` for a name or password that will not do."""
        name = name.strip().lower()
        if not _NAME.fullmatch(name):
            raise PambleError("A name is of letters, digits, dots, dashes and underscores, at most 64.")
        _check(password)
        with Session(self._engine) as session, session.begin():
            if session.get(AccountRow, name) is not None:
                raise PambleError(f"There is an account {name} already.")
            session.add(AccountRow(name=name, password=_HASHER.hash(password), admin=admin))

    def set_password(self, name: str, password: str) -> None:
        """Give an account another password; all its sessions end."""
        _check(password)
        with Session(self._engine) as session, session.begin():
            self._row(session, name).password = _HASHER.hash(password)
            session.execute(delete(SessionRow).where(SessionRow.account == name.lower()))

    def remove(self, name: str) -> None:
        """Delete an account with its sessions; studies stay, with the administrators where they have no other owner."""
        with Session(self._engine) as session, session.begin():
            session.delete(self._row(session, name))

    def listed(self) -> list[Account]:
        """All accounts by name."""
        with Session(self._engine) as session:
            rows = session.execute(select(AccountRow.name, AccountRow.admin).order_by(AccountRow.name))
            return [Account(*row) for row in rows]

    def signed_in(self, name: str, password: str) -> str | None:
        """A new session, if the password is that of the account."""
        with Session(self._engine) as session, session.begin():
            row = session.get(AccountRow, name.strip().lower())
            try:
                _HASHER.verify(row.password if row else _NOBODY, password)
            except (VerificationError, InvalidHashError):
                return None
            if row is None:
                return None
            if _HASHER.check_needs_rehash(row.password):
                row.password = _HASHER.hash(password)
            id = secrets.token_hex(32)
            session.execute(delete(SessionRow).where(SessionRow.until < _now()))
            session.add(SessionRow(id=id, account=row.name, until=_now() + _SESSION))
            return id

    def of_session(self, id: str) -> Account | None:
        """Who a session belongs to, while it lasts: so long after it was last used."""
        with Session(self._engine) as session, session.begin():
            found = session.execute(
                select(AccountRow, SessionRow)
                .join(SessionRow, SessionRow.account == AccountRow.name)
                .where(SessionRow.id == id, SessionRow.until > _now())
            ).first()
            if found is None:
                return None
            account, row = found
            if row.until - _now() < _SESSION / 2:
                row.until = _now() + _SESSION
            return Account(account.name, account.admin)

    def signed_out(self, id: str) -> None:
        """End a session."""
        with Session(self._engine) as session, session.begin():
            session.execute(delete(SessionRow).where(SessionRow.id == id))

    def role(self, study: str, account: Account) -> Role | None:
        """What an account may do with a study."""
        with Session(self._engine) as session:
            row = session.get(ShareRow, (study, account.name))
            if account.admin or (row is not None and row.role == "own"):
                return "own" if session.get(StudyRow, study) is not None else None
            return None if row is None else "change"

    def roles(self, account: Account) -> dict[str, Role]:
        """The studies that an account was given, and what it may do with each."""
        with Session(self._engine) as session:
            rows = session.execute(select(ShareRow.study, ShareRow.role).where(ShareRow.account == account.name))
            return {study: "own" if role == "own" else "change" for study, role in rows}

    def share(self, study: str, name: str, role: Literal["own", "guest"] = "guest") -> None:
        """Open a study to an account."""
        with Session(self._engine) as session, session.begin():
            account = self._row(session, name).name
            row = insert(ShareRow).values(study=study, account=account, role=role)
            session.execute(row.on_conflict_do_nothing())

    def unshare(self, study: str, name: str) -> None:
        """Close a study to a guest."""
        with Session(self._engine) as session, session.begin():
            session.execute(
                delete(ShareRow).where(
                    ShareRow.study == study, ShareRow.account == name.lower(), ShareRow.role == "guest"
                )
            )

    def sharing(self, study: str) -> Sharing:
        """Whom a study is open to."""
        with Session(self._engine) as session:
            rows = session.execute(
                select(ShareRow.account, ShareRow.role).where(ShareRow.study == study).order_by(ShareRow.account)
            ).all()
            linked = session.get(LinkRow, study) is not None
        return Sharing(
            tuple(a for a, role in rows if role == "own"), tuple(a for a, role in rows if role != "own"), linked
        )

    def link(self, study: str) -> str:
        """A new link to look at a study; the one before no longer counts."""
        token = secrets.token_urlsafe(24)
        with Session(self._engine) as session, session.begin():
            row = insert(LinkRow).values(study=study, digest=_digest(token))
            session.execute(row.on_conflict_do_update(index_elements=["study"], set_={"digest": _digest(token)}))
        return token

    def unlink(self, study: str) -> None:
        """Take the link back."""
        with Session(self._engine) as session, session.begin():
            session.execute(delete(LinkRow).where(LinkRow.study == study))

    def linked(self, token: str) -> str | None:
        """The study that a link leads to."""
        with Session(self._engine) as session:
            return session.scalar(select(LinkRow.study).where(LinkRow.digest == _digest(token)))

    def secret(self) -> bytes:
        """What cookies are signed with: made once."""
        with Session(self._engine) as session, session.begin():
            row = insert(SecretRow).values(name="cookies", value=secrets.token_bytes(32))
            session.execute(row.on_conflict_do_nothing())
            return session.execute(select(SecretRow.value).where(SecretRow.name == "cookies")).scalar_one()

    @staticmethod
    def _row(session: Session, name: str) -> AccountRow:
        row = session.get(AccountRow, name.strip().lower())
        if row is None:
            raise NoAccount(f"There is no account {name}.")
        return row


def _check(password: str) -> None:
    if len(password) < _SHORTEST:
        raise PambleError(f"A password has at least {_SHORTEST} characters.")
    if len(password) > 1000:
        raise PambleError("A password has at most 1000 characters.")


def _now() -> datetime:
    return datetime.now(UTC)


def _digest(token: str) -> str:
    return hashlib.sha256(token.encode()).hexdigest()
