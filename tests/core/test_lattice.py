"""The lattice: places to cells and back, boxes to rectangles, turns of a map that wraps."""

from itertools import pairwise
from math import ceil, floor

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from knitground.core.base.window import Box
from knitground.core.model.lattice import Lattice, Rect
from knitground.core.model.map import Map, cells_under, grid_of

lattices = st.builds(
    Lattice, st.integers(1, 40), st.integers(1, 40), st.integers(1, 70), st.integers(1, 70),
    st.booleans(),
)  # fmt: skip
spots = st.tuples(st.integers(-60, 60), st.integers(-60, 60))


@given(lattices, spots, st.floats(0.01, 0.99), st.floats(0.01, 0.99))
def test_every_place_of_a_cell_is_on_it(lattice, cell, down, across):
    x, y = lattice.place(cell[0] + down, cell[1] + across)
    assert lattice.cell_at(x, y) == cell
    assert lattice.within(x, y) == pytest.approx((across, down), abs=1e-9)
    assert lattice.places(x, y) == pytest.approx((cell[1] + across, cell[0] + down))
    row, col = lattice.vertex_at(x, y)
    assert abs(row - cell[0] - down) <= 0.5
    assert abs(col - cell[1] - across) <= 0.5
    rows, cols = lattice.cells_at(np.array([x]), np.array([y]))
    assert (rows[0], cols[0]) == cell
    near = lattice.sides_near(x, y)
    assert [each for each, _ in near] == sorted(each for each, _ in near)
    assert near[0][0] == pytest.approx(min(down, 1 - down, across, 1 - across), abs=1e-9)
    assert {each for _, each in near} == {
        (cell[0] + a, cell[1] + b) for a, b in ((1, 0), (-1, 0), (0, 1), (0, -1))
    }


@given(lattices, spots, st.integers(1, 9), st.integers(1, 9))
def test_a_box_covers_its_rectangle_and_no_more(lattice, at, height, width):
    box = Box(at[0], at[1], at[0] + height, at[1] + width)
    area = lattice.bounds(box)
    assert lattice.cells_in(area) == box
    assert lattice.beginning_in(area) == box
    assert (area.x, area.y) == lattice.place(box.top, box.left)
    inner = Rect(area.x + 0.25, area.y + 0.25, area.width - 0.5, area.height - 0.5)
    assert lattice.cells_in(inner) == box
    assert lattice.cells_round([(inner.x, inner.y), (inner.right, inner.bottom)]) == box
    assert lattice.seen_in(inner) == box.clipped(lattice.rows, lattice.columns)
    assert lattice.cells_round([]) is None
    middle = lattice.middle(*at)
    assert lattice.cell_at(*middle) == at
    origins = lattice.origins(np.array([at[0]]), np.array([at[1]]))
    assert tuple(origins[0]) == (area.x, area.y)


@given(lattices, st.integers(-300, 300), st.integers(-300, 300), st.integers(1, 400))
def test_periods_are_all_copies_that_a_rectangle_shows(lattice, x, y, side):
    wide, high = lattice.extent
    side = min(side, 8 * min(wide, high))  # hundreds of copies of a tiny map show nothing more
    rect = Rect(x, y, side, side)
    found = lattice.periods_in(rect)
    periods = set(found)
    assert len(periods) == len(found)
    whole = lattice.bounds(lattice.whole)
    if not lattice.wrap:
        assert found == [(0, 0)]
        return
    for down in range(floor(y / high) - 2, ceil((y + side) / high) + 2):
        for across in range(floor(x / wide) - 2, ceil((x + side) / wide) + 2):
            if whole.moved(across * wide, down * high).meets(rect):
                assert (across * wide, down * high) in periods


