"""Builds at random are what OpenCASCADE makes of the same numbers."""

import pytest

from tests.study.random_builds import build

NONE_FOUND = {"slice": "does not meet", "met": "do not meet", "halved": "does not touch"}


@pytest.mark.parametrize("seed", range(4))
def test_ten_steps_agree_with_the_other_library(seed):
    kernel, compared = build(seed)
    for id, state in kernel.now.states.items():
        assert not state.problem or NONE_FOUND.get(id, "?") in state.problem, state.problem
    assert len(compared) == 9
    # Its own areas of what is pushed along a line are off by up to 5e-4 (against quadrature).
    assert {c.step: (c.ours, c.theirs) for c in compared if c.off > 1e-3} == {}
