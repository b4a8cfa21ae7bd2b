"""Maps of diamonds: where their cells lie, and that what is drawn is what a painter would paint."""

from dataclasses import replace
from math import ceil, floor
from pathlib import Path
from tempfile import mkdtemp

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image
from shapely import Polygon
from tests.strangers import times

from knitground.core.base.window import Box, read
from knitground.core.edit.document import Document
from knitground.core.edit.piecehere import Fitting
from knitground.core.edit.shapes import shapes_from_terrain
from knitground.core.edit.sizes import Margins, resize_map
from knitground.core.files.images import png_bytes
from knitground.core.files.map_io import map_from_file, map_to_file
from knitground.core.files.ship.png import map_picture
from knitground.core.knit.layer import knit_map
from knitground.core.knit.making import make_tiles
from knitground.core.model.lattice import DIAMOND, SQUARE, Corner, Diamond, GridKind, Lattice, Rect
from knitground.core.model.map import Map
from knitground.core.model.marker import Marker, Shape
from knitground.core.model.project import Project
from knitground.core.model.slicing import Slicing
from knitground.core.model.terrain import SetKind, Slot
from knitground.core.model.tile import TileRef
from knitground.core.model.tileset import TileFacts, Tileset
from knitground.core.render.atlas import Atlas
from knitground.core.render.pages import Looks
from knitground.core.render.pixels import straight
from knitground.core.render.stack import draw, stack_of
from knitground.core.render.tiles import tile_pixels
from knitground.core.shapes.merge import laid_shapes, merge
from knitground.core.shapes.terrain import shapes_on_tile
from knitground.core.slicing import base
from knitground.core.slicing.base import base_of, find_base, wall_height
from knitground.core.slicing.grid import cut_tile
from knitground.demo.yard import WALL, yard_sheet, yard_tile, yard_tileset

lattices = st.builds(
    Diamond, st.integers(1, 40), st.integers(1, 40), st.integers(1, 70), st.integers(2, 90),
    st.booleans(),
)  # fmt: skip
cells = st.tuples(st.integers(-40, 40), st.integers(-40, 40))
parts = st.floats(0.02, 0.98)


@given(lattices, cells, parts, parts)
def test_every_place_of_a_cell_is_on_it(lattice, cell, down, across):
    x, y = lattice.place(cell[0] + down, cell[1] + across)
    assert lattice.cell_at(x, y) == cell
    assert lattice.within(x, y) == pytest.approx((across, down), abs=1e-6)
    rows, cols = lattice.cells_at(np.array([x]), np.array([y]))
    assert (rows[0], cols[0]) == cell
    row, col = lattice.vertex_at(x, y)
    assert abs(row - cell[0] - down) <= 0.5 + 1e-6
    assert abs(col - cell[1] - across) <= 0.5 + 1e-6
    near = lattice.sides_near(x, y)
    assert near[0][0] == pytest.approx(min(down, 1 - down, across, 1 - across), abs=1e-6)
    box = Box(cell[0], cell[1], cell[0] + 1, cell[1] + 1)
    round_it = lattice.bounds(box)
    assert Rect(x, y, 0, 0).meets(round_it.grown(1e-6, 1e-6, 1e-6, 1e-6))
    assert tuple(lattice.origins(*np.array([cell]).T)[0]) == (round_it.x, round_it.y)
    assert lattice.middle(*cell) == pytest.approx(
        (lattice.outline(box)[0][0], lattice.outline(box)[1][1])
    )


@given(lattices, cells, st.integers(1, 9), st.integers(1, 9))
def test_a_rectangle_finds_every_cell_that_it_meets(lattice, at, height, width):
    box = Box(at[0], at[1], at[0] + height, at[1] + width)
    rect = lattice.bounds(box)
    found = lattice.cells_in(rect)
    assert (found.shared(box)) == box
    corners = lattice.outline(box)
    assert rect.x == floor(min(x for x, _ in corners))
    assert rect.right == ceil(max(x for x, _ in corners))
    assert rect.bottom == ceil(max(y for _, y in corners))
    inside = Diamond(lattice.rows, lattice.columns, lattice.high, lattice.wide)
    rng = np.random.default_rng(height)
    xs = rect.x + rng.random(50) * rect.width
    ys = rect.y + rng.random(50) * rect.height
    rows, cols = inside.cells_at(xs, ys)
    assert (rows >= found.top).all()
    assert (rows < found.bottom).all()
    assert (cols >= found.left).all()
    assert (cols < found.right).all()