@given(lattices)
def test_levels_halve_down_to_a_single_pixel(lattice):
    sizes = [lattice.at_level(n) for n in range(lattice.level_count)]
    assert sizes[0] == lattice
    assert sizes[-1].longer == 1
    assert all(each.longer > 1 for each in sizes[:-1])
    assert all(each.whole == lattice.whole for each in sizes)
    across, down = lattice.scale(sizes[-1])
    assert (across * lattice.wide, down * lattice.high) == pytest.approx((1, 1))
    wide, high = lattice.piece(256)
    assert max(wide, high) <= max(256, lattice.longer)
    assert wide % lattice.wide == high % lattice.high == 0
    assert wide <= 128 * lattice.wide


@given(lattices, st.integers(1, 90), st.integers(1, 90))
def test_other_cells_cover_the_same_pixels(lattice, high, wide):
    own = lattice.divided(high, wide)
    (width, height), (own_width, own_height) = lattice.extent, own.extent
    assert 0 <= own_width - width < wide
    assert 0 <= own_height - height < high
    assert own.wrap == (lattice.wrap and (own_width, own_height) == (width, height))
    assert own.cell_size == (high, wide)
    assert own.cell_area == high * wide
    assert (own.shorter, own.longer) == (min(high, wide), max(high, wide))


def test_rectangles_meet_share_and_join():
    one, two, far = Rect(0, 0, 10, 6), Rect(8, 4, 10, 10), Rect(30, 0, 1, 1)
    assert one.meets(two)
    assert not one.meets(far)
    assert not one.meets(Rect(10, 0, 5, 5))  # side by side is not over one another
    assert one.shared(two) == Rect(8, 4, 2, 2)
    assert one.shared(far)[2:] == (0, 1)
    assert one.joined(two) == Rect(0, 0, 18, 14)
    assert one.moved(3, -2) == Rect(3, -2, 10, 6)


def test_a_map_and_its_layers_have_lattices_of_their_own():
    map_ = Map("m", 6, 10, 12, 16, wrap=True)
    assert map_.lattice == Lattice(6, 10, 12, 16, wrap=True)
    assert map_.lattice.extent == (160, 72)
    fits, odd = map_.new_tile_layer("a", (24, 32)), map_.new_tile_layer("b", (20, 32))
    map_.layers += [fits, odd]
    assert grid_of(map_, fits).lattice == Lattice(3, 5, 24, 32, wrap=True)
    assert grid_of(map_, odd).lattice == Lattice(4, 5, 20, 32, wrap=False)
    assert cells_under(map_, odd, Box(1, 1, 2, 2)) == Box(1, 2, 4, 4)
    assert map_.new_tile_layer("c", (12, 16)).cell is None


@given(st.lists(st.tuples(st.integers(-40, 90), st.integers(-40, 90)), min_size=2, max_size=2),
       st.lists(st.integers(1, 31), max_size=6), st.sampled_from([1.0, 0.37]))  # fmt: skip
def test_a_way_goes_through_the_same_quarters_however_it_is_parted(ends, parts, scale):
    lattice = Lattice(8, 10, 8, 16)
    (a, b), (c, d) = ends
    start, end = (a * scale, b * scale), (c * scale, d * scale)

    def quarters(*points):
        out = [(lattice.cell_at(*points[0]), lattice.vertex_at(*points[0]))]
        for one, two in pairwise(points):
            for place in lattice.way(one, two):
                here = (lattice.cell_at(*place), lattice.vertex_at(*place))
                if here != out[-1]:
                    out.append(here)
        return out

    found = quarters(start, end)
    for (row, col), (row_2, col_2) in pairwise(cell for cell, _ in found):
        assert abs(row_2 - row) <= 1, "no cell is left out"
        assert abs(col_2 - col) <= 1
    if scale == 1.0:  # places in between are exact: 32nds
        between = [
            (start[0] + (end[0] - start[0]) * n / 32, start[1] + (end[1] - start[1]) * n / 32)
            for n in sorted(set(parts))
        ]
        assert quarters(start, *between, end) == found
