"""Files damaged at random, as disks, wires and other programs do it."""

from __future__ import annotations

import random
import re

_NUMBER = re.compile(rb"-?\d+\.\d*(?:E[-+]?\d+)?")
_ENTITY = re.compile(rb"#\d+")
WAYS = ("byte", "cut", "swap", "drop", "twice", "number", "reference")


def damaged(data: bytes, rng: random.Random, head: int = 200) -> tuple[str, bytes]:
    """One way of damage, and a file so damaged; the first bytes stay."""
    way = rng.choice(WAYS)
    if way == "byte":
        out = bytearray(data)
        for _ in range(rng.choice([1, 3, 20])):
            out[rng.randrange(head, len(out))] = rng.randrange(256)
        return way, bytes(out)
    if way == "cut":
        return way, data[: rng.randrange(head, len(data))]
    lines = data.split(b"\n")
    body = min(12, len(lines) // 3)
    i, j = rng.randrange(body, len(lines)), rng.randrange(body, len(lines))
    if way == "swap":
        lines[i], lines[j] = lines[j], lines[i]
    elif way == "drop":
        del lines[i]
    elif way == "twice":
        lines.insert(i, lines[j])
    out_text = b"\n".join(lines)
    if way == "number":
        new = rng.choice([b"1.E308", b"-1.E300", b"0.", b"NAN", b"1.E-320", b"99999999."])
        return way, _one(out_text, _NUMBER, new, rng)
    if way == "reference":
        found = _ENTITY.findall(out_text)
        return way, _one(out_text, _ENTITY, rng.choice(found) if found else b"#1", rng)
    return way, out_text


def _one(data: bytes, what: re.Pattern[bytes], new: bytes, rng: random.Random) -> bytes:
    """The data with one of the places that match replaced."""
    found = list(what.finditer(data))
    if not found:
        return data
    place = rng.choice(found)
    return data[: place.start()] + new + data[place.end() :]
