"""`python -m pamble.server.main`: Pamble, started."""

from __future__ import annotations

import argparse
import os
import sys
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path


def main() -> int:
    """Serve until stopped."""
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
    # Kernel processes import this module: what only the server needs is imported here.
    from pamble.core.errors import PambleError
    from pamble.server.kernels import load_ahead
    from pamble.store.folder import claimed, local_database

    folder = given.data.resolve()
    try:
        # While the rest is loaded, the database starts and kernels load what they need.
        with claimed(folder), ThreadPoolExecutor(1) as beside:
            database = beside.submit(local_database, folder, not given.careless)
            load_ahead()
            from pamble.server.serving import serve

            serve(given, folder, database.result())
    except PambleError as error:
        print(f"pamble: {error}", file=sys.stderr)
        return 2
    return 0


if __name__ == "__main__":
    sys.exit(main())
