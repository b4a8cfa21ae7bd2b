"""Faults that were put in on purpose and that no test saw: each of these sees one of them."""

import base64
import json
import tracemalloc
import zlib

import numpy as np
import pytest
from tests.maps import drawn, small_project, snapshot

from knitground.core.base.errors import EditError, FormatError
from knitground.core.base.window import Box
from knitground.core.edit.frames import set_frames
from knitground.core.edit.layers import add_layer
from knitground.core.edit.laying import plan_cells, plan_unpin
from knitground.core.edit.sheets import set_anchor, set_inner
from knitground.core.edit.sizes import merge_down
from knitground.core.files.cells import from_file, packed
from knitground.core.files.opening import open_project
from knitground.core.files.saving import save_project
from knitground.core.files.ship.json import JSON
from knitground.core.files.ship.kinds import ShipJob
from knitground.core.files.ship.names import ship_names
from knitground.core.model.limits import MAX_LAYERS
from knitground.core.model.slicing import Slicing
from knitground.core.model.tile import TileRef
from knitground.core.model.tileset import Frame
from knitground.core.render.atlas import Atlas


def test_only_inside_is_there_after_opening(tmp_path):
    doc, _, _, _ = small_project()
    sheet = doc.project.tilesets[0]
    doc.apply(set_inner(sheet, 0, 1, True))
    save_project(doc.project, tmp_path / "p")
    again = open_project(tmp_path / "p").project.tilesets[0]
    assert [at for at, fact in again.facts.items() if fact.inner] == [(0, 1)]


def test_only_the_pins_of_the_mask_are_released():
    doc, map_, ground, _ = small_project()
    place = map_.legend.place(TileRef("sheet", 0, 0))
    box = Box(1, 1, 4, 5)
    every = np.ones((3, 4), np.bool_)
    doc.apply(plan_cells(map_, ground, box, np.full((3, 4), place), every, "Pin").edit)
    assert ground.pinned[1:4, 1:5].all()
    mask = np.eye(3, 4, dtype=bool)
    doc.apply(plan_unpin(doc, map_, ground, box, mask, "Release").edit)
    assert (ground.pinned[1:4, 1:5] == ~mask).all()
    assert (ground.cells[1:4, 1:5][~mask] == place).all()


def test_what_lies_in_front_stays_in_front_when_layers_merge():
    doc, map_, _, lower = small_project()
    upper = map_.new_tile_layer("upper")
    doc.apply(add_layer(map_, upper))
    back, front = (map_.legend.place(TileRef("sheet", 0, n)) for n in range(2))
    lower.cells[:] = back
    upper.cells[2, 3] = front
    doc.apply(merge_down(map_, upper))
    merged = map_.layers[-1].cells
    assert merged[2, 3] == front
    assert (merged == back).sum() == merged.size - 1


def test_shipped_tiles_have_the_frames_that_they_move_by():
    doc, map_, _, tiles = small_project()
    sheet = doc.project.tilesets[0]
    doc.apply(set_frames(sheet, 0, 0, (Frame(0, 1, 90), Frame(1, 2, 40))))
    tiles.cells[0, 0] = map_.legend.place(TileRef("sheet", 0, 0))
    doc.knitter.ensure_all(map_)
    names = ship_names(doc.project, [map_])
    data = json.loads(next(iter(JSON.files(ShipJob(doc.project, names), map_).values())))
    moving = [each for each in data["legend"] if each["frames"]]
    shown = [[(f["x"], f["y"], f["ms"]) for f in each["frames"]] for each in moving]
    assert [(8, 0, 90), (16, 8, 40)] in shown


def test_a_picture_that_reaches_down_shows_in_the_cells_below():
    doc, map_, _, tiles = small_project()
    doc.project.tilesets[0].slicing = Slicing(8, 24)
    doc.apply(set_anchor(doc.project.tilesets[0], 0, 0, (4, 8)))
    tiles.cells[1, 2] = map_.legend.place(TileRef("sheet", 0, 0))
    atlas = Atlas(doc.project, map_)
    assert (atlas.reach.up, atlas.reach.down) == (0, 16)
    whole = drawn(map_, atlas, layers=[tiles])
    below = drawn(map_, atlas, Box(2, 2, 4, 3), layers=[tiles])
    assert below.any(axis=1).all()
    assert (below == whole[16:32, 16:24]).all()


def test_the_layer_limit_holds_and_a_refusal_changes_nothing():
    doc, map_, _, _ = small_project()
    while len(map_.layers) < MAX_LAYERS:
        doc.apply(add_layer(map_, map_.new_tile_layer("more")))
    before = snapshot(doc.project)
    with pytest.raises(EditError, match=str(MAX_LAYERS)):
        doc.apply(add_layer(map_, map_.new_tile_layer("one too many")))
    assert snapshot(doc.project) == before


def test_a_small_file_never_unpacks_to_much_memory():
    cells = packed(np.zeros((300, 300), np.int32))
    bomb = base64.b64encode(zlib.compress(bytes(200_000_000), 9)).decode()
    cells.blocks[0] = bomb
    tracemalloc.start()
    with pytest.raises(FormatError, match="more than"):
        from_file(cells, 300, 300, 0, 9, "layer 1")
    _, peak = tracemalloc.get_traced_memory()
    tracemalloc.stop()
    assert peak < 4_000_000
