import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from knitground.core.base.errors import SlicingError
from knitground.core.model.slicing import Slicing
from knitground.core.slicing.grid import MAX_TILES, clear_see_through, cut, lay_grid

small = st.integers(0, 5)


@given(
    st.integers(1, 9),
    st.integers(1, 9),
    small,
    small,
    small,
    small,
    small,
    small,
    st.integers(9, 60),
    st.integers(9, 60),
)
def test_tiles_are_what_counting_pixels_gives(tw, th, mx, my, sx, sy, x0, y0, width, height):
    slicing = Slicing(tw, th, mx, my, sx, sy, x0, y0)
    picture = np.arange(height * width * 4, dtype=np.uint32).astype(np.uint8)
    picture = picture.reshape(height, width, 4)
    if x0 + mx + tw > width or y0 + my + th > height:
        with pytest.raises(SlicingError):
            lay_grid(slicing, width, height)
        return
    grid = lay_grid(slicing, width, height)
    expected = []
    y = y0 + my
    while y + th <= height:
        x = x0 + mx
        while x + tw <= width:
            expected.append(picture[y : y + th, x : x + tw])
            x += tw + sx
        y += th + sy
    found = cut(picture, grid)
    assert len(found) == len(expected) == grid.count
    assert all((a == b).all() for a, b in zip(found, expected))


@pytest.mark.parametrize(
    ("slicing", "words"),
    [
        (Slicing(0, 16), "tile width 0 px"),
        (Slicing(16, -1), "tile height -1 px"),
        (Slicing(16, 16, -2, 0), "margin x -2 px"),
        (Slicing(16, 16, spacing_y=-1), "spacing y -1 px"),
        (Slicing(65, 16), "tile width 65 px"),
        (Slicing(16, 16, start_y=40), "tile height 16 px from 40 px on"),
        (Slicing(16, 16, tolerance=9999), "tolerance 9999"),
        (Slicing(20_000, 16), "20000"),
    ],
)
def test_numbers_that_do_not_cut_are_refused_by_name(slicing, words):
    with pytest.raises(SlicingError, match=words):
        lay_grid(slicing, 64, 48)


def test_too_many_tiles_are_refused():
    with pytest.raises(SlicingError, match=str(MAX_TILES)):
        lay_grid(Slicing(1, 1), 1024, 1024)


@pytest.mark.parametrize(
    ("width", "leftover"), [(4 + 3 * 18 - 2 + 4, 0), (4 + 3 * 18 - 2, 0), (4 + 3 * 18 - 2 + 9, 5)]
)
def test_leftover_allows_a_margin_at_the_far_side(width, leftover):
    assert lay_grid(Slicing(16, 16, 4, 4, 2, 2), width, 40).leftover_x == leftover


def test_tile_under_a_pixel():
    grid = lay_grid(Slicing(16, 16, 4, 4, 2, 2), 222, 114)
    assert grid.tile_at(4, 4) == (0, 0)
    assert grid.tile_at(76, 40) == (2, 4)
    assert grid.tile_at(20, 5) is None
    assert grid.tile_at(3, 5) is None
    assert grid.tile_at(500, 5) is None


def test_see_through_colours_within_their_tolerance():
    pixels = np.array([[[255, 0, 255, 255], [250, 0, 250, 255], [0, 0, 0, 255]]], np.uint8)
    exact = clear_see_through(pixels.copy(), Slicing(1, 1, see_through=((255, 0, 255),)))
    near = clear_see_through(
        pixels.copy(), Slicing(1, 1, see_through=((255, 0, 255),), tolerance=10)
    )
    assert exact[0, :, 3].tolist() == [0, 255, 255]
    assert near[0, :, 3].tolist() == [0, 0, 255]
