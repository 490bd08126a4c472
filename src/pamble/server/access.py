"""Sign-in, for a Pamble that is reached from other machines: who asks, and whether they may.

On loopback none of this is in place. Beyond it nothing but the page and the sign-in itself is answered without an
account or a link; a study that one may not see is one that is not there.
"""

from __future__ import annotations

import asyncio
import json
from dataclasses import dataclass
from typing import Literal

from itsdangerous import BadSignature, URLSafeSerializer
from sqlalchemy.exc import SQLAlchemyError
from starlette.requests import HTTPConnection
from starlette.types import ASGIApp, Receive, Scope, Send

from pamble.store.accounts import Account, Accounts, Role

SESSION, LINK = "pamble-session", "pamble-link"
"""Names of the cookies."""

_STRENGTH: dict[Role, int] = {"look": 0, "change": 1, "own": 2}

_SIGNED_OUT = (401, "sign-in", "Sign in to go on.")
_MISSING = (404, "missing", "This study is not there, or it is not open to you.")
_LOOK_ONLY = (403, "read-only", "You may look at this study, and not change it.")
_NOT_OWN = (403, "not-own", "Only who a study belongs to may do this.")
NO_DATABASE = (503, "database", "The database cannot be reached at the moment. What was stored is safe.")
_ADMINS = (403, "not-own", "Only administrators see this.")

Refusal = tuple[int, str, str]
"""Status, code and words."""


@dataclass(frozen=True)
class Who:
    """Who asks: an account, or somebody who has a link to a study, or nobody."""

    account: Account | None = None
    session: str | None = None
    linked: str | None = None


@dataclass(frozen=True)
class Need:
    """What a request needs: nothing, somebody known, an account, an administrator, or a role in a study."""

    kind: Literal["nothing", "known", "account", "admin", "study"]
    study: str = ""
    role: Role = "look"


def need(method: str, path: str) -> Need:
    """What a request needs, by its method (a socket's is GET) and path."""
    parts = path.strip("/").split("/")
    if path == "/metrics":
        return Need("admin")
    if parts[0] != "api" or parts[1:] in (["sign-in"], ["sign-out"], ["who"]):
        return Need("nothing")
    if parts[1:] in (["tools"], ["demos"], ["health"]):
        return Need("known")
    if parts[1] == "studies" and len(parts) > 2 and parts[2:] != ["import"]:
        if parts[3:4] == ["sharing"] or (method == "DELETE" and len(parts) == 3):
            return Need("study", parts[2], "own")
        return Need("study", parts[2], "look" if method in ("GET", "HEAD") else "change")
    # Work on its way is given to who asked for it alone.
    return Need("known" if method in ("GET", "HEAD") or parts[1] == "jobs" else "account")


class Access:
    """What is known of accounts, and the cookies that say who asks. secure: whether cookies go by https alone."""

    def __init__(self, accounts: Accounts, secure: bool) -> None:
        self.accounts, self.secure = accounts, secure
        self._signed = URLSafeSerializer(accounts.secret(), salt="pamble")

    def cookie(self, value: str) -> str:
        """A session or link as it is given to a browser."""
        return str(self._signed.dumps(value))

    def who(self, scope: Scope) -> Who:
        """Who asks, by the cookies."""
        cookies = HTTPConnection(scope).cookies
        session, token = (self._read(cookies.get(name)) for name in (SESSION, LINK))
        return Who(
            None if session is None else self.accounts.of_session(session),
            session,
            None if token is None else self.accounts.linked(token),
        )

    def role(self, study: str, who: Who) -> Role | None:
        """What somebody may do with a study."""
        role = None if who.account is None else self.accounts.role(study, who.account)
        return role or ("look" if who.linked == study else None)

    def refusal(self, scope: Scope, who: Who) -> Refusal | None:
        """Why a request is not answered; a study's role is put into its state."""
        asked = need(scope.get("method", "GET"), scope["path"])
        match asked.kind:
            case "known" if who.account is None and who.linked is None:
                return _SIGNED_OUT
            case "account" if who.account is None:
                return _SIGNED_OUT
            case "admin":
                return _SIGNED_OUT if who.account is None else None if who.account.admin else _ADMINS
            case "study":
                role = self.role(asked.study, who)
                scope["state"]["role"] = role
                if role is None:
                    return _SIGNED_OUT if who.account is None else _MISSING
                if _STRENGTH[role] < _STRENGTH[asked.role]:
                    return _LOOK_ONLY if role == "look" else _NOT_OWN
        return None

    def _read(self, cookie: str | None) -> str | None:
        try:
            value = None if cookie is None else self._signed.loads(cookie)
        except BadSignature:
            return None
        return value if isinstance(value, str) else None


class SignIn:
    """Middleware that asks who it is, for requests and sockets alike."""

    def __init__(self, app: ASGIApp, access: Access) -> None:
        self._app, self._access = app, access

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] not in ("http", "websocket"):
            await self._app(scope, receive, send)
            return
        scope.setdefault("state", {})
        scope["state"]["access"] = self._access
        try:
            scope["state"]["who"] = who = await asyncio.to_thread(self._access.who, scope)
            refusal = await asyncio.to_thread(self._access.refusal, scope, who)
        except SQLAlchemyError:
            refusal = NO_DATABASE
        if refusal is None:
            await self._app(scope, receive, send)
            return
        status, code, words = refusal
        if scope["type"] == "websocket":
            # Accepted first: only then a window hears why.
            await receive()
            await send({"type": "websocket.accept"})
            text = json.dumps({"type": "error", "seq": None, "code": code, "message": words})
            await send({"type": "websocket.send", "text": text})
            await send({"type": "websocket.close", "code": 4004})
            return
        body = json.dumps({"code": code, "message": words}).encode()
        head = [(b"content-type", b"application/json"), (b"content-length", str(len(body)).encode())]
        await send({"type": "http.response.start", "status": status, "headers": head})
        await send({"type": "http.response.body", "body": body})
