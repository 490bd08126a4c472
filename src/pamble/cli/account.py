"""Accounts of a Pamble that is reached from other machines."""

from __future__ import annotations

import getpass
import sys
from argparse import Namespace
from pathlib import Path
from typing import Any

from pamble.core.errors import PambleError
from pamble.store.accounts import Accounts
from pamble.store.database import open_database
from pamble.store.folder import database_of


def account(given: Namespace) -> tuple[dict[str, Any], str]:
    """Add, list or remove accounts, or give one another password."""
    if (given.name is None) != (given.do == "list"):
        raise PambleError("Name the account." if given.name is None else "All accounts are listed: name none.")
    password = _password() if given.do in ("add", "password") else ""
    with database_of(Path(given.data).resolve()) as server:
        engine = open_database(server.url)
        try:
            accounts = Accounts(engine)
            if given.do == "add":
                accounts.add(given.name, password, given.admin)
            elif given.do == "password":
                accounts.set_password(given.name, password)
            elif given.do == "remove":
                accounts.remove(given.name)
            rows = [{"name": a.name, "admin": a.admin} for a in accounts.listed()]
        finally:
            engine.dispose()
    lines = [f"{r['name']}{', administrator' if r['admin'] else ''}" for r in rows]
    return {"accounts": rows}, "\n".join(lines) or "no accounts"


def _password() -> str:
    """Asked for twice at a terminal; the first line of what is piped in."""
    if not sys.stdin.isatty():
        return sys.stdin.readline().rstrip("\n")
    first = getpass.getpass("Password: ")
    if getpass.getpass("Again: ") != first:
        raise PambleError("The two passwords are not the same.")
    return first
