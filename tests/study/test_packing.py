"""Results as they are stored: what comes back is what was made, and what cannot be read is computed anew."""

import numpy as np
import pytest

from pamble.core.faces.face import Face
from pamble.core.faces.frames import feet, frames
from pamble.study.kernel import Kernel
from pamble.study.packing import pack_made, unpack_made
from tests.study.slabs import DECK, TRIM, WALL, moved, ref, slabs, step

STEPS = (
    TRIM,
    step("line", "line", start=[0, 0, 40], end=[100, 20, 40]),
    step("along", "edge_curve", edge=ref("deck", "v0")),
    step("half", "split_face", face=ref("wall")),
    step("level", "plane_parallel", square_to="z", through=[0, 0, 4]),
)


@pytest.fixture
def kernel():
    return slabs(*STEPS)


@pytest.mark.parametrize("id", [s["id"] for s in STEPS])
def test_what_is_unpacked_is_what_was_packed(kernel, id):
    made = kernel.now.states[id].made
    back = unpack_made(pack_made(made))
    for own, again in ((made.makes, back.makes), (made.changes, back.changes)):
        assert own.keys() == again.keys()
        assert {k: s.version for k, s in own.items()} == {k: s.version for k, s in again.items()}
        for key, shape in own.items():
            assert list(shape.lines) == list(again[key].lines)
    assert back.facts == made.facts
    assert back.warnings == made.warnings
    assert [vars(s) for s in back.seams] == [vars(s) for s in made.seams]


def test_a_stored_result_that_cannot_be_read_or_belongs_to_others_is_computed_anew(kernel):
    wanted = kernel.now.world["deck"].shape.version
    key, data = kernel.now.states["t"].key, pack_made(kernel.now.states["t"].made)
    for stored in ((key, data[: len(data) // 2]), (key, b"nonsense"), ("other", data)):
        again = Kernel(kernel.document(), None, {"t": stored})
        assert again.now.states["t"].status == "fresh"
        assert again.now.world["deck"].shape.version == wanted


def test_what_an_edge_remembers_is_its_own_and_not_that_of_one_that_moved():
    t = np.linspace(0, 1, 60)
    still, lifted = Face(DECK).edge("u0"), Face(DECK.with_control(DECK.control + np.array([0, 0, 7.0]))).edge("u0")
    assert frames(still, t) is frames(still, t.copy())
    assert np.allclose(frames(lifted, t).position - frames(still, t).position, [0, 0, 7])
    assert frames(still, t, 3) is not frames(still, t, 2)
    other = Face(WALL).edge("u0")
    first = feet(still, frames(other, t).position, t)
    assert np.array_equal(first, feet(still, frames(other, t).position, t))
    assert not np.allclose(first, feet(still, frames(other, t).position + np.array([0, 9.0, 0]), t))
    assert np.allclose(feet(still, frames(still, t).position[::-1].copy(), t), t[::-1], atol=1e-12)


def test_a_drag_shows_what_a_fresh_kernel_would(kernel):
    """What is kept from one preview to the next never shows in a result."""
    for n in range(4):
        kernel.preview(moved(kernel, "deck", 2, 2, (0, 0, 2.0 * n)))
    kernel.commit(moved(kernel, "deck", 2, 2, (0, 0, 5.0)))
    fresh = Kernel(kernel.document())
    assert {i: s.shape.version for i, s in kernel.now.world.items()} == {
        i: s.shape.version for i, s in fresh.now.world.items()
    }
