from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.maps import small_project, snapshot

from knitground.core.base.errors import SlicingError
from knitground.core.base.window import Box
from knitground.core.edit.laying import plan_cells
from knitground.core.edit.maps import put_mix
from knitground.core.edit.reslice import (
    moved_tiles,
    read_again,
    reskin,
    swap_tileset,
    use_relaid,
    use_slicing,
)
from knitground.core.edit.uses import count_uses
from knitground.core.model.mix import Mix, MixEntry
from knitground.core.model.slicing import Slicing
from knitground.core.model.tile import TileRef
from knitground.core.model.tileset import SheetFile, TileFacts, Tileset
from knitground.core.render.tiles import tile_pixels
from knitground.core.slicing.follow import follow_content, follow_pixels
from knitground.core.slicing.grid import cut, lay_grid
from knitground.core.slicing.relay import relay

cuts = st.builds(
    Slicing, st.integers(4, 12), st.integers(4, 12), st.integers(0, 5), st.integers(0, 5),
    st.integers(0, 3), st.integers(0, 3),
)  # fmt: skip


def pixels_of(slicing, at, shape):
    mask = np.zeros(shape, bool)
    top, left = slicing.top(at[0]), slicing.left(at[1])
    mask[top : top + slicing.tile_height, left : left + slicing.tile_width] = True
    return mask


@given(cuts, cuts)
def test_tiles_follow_the_pixels_they_cover_by_at_least_half(old, new):
    shape = (48, 56)
    before, after = (lay_grid(cut_, shape[1], shape[0]) for cut_ in (old, new))
    follow = follow_pixels(old, new, after.rows, after.columns)
    for row in range(before.rows):
        for col in range(before.columns):
            mine = pixels_of(old, (row, col), shape)
            shared = {
                (r, c): int((mine & pixels_of(new, (r, c), shape)).sum())
                for r in range(after.rows) for c in range(after.columns)
            }  # fmt: skip
            most = max(shared.values(), default=0)
            largest = max(old.tile_width * old.tile_height, new.tile_width * new.tile_height)
            found = follow((row, col))
            if 2 * most < largest:
                assert found is None
            else:
                assert shared[found] == most


def laid_project():
    doc, map_, ground, tiles = small_project(copies=1)
    tile = TileRef("sheet", 1, 2)
    place = map_.legend.place(tile)
    cells = np.full((3, 3), place, np.int32)
    doc.apply(plan_cells(map_, tiles, Box(1, 1, 4, 4), cells, np.ones((3, 3), bool), "Lay").edit)
    doc.apply(
        plan_cells(map_, ground, Box(5, 5, 6, 6), cells[:1, :1], np.ones((1, 1), bool), "Pin").edit
    )
    doc.apply(put_mix(doc.project, Mix("m", (MixEntry(tile, 2.0),))))
    doc.project.tilesets[0].facts = {(1, 2): TileFacts(weight=3.0)}
    return doc, map_, ground, tiles, doc.project.tilesets[0]


def test_a_shifted_grid_takes_everything_along():
    doc, map_, ground, tiles, tileset = laid_project()
    start = snapshot(doc.project)
    marks = tileset.sets[0].marks[1, 2].copy()
    edit, losses = use_slicing(doc.project, tileset, Slicing(8, 8, 8, 0))
    doc.apply(edit)
    assert (tileset.sets[0].marks[1, 1] == marks).all()
    assert tileset.facts == {(1, 1): TileFacts(weight=3.0)}
    assert doc.project.mixes[0].entries[0].tile == TileRef("sheet", 1, 1)
    assert map_.legend.tile(int(tiles.cells[2, 2])) == TileRef("sheet", 1, 1)
    assert map_.legend.tile(int(ground.cells[5, 5])) == TileRef("sheet", 1, 1)
    assert losses.marks > 0  # the first column has no tile any more
    assert losses.lines()[0].endswith("tiles with marks")
    doc.undo()
    assert snapshot(doc.project) == start


def test_what_can_not_follow_is_counted_and_emptied_not_shown_wrong():
    doc, _, ground, tiles, tileset = laid_project()
    start = snapshot(doc.project)
    edit, losses = use_slicing(doc.project, tileset, Slicing(16, 16))
    assert losses.cells == {"Map": 10}
    assert losses.lines()[-1] == "10 cells of “Map”"
    assert losses.facts == losses.entries == 1
    doc.apply(edit)
    assert (tiles.cells == 0).all()
    assert not ground.pinned.any()
    doc.undo()
    assert snapshot(doc.project) == start


def test_the_same_slicing_changes_nothing_else():
    doc, _, _, _, tileset = laid_project()
    edit, losses = use_slicing(doc.project, tileset, Slicing(8, 8))
    assert len(edit.atoms) == 1
    assert losses.lines() == []
    with pytest.raises(SlicingError):
        use_slicing(doc.project, tileset, Slicing(900, 8))


