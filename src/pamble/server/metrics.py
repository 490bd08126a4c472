"""How Pamble fares, as a page in the text format that monitoring reads: counts and times since it was started."""

from __future__ import annotations

import time
from collections.abc import Iterator
from contextlib import contextmanager
from typing import TYPE_CHECKING

from prometheus_client import CONTENT_TYPE_LATEST, CollectorRegistry, Counter, Gauge, Histogram, generate_latest

from pamble.store.jobs import OPEN

if TYPE_CHECKING:
    from pamble.server.hub import Hub
    from pamble.store.jobs import Jobs

CONTENT_TYPE = CONTENT_TYPE_LATEST

_REGISTRY = CollectorRegistry()
_FAST = (0.01, 0.02, 0.033, 0.05, 0.075, 0.1, 0.15, 0.25, 0.5, 1.0)
_SLOW = (0.025, 0.05, 0.1, 0.15, 0.25, 0.5, 1.0, 2.5, 5.0, 10.0, 30.0)


def _times(name: str, words: str, buckets: tuple[float, ...], *labels: str) -> Histogram:
    return Histogram(f"pamble_{name}_seconds", words, labels, buckets=buckets, registry=_REGISTRY)


UPDATES = _times("update", "Time of one update while a pointer is down", _FAST)
COMMITS = _times("commit", "Time until a change is stored and told", _SLOW)
WORK = _times("work", "Time that work of the workers took, with its wait", _SLOW, "kind")
REFUSED = Counter("pamble_refused", "Messages answered with an error in words", ("code",), registry=_REGISTRY)
FAULTS = Counter("pamble_faults", "Faults of Pamble's own, with a traceback in the log", registry=_REGISTRY)
RESTARTS = Counter("pamble_kernel_restarts", "Kernels that ended and were started again", registry=_REGISTRY)
_STUDIES = Gauge("pamble_open_studies", "Studies with a kernel of their own", registry=_REGISTRY)
_WINDOWS = Gauge("pamble_windows", "Windows that show a study", registry=_REGISTRY)
_JOBS = Gauge("pamble_jobs", "Work of the workers, by how it stands", ("state",), registry=_REGISTRY)
_MEMORY = Gauge("pamble_kernel_bytes", "Memory of all kernels that hold a study", registry=_REGISTRY)


@contextmanager
def timed(times: Histogram, kind: str | None = None) -> Iterator[None]:
    """Count how long something takes, if it comes to its end."""
    start = time.perf_counter()
    yield
    (times if kind is None else times.labels(kind)).observe(time.perf_counter() - start)


def page(hub: Hub, jobs: Jobs) -> bytes:
    """The page as it stands."""
    studies = hub.studies
    _STUDIES.set(len(studies))
    _WINDOWS.set(sum(len(s.windows) for s in studies))
    _MEMORY.set(sum(_resident(s.kernel.pid) for s in studies))
    counts = jobs.counts()
    for state in OPEN:
        _JOBS.labels(state).set(counts.get(state, 0))
    return generate_latest(_REGISTRY)


def _resident(pid: int | None) -> int:
    """Memory of a process, bytes; 0 for one that is gone."""
    try:
        with open(f"/proc/{pid}/status") as lines:
            return next(int(line.split()[1]) * 1024 for line in lines if line.startswith("VmRSS"))
    except (OSError, StopIteration):
        return 0
