import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from knitground.core.edit.flood import flood
from knitground.core.model.standing import standing_of
from knitground.core.model.terrain import SetKind


def slow_flood(values, row, col, wrap):
    """An oracle: walk from place to place."""
    height, width = values.shape
    seen, queue = {(row, col)}, [(row, col)]
    for r, c in queue:
        for down, across in ((0, 1), (1, 0), (0, -1), (-1, 0)):
            there = (r + down, c + across)
            if wrap:
                there = (there[0] % height, there[1] % width)
            inside = 0 <= there[0] < height and 0 <= there[1] < width
            if inside and there not in seen and values[there] == values[row, col]:
                seen.add(there)
                queue.append(there)
    return seen


@given(
    st.integers(1, 90),
    st.integers(1, 90),
    st.integers(0, 2**20),
    st.booleans(),
    st.sampled_from([2, 3, 9]),
)
def test_a_flood_is_what_walking_finds(height, width, seed, wrap, kinds):
    rng = np.random.default_rng(seed)
    values = (rng.random((height, width)) ** 2 * kinds).astype(np.int32)
    row, col = int(rng.integers(height)), int(rng.integers(width))
    region = flood(values, row, col, wrap)
    places = {(r + region.box.top, c + region.box.left) for r, c in np.argwhere(region.mask)}
    assert places == slow_flood(values, row, col, wrap)
    assert region.complete
    assert region.holds(row, col)
    assert not region.holds(-1, -1)


def test_a_flood_with_a_limit_says_that_it_was_cut_off():
    values = np.zeros((400, 400), np.int32)
    assert flood(values, 200, 200).mask.sum() == 160_000
    part = flood(values, 200, 200, limit=64)
    assert not part.complete
    assert part.mask.sum() < 160_000


@pytest.mark.parametrize("place", [(0, 0), (1, 2)])
def test_cells_with_the_same_corners_are_the_same_ground(place):
    terrain = np.array([[1, 1, 2, 2], [1, 1, 2, 2], [1, 1, 1, 2]], np.uint8)
    found = standing_of(SetKind.CORNER).same(terrain)
    for row in range(2):
        for col in range(3):
            same = (
                terrain[row : row + 2, col : col + 2]
                == terrain[place[0] : place[0] + 2, place[1] : place[1] + 2]
            ).all()
            assert (found[row, col] == found[place]) == same
