"""Medians of repeated runs, and a table of them with ratios."""

from __future__ import annotations

import time
from collections.abc import Callable

import numpy as np


def median(run: Callable[[], object], repeats: int = 15) -> float:
    """Median time of a call in ms, after one to warm up."""
    run()
    times = []
    for _ in range(repeats):
        start = time.perf_counter()
        run()
        times.append(1e3 * (time.perf_counter() - start))
    return float(np.median(times))


def line(what: str, ms: float, reference: float | None = None) -> None:
    """Print one row; the ratio says how many times slower the row is than its reference."""
    ratio = "" if reference is None else f"{ms / reference:10.1f} x"
    print(f"{what:58s} {ms:10.2f} ms{ratio}")
