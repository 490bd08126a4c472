"""Damaged files at the command line and over HTTP, and how each ends: counts.

`python benchmarks/attack.py [COUNT] [SEED]` for STEP files at the command line, with `http` behind for files of all
kinds at a running Pamble.

A run is bounded: every file ends within the limits of its reader. Nothing may end in a signal, in a traceback, or with
fewer faces than the file names without a word.
"""

from __future__ import annotations

import io
import json
import random
import re
import subprocess
import sys
import tempfile
import time
from collections import Counter
from pathlib import Path

import trimesh
from PIL import Image

from tests.conftest import RunningPamble
from tests.damage import damaged
from tests.server.test_live import Window, ask, upload

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


def over_http(count: int, seed: int) -> None:
    """Damage files of all kinds, give each to a running Pamble; what was taken is put into a study, which must open."""
    rng = random.Random(seed)
    ends: Counter[str] = Counter()
    pamble = RunningPamble(False, "--no-demo")
    pamble.start()
    try:
        sound = _sound(pamble)
        servers = pamble.process.pid
        for n in range(count):
            kind, name, data, faces = rng.choice(sound)
            way, content = damaged(data, rng, head=8)
            study = json.loads(ask(pamble, "/studies", {"name": f"Bench {n}"})[1])["id"]
            path = "/studies/import" if kind == "study" else f"/studies/{study}/{kind}"
            begun = time.monotonic()
            status, answer = upload(pamble, path, name, content)
            if time.monotonic() - begun > 40:
                ends[f"! {name} ran on"] += 1
            ends[f"{name}: {_http_end(kind, status, answer, faces, way)}"] += 1
            if kind == "study" and status == 201:
                opened = ask(pamble, f"/studies/{answer['id']}/export.step")[0]
                ends[f"{name}: taken, " + ("opens" if opened in (200, 400) else f"! answers {opened}")] += 1
                ask(pamble, f"/studies/{answer['id']}", method="DELETE")
            elif status == 200 and answer["op"]:
                ends[f"{name}: put into the study, {_committed(pamble, study, answer['op'])}"] += 1
                if ends[f"{name}: put into the study, ! no answer"]:
                    Path(tempfile.gettempdir(), f"attack-{seed}-{n}-{name}").write_bytes(content)
            ask(pamble, f"/studies/{study}", method="DELETE")
        ends["! the server ended"] += pamble.process.pid != servers or pamble.process.poll() is not None
        memory = Path(f"/proc/{servers}/status").read_text()
        peak = int(re.search(r"VmHWM:\s+(\d+)", memory)[1]) // 1024
    finally:
        pamble.close()
    print(f"{count} files over HTTP, seed {seed}, server's memory at most {peak} MB")
    for end, k in sorted(ends.items()):
        print(f"  {end:60} {k}")


def _committed(pamble: RunningPamble, study: str, op: object) -> str:
    """How a study takes what was read."""
    try:
        window = Window(pamble, study)
        told = str(window.commit(op)["type"])
        window.socket.close()
        return told
    except TimeoutError:
        return "! no answer"


def _sound(pamble: RunningPamble) -> list[tuple[str, str, bytes, int]]:
    """Whole files: kind, name, content, and faces that are in it."""
    study = json.loads(ask(pamble, "/studies", {"demo": "mirror-cap-front"})[1])["id"]
    part = ask(pamble, f"/studies/{study}/export.step")[1]
    ball = trimesh.creation.icosphere(subdivisions=3)
    out = [("step", "part.step", part, len(_FACE.findall(part)))] * 4
    for form in ("stl", "ply", "obj"):
        made = ball.export(file_type=form)
        out.append(("mesh", f"ball.{form}", made.encode() if isinstance(made, str) else made, 0))
    for form in ("png", "jpeg"):
        held = io.BytesIO()
        Image.effect_noise((120, 90), 60).convert("RGB").save(held, form)
        out.append(("picture", f"picture.{form}", held.getvalue(), 0))
    return [*out, *[("study", "study.json", ask(pamble, f"/studies/{study}/export.json")[1], 0)] * 3]


def _http_end(kind: str, status: int, answer: dict[str, object], faces: int, way: str) -> str:
    if status == 400 and answer["message"]:
        return "refused in words"
    if status not in (200, 201):
        return f"! answered with {status}"
    if kind == "step" and answer["taken"] < faces and not answer["problems"] and way != "cut":
        return "! faces lost silently"
    return "taken"


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
    attack = over_http if sys.argv[3:] == ["http"] else main
    attack(int(sys.argv[1]) if len(sys.argv) > 1 else 200, int(sys.argv[2]) if len(sys.argv) > 2 else 1)