@given(st.integers(1, 8), st.integers(1, 8), st.integers(1, 12), st.integers(1, 12))
def test_bases_lie_side_by_side_without_a_pixel_between(rows, columns, high, wide):
    lattice = Diamond(rows, columns, 2 * high, 2 * wide)
    width, height = lattice.extent
    covered, mask = np.zeros((height, width), int), lattice.mask()
    for row, col in np.ndindex(rows, columns):
        x, y = lattice.origins(np.array(row), np.array(col))
        covered[y : y + 2 * high, x : x + 2 * wide] += mask
    assert not covered[: lattice.rise].any()
    ys, xs = np.mgrid[:height, :width] + 0.5
    at_rows, at_cols = lattice.cells_at(xs, ys)
    inside = (at_rows >= 0) & (at_rows < rows) & (at_cols >= 0) & (at_cols < columns)
    assert (covered == inside).all()


@given(lattices, cells, st.sampled_from([1, 2]))
def test_snapping_goes_to_the_nearest_corner(lattice, cell, by):
    x, y = lattice.place(cell[0] + 0.2, cell[1] + 0.8)
    there = lattice.snap(x, y, by)
    assert there == pytest.approx(
        lattice.place(round((cell[0] + 0.2) * by) / by, round((cell[1] + 0.8) * by) / by)
    )


def test_the_ways_of_the_screen():
    lattice = Diamond(9, 9, 16, 32)
    x, y = lattice.middle(4, 4)
    for down, right in ((-1, 0), (1, 0), (0, -1), (0, 1), (1, 1), (-1, 1)):
        step = lattice.towards(down, right)
        to_x, to_y = lattice.middle(4 + step[0], 4 + step[1])
        assert (np.sign(to_x - x), np.sign(to_y - y)) == (right, down)
    assert Lattice(9, 9, 16, 16).towards(1, -1) == (1, -1)


# What is drawn


