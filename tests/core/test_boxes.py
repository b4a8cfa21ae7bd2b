import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from knitground.core.base.window import Box, index, read, whole

sides = st.integers(1, 9)
edges = st.integers(-12, 20)


def box_of(top, left, high, wide):
    return Box(top, left, top + high, left + wide)


boxes = st.builds(box_of, edges, edges, st.integers(0, 14), st.integers(0, 14))


@given(boxes, sides, sides)
def test_clipping_keeps_exactly_the_places_inside(box, height, width):
    places = {
        (r, c)
        for r in range(box.top, box.bottom)
        for c in range(box.left, box.right)
        if 0 <= r < height and 0 <= c < width
    }
    clipped = box.clipped(height, width)
    found = {
        (r, c)
        for r in range(clipped.top, clipped.bottom)
        for c in range(clipped.left, clipped.right)
    }
    assert found == places
    assert clipped.height >= 0
    assert clipped.width >= 0


@given(boxes, sides, sides)
def test_pieces_cover_a_wrapping_box_place_by_place(box, height, width):
    counted = np.zeros((height, width), int)
    for r in range(box.top, box.bottom):
        for c in range(box.left, box.right):
            counted[r % height, c % width] += 1
    found = np.zeros((height, width), int)
    for piece in box.pieces(height, width):
        assert piece == piece.clipped(height, width)
        found[piece.top : piece.bottom, piece.left : piece.right] += 1
    assert (found == counted).all()


@given(boxes.filter(lambda b: not b.is_empty), sides, sides)
def test_reading_over_the_border_takes_places_modulo(box, height, width):
    grid = np.arange(height * width).reshape(height, width)
    part = read(grid, box)
    assert part.shape == (box.height, box.width)
    for r in range(box.height):
        for c in range(box.width):
            assert part[r, c] == grid[(box.top + r) % height, (box.left + c) % width]
    part[:] = -1
    assert (grid >= 0).all()  # a copy


@given(boxes, boxes)
def test_joined_boxes_hold_both(one, two):
    joined = one.joined(two)
    for each in (one, two):
        if not each.is_empty:
            assert joined.top <= each.top
            assert joined.bottom >= each.bottom
            assert joined.left <= each.left
            assert joined.right >= each.right
    if one.is_empty:
        assert joined == two


@given(boxes, sides, sides)
def test_a_fitted_box_is_one_turn_at_most(box, height, width):
    fitted = box.fitted(height, width, wrap=True)
    assert fitted.height <= height
    assert fitted.width <= width
    assert box.fitted(height, width, wrap=False) == box.clipped(height, width)


def test_boxes_inside_are_read_by_slices():
    assert index(Box(1, 2, 3, 4), 5, 6) == (slice(1, 3), slice(2, 4))
    assert whole(np.zeros((3, 4))) == Box(0, 0, 3, 4)
    assert Box(2, 2, 4, 4).grown(1, 2) == Box(1, 0, 5, 6)


@pytest.mark.parametrize("where", [Box(-2, 0, 2, 3), Box(0, -1, 5, 7), Box(3, 5, 9, 9)])
def test_writing_through_an_index_is_writing_each_place(where):
    grid, values = np.zeros((5, 6), int), np.arange(1, where.height * where.width + 1)
    if where.height > 5 or where.width > 6:
        return
    values = values.reshape(where.height, where.width)
    grid[index(where, 5, 6)] = values
    assert (read(grid, where) == values).all()
    assert (grid > 0).sum() == values.size
