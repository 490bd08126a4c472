"""Twenty studies dragged at once, alone and while one of ten thousand steps is opened: `python benchmarks/many.py`.

The windows are threads of one process, which reads every frame: on two cores they take more time than the kernels.
"""

from __future__ import annotations

import json
import threading
import time

import numpy as np
from websockets.sync.client import connect

from tests.conftest import RunningPamble
from tests.server.test_live import ADD, Window, ask, upload

STUDIES, EACH, LINES = 20, 0.1, 10_000
SECONDS = 12.0
"""Ten updates a second are asked for in each study."""


class Dragged(threading.Thread):
    """A window in which a CV is dragged: an intent every tenth of a second, or as soon as the last was answered."""

    def __init__(self, pamble: RunningPamble) -> None:
        super().__init__(daemon=True)
        self.window = Window(pamble, json.loads(ask(pamble, "/studies", {"demo": "mirror-cap"})[1])["id"])
        self.window.commit(ADD)
        self.until = 0.0
        self.times: list[float] = []

    def run(self) -> None:
        n = 0
        while time.monotonic() < self.until:
            begun, n = time.monotonic(), n + 1
            cv = {"i": 2, "j": 3, "to": [30, 4 + 3 * np.sin(0.3 * n), 70]}
            self.window.send(type="preview", seq=n, op={"op": "move_cvs", "id": "crown", "cvs": [cv]})
            self.times.append(time.monotonic() - begun)
            time.sleep(max(0.0, EACH - self.times[-1]))


def dragged(windows: list[Dragged], beside: threading.Thread | None) -> None:
    """Drag for a while, and print what each got."""
    for w in windows:
        w.times, w.until = [], time.monotonic() + SECONDS
    threads = [threading.Thread(target=w.run) for w in windows]
    for t in [*threads, *([] if beside is None else [beside])]:
        t.start()
    for t in threads:
        t.join()
    rates = [len(w.times) / SECONDS for w in windows]
    every = np.concatenate([w.times for w in windows])
    print(
        f"  {np.median(rates):.1f} updates a second each, {min(rates):.1f} at least; "
        f"median {1e3 * np.median(every):.0f} ms, 95 of 100 within {1e3 * np.quantile(every, 0.95):.0f} ms"
    )


def main() -> None:
    """Print the figures."""
    pamble = RunningPamble(True, "--no-demo")
    pamble.start()
    try:
        windows = [Dragged(pamble) for _ in range(STUDIES)]
        print(f"{STUDIES} studies dragged at once")
        dragged(windows, None)
        lines = [
            {"id": f"l{i}", "kind": "line", "name": f"Line {i}", "role": "theoretical",
             "params": {"start": [i, 0, 0], "end": [i, 10, 0]}}
            for i in range(LINES)
        ]  # fmt: skip
        file = json.dumps({"format": "pamble-study", "name": "Long", "features": lines}).encode()
        long = upload(pamble, "/studies/import", "long.json", file)[1]["id"]
        took: list[float] = []

        def opened() -> None:
            begun = time.monotonic()
            url = pamble.url.replace("http", "ws") + f"/api/studies/{long}/live"
            with connect(url, compression=None, max_size=None) as socket:
                socket.recv(timeout=300)
            took.append(time.monotonic() - begun)

        opening = threading.Thread(target=opened, daemon=True)
        print(f"while a study of {LINES} steps is opened")
        dragged(windows, opening)
        opening.join(300)
        print(f"  it opened in {took[0]:.1f} s" if took else "  it did not open")
    finally:
        pamble.close()


if __name__ == "__main__":
    main()
