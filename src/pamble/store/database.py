"""Connection to the database and its migrations."""

from __future__ import annotations

from importlib.resources import files

from alembic import command
from alembic.config import Config
from sqlalchemy import Engine, create_engine


def open_database(url: str) -> Engine:
    """Connect and bring the tables up to date."""
    engine = create_engine(url, pool_pre_ping=True, pool_size=4)
    config = Config()
    config.set_main_option("script_location", str(files("pamble.store") / "migrations"))
    with engine.begin() as connection:
        config.attributes["connection"] = connection
        command.upgrade(config, "head")
    return engine
