"""Staggered maps: diamonds in rows that are shifted, kept as diamonds of which only some exist."""

from itertools import product

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image
from tests.core.test_diamond import differ, yard
from tests.maps import small_project, snapshot

from knitground.core.base.errors import FormatError, KnitError, SlicingError
from knitground.core.base.window import Box, whole
from knitground.core.edit.desk import Desk, Pointer, ToolOptions
from knitground.core.edit.document import Document
from knitground.core.edit.hand import TerrainInHand, TileInHand
from knitground.core.edit.maps import lay_grown
from knitground.core.edit.mockup import map_from_mockup
from knitground.core.edit.planning import outside, plan_dab, plan_dabs, plan_fill, refusal
from knitground.core.edit.selecting import select_box, select_like, select_outline
from knitground.core.edit.sizes import Margins, cut_content, resize_map
from knitground.core.files.map_io import map_from_file, map_to_file
from knitground.core.files.mapformats import MapFile
from knitground.core.grow.runner import run_recipe
from knitground.core.grow.shares import cut_shares
from knitground.core.knit.knit import knit_box
from knitground.core.knit.layer import layer_table
from knitground.core.model.lattice import (
    DIAMOND,
    Corner,
    Diamond,
    Grid,
    GridKind,
    Rect,
    Stagger,
    Staggered,
    cells_for,
)
from knitground.core.model.layers import GAP, MarkerLayer
from knitground.core.model.map import Map
from knitground.core.model.marker import Marker, Shape
from knitground.core.model.mix import Mix, MixEntry
from knitground.core.model.project import Project
from knitground.core.model.recipe import (
    BorderStep,
    MixStep,
    NoiseStep,
    Recipe,
    RouteEnd,
    RouteStep,
    ScatterStep,
    TintStep,
)
from knitground.core.model.rules import OFF, NeighbourRule, Result, RuleList, Spot
from knitground.core.model.standing import close_seam, standing_of
from knitground.core.model.terrain import SetKind
from knitground.core.model.tile import TileRef
from knitground.core.render.atlas import Atlas
from knitground.core.render.small import small_picture
from knitground.core.slicing.mapgrid import MapGrid
from knitground.core.slicing.mockup import read_mockup

WAYS = tuple(product((False, True), repeat=2))
sizes = st.integers(1, 9)
staggers = st.builds(Stagger, sizes, sizes, st.booleans(), st.booleans())
lattices = st.builds(
    Staggered.of, staggers, st.integers(2, 40), st.integers(2, 40), wrap=st.just(False)
)


def begins(stagger, row, col, high, wide):
    """Where the rectangle round a cell begins, from the words alone."""
    if stagger.by_columns:
        further = (col % 2 == 1) != stagger.first
        return col * wide / 2, row * high + further * high / 2
    further = (row % 2 == 1) != stagger.first
    return col * wide + further * wide / 2, row * high / 2


# Where cells are


@given(lattices)
def test_cells_lie_where_the_words_say_and_each_has_one_name(lattice):
    stagger = lattice.stagger
    seen = set()
    for row, col in np.ndindex(stagger.rows, stagger.columns):
        at = lattice.cell_named(row, col)
        assert lattice.name_of(*at) == (row, col)
        assert lattice.holds(*at)
        assert lattice.exists[at]
        x, y = begins(stagger, row, col, lattice.high, lattice.wide)
        left, up = lattice.outline(Box(*at, at[0] + 1, at[1] + 1))[3][0], lattice.place(*at)[1]
        assert (left, up - lattice.rise) == pytest.approx((x, y))
        middle = lattice.middle(*at)
        assert lattice.cell_at(*middle) == at
        seen.add(at)
    assert lattice.exists.sum() == stagger.rows * stagger.columns == len(seen)
    for axis in (0, 1):
        some = lattice.exists.any(axis=axis)
        assert some[0], "no room is lost in the array"
        assert some[-1], "no room is lost in the array"
    assert not lattice.holds(*lattice.cell_named(-1, 0))
    assert not lattice.holds(*lattice.cell_named(stagger.rows, stagger.columns - 1))


