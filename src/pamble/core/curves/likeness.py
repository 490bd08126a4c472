"""How alike two loops are for every turn of one against the other."""

from __future__ import annotations

import numpy as np

from pamble.core.arrays import Array


def likeness(first: Array, second: Array, sense: int = 1) -> Array:
    """Sums (m,) of the products of places (m, 3) at even shares of two loops, each about its middle, the second begun
    at each of its places in turn and run in a sense: where it is largest the squares of the ways between them sum up
    to the least.

    All turns at once, by the discrete correlation theorem.
    """
    one, two = (np.fft.rfft(p - p.mean(axis=0), axis=0) for p in (first, second))
    way = np.conj(one) * two if sense > 0 else one * two
    return np.asarray(np.fft.irfft(way.sum(axis=1), n=len(first)))
