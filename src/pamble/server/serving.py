"""Pamble on a database that runs: tables, demo studies, the server and what is beside it, until it is stopped."""

from __future__ import annotations

import argparse
import threading
from pathlib import Path

import uvicorn
from sqlalchemy import Engine

from pamble.core.errors import PambleError
from pamble.demo import DEMOS
from pamble.server.access import Access
from pamble.server.app import create_app
from pamble.server.guard import OWN
from pamble.server.local_worker import LocalWorker
from pamble.store.accounts import Accounts
from pamble.store.database import open_database
from pamble.store.postgres import LocalPostgres
from pamble.store.studies import Studies
from pamble.work.logs import set_up_logs


def serve(given: argparse.Namespace, folder: Path, postgres: LocalPostgres) -> None:
    """Serve until stopped; then the database is stopped, too. given: options of the start command. Raises `PambleError`
    where nobody could sign in, or the database is of a later Pamble.
    """
    set_up_logs()
    engine = open_database(postgres.url)
    access = None if given.host in OWN else Access(_people(engine), secure=given.certificate is not None)
    store, fresh = Studies(engine), []
    if not given.no_demo and not store.listed():
        # The list shows what was made last on top.
        fresh = [store.create(demo.study().model_dump()) for demo in reversed(DEMOS.values())][::-1]
    stop, worker = threading.Event(), LocalWorker(folder)
    watches = [threading.Thread(target=w, args=(stop,), daemon=True) for w in (postgres.watch, worker.watch)]
    for watch in watches:
        watch.start()
    app = create_app(engine, given.interface.resolve(), [] if given.careless else fresh, access, worker.want)
    print(f"Pamble is at {'https' if given.certificate else 'http'}://{given.host}:{given.port}", flush=True)
    uvicorn.run(
        app,
        host=given.host,
        ssl_certfile=given.certificate,
        ssl_keyfile=given.key,
        port=given.port,
        log_level="warning",
        ws="websockets-sansio",
        ws_per_message_deflate=False,
        ws_max_size=64 * 1024 * 1024,
        timeout_graceful_shutdown=3,
    )
    stop.set()
    worker.want()
    for watch in watches:
        watch.join()
    engine.dispose()
    postgres.stop()


def _people(engine: Engine) -> Accounts:
    """The accounts of a Pamble that others reach. Raises `PambleError` where nobody could sign in."""
    accounts = Accounts(engine)
    if not any(a.admin for a in accounts.listed()):
        raise PambleError(
            "To be reached from other machines Pamble needs an administrator: make one with "
            "bin/pamble account add NAME --admin."
        )
    return accounts