@given(lattices)
def test_the_picture_is_as_large_as_its_cells_need(lattice):
    wide, high = lattice.extent
    spots = [begins(lattice.stagger, row, col, lattice.high, lattice.wide)
             for row, col in np.ndindex(*lattice.counted)]  # fmt: skip
    right = max(x for x, _ in spots) + lattice.wide
    bottom = max(y for _, y in spots) + lattice.high + lattice.rise
    assert (right, bottom) == (pytest.approx(wide, abs=0.51), pytest.approx(high, abs=0.51))
    assert (right <= wide, bottom <= high) == (True, True)


@given(lattices, st.integers(0, 1))
def test_rows_and_columns_as_counted_and_the_array_are_the_same(lattice, more):
    rng = np.random.default_rng(1)
    shape = lattice.unfolded_shape(more)
    values = rng.integers(1, 200, shape).astype(np.uint8)
    kept = lattice.folded(values)
    assert kept.shape == (lattice.rows + more, lattice.columns + more)
    again = lattice.unfolded(kept)
    assert (lattice.folded(again) == kept).all()
    if more:
        shown = standing_of(SetKind.CORNER).shown(lattice)
        every = rng.integers(1, 200, kept.shape) * shown
        assert (lattice.folded(lattice.unfolded(every)) == every).all(), "no corner is lost"
        some = np.argwhere(shown)
        for row, col in some[:: max(1, len(some) // 5)].tolist():
            names = np.argwhere(lattice.unfolded(np.arange(kept.size).reshape(kept.shape))
                                == row * kept.shape[1] + col)  # fmt: skip
            assert any(lattice.corner_named(*each) == (row, col) for each in names.tolist())
    else:
        assert (again == values).all()
        assert (kept[~lattice.exists] == 0).all()


@given(lattices, st.integers(-3, 3), st.integers(-3, 3), st.integers(0, 3), st.integers(0, 3))
def test_a_map_grows_by_what_is_asked_and_nothing_moves_against_the_rest(
    lattice, top, left, bottom, right
):
    rows, columns = lattice.counted
    if rows + top + bottom < 1 or columns + left + right < 1:
        return
    after, own = lattice.grown(top, left, bottom, right)
    assert after.counted == (rows + top + bottom, columns + left + right)
    shifts = set()
    for row, col in np.ndindex(rows, columns):
        at, there = lattice.cell_named(row, col), after.cell_named(row + top, col + left)
        assert there == (at[0] + own[0], at[1] + own[1])
        (x0, y0), (x1, y1) = lattice.middle(*at), after.middle(*there)
        shifts.add((round(x1 - x0, 6), round(y1 - y0, 6)))
    assert len(shifts) == 1
    assert after.rows == lattice.rows + own[0] + own[2]
    assert after.columns == lattice.columns + own[1] + own[3]


@given(lattices)
def test_the_border_is_what_bases_cover(lattice):
    """The zigzag takes in the middle of every cell that exists, and of no other."""
    corners = lattice.border_in(Rect(0, 0, *lattice.extent))
    for row in range(-1, lattice.rows + 1):
        for col in range(-1, lattice.columns + 1):
            x, y = lattice.middle(row, col)
            inside = False
            for (x0, y0), (x1, y1) in zip(corners, [*corners[1:], corners[0]]):
                if (y0 > y + 1e-6) != (y1 > y + 1e-6):
                    inside ^= x < x0 + (y + 1e-6 - y0) / (y1 - y0) * (x1 - x0)
            assert inside == lattice.holds(row, col), (row, col)


@given(lattices, st.data())
def test_a_rectangle_is_one_of_rows_and_columns_as_counted(lattice, data):
    rows, columns = lattice.counted
    a, b = (
        (data.draw(st.integers(0, rows - 1)), data.draw(st.integers(0, columns - 1)))
        for _ in range(2)
    )
    box, mask = lattice.spanned(
        lattice.middle(*lattice.cell_named(*a)), lattice.middle(*lattice.cell_named(*b))
    )
    found = {lattice.name_of(r + box.top, c + box.left) for r, c in np.argwhere(mask).tolist()}
    assert found == set(product(range(min(a[0], b[0]), max(a[0], b[0]) + 1),
                                range(min(a[1], b[1]), max(a[1], b[1]) + 1)))  # fmt: skip


def test_screens_say_how_many_cells():
    grid = Grid.of(GridKind.STAGGERED, 1, 1)
    assert cells_for(grid, 320, 160, 16, 32) == (20, 10)
    by_columns = Grid.of(GridKind.STAGGERED, 1, 1, by_columns=True)
    assert cells_for(by_columns, 320, 160, 16, 32) == (10, 20)
    side, other = cells_for(DIAMOND, 320, 160, 16, 32)
    assert side == other == 20
    diamond = Diamond(side, side, 16, 32)
    wide, high = diamond.extent
    x, y = (wide - 320) / 2, diamond.rise + (high - diamond.rise - 160) / 2
    for spot in ((x, y), (x + 319, y), (x, y + 159), (x + 319, y + 159)):
        assert diamond.holds(*diamond.cell_at(*spot)), "the screens lie inside"
    assert cells_for(DIAMOND, 0, 160, 16, 32) == (0, 0)


# How they are drawn


def shifted_yard(stagger, base=(16, 32), high=32, drawn_from=Corner.TOP):
    """The yard of diamonds on a staggered map."""
    doc, model = yard((5, 5), base, high)
    grid = Grid(GridKind.STAGGERED, drawn_from, stagger)
    size = grid.lattice(1, 1, *base)
    map_ = Map("Shifted", size.rows, size.columns, *base, grid=grid, legend=model.legend)
    rng = np.random.default_rng(9)
    for old in model.layers:
        layer = map_.new_tile_layer(old.name)
        places = np.unique(old.cells[old.cells > 0])
        laid = rng.choice(places, map_.lattice.counted).astype(np.int32)
        laid[rng.random(laid.shape) > (0.9 if old.name == "Floor" else 0.35)] = 0
        layer.cells = map_.lattice.folded(laid)
        map_.layers.append(layer)
    doc.project.maps[:] = [map_]
    return doc, map_


_SORTED = {
    Corner.TOP: lambda x, y: (y, x), Corner.BOTTOM: lambda x, y: (-y, x),
    Corner.LEFT: lambda x, y: (x, y), Corner.RIGHT: lambda x, y: (-x, y),
}  # fmt: skip


def painted(doc, map_, spots):
    """The map painted with Pillow, cell by cell in the order of the corner that comes first."""
    high, wide = map_.cell_height, map_.cell_width
    out = Image.new("RGBA", map_.lattice.extent)
    for layer in map_.layers:
        laid = map_.lattice.unfolded(layer.cells)
        every = sorted(np.ndindex(*laid.shape),
                       key=lambda at: _SORTED[map_.grid.drawn_from](*spots(*at)))  # fmt: skip
        alone = Image.new("RGBA", out.size)
        for at in every:
            tile = map_.legend.tile(int(laid[at]))
            if tile is None:
                continue
            owner = doc.project.tileset_named(tile.tileset)
            cut, (x, y) = owner.slicing, spots(*at)
            left = cut.left(0) + tile.col * cut.pitch_x
            part = owner.picture[:, left : left + cut.tile_width]
            anchor = owner.fact(tile.row, tile.col).anchor
            y += max(wide, high) - high
            if anchor is None:
                x, y = x + (wide - cut.tile_width) // 2, y + high - cut.tile_height
            else:
                x, y = x + wide // 2 - anchor[0], y + high // 2 - anchor[1]
            once = Image.new("RGBA", out.size)
            once.paste(Image.fromarray(np.ascontiguousarray(part)), (int(x), int(y)))
            alone = Image.alpha_composite(alone, once)
        out = Image.alpha_composite(out, alone)
    return np.asarray(out).astype(int)


def picture_of(doc, map_):
    from knitground.core.files.ship.png import map_picture

    return map_picture(doc.project, map_)


@pytest.mark.parametrize(("by_columns", "first"), WAYS)
@pytest.mark.parametrize("corner", list(Corner))
def test_a_staggered_map_is_drawn_as_a_painter_paints_it(by_columns, first, corner):
    stagger = Stagger(7, 5, by_columns, first)
    doc, map_ = shifted_yard(stagger, drawn_from=corner)
    spots = lambda row, col: begins(stagger, row, col, 16, 32)  # noqa: E731
    assert differ(picture_of(doc, map_), painted(doc, map_, spots)) <= 6


@pytest.mark.parametrize("corner", list(Corner))
def test_diamonds_are_drawn_from_any_corner(corner):
    doc, map_ = yard((5, 6))
    map_.grid = Grid(GridKind.DIAMOND, corner)
    spots = lambda row, col: (  # noqa: E731
        (map_.height - 1 - row + col) * 16, (row + col) * 8)  # fmt: skip
    found = picture_of(doc, map_)
    assert differ(found, painted(doc, map_, spots)) <= 6
    if corner is not Corner.TOP:
        map_.grid = DIAMOND
        assert differ(found, picture_of(doc, map_)) > 50, "it makes a difference"


def test_the_small_picture_has_the_form_of_a_rectangle():
    doc, map_ = shifted_yard(Stagger(12, 8))
    map_.layers.pop()
    map_.layers[0].cells = np.where(map_.lattice.exists, map_.layers[0].cells.max(), 0)
    small = small_picture(map_, Atlas(doc.project, map_))
    filled = small != 0
    assert filled[1:-1, 1:-1].all()
    assert filled.mean() > 0.8
    wide, high = map_.lattice.frame[2:]
    assert small.shape[1] / small.shape[0] == pytest.approx(wide / high, rel=0.1)


# Terrain, tiles and tools


def shifted_project(rows=9, columns=6, *, by_columns=False, first=False, **more):
    """A small project whose map is staggered: crust everywhere, on a ground layer; and tiles."""
    doc, square, _, _ = small_project((4, 4), **more)
    grid = Grid.of(GridKind.STAGGERED, rows, columns, by_columns=by_columns, first=first)
    size = grid.lattice(rows, columns, 8, 8)
    map_ = Map("Shifted", size.rows, size.columns, 8, 8, grid=grid)
    ground = map_.new_ground_layer("Ground", "sheet", "Set")
    ground.terrain = np.where(standing_of(SetKind.CORNER).shown(map_.lattice), 2, 0).astype("u1")
    map_.layers.append(ground)
    map_.layers.append(map_.new_tile_layer("Tiles"))
    doc.project.maps[:] = [map_]
    assert square is not map_
    return doc, map_, *map_.layers


def nothing_beyond(map_):
    """What does not exist holds nothing."""
    lattice = map_.lattice
    for layer in map_.layers:
        if not isinstance(layer, MarkerLayer):
            assert (layer.cells[~lattice.exists] == 0).all(), layer.name
        if hasattr(layer, "terrain"):
            shown = standing_of(layer.kind_of_set).shown(lattice)
            assert (layer.terrain[~shown] == 0).all()
            assert not layer.painted[~shown].any()
            assert not layer.pinned[~lattice.exists].any()


def desk_of(doc, map_, layer, tool, hand, **options):
    return Desk(doc, map_, layer, tool, hand, ToolOptions(**options))


def over(map_, row, col):
    return Pointer(*map_.lattice.middle(*map_.lattice.cell_named(row, col)))


@pytest.mark.parametrize("wrap", [False, True])
@given(st.booleans(), st.booleans(), st.integers(0, 99))
def test_strokes_leave_nothing_beyond_the_border_and_knit_as_the_whole(
    wrap, by_columns, first, seed
):
    size, most, tile_size = ((6, 4), 9, 9) if wrap else ((7, 5), 5, 2)  # larger than the map too
    doc, map_, ground, tiles = shifted_project(*size, by_columns=by_columns, first=first)
    map_.wrap = wrap
    rng = np.random.default_rng(seed)
    wide, high = map_.lattice.extent
    before = snapshot(doc.project)
    tile = TileInHand(TileRef("sheet", 0, 3), 3)
    for _ in range(6):
        ats = [Pointer(*rng.uniform((-40, -40), (wide + 40, high + 40))) for _ in range(3)]
        value, name = ((1, "brine"), (2, "crust"), (3, "clay"))[rng.integers(3)]
        on = ground if rng.random() < 0.7 else tiles
        hand = TerrainInHand("sheet", "Set", value, name) if on is ground else tile
        tool = "paint" if rng.random() < 0.8 else "erase"
        brush = int(rng.integers(1, most))
        desk = desk_of(doc, map_, on, tool, hand, terrain_size=brush, tile_size=tile_size)
        for plan in plan_dabs(desk, ats):
            doc.apply(plan.edit)
            kept = plan.layer.cells[plan.box.top : plan.box.bottom, plan.box.left : plan.box.right]
            assert (kept == plan.cells).all(), "the ghost is the result"
    nothing_beyond(map_)
    table = layer_table(doc.project, map_, ground)
    doc.ensure_all(map_)
    assert (ground.cells == knit_box(table, ground, whole(ground.cells), wrap=wrap)).all()
    assert (close_seam(ground.terrain.copy(), map_.lattice) == ground.terrain).all()
    while doc.history.undo_name:
        doc.undo()
    assert snapshot(doc.project) == before


def test_what_lies_beyond_the_border_is_as_the_nearest_place_inside():
    """Painted up to the border, terrain ends there as if it went on: no rim, no gap, no bridge."""
    doc, map_, ground, _ = shifted_project(9, 6)
    hand = TerrainInHand("sheet", "Set", 1, "brine")
    for row in range(9):
        desk = desk_of(doc, map_, ground, "paint", hand, terrain_size=2)
        plan = plan_dab(desk, over(map_, row, 0))
        doc.apply(plan.edit)
    doc.ensure_all(map_)
    cells = map_.lattice.unfolded(ground.cells)
    assert (cells > 0).all()
    assert not (cells == GAP).any()
    marks = {tuple(marks) for marks in doc.project.tilesets[0].sets[0].marks.reshape(-1, 9)}
    assert len(marks) > 5
    assert (ground.terrain == 1).sum() < 40, "nothing was bridged further in"


def test_a_fill_stays_on_the_map_and_goes_no_way_round():
    doc, map_, ground, tiles = shifted_project(12, 6)
    brine = TerrainInHand("sheet", "Set", 1, "brine")
    desk = desk_of(doc, map_, ground, "paint", brine, terrain_size=2)
    for row in range(12):
        doc.apply(plan_dab(desk, over(map_, row, 3)).edit)
    fill = desk_of(doc, map_, ground, "fill", TerrainInHand("sheet", "Set", 3, "clay"))
    plan, region = plan_fill(fill, over(map_, 6, 0))
    doc.apply(plan.edit)
    nothing_beyond(map_)
    at = map_.lattice.cell_named(6, 5)
    assert ground.terrain[at[0] : at[0] + 2, at[1] : at[1] + 2].tolist() == [[2, 2], [2, 2]]
    assert region.complete
    every = desk_of(doc, map_, tiles, "fill", TileInHand(TileRef("sheet", 0, 0), 0),
                    fill_by="same tile")  # fmt: skip
    doc.apply(plan_fill(every, over(map_, 0, 0))[0].edit)
    nothing_beyond(map_)
    assert (map_.lattice.unfolded(tiles.cells) > 0).all()


def test_selections_hold_cells_that_there_are():
    doc, map_, ground, tiles = shifted_project(6, 5)
    all_of_it = Box(0, 0, map_.height, map_.width)
    assert select_box(map_, all_of_it).count == 30
    lasso = [(-1, -1), (-1, map_.width + 1), (map_.height + 1, map_.width + 1), (map_.height, -1)]
    assert select_outline(map_, lasso).count <= 30
    assert select_like(doc, map_, tiles, *map_.lattice.cell_named(0, 0)).count == 30
    a, b = (map_.lattice.middle(*map_.lattice.cell_named(*at)) for at in ((1, 1), (3, 2)))
    assert select_box(map_, *map_.lattice.spanned(a, b)).count == 6
    at = Pointer(map_.lattice.extent[0] / 2, -9)
    assert outside(map_, at)
    assert "outside the map of 5 × 6 cells" in refusal(
        desk_of(doc, map_, ground, "erase", None), at
    )


@given(st.integers(-2, 3), st.integers(-2, 3), st.integers(-2, 3), st.integers(-2, 3),
       st.booleans(), st.booleans())  # fmt: skip
def test_resizing_moves_nothing_and_loses_what_it_says(top, left, bottom, right, by_columns, first):
    doc, map_, _, tiles = shifted_project(6, 5, by_columns=by_columns, first=first)
    rng = np.random.default_rng(4)
    laid = rng.integers(0, 3, (6, 5)).astype(np.int32)
    tiles.cells = map_.lattice.folded(laid)
    for n in range(2):
        map_.legend.place(TileRef("sheet", 0, n))
    layer = map_.new_marker_layer("Places")
    layer.markers = (
        Marker(1, Shape.POINT, (map_.lattice.middle(*map_.lattice.cell_named(3, 2)),)),
    )
    map_.layers.append(layer)
    before, margins = snapshot(doc.project), Margins(top, left, bottom, right)
    lost = cut_content(map_, margins)
    doc.apply(resize_map(map_, margins))
    rows, columns = 6 + top + bottom, 5 + left + right
    assert map_.lattice.counted == (rows, columns)
    wanted = np.zeros((rows, columns), np.int32)
    for row, col in np.ndindex(6, 5):
        if 0 <= row + top < rows and 0 <= col + left < columns:
            wanted[row + top, col + left] = laid[row, col]
    assert (map_.lattice.unfolded(tiles.cells) == wanted).all()
    assert lost.get("Tiles", 0) == (laid > 0).sum() - (wanted > 0).sum()
    nothing_beyond(map_)
    if layer.markers:
        at = map_.lattice.cell_at(*layer.markers[0].points[0])
        assert map_.lattice.name_of(*at) == (3 + top, 2 + left)
    if top or left or bottom or right:
        doc.undo()
    assert snapshot(doc.project) == before


# Rules


def test_rules_know_where_a_staggered_map_ends():
    doc, map_, ground, _ = shifted_project(7, 5)
    kit = doc.project.tilesets[0].sets[0]
    tile = TileRef("sheet", 0, 5)
    result = Result(tiles=(MixEntry(tile),))
    kit.rules = RuleList("", (NeighbourRule(1, (Spot(-2, 0, OFF),), result=result),))
    table = layer_table(doc.project, map_, ground)
    assert table.rules is not None
    cells = knit_box(table, ground, whole(ground.cells))
    shown = standing_of(SetKind.CORNER).shown(map_.lattice)
    above = np.zeros_like(shown)
    above[1:] = shown[:-1]
    wanted = map_.lattice.exists & ~above[:-1, :-1]
    assert (((cells == map_.legend.place(tile)) & map_.lattice.exists) == wanted).all()
    assert 0 < wanted.sum() < 35
    part = Box(1, 2, 6, 7)
    assert (knit_box(table, ground, part) == cells[1:6, 2:7]).all()


# Recipes


def test_a_recipe_works_on_the_cells_that_there_are():
    doc, map_, ground, _ = shifted_project(24, 14)
    for make, name in ((map_.new_grown_layer, "Reeds"), (map_.new_tint_layer, "Dusk"),
                       (map_.new_grown_layer, "Way")):  # fmt: skip
        map_.layers.append(make(name))
    grown, tint, ways = map_.layers[2:]
    tiles = (MixEntry(TileRef("sheet", 0, 1)), MixEntry(TileRef("sheet", 0, 2)))
    doc.project.mixes.append(Mix("some", tiles))
    map_.recipe = Recipe(3, (
        NoiseStep(ground.number, 6.0, shares=(("brine", 0.4), ("crust", 0.3), ("clay", 0.3))),
        BorderStep(ground.number, "crust", 2, rough=0),
        MixStep(grown.number, "some", 0.5),
        ScatterStep(grown.number, "some", 0.2),
        TintStep(tint.number, even=1.0),
        RouteStep(ways.number, mix="some", between=RouteEnd.BORDERS),
    ))  # fmt: skip
    made = run_recipe(doc.project, map_)
    doc.apply(lay_grown(map_, made))
    doc.ensure_all(map_)
    nothing_beyond(map_)
    lattice = map_.lattice
    tinted = lattice.unfolded(tint.cells)
    assert (tinted != 0).all()
    density = made[2].shares[0]
    assert density[2] == pytest.approx(0.5, abs=0.1), "of the cells that there are"
    assert "4 of 4" in made[5].words
    way = lattice.unfolded(ways.cells) > 0
    assert way[12, 0]
    assert way[12, 13]
    rim = np.ones((24, 14), bool)
    rim[2:-2, 1:-1] = False
    border = [lattice.cell_named(*each) for each in np.argwhere(rim).tolist()]
    corners = [ground.terrain[row : row + 2, col : col + 2] for row, col in border]
    assert all((each == 2).all() for each in corners), "the border lies along the map's own"
    assert (ground.terrain == 1).any()


@pytest.mark.parametrize(("by_columns", "first"), WAYS)
def test_shares_of_noise_are_counted_on_the_cells_that_there_are(by_columns, first):
    doc, map_, ground, _ = shifted_project(30, 22, by_columns=by_columns, first=first)
    asked = (("brine", 0.2), ("crust", 0.5), ("clay", 0.3))
    for seed in (1, 2, 3):
        map_.recipe = Recipe(seed, (NoiseStep(ground.number, 12.0, shares=asked),))
        made = run_recipe(doc.project, map_)
        doc.apply(lay_grown(map_, made))
        doc.ensure_all(map_)
        nothing_beyond(map_)
        found = {name: (share, laid) for name, share, laid in made[0].shares}
        for name, part in asked:
            assert found[name] == pytest.approx((part, part), abs=0.004)
        assert not (ground.cells < 0).any(), "without a gap"


def test_levels_are_cut_where_they_are_counted():
    rng = np.random.default_rng(3)
    field, only = rng.normal(size=(20, 31)), rng.random((20, 31)) < 0.4
    total = int(only.sum())
    counts = [total // 3, total // 4, total - total // 3 - total // 4]
    levels = cut_shares(field, counts, only)
    assert np.bincount(levels[only], minlength=3).tolist() == counts
    for low, high in ((0, 1), (1, 2)):
        assert field[levels == low].max() <= field[levels == high].min() + 1e-6


# Files


@pytest.mark.parametrize(("by_columns", "first"), WAYS)
@pytest.mark.parametrize("kind", list(SetKind))
def test_a_staggered_map_is_saved_as_it_is_counted_and_opens_equal(by_columns, first, kind):
    doc, map_, ground, tiles = shifted_project(7, 4, by_columns=by_columns, first=first)
    doc.project.tilesets[0].sets[0].kind = kind
    other = map_.new_ground_layer("Other", "sheet", "Set", kind)
    shown = standing_of(kind).shown(map_.lattice)
    rng = np.random.default_rng(2)
    values = rng.integers(0, 3, shown.shape)
    if kind is SetKind.EDGE:
        exists = np.pad(map_.lattice.exists, ((0, 1), (0, 1)))
        north, west = exists | np.roll(exists, 1, 0), exists | np.roll(exists, 1, 1)
        values = values * north | (rng.integers(0, 3, shown.shape) * west) << 8
    other.terrain = (values * shown).astype(kind.dtype)
    map_.layers.append(other)
    map_.layers[0].pinned[map_.lattice.cell_named(3, 2)] = True
    ground.cells[map_.lattice.cell_named(3, 2)] = map_.legend.place(TileRef("sheet", 0, 4))
    laid = np.zeros((7, 4), np.int32)
    laid[5, 1] = map_.legend.place(TileRef("sheet", 0, 2))
    tiles.cells = map_.lattice.folded(laid)
    file = MapFile.model_validate_json(map_to_file(map_).model_dump_json())
    assert (file.height, file.width, file.grid) == (7, 4, GridKind.STAGGERED)
    assert [[n > 0 for n in row] for row in file.layers[1].cells.rows] == (laid > 0).tolist()
    assert file.layers[0].pins.pins == [(3, 2, 1)]
    again = map_from_file(file, "m")
    assert again.lattice == map_.lattice
    for old, new in zip(map_.layers, again.layers):
        for name in ("terrain", "pinned", "painted"):
            if hasattr(old, name):
                assert (getattr(old, name) == getattr(new, name)).all(), (old.name, name)
    assert (again.layers[1].cells > 0).tolist() == (tiles.cells > 0).tolist()


def test_wrong_staggered_maps_are_refused_in_words():
    doc, map_, _, _ = shifted_project(6, 5)
    with pytest.raises(FormatError, match="staggered cells take an array"):
        map_from_file(map_to_file(map_).model_copy(update={"height": 4000, "width": 4000}), "m")
    with pytest.raises(ValueError, match="grid"):
        MapFile.model_validate({**map_to_file(map_).model_dump(mode="json"), "grid": "hexagons"})
    with pytest.raises(KnitError):
        doc.apply(resize_map(map_, Margins(-6, 0, 0, 0)))


# A map from a picture


@pytest.mark.parametrize("start", [(0, 0), (5, 3)])
def test_a_picture_of_diamonds_becomes_a_staggered_map(start):
    doc, map_ = shifted_yard(Stagger(9, 6), high=16)
    map_.layers.pop()
    floor = map_.layers[0]
    places = np.unique(floor.cells[floor.cells > 0])
    floor.cells = np.where(map_.lattice.exists & (floor.cells == 0), places[0], floor.cells)
    picture = picture_of(doc, map_)[map_.lattice.rise :].astype(np.uint8)
    picture[picture[..., 3] < 255] = 0
    padded = np.pad(picture, ((start[1], 0), (start[0], 0), (0, 0)))
    grid = MapGrid(16, 32, start[1], start[0], diamonds=True)
    assert grid.size(padded) == (9, 6)
    mockup = read_mockup(padded, grid, turns=False)
    assert mockup.tile_of_cell.shape == (9, 6)
    project = Project("P")
    edit, made, sheet = map_from_mockup(project, "Read", mockup)
    Document(project).apply(edit)
    assert made.grid.kind is GridKind.STAGGERED
    assert made.lattice.counted == (9, 6)
    assert (sheet.slicing.tile_width, sheet.slicing.tile_height) == (32, 16)
    found = np.asarray(picture_of(Document(project), made))[made.lattice.rise :]
    ys, xs = np.mgrid[: found.shape[0], : found.shape[1]] + 0.5
    rows, cols = made.lattice.cells_at(xs, ys + made.lattice.rise)
    inside = np.array([[made.lattice.holds(r, c) for r, c in zip(*each)]
                       for each in zip(rows.tolist(), cols.tolist())])  # fmt: skip
    assert (found[inside] == picture[: found.shape[0], : found.shape[1]][inside]).all()
    with pytest.raises(SlicingError, match="even numbers"):
        read_mockup(padded, MapGrid(15, 32, diamonds=True))
