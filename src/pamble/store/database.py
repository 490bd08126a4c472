"""The connection to PostgreSQL and its tables."""

from __future__ import annotations

import time
from importlib.resources import files
from typing import Any

import psycopg
from alembic import command
from alembic.config import Config
from alembic.migration import MigrationContext
from alembic.script import ScriptDirectory
from sqlalchemy import Engine, create_engine, event

from pamble.core.errors import PambleError

_PATIENCE = 8.0
"""Seconds for which a connection is tried again: about what a database that died needs to be back."""


def open_database(url: str) -> Engine:
    """Connect and bring the tables up to date.

    Where no connection can be made nothing was sent either: it is tried again for a while.
    """
    engine = _engine(url)
    config = _config()
    with engine.begin() as connection:
        config.attributes["connection"] = connection
        command.upgrade(config, "head")
    event.listen(engine, "do_connect", _patiently)
    return engine


def connected(url: str) -> Engine:
    """Connect to a database as it is. Raises `PambleError` where its tables are of another Pamble."""
    engine = _engine(url)
    with engine.begin() as connection:
        stands = MigrationContext.configure(connection).get_current_revision()
    if stands != ScriptDirectory.from_config(_config()).get_current_head():
        raise PambleError("The database is of another version of Pamble: start the one that it belongs to.")
    event.listen(engine, "do_connect", _patiently)
    return engine


def _engine(url: str) -> Engine:
    return create_engine(url, pool_pre_ping=True, pool_size=4)


def _config() -> Config:
    config = Config()
    config.set_main_option("script_location", str(files("pamble.store") / "migrations"))
    return config


def _patiently(dialect: Any, _record: Any, args: Any, kwargs: Any) -> Any:
    until = time.monotonic() + _PATIENCE
    while True:
        try:
            return dialect.connect(*args, **kwargs)
        except psycopg.OperationalError:
            if time.monotonic() > until:
                raise
            time.sleep(0.2)
