"""The kernel that tests of steps work on."""

import pytest

from pamble.study.kernel import Kernel


@pytest.fixture
def kernel() -> Kernel:
    """Of an empty study."""
    return Kernel({"format": "pamble-study", "name": "bench", "features": []})
