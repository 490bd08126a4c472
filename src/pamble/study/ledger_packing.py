"""The seam ledger as bytes, stored beside the results of steps: a study that opens need not find and measure again."""

from __future__ import annotations

import hashlib
import logging
from dataclasses import asdict

import numpy as np
import orjson

from pamble.study.document import Study
from pamble.study.ledger import Ledger, LedgerRow, LedgerSeam
from pamble.study.packing import FORM
from pamble.study.states import Evaluation

log = logging.getLogger("pamble")

LEDGER = "seam ledger"
"""Stands where the id of a step stands for its result; no step's id has a space."""


def ledger_key(study: Study, now: Evaluation) -> str:
    """Told by all that the figures come from: results of steps, and which seams are asked for G3."""
    made = sorted((id, s.key, s.status) for id, s in now.states.items())
    return hashlib.sha256(orjson.dumps([FORM, made, sorted(study.seam_targets.items())])).hexdigest()


def pack_ledger(ledger: Ledger) -> bytes:
    """Seams, rows and the samples along them, these in the accuracy that a plot needs."""
    head = {
        "seams": [asdict(s) for s in ledger.seams],
        "rows": {k: [asdict(r.seam), r.row, list(r.plot.shape)] for k, r in ledger.rows.items()},
        "diagonal": ledger.diagonal,
    }
    data = orjson.dumps(head)
    data += b" " * (-len(data) % 8)
    plots = [np.asarray(r.plot, dtype=np.float32).tobytes() for r in ledger.rows.values()]
    return len(data).to_bytes(8, "little") + data + b"".join(plots)


def unpack_ledger(data: bytes) -> Ledger | None:
    """The ledger that was packed; None if it cannot be read: then it is made anew."""
    try:
        size = int.from_bytes(data[:8], "little")
        head = orjson.loads(data[8 : 8 + size])
        body = np.frombuffer(data, dtype=np.float32, offset=8 + size).astype(float)
        rows, at = {}, 0
        for key, (seam, row, shape) in head["rows"].items():
            count = int(np.prod(shape))
            rows[key] = LedgerRow(_seam(seam), row, body[at : at + count].reshape(shape))
            at += count
        return Ledger(tuple(_seam(s) for s in head["seams"]), rows, head["diagonal"])
    except (ValueError, KeyError, TypeError):
        log.exception("a stored ledger cannot be read")
        return None


def _seam(plain: dict[str, object]) -> LedgerSeam:
    pairs = {k: tuple(v) if isinstance(v, list) else v for k, v in plain.items()}
    return LedgerSeam(**pairs)  # type: ignore[arg-type]
