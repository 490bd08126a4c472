"""Routes of people: sign in and out, who one is, and whom a study is open to."""

from __future__ import annotations

import asyncio

from fastapi import APIRouter, Request, Response
from pydantic import BaseModel, Field

from pamble.core.errors import PambleError
from pamble.server.access import LINK, SESSION, Access, Who
from pamble.server.throttle import Throttle
from pamble.store.accounts import Role, Sharing

router = APIRouter(prefix="/api")

_THROTTLE = Throttle()
_FREE_OF_ONE, _FREE_FROM, _FREE_OF_NAME = 5, 25, 100
"""Wrong passwords that cost nothing: for a name from one address, from an address, for a name: who guesses does not
lock its owner out.
"""

_AT_ONCE = asyncio.Semaphore(2)
"""Passwords that are held against their hashes at a time: each takes 64 MB."""


class Credentials(BaseModel):
    """A name and its password."""

    name: str = Field(min_length=1, max_length=64)
    password: str = Field(min_length=1, max_length=1000)


class Person(BaseModel):
    """Who one is. needed: whether this Pamble asks for a sign-in at all; role: in the study that was asked for."""

    needed: bool
    name: str | None = None
    admin: bool = False
    linked: str | None = None
    role: Role | None = None


class OpenTo(BaseModel):
    """Whom a study is open to; link: the path to look at it, told only when it is made."""

    owners: list[str]
    guests: list[str]
    linked: bool
    link: str | None = None


class Guest(BaseModel):
    """An account by name."""

    name: str = Field(min_length=1, max_length=64)


class NotSignedIn(PambleError):
    """A name and password that do not go together, or too many guesses."""

    code = "sign-in"


def access_of(request: Request) -> Access | None:
    """What decides who may; None on loopback, where all may."""
    return getattr(request.state, "access", None)


def who_of(request: Request) -> Who:
    """Who asks."""
    return getattr(request.state, "who", Who())


def _sharing(request: Request) -> Access:
    access = access_of(request)
    if access is None:
        raise PambleError("On this machine alone there is nobody to share with: start Pamble with --host.")
    return access


@router.get("/who")
async def who(request: Request, study: str | None = None) -> Person:
    access, one = access_of(request), who_of(request)
    if access is None:
        return Person(needed=False, role="own")
    role: Role | None = None if study is None else await asyncio.to_thread(access.role, study, one)
    if one.account is None:
        return Person(needed=True, linked=one.linked, role=role)
    return Person(needed=True, name=one.account.name, admin=one.account.admin, linked=one.linked, role=role)


@router.post("/sign-in", status_code=204)
async def sign_in(request: Request, response: Response, given: Credentials) -> None:
    access = _sharing(request)
    name, host = given.name.strip().lower(), request.client.host if request.client else ""
    free = {f"{name} from {host}": _FREE_OF_ONE, f"from {host}": _FREE_FROM, f"of {name}": _FREE_OF_NAME}
    wait = _THROTTLE.wait(free)
    if wait > 0:
        raise NotSignedIn(f"Too many wrong passwords: try again in {wait:.0f} seconds.")
    # Counted before it is looked at: guesses at one time are all counted.
    _THROTTLE.wrong(free)
    async with _AT_ONCE:
        session = await asyncio.to_thread(access.accounts.signed_in, given.name, given.password)
    if session is None:
        raise NotSignedIn("This name and password do not go together.")
    _THROTTLE.right(free)
    response.set_cookie(
        SESSION, access.cookie(session), httponly=True, samesite="strict", secure=access.secure, path="/"
    )


@router.post("/sign-out", status_code=204)
async def sign_out(request: Request, response: Response) -> None:
    access, one = access_of(request), who_of(request)
    if access is not None and one.session is not None:
        await asyncio.to_thread(access.accounts.signed_out, one.session)
    for name in (SESSION, LINK):
        response.delete_cookie(name, path="/")


@router.get("/studies/{id}/sharing")
def sharing(request: Request, id: str) -> OpenTo:
    return _told(_sharing(request).accounts.sharing(id))


@router.post("/studies/{id}/sharing/guests")
def add_guest(request: Request, id: str, guest: Guest) -> OpenTo:
    accounts = _sharing(request).accounts
    accounts.share(id, guest.name)
    return _told(accounts.sharing(id))


@router.delete("/studies/{id}/sharing/guests/{name}")
def remove_guest(request: Request, id: str, name: str) -> OpenTo:
    accounts = _sharing(request).accounts
    accounts.unshare(id, name)
    return _told(accounts.sharing(id))


@router.post("/studies/{id}/sharing/link")
def make_link(request: Request, id: str) -> OpenTo:
    accounts = _sharing(request).accounts
    token = accounts.link(id)
    return _told(accounts.sharing(id), f"/look/{token}")


@router.delete("/studies/{id}/sharing/link")
def remove_link(request: Request, id: str) -> OpenTo:
    accounts = _sharing(request).accounts
    accounts.unlink(id)
    return _told(accounts.sharing(id))


def _told(open_to: Sharing, link: str | None = None) -> OpenTo:
    return OpenTo(owners=list(open_to.owners), guests=list(open_to.guests), linked=open_to.linked, link=link)