def test_a_sheet_that_grew_or_whose_tiles_moved_is_followed_by_content():
    doc, map_, _ground, tiles, tileset = laid_project()
    marks = tileset.sets[0].marks[1, 2].copy()
    picture = np.zeros((tileset.height + 16, tileset.width, 4), np.uint8)
    picture[8 : 8 + tileset.height] = tileset.picture  # a row was put in above
    moved = moved_tiles(tileset.slicing, tileset.picture, picture)
    edit = read_again(doc.project, tileset, SheetFile(picture, b"", Path("s.png")), moved)[0]
    assert len(moved) == tileset.count
    doc.apply(edit)
    assert (tileset.sets[0].marks[2, 2] == marks).all()
    assert map_.legend.tile(int(tiles.cells[2, 2])) == TileRef("sheet", 2, 2)
    assert tileset.height == picture.shape[0]
    doc.undo()
    assert (tileset.sets[0].marks[1, 2] == marks).all()


def test_tiles_drawn_anew_in_their_place_stay_there():
    doc, _, _, tiles, tileset = laid_project()
    picture = tileset.picture.copy()
    picture[8:16, 16:24] = 255 - picture[8:16, 16:24]
    picture[8:16, 16:24, 3] = 255
    moved = moved_tiles(tileset.slicing, tileset.picture, picture)
    edit = read_again(doc.project, tileset, SheetFile(picture, b"", Path("s.png")), moved)[0]
    before = tiles.cells.copy()
    doc.apply(edit)
    assert moved == {}
    assert (tiles.cells == before).all()
    assert (tileset.picture == picture).all()


def test_content_that_is_there_twice_is_not_followed():
    picture = np.zeros((8, 24, 4), np.uint8)
    picture[:, :8] = picture[:, 8:16] = (9, 9, 9, 255)
    grid = lay_grid(Slicing(8, 8), 24, 8)
    assert follow_content(picture, grid, np.roll(picture, 8, axis=1), grid) == {(0, 2): (0, 0)}


@given(st.integers(0, 6), st.integers(0, 6), st.integers(1, 9), st.integers(0, 2))
def test_a_sheet_laid_out_anew_has_the_same_tiles_with_repeated_borders(
    margin, spacing, columns, n
):
    picture = np.random.default_rng(1).integers(0, 256, (27, 40, 4), np.uint8)
    grid = lay_grid(Slicing(8, 6, 1, 0, 2, 1), 40, 27)
    if margin < n or spacing < 2 * n:
        with pytest.raises(SlicingError, match="too small"):
            relay(picture, grid, margin=margin, spacing=spacing, columns=columns, extrude=n)
        return
    made, new = relay(picture, grid, margin=margin, spacing=spacing, columns=columns, extrude=n)
    fresh = lay_grid(new, made.shape[1], made.shape[0])
    assert (fresh.leftover_x, fresh.leftover_y) == (0, 0)
    old_tiles = cut(picture, grid)
    assert (cut(made, fresh)[: grid.count] == old_tiles).all()
    if n:
        top, left = new.top(0), new.left(0)
        assert (made[top - n : top, left : left + 8] == old_tiles[0, 0]).all()
        assert (made[top : top + 6, left - n : left] == old_tiles[0, :, :1]).all()


def test_maps_keep_their_tiles_when_the_sheet_is_laid_out_anew():
    doc, map_, _, tiles, tileset = laid_project()
    before = tile_pixels(tileset, map_.legend.tile(int(tiles.cells[2, 2])))
    grid = lay_grid(tileset.slicing, tileset.width, tileset.height)
    made, new = relay(tileset.picture, grid, margin=2, spacing=4, columns=3, extrude=2)
    start = snapshot(doc.project)
    doc.apply(use_relaid(doc.project, tileset, made, new, "sheet-relaid.png"))
    assert tileset.unsaved
    assert tileset.sheet == "sheet-relaid.png"
    after = tile_pixels(tileset, map_.legend.tile(int(tiles.cells[2, 2])))
    assert (before == after).all()
    doc.undo()
    assert snapshot(doc.project) == start
    assert not tileset.unsaved or tileset.data is None


def test_another_picture_and_another_tileset(tmp_path):
    doc, map_, ground, tiles, tileset = laid_project()
    winter = Tileset(
        "winter",
        "winter.png",
        tileset.width,
        tileset.height,
        tileset.slicing,
        picture=255 - tileset.picture,
        sets=tileset.sets,
    )
    doc.project.tilesets.append(winter)
    start = snapshot(doc.project)
    doc.apply(swap_tileset(map_, "sheet", "winter"))
    doc.knitter.ensure_all(map_)
    used = {map_.legend.tile(int(p)).tileset for p in np.unique(ground.cells) if p > 0}
    assert used == {"winter"}
    assert map_.legend.tile(int(tiles.cells[2, 2])) == TileRef("winter", 1, 2)
    doc.undo()
    assert snapshot(doc.project) == start
    doc.apply(reskin(doc.project, tileset, SheetFile(winter.picture, b"", tmp_path / "w.png")))
    assert tileset.picture is winter.picture
    doc.undo()
    assert tileset.picture is not winter.picture


def test_uses_count_every_cell_of_every_map():
    doc, map_, ground, _tiles, _ = laid_project()
    doc.knitter.ensure_all(map_)
    uses = count_uses(doc.project, "sheet")
    assert sum(uses.values()) == (ground.cells > 0).sum() + 9
    assert uses[(1, 2)] == 10
    assert count_uses(doc.project, "none") == {}