def art(high, wide, colours, seed=1):
    """Pictures that stand on a base: a diamond at the foot, something upright on it."""
    rng = np.random.default_rng(seed)
    out = np.zeros((high, wide * colours, 4), np.uint8)
    mask = Diamond(1, 1, wide // 2, wide).mask()
    for n in range(colours):
        each = out[:, n * wide : (n + 1) * wide]
        each[high - wide // 2 :][mask] = (*rng.integers(0, 255, 3), 255)
        left, top = int(rng.integers(2, wide // 2)), int(rng.integers(0, max(1, high // 3)))
        each[top : high - wide // 4, left : left + wide // 3] = (*rng.integers(0, 255, 3), 160)
    return out


def yard(size=(5, 7), base=(16, 32), high=32, wrap=False):
    """A map of diamonds with two layers of tiles, some taller than the rest, some with anchors."""
    wide = base[1]
    usual = Tileset("floor", "floor.png", wide * 4, high, Slicing(wide, high),
                    picture=art(high, wide, 4))  # fmt: skip
    tall = Tileset("tall", "tall.png", 3 * (wide + 6), 3 * base[0] + 9,
                   Slicing(wide + 6, 3 * base[0] + 9),
                   picture=art(3 * base[0] + 9, wide + 6, 3, 2))  # fmt: skip
    tall.facts = {(0, 2): TileFacts(anchor=(wide // 3, 2 * base[0]))}
    map_ = Map("Yard", *size, *base, wrap, grid=DIAMOND)
    rng = np.random.default_rng(3)
    for name, owner, count, part in (("Floor", usual, 4, 0.9), ("Props", tall, 3, 0.3)):
        layer = map_.new_tile_layer(name)
        places = [map_.legend.place(TileRef(owner.name, 0, n)) for n in range(count)]
        layer.cells[:] = rng.choice(places, layer.cells.shape)
        layer.cells[rng.random(layer.cells.shape) > part] = 0
        map_.layers.append(layer)
    return Document(Project("P", tilesets=[usual, tall], maps=[map_])), map_


def painted(doc, map_):
    """The map painted with Pillow: cell after cell, the farthest first, by the documents' text."""
    wide, high = map_.cell_width, map_.cell_height
    out = Image.new("RGBA", map_.lattice.extent)
    for layer in map_.layers:
        every = sorted(np.ndindex(map_.height, map_.width), key=lambda at: (sum(at), -at[0]))
        down, across = layer.shift
        alone = Image.new("RGBA", out.size)
        for row, col in every:
            tile = map_.legend.tile(int(layer.cells[row, col]))
            if tile is None:
                continue
            owner = doc.project.tileset_named(tile.tileset)
            cut = owner.slicing
            left = cut.left(0) + tile.col * cut.pitch_x
            part = owner.picture[:, left : left + cut.tile_width]
            if tile.turn == 4:
                part = part[:, ::-1]
            x = (map_.height - 1 - row + col) * wide // 2
            y = (row + col) * high // 2 + max(wide, high) - high
            anchor = owner.fact(tile.row, tile.col).anchor
            if anchor is None:
                x, y = x + (wide - cut.tile_width) // 2, y + high - cut.tile_height
            else:
                x, y = x + wide // 2 - anchor[0], y + high // 2 - anchor[1]
            once = Image.new("RGBA", out.size)
            once.paste(Image.fromarray(np.ascontiguousarray(part)), (x + across, y + down))
            alone = Image.alpha_composite(alone, once)
        out = Image.alpha_composite(out, alone)
    return np.asarray(out).astype(int)


def differ(one, other):
    """By how much pictures differ, where they can be seen."""
    alpha = np.maximum(one[..., 3], other[..., 3])[..., None] / 255
    return np.abs((one.astype(int) - other.astype(int)) * alpha).max()


@pytest.mark.parametrize(
    ("size", "base", "high"),
    [((5, 7), (16, 32), 32), ((6, 3), (10, 20), 14), ((1, 1), (32, 64), 64),
     ((4, 4), (11, 22), 22)],
)  # fmt: skip
def test_a_map_is_drawn_as_a_painter_paints_it(size, base, high):
    doc, map_ = yard(size, base, high)
    map_.layers[1].offset, map_.layers[1].height = (3, 0), 8
    found = map_picture(doc.project, map_)
    wanted = painted(doc, map_)
    assert found.shape == wanted.shape
    assert differ(found, wanted) <= 6  # parts of alpha are rounded once more by Pillow


@pytest.mark.parametrize("wrap", [False, True])
@pytest.mark.parametrize("level", [0, 1, 2])
def test_any_rectangle_shows_what_the_whole_does(wrap, level):
    doc, map_ = yard((8, 9), wrap=wrap)
    atlas = Atlas(doc.project, map_)
    wide, high = atlas.lattice(level).extent

    def drawn(rect):
        return draw(
            atlas, stack_of(map_, atlas, rect, level, lambda lay, box: read(lay.cells, box))
        )

    whole = drawn(Rect(0, 0, wide, high))
    rng = np.random.default_rng(level)
    for _ in range(20):
        x, y = int(rng.integers(0, wide - 1)), int(rng.integers(0, high - 1))
        right, bottom = int(rng.integers(x + 1, wide + 1)), int(rng.integers(y + 1, high + 1))
        part = drawn(Rect(x, y, right - x, bottom - y))
        assert (part == whole[y:bottom, x:right]).all()


def test_what_wraps_goes_on_over_its_border():
    doc, map_ = yard((6, 4), wrap=True)
    atlas, lattice = Atlas(doc.project, map_), map_.lattice

    def drawn(rect):
        held = lambda layer, box: read(layer.cells, box)  # noqa: E731
        return draw(atlas, stack_of(map_, atlas, rect, 0, held))

    rect = Rect(40, 30, 50, 40)
    for down, across in ((lattice.rows, 0), (0, lattice.columns), (-lattice.rows, lattice.columns)):
        x0, y0 = lattice.place(0, 0)
        x1, y1 = lattice.place(down, across)
        assert (drawn(rect) == drawn(rect.moved(x1 - x0, y1 - y0))).all()
    whole = lattice.bounds(lattice.whole)
    steps = lattice.periods_in(whole)
    assert (0, 0) in steps
    assert len(set(steps)) == len(steps)
    assert {lattice.place(6, 0)[0] - lattice.place(0, 0)[0]} <= {x for x, _ in steps}


def test_a_tint_lies_on_its_diamonds_and_gaps_are_hatched():
    doc, map_ = yard((4, 4))
    before = map_picture(doc.project, map_).astype(int)
    tint = map_.new_tint_layer("Dusk")
    tint.cells[1, 2] = 127 << 24 | 0x000000
    map_.layers.append(tint)
    after = map_picture(doc.project, map_).astype(int)
    changed = (after != before).any(axis=2)
    ys, xs = np.nonzero(changed)
    rows, cols = map_.lattice.cells_at(xs + 0.5, ys + 0.5)
    assert set(zip(rows.tolist(), cols.tolist())) == {(1, 2)}
    map_.layers[0].cells[:], map_.layers[1].cells[:] = 0, 0
    map_.layers[0].cells[2, 1] = -1
    ys, xs = np.nonzero(map_picture(doc.project, map_)[..., 3])
    rows, cols = map_.lattice.cells_at(xs + 0.5, ys + 0.5)
    assert set(zip(rows.tolist(), cols.tolist())) == {(2, 1)}


def test_tiles_narrower_than_the_base_stand_in_its_middle():
    doc, map_ = yard((1, 1))
    doc.project.tilesets[0].slicing = Slicing(20, 32)
    doc.project.tilesets[0].picture = np.full((32, 80, 4), 255, np.uint8)
    doc.project.tilesets[0].width = 80
    map_.layers.pop()
    map_.layers[0].cells[0, 0] = map_.legend.place(TileRef("floor", 0, 1))
    shown = straight(Atlas(doc.project, map_).picture(int(map_.layers[0].cells[0, 0])))[..., 3]
    assert np.flatnonzero(shown.any(axis=0)).tolist() == list(range(6, 26))


def test_a_map_of_diamonds_is_saved_and_read():
    _, map_ = yard()
    again = map_from_file(map_to_file(map_), "yard.map.json")
    assert again.grid.kind is GridKind.DIAMOND
    assert again.lattice == map_.lattice
    assert again.blank().lattice == map_.lattice
    assert (again.layers[0].cells > 0).sum() == (map_.layers[0].cells > 0).sum()


def test_markers_stay_on_their_cells_when_the_map_grows():
    doc, map_ = yard((4, 4))
    layer = map_.new_marker_layer("Places")
    spots = [map_.lattice.middle(1, 2), map_.lattice.middle(3, 0)]
    layer.markers = tuple(Marker(n, Shape.POINT, (at,)) for n, at in enumerate(spots, 1))
    map_.layers.append(layer)
    doc.apply(resize_map(map_, Margins(2, 1, 3, 0)))
    found = [map_.lattice.cell_at(*each.points[0]) for each in map_.layers[2].markers]
    assert found == [(3, 3), (5, 1)]
    doc.undo()
    assert [each.points[0] for each in map_.layers[2].markers] == spots


def test_own_levels_are_diamonds_too():
    lattice = Diamond(8, 8, 32, 64)
    for level in range(lattice.level_count):
        small = lattice.at_level(level)
        assert isinstance(small, Diamond)
        assert small.whole == lattice.whole
    assert replace(lattice, wrap=True).wrap


# Which piece fits here


@pytest.mark.parametrize(
    ("name", "layer", "least"),
    [("Store yard", "Floor", 0.97), ("Store yard", "Walls", 0.95), ("Store yard", "Roofs", 0.95),
     ("North basin", "Basin", 0.95), ("Harbour pans", "Dykes", 0.95)],
)  # fmt: skip
def test_the_piece_that_was_there_is_among_the_first_three(demo, name, layer, least):
    """Or one with the same marks; of cells whose tiles no rule has replaced."""
    doc = Document(demo)
    map_ = demo.map_named(name)
    doc.ensure_all(map_)
    each = next(one for one in map_.layers if one.name == layer)
    owner, kit = demo.set_of(each.tileset, each.set_name)
    marks = kit.marks_within(owner.rows, owner.columns)
    every = np.argwhere(each.cells > 0)
    rng = np.random.default_rng(5)
    hits, fitting = [], Fitting(doc, map_, each, owner)
    for row, col in every[rng.permutation(len(every))[: times(40, 400)]].tolist():
        tile = map_.legend.tile(int(each.cells[row, col]))
        own = marks[tile.row, tile.col]
        if not own.any():
            continue
        found = fitting.on((row, col), 3)
        assert [piece.cost for piece in found] == sorted(piece.cost for piece in found)
        hits.append(any((marks[p.tile.row, p.tile.col] == own).all() for p in found))
    assert len(hits) > 20
    assert np.mean(hits) >= least


def test_ground_whose_foot_is_left_out_joins_its_own():
    """Blades in front reach over it: at the very side of its cell there is nothing."""
    mask, rng = Diamond(1, 1, 32, 64).mask(), np.random.default_rng(2)
    picture = np.zeros((64, 192, 4), np.uint8)
    for n, colour in enumerate(((60, 130, 50), (200, 180, 120), (70, 90, 160))):
        part = picture[32 - 4 * (n < 2) :, n * 64 : n * 64 + 64][:32]
        part[mask] = (*colour, 255)
        part[mask, :3] += rng.integers(0, 12, (mask.sum(), 3), np.uint8)
    owner = Tileset("ground", "g.png", 192, 64, Slicing(64, 64), picture=picture)
    map_ = Map("Meadow", 5, 5, 32, 64, grid=DIAMOND)
    layer = map_.new_tile_layer("Ground")
    map_.layers.append(layer)
    doc = Document(Project("P", tilesets=[owner], maps=[map_]))
    for n in range(3):
        layer.cells[:] = map_.legend.place(TileRef("ground", 0, n))
        best, *_ = Fitting(doc, map_, layer, owner).on((2, 2))
        assert best.tile.col == n


def test_where_nothing_lies_beside_any_piece_fits():
    doc, map_ = yard((4, 4))
    map_.layers[0].cells[:] = 0
    owner = doc.project.tilesets[0]
    assert Fitting(doc, map_, map_.layers[0], owner).on((1, 1)) == []
    map_.layers[0].cells[1, 2] = map_.legend.place(TileRef("floor", 0, 1))
    assert len(Fitting(doc, map_, map_.layers[0], owner).on((1, 1), 3)) == 3


# The base, and what stands on it


@pytest.mark.parametrize(
    ("wide", "high", "below"), [(64, 32, 0), (48, 24, 5), (66, 34, 0), (40, 26, 3)]
)
def test_the_diamond_that_pictures_stand_on_is_measured(wide, high, below):
    tall = high * 2 + below
    picture, rng = np.zeros((tall * 2, wide * 4, 4), np.uint8), np.random.default_rng(wide)
    mask = Diamond(1, 1, high, wide).mask()
    for row, col in np.ndindex(2, 4):
        tile = picture[row * tall : (row + 1) * tall, col * wide : (col + 1) * wide]
        for up in range(int(rng.integers(0, high))):
            foot = tall - below - high - up
            tile[foot : foot + high][mask] = (*rng.integers(0, 255, 3), 255)
        tile[tall - below - high : tall - below][mask] = (90, 90, 90, 255)
    found = find_base(picture, Slicing(wide, tall))
    assert found is not None
    assert found.is_sure
    assert found.width == wide
    assert abs(found.below - below) <= 1
    assert abs(found.height - high) <= 2


def test_tiles_seen_from_above_stand_on_no_diamond(demo):
    for name in ("pans", "works", "props"):
        owner = demo.tileset_named(name)
        found = find_base(owner.picture, owner.slicing)
        assert found is None or not found.is_sure, name
    assert base_of(demo.tileset_named("yard")).height == 32


def test_a_wall_is_as_high_as_it_rises(demo):
    lattice = Diamond(1, 1, 32, 64)
    for name, high in (("door along rows", WALL), ("crate", 20), ("barrel", 23)):
        tile = yard_tile(name)
        seen = tile_pixels(demo.tileset_named("yard"), tile) >> 24 > 100
        assert abs(wall_height(seen, lattice) - high) <= (0 if "door" in name else 14)
    floor = tile_pixels(demo.tileset_named("yard"), TileRef("yard", 0, 0)) >> 24 > 100
    assert wall_height(floor, lattice) == 0


# Layers that are sorted by depth


def test_layers_sorted_by_depth_are_drawn_line_by_line():
    doc, map_ = yard((5, 6))
    lower, upper = map_.layers
    both = [replace(lower, interleaved=True), replace(upper, interleaved=True)]
    map_.layers[:] = both
    found = map_picture(doc.project, map_)
    wanted = Image.new("RGBA", map_.lattice.extent)
    cells = sorted(np.ndindex(5, 6), key=lambda at: (sum(at), -at[0]))
    lines = sorted({sum(at) for at in cells})
    for line in lines:
        for layer in both:
            one = replace(map_, layers=[replace(layer, interleaved=False, cells=np.where(
                np.add.outer(np.arange(5), np.arange(6)) == line, layer.cells, 0))])  # fmt: skip
            wanted = Image.alpha_composite(wanted, Image.fromarray(map_picture(doc.project, one)))
    assert differ(found, np.asarray(wanted).astype(int)) <= 8
    map_.layers[:] = [lower, upper]
    assert (map_picture(doc.project, map_) != found).any()


def test_layers_of_a_square_map_are_sorted_by_depth_too():
    doc, map_ = yard((5, 6))
    map_.grid = SQUARE
    below = map_.new_tile_layer("Below")
    below.cells[:] = map_.layers[0].cells
    map_.layers[:] = [below, *(replace(each, interleaved=True) for each in map_.layers)]
    found = map_picture(doc.project, map_)
    wanted = Image.fromarray(map_picture(doc.project, replace(map_, layers=[below])))
    for row in range(5):
        for layer in map_.layers[1:]:
            cells = np.where(np.arange(5)[:, None] == row, layer.cells, 0)
            one = replace(map_, layers=[replace(layer, interleaved=False, cells=cells)])
            wanted = Image.alpha_composite(wanted, Image.fromarray(map_picture(doc.project, one)))
    assert differ(found, np.asarray(wanted).astype(int)) <= 8
    for layer in map_.layers:
        layer.interleaved = False
    assert (map_picture(doc.project, map_) != found).any()


def test_a_free_picture_is_sorted_by_its_foot():
    doc, map_ = yard((6, 6))
    walls, props = map_.layers
    walls.cells[:] = 0
    props.cells[:] = 0
    props.cells[3, 3] = map_.legend.place(TileRef("tall", 0, 0))
    layer = map_.new_marker_layer("Trees")
    map_.layers.insert(0, layer)
    for each in (layer, walls, props):
        each.interleaved = True
    pictures = []
    for row in (2, 4):
        layer.markers = (Marker(1, Shape.PICTURE, (map_.lattice.foot(row, row),),
                                tile=TileRef("floor", 0, 2)),)  # fmt: skip
        pictures.append([map_picture(doc.project, map_)])
        layer.interleaved = False
        pictures[-1].append(map_picture(doc.project, map_))
        layer.interleaved = True
    behind, before = pictures
    assert (behind[0] == behind[1]).all(), "it stands behind, and lies behind anyway"
    assert (before[0] != before[1]).any(), "it stands in front of what lies on a layer before it"


def test_missing_tiles_of_diamonds_are_mirrored_and_nothing_else(demo):
    owner = demo.tileset_named("yard")
    kit = next(each for each in owner.sets if each.name == "Floor")
    marks = kit.marks_within(owner.rows, owner.columns)
    places = [tuple(at) for at in np.argwhere(marks.any(axis=2)).tolist()]
    tiles = np.stack([cut_tile(owner.picture, owner.slicing, *at) for at in places])
    own = np.stack([marks[at] for at in places])
    one_right = next(n for n, each in enumerate(own) if each[Slot.NE] == 2 and each.sum() == 5)
    lack = (1, 1, 2, 1)  # the corner at the left, NW NE SW SE: the mirror of the one at the right
    kept = [n for n, each in enumerate(own) if tuple(each[list(SetKind.CORNER.slots)]) != lack]
    made = make_tiles(
        SetKind.CORNER, tiles[kept], own[kept], [lack, (2, 1, 1, 1)], lattice=Diamond(1, 1, 32, 64)
    )
    found = {each.key: each for each in made}
    key = next(iter(found))
    assert len(found) >= 1
    assert all(each.how == "mirrored" for each in made)
    mirrored = found[key]
    assert any((mirrored.pixels == tile[:, ::-1]).all() for tile in tiles[kept])
    assert (mirrored.pixels == tiles[one_right][:, ::-1]).all()


@given(lattices, cells, parts, parts)
def test_a_copy_leads_home(lattice, cell, down, across):
    x, y = lattice.place(cell[0] + down, cell[1] + across)
    row, col = lattice.cell_at(*lattice.home(x, y))
    assert (row, col) == (cell[0] % lattice.rows, cell[1] % lattice.columns)
    assert len(set(lattice.copies)) == 9
    for step in lattice.copies:
        assert lattice.home(*(a + b for a, b in zip(lattice.home(x, y), step))) == pytest.approx(
            lattice.home(x, y), abs=1e-6
        )


@given(st.integers(0, 12), st.integers(0, 12), st.sampled_from([Lattice, Diamond]))
def test_lines_hold_every_cell_once_the_farthest_first(height, width, kind):
    lattice, box = kind(30, 30, 16, 32), Box(3, 4, 3 + height, 4 + width)
    rows, cols, starts, numbers = lattice.lines(box)
    first = lattice.line_of(box.top, box.left)
    assert sorted(zip(rows.tolist(), cols.tolist())) == sorted(np.ndindex(height, width))
    ends = [*starts[1:].tolist(), len(rows)]
    below = -1.0
    for n, (low, high) in enumerate(zip(starts.tolist(), ends)):
        begins = lattice.origins(rows[low:high] + box.top, cols[low:high] + box.left)
        if high > low:
            assert (np.diff(begins[:, 0]) == lattice.wide).all(), "side by side from the left"
            assert len(set(begins[:, 1].tolist())) == 1
            assert begins[0, 1] > below
            below = begins[0, 1]
            x, y = lattice.middle(int(rows[low]) + box.top, int(cols[low]) + box.left)
            assert lattice.line_at(x, y + 0.1) == first + numbers[n]


def test_a_small_picture_has_the_form_of_the_map():
    lattice = Diamond(20, 30, 32, 64)
    pixels = np.arange(1, 601, dtype=np.uint32).reshape(20, 30)
    found = lattice.spread(pixels)
    high, wide = found.shape
    assert abs(wide / high - lattice.extent[0] / lattice.extent[1]) < 0.1
    assert set(np.unique(found).tolist()) == {0, *range(1, 601)}
    assert not found[0, 0]
    assert not found[-1, -1]
    assert (Lattice(20, 30, 8, 8).spread(pixels) == pixels).all()


@pytest.mark.parametrize("side", [64, 512, 1024, 4096])
def test_a_base_is_looked_for_in_no_more_pixels_than_a_frame_has_time_for(side, monkeypatch):
    """It is asked for while views are painted: what it costs must not grow with the tiles."""
    looked, plain = [], base.cut_tile
    monkeypatch.setattr(
        base, "cut_tile", lambda *a: looked.append(plain(*a).size // 4) or plain(*a)
    )
    picture = np.zeros((4096, 4096, 4), np.uint8)
    picture[::2, ::2] = 255
    find_base(picture, Slicing(side, side))
    assert sum(looked) <= 1 << 20
    assert (len(looked) > 0) == (side <= 1024)


# Shapes


def test_shapes_from_terrain_lie_on_the_diamond():
    """The part that shows a terrain is drawn as seen: merged over a map it is the terrain's."""
    project = build_demo_yard()
    owner, kit = project.tilesets[0], project.tilesets[0].sets[0]
    doc = Document(project)
    doc.apply(shapes_from_terrain(project, owner, kit, 2, "walkable"))
    map_ = Map("M", 8, 8, 32, 64, grid=DIAMOND)
    ground = map_.new_ground_layer("Ground", owner.name, kit.name)
    ground.terrain[:] = 1
    ground.terrain[2:6, 3:7] = 2
    map_.layers.append(ground)
    knit_map(project, map_)
    area = merge(laid_shapes(project, map_))["walkable"]
    lattice = map_.lattice
    corners = [lattice.place(row, col)
               for row, col in ((1.5, 2.5), (1.5, 6.5), (5.5, 6.5), (5.5, 2.5))]  # fmt: skip
    wanted = Polygon(corners)
    assert area.symmetric_difference(wanted).area < 0.02 * wanted.area
    solid = shapes_from_terrain(project, owner, kit, 2, "walkable", whole=True)
    doc.apply(solid)
    shape = next(each for fact in owner.facts.values() for each in fact.shapes)
    xs, ys = (sorted({round(c[n]) for c in shape.corners}) for n in (0, 1))
    assert (xs, ys) == ([0, 32, 64], [32, 48, 64])
    seen = picture_shapes(owner)
    assert seen, "and a sheet that stands on no diamond keeps its squares"


def build_demo_yard():
    folder = Path(mkdtemp())
    (folder / "yard.png").write_bytes(png_bytes(yard_sheet()))
    return Project("P", folder, [yard_tileset(folder)])


def picture_shapes(owner):
    flat = Tileset("flat", "flat.png", 16, 8, Slicing(8, 8),
                   picture=np.full((8, 16, 4), 255, np.uint8))  # fmt: skip
    return shapes_on_tile(flat, (0, 0), SetKind.CORNER, [0, 1, 0, 1, 0, 1, 0, 1, 0], 1, "k")[0].form


# Many lines at once


@pytest.mark.parametrize("corner", Corner)
@pytest.mark.parametrize("base", [(16, 32), (10, 20), (6, 14)])
@pytest.mark.parametrize("hard", [True, False])
def test_lines_laid_at_once_give_what_line_after_line_does(corner, base, hard, monkeypatch):
    doc, map_ = yard((9, 7), base, base[1] + 3 * (base[0] % 4))
    map_.grid = replace(map_.grid, drawn_from=corner)
    for owner in doc.project.tilesets:
        if hard:
            owner.picture[..., 3] = np.where(owner.picture[..., 3] > 0, 255, 0)
    props = map_.layers[1]
    props.cells[::2] = map_.layers[0].cells[1::3][: len(props.cells[::2])].max()
    props.cells[4, 3] = -1
    third = replace(map_.layers[0], name="Upper", height=5, offset=(3, 0), opacity=0.6)
    fourth = replace(map_.layers[0], name="With it", interleaved=True, opacity=0.5)
    fifth = replace(props, name="And this", interleaved=True)
    map_.layers += [third, fourth, fifth]
    at_once, level = [], [0, 1]
    rects = [Rect(0, 0, *map_.lattice.extent), Rect(37, 21, 61, 50), Rect(90, 60, 1, 1)]
    for lay in ("as it is", "line by line"):
        if lay == "line by line":
            monkeypatch.setattr(Diamond, "level_lines", 0)
        atlas = Atlas(doc.project, map_)
        at_once.append([
            draw(atlas, stack_of(map_, atlas, rect, each, lambda lay, box: read(lay.cells, box)))
            for rect in rects for each in level
        ])  # fmt: skip
    for one, other in zip(*at_once):
        assert (one == other).all()
    assert at_once[0][0].any()


def test_what_is_known_of_pictures_follows_what_is_drawn():
    rng = np.random.default_rng(4)
    for size in ((1, 1), (5, 3), (16, 8)):
        pixels = rng.integers(0, 2, (40, *size)).astype(np.uint32) * np.uint32(0xFF102030)
        pixels[3, :, 0] = 0x40102030
        looks = Looks.of(pixels)
        for n, each in enumerate(pixels):
            rows = np.flatnonzero(each.any(axis=1))
            assert looks.tops[n] == (rows[0] if rows.size else size[0])
            alpha = each >> 24
            assert looks.hard[n] == ((alpha == 0) | (alpha == 255)).all()
    doc, map_ = yard()
    atlas = Atlas(doc.project, map_)
    for level in (0, 1):
        found = atlas.at(level)
        looks = Looks.of(found.tiles)
        assert (found.looks.tops == looks.tops).all()
        assert (found.looks.hard == looks.hard).all()
    doc.project.tilesets[0].picture[..., 3] = 90
    atlas.refresh(doc.project.tilesets[0])
    found = atlas.at(0)
    looks = Looks.of(found.tiles)
    assert (found.looks.hard == looks.hard).all()
    assert not looks.hard[map_.legend.place(TileRef("floor", 0, 0))]
