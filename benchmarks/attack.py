"""Damaged files at the command line: how each ends. `python benchmarks/attack.py [COUNT] [SEED]` prints counts.

A run is bounded: every file ends within the limits of its reader. Nothing may end in a signal, in a traceback, or with
fewer faces than the file names without a word.
"""

from __future__ import annotations

import json
import random
import re
import subprocess
import sys
import tempfile
from collections import Counter
from pathlib import Path

from tests.damage import damaged

ROOT = Path(__file__).parent.parent
_FACE = re.compile(rb"=\s*ADVANCED_FACE\s*\(")


def main(count: int, seed: int) -> None:
    """Damage the demos' files and check each."""
    rng = random.Random(seed)
    ends: Counter[str] = Counter()
    by_way: Counter[tuple[str, str]] = Counter()
    with tempfile.TemporaryDirectory() as folder:
        whole = []
        for name in ("mirror-cap", "mirror-cap-front"):
            path = Path(folder) / f"{name}.step"
            subprocess.run([ROOT / "bin/pamble", "demo", name, "-o", path], check=True, capture_output=True)
            whole.append(path.read_bytes())
        path = Path(folder) / "damaged.step"
        for _ in range(count):
            data = rng.choice(whole)
            way, content = damaged(data, rng)
            path.write_bytes(content)
            end = _end(path, len(_FACE.findall(data)), way)
            ends[end] += 1
            by_way[way, end] += 1
            if end.startswith("!"):
                (Path(tempfile.gettempdir()) / f"attack-{seed}-{sum(ends.values())}.step").write_bytes(content)
    print(f"{count} files, seed {seed}: " + ", ".join(f"{n} {end}" for end, n in sorted(ends.items())))
    for (way, end), n in sorted(by_way.items()):
        print(f"  {way:10} {end:40} {n}")


def _end(path: Path, faces: int, way: str) -> str:
    """How a check of a file ends; what must not be begins with an exclamation mark."""
    run = subprocess.run([ROOT / "bin/pamble", "check", path, "--json"], capture_output=True, text=True, check=False)
    if run.returncode == 2 and run.stderr.startswith("pamble: ") and "Traceback" not in run.stderr:
        return "refused: " + (
            "broke off" if "broke off" in run.stderr else "ran on" if "too long" in run.stderr else "words"
        )
    if run.returncode != 0:
        return f"! ended with {run.returncode}"
    told = json.loads(run.stdout)
    if len(told["faces"]) < faces and not told["problems"] and way != "cut":
        return "! faces lost silently"
    return "taken whole" if len(told["faces"]) >= faces else "taken, losses named"


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 200, int(sys.argv[2]) if len(sys.argv) > 2 else 1)
