"""Start Pamble: database, migrations, demo study, server."""

from __future__ import annotations

import argparse
import os
import sys
import threading
from pathlib import Path
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from sqlalchemy import Engine

    from pamble.store.accounts import Accounts


def main() -> int:
    """Serve until stopped."""
    # Kernel processes import this module: what only the server needs is imported here.
    import uvicorn

    from pamble.core.errors import PambleError
    from pamble.demo import DEMOS
    from pamble.server.access import Access
    from pamble.server.app import create_app
    from pamble.server.guard import OWN
    from pamble.server.local_worker import LocalWorker
    from pamble.store.database import open_database
    from pamble.store.folder import claimed, database_port
    from pamble.store.postgres import LocalPostgres
    from pamble.store.studies import Studies
    from pamble.work.logs import set_up_logs

    parser = argparse.ArgumentParser(prog="pamble-server", description="Serve Pamble.")
    parser.add_argument(
        "--host", default="127.0.0.1", help="address to serve on; beyond loopback Pamble asks for a sign-in"
    )
    parser.add_argument("--certificate", type=Path, help="for https: the certificate, PEM")
    parser.add_argument("--key", type=Path, help="for https: its key, PEM")
    parser.add_argument("--port", type=int, default=int(os.environ.get("PAMBLE_PORT", "8640")))
    parser.add_argument("--data", type=Path, default=Path(os.environ.get("PAMBLE_DATA", ".data")))
    parser.add_argument("--interface", type=Path, default=Path("web/dist"))
    parser.add_argument("--no-demo", action="store_true", help="do not add the demo study to an empty database")
    parser.add_argument("--careless", action="store_true", help="for tests: a database that skips waiting for the disk")
    given = parser.parse_args()
    os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
    set_up_logs()
    folder = given.data.resolve()
    try:
        lock = claimed(folder)
        postgres = LocalPostgres(folder, database_port(folder), durable=not given.careless)
        postgres.start()
        engine = open_database(postgres.url)
        access = None if given.host in OWN else Access(_people(engine), secure=given.certificate is not None)
    except PambleError as error:
        print(f"pamble: {error}", file=sys.stderr)
        return 2
    store = Studies(engine)
    fresh = []
    if not given.no_demo and not store.listed():
        # The list shows what was made last on top.
        fresh = [store.create(demo.study().model_dump()) for demo in reversed(DEMOS.values())][::-1]
    stop = threading.Event()
    watches = [threading.Thread(target=w, args=(stop,)) for w in (postgres.watch, LocalWorker(folder).watch)]
    for watch in watches:
        watch.daemon = True
        watch.start()
    app = create_app(engine, given.interface.resolve(), [] if given.careless else fresh, access)
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
    for watch in watches:
        watch.join()
    engine.dispose()
    postgres.stop()
    lock.close()
    return 0


def _people(engine: Engine) -> Accounts:
    """The accounts of a Pamble that others reach. Raises `PambleError` where nobody could sign in."""
    from pamble.core.errors import PambleError
    from pamble.store.accounts import Accounts

    accounts = Accounts(engine)
    if not any(a.admin for a in accounts.listed()):
        raise PambleError(
            "To be reached from other machines Pamble needs an administrator: make one with "
            "bin/pamble account add NAME --admin."
        )
    return accounts


if __name__ == "__main__":
    sys.exit(main())
