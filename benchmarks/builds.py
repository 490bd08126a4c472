"""Random builds of ten steps, each made a second time by OpenCASCADE: how far the figures of both are apart.

Usage: .venv/bin/python -m benchmarks.builds [how many]
"""

from __future__ import annotations

import sys
from collections import defaultdict

from tests.study.random_builds import build


def main(count: int) -> None:
    """The worst relative difference of every step, and the build in which it is."""
    worst: dict[str, list[tuple[float, int]]] = defaultdict(list)
    for seed in range(count):
        for c in build(seed)[1]:
            worst[c.step].append((c.off, seed))
    for step, found in worst.items():
        off, seed = max(found)
        print(f"{step:8} {len(found):4} compared, at most {off:.1e} apart (build {seed})")


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 100)
