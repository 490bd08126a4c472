"""What is lost when Pamble's processes are killed: `python benchmarks/kills.py [KILLS] [SEED]` prints counts.

Three windows change a dimension each without a pause, one step after the other, and files are read all the time, while
the server, its kernels, its worker, the database or one of its backends is killed. After every kill each study must
open, and hold what was acknowledged last, or one more where no answer came; never a step that was refused.
"""

from __future__ import annotations

import json
import os
import random
import signal
import subprocess
import sys
import threading
import time
from collections import Counter
from urllib.error import URLError

from pamble.core.exchange.step import write_step
from pamble.demo import demo_faces
from tests.conftest import RunningPamble
from tests.server.test_live import Window, ask, upload

WAYS = ("server", "kernel", "worker", "database", "backend")
_PATIENCE = 60.0


def processes(pid: int, deep: bool = True) -> list[tuple[int, str]]:
    """Processes below one, with their command lines."""
    found = subprocess.run(["pgrep", "-a", "-P", str(pid)], capture_output=True, text=True, check=False).stdout
    out = [(int(line.split()[0]), line) for line in found.splitlines()]
    return out + [p for child, _ in out for p in processes(child)] if deep else out


class Changing(threading.Thread):
    """A window that changes a dimension, and knows what it was told."""

    def __init__(self, pamble: RunningPamble, counts: Counter[str]) -> None:
        super().__init__(daemon=True)
        self.pamble, self.counts = pamble, counts
        self.study = json.loads(ask(pamble, "/studies", {"name": "Killed"})[1])["id"]
        self.told, self.sent, self.refused = 0, 0, set[int]()
        self.over = threading.Event()

    def run(self) -> None:
        while not self.over.is_set():
            try:
                window = self._opened()
                while not self.over.is_set():
                    self._change(window)
            except AssertionError:
                raise
            except Exception:  # the connection is gone: what is there is looked at when it is opened again
                self.counts["connections lost"] += 1
                time.sleep(0.05)

    def _opened(self) -> Window:
        end = time.monotonic() + _PATIENCE
        while True:
            try:
                window = Window(self.pamble, self.study)
                if window.state is not None:
                    break
                raise ConnectionError
            except Exception:
                if time.monotonic() > end:
                    self.counts["! studies that do not open"] += 1
                    end = time.monotonic() + _PATIENCE
                time.sleep(0.1)
        self._compare(window)
        return window

    def _compare(self, window: Window) -> None:
        values = {d["name"]: round(d["value"]) for d in window.state["study"]["dimensions"]}
        stands = values.get("rim", 0)
        if stands < self.told:
            self.counts["! acknowledged steps lost"] += 1
        elif stands in self.refused:
            self.counts["! refused steps stored"] += 1
        elif stands > self.sent:
            self.counts["! steps out of nothing"] += 1
        elif stands > self.told:
            self.counts["unanswered steps stored"] += 1
        self.told = self.sent = max(stands, self.sent)
        self.told = stands

    def _change(self, window: Window) -> None:
        self.sent += 1
        window.socket.send(
            json.dumps(
                {"type": "commit", "seq": self.sent, "base": window.state["version"]}
                | {"op": {"op": "set_dimension", "name": "rim", "value": str(self.sent)}}
            )
        )
        while True:
            answer = window.receive()
            if answer.get("type") == "state" and answer.get("seq") == self.sent:
                self.told = self.sent
                self.counts["steps acknowledged"] += 1
                return
            if answer.get("type") == "error":
                if answer["code"] in ("store", "fault", "kernel"):
                    raise ConnectionError("what is stored is not known: look")
                self.refused.add(self.sent)
                self.counts["steps refused"] += 1
                return


def reading(pamble: RunningPamble, study: str, file: bytes, faces: int, over: threading.Event, counts: Counter[str]):
    """Has a file read all the time."""
    while not over.is_set():
        try:
            status, answer = upload(pamble, f"/studies/{study}/step", "cap.step", file)
        except (OSError, URLError, ValueError):
            counts["files: connections lost"] += 1
            time.sleep(0.2)
            continue
        if status == 200 and answer["taken"] == faces:
            counts["files read"] += 1
        elif status in (400, 503):
            counts["files refused in words"] += 1
        else:
            counts[f"! files answered with {status}"] += 1


def kill(pamble: RunningPamble, way: str) -> bool:
    """Kill one process of a kind; whether there was one."""
    server = pamble.process.pid
    if way in ("database", "backend"):
        try:
            pid = int((pamble.folder / "db" / "postmaster.pid").read_text().split()[0])
        except (OSError, ValueError, IndexError):
            return False
        if way == "backend":
            mine = [p for p, line in processes(pid, False) if "pamble" in line]
            if not mine:
                return False
            pid = random.choice(mine)
    elif way == "server":
        pid = server
    else:
        workers = [p for p, line in processes(server, False) if "-m pamble.work" in line]
        kernels = [
            k for p, line in processes(server, False) if "forkserver" in line for k, _ in processes(p, False)
        ]  # fmt: skip
        found = workers if way == "worker" else kernels
        if not found:
            return False
        pid = random.choice(found)
    try:
        os.kill(pid, signal.SIGKILL)
    except ProcessLookupError:
        return False
    return True


def main(kills: int, seed: int) -> None:
    """Kill, look, count."""
    random.seed(seed)
    counts: Counter[str] = Counter()
    pamble = RunningPamble(True, "--no-demo")
    pamble.start()
    path = pamble.folder / "cap.step"
    write_step(demo_faces("mirror-cap"), path)
    over = threading.Event()
    changing = [Changing(pamble, counts) for _ in range(3)]
    arguments = (pamble, changing[0].study, path.read_bytes(), 2, over, counts)
    threads = [*changing, threading.Thread(target=reading, args=arguments, daemon=True)]
    for thread in threads:
        thread.start()
    done = 0
    while done < kills:
        time.sleep(random.uniform(0.05, 1.2))
        way = random.choice(WAYS)
        if not kill(pamble, way):
            continue
        done += 1
        counts[f"kills of {way}"] += 1
        if way == "server":
            pamble.process.wait()
            try:
                pamble.start()
            except AssertionError:
                counts["! folders that do not start"] += 1
                pamble.start()
        if done % 100 == 0:
            print(done, dict(sorted(counts.items())), flush=True)
    time.sleep(15)
    over.set()
    for one in changing:
        one.over.set()
    for thread in threads:
        thread.join(90)
    for _ in range(20):
        status, answer = upload(pamble, f"/studies/{changing[0].study}/step", "cap.step", path.read_bytes())
        if status == 200:
            break
        time.sleep(3)
    counts["files read at the end" if status == 200 else f"! at the end no file is read: {answer}"] += 1
    for one in changing:
        one._opened()
        document = json.loads(ask(pamble, f"/studies/{one.study}/export.json")[1])
        counts["studies that open and export"] += document["dimensions"]["rim"] == str(one.told)
    pamble.close()
    print(f"{kills} kills, seed {seed}")
    for what, n in sorted(counts.items()):
        print(f"  {what:32} {n}")


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 60, int(sys.argv[2]) if len(sys.argv) > 2 else 1)
