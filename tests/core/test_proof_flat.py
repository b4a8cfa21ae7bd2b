"""Checks of borders on maps of diamonds, of narrow places, and of tiles that are gone."""

from collections import OrderedDict

import numpy as np
import pytest
from tests.core.test_figure import field
from tests.core.test_proof import found, smooth_project

from knitground.core.base.window import Box
from knitground.core.edit.document import Document
from knitground.core.edit.laying import plan_cells
from knitground.core.model.lattice import DIAMOND
from knitground.core.model.map import Map
from knitground.core.model.marker import Marker, Shape
from knitground.core.model.mix import Mix, MixEntry
from knitground.core.model.shapes import ShapeForm, TileShape
from knitground.core.model.slicing import Slicing
from knitground.core.model.tile import TileRef
from knitground.core.model.tileset import TileFacts, Tileset
from knitground.core.proof import edges, walking
from knitground.core.proof.flat import Flat
from knitground.core.proof.proof import cure, prove
from knitground.core.walk.figure import Figure
from knitground.core.walk.room import covered_by, stops_for

HIGH, WIDE = 16, 32
PER_ROW = 8


def slanted(pictures):
    """Lean square pictures (n, s, s, 4) over onto diamonds: (n, 16, 32, 4)."""
    y, x = np.mgrid[:HIGH, :WIDE] + 0.5
    across = (y / (HIGH / 2) + (x - WIDE / 2) / (WIDE / 2)) / 2
    down = (y / (HIGH / 2) - (x - WIDE / 2) / (WIDE / 2)) / 2
    inside = (across >= 0) & (across < 1) & (down >= 0) & (down < 1)
    side = pictures.shape[1]
    rows, cols = ((part * side).astype(int).clip(0, side - 1) for part in (down, across))
    out = pictures[:, rows, cols]
    out[:, ~inside] = 0
    return out


def slanted_project(spoil=None, size=(14, 16)):
    """The smooth project on diamonds; `spoil` may change the square pictures (n, 8, 8, 4)."""
    doc, _, _ = smooth_project()
    square = doc.project.tilesets[0]
    rows, cols = square.rows, square.columns
    pictures = square.picture.reshape(rows, 8, cols, 8, 4).swapaxes(1, 2).reshape(-1, 8, 8, 4)
    pictures = pictures.copy()
    if spoil is not None:
        spoil(pictures)
    tiles = slanted(pictures).reshape(rows, cols, HIGH, WIDE, 4).swapaxes(1, 2)
    sheet = np.ascontiguousarray(tiles.reshape(rows * HIGH, cols * WIDE, 4))
    owner = Tileset("sheet", "sheet.png", cols * WIDE, rows * HIGH, Slicing(WIDE, HIGH),
                    sets=square.sets, picture=sheet)  # fmt: skip
    map_ = Map("Map", *size, HIGH, WIDE, grid=DIAMOND)
    leaning = map_.new_ground_layer("Ground", "sheet", "Set")
    leaning.terrain[:] = 2
    leaning.terrain[3:7, 4:9] = 1
    map_.layers = [leaning, map_.new_tile_layer("Tiles")]
    doc.project.tilesets[:], doc.project.maps[:] = [owner], [map_]
    return Document(doc.project), map_, leaning


def plain_of(doc, mark):
    marks = doc.project.tilesets[0].sets[0].marks[..., [1, 3, 5, 7]]
    return [tuple(at) for at in np.argwhere((marks == mark).all(axis=2)).tolist()]


def test_a_base_is_drawn_out_to_a_square_with_its_sides_where_they_were():
    doc, map_, _ = slanted_project(lambda each: each.__setitem__((..., slice(3)), 40))
    owner = doc.project.tilesets[0]
    flat = Flat(map_.lattice)
    assert flat.side == 16
    whole = flat.picture(owner, TileRef("sheet", 0, 0))
    assert (whole[..., 3] == 255).all()

    def mark(each):
        each[0, :, -2:, :3] = (250, 0, 0)  # its east side
        each[0, -2:, :, :3] = (0, 250, 0)  # its south side

    doc, map_, _ = slanted_project(mark)
    seen = Flat(map_.lattice).picture(doc.project.tilesets[0], TileRef("sheet", 0, 0))
    assert (seen[:-6, -2:, 0] == 250).all()
    assert (seen[-2:, :-6, 1] == 250).all()
    shape = TileShape("solid", ShapeForm.POLYGON, ((16, 0), (32, 8), (16, 16), (0, 8)))
    owner = doc.project.tilesets[0]
    owner.facts[0, 0] = TileFacts(shapes=(shape,))
    [leant], size = Flat(map_.lattice).shapes(owner, TileRef("sheet", 0, 0))
    assert size == (16, 16)
    assert set(leant.corners) == {(0, 0), (16, 0), (16, 16), (0, 16)}


def test_a_map_of_diamonds_without_fault_is_told_to_have_none():
    doc, _, _ = slanted_project()
    proof = prove(doc)
    assert proof.failed == {}
    assert [each.words for each in proof.findings] == []


@pytest.mark.parametrize(("part", "step"), [(np.s_[:, -1:], (0, 1)), (np.s_[-1:], (1, 0))])
def test_seams_on_diamonds_are_those_of_the_spoilt_side(part, step):
    doc, _, _ = slanted_project()
    spoilt = plain_of(doc, 2)[0]

    def spoil(each):
        each[spoilt[0] * PER_ROW + spoilt[1]][part][..., :3] = 15

    doc, map_, ground = slanted_project(spoil)
    cells = doc.cells(map_, ground, Box(0, 0, map_.height, map_.width))
    place = map_.legend.place(TileRef("sheet", *spoilt))
    inner = cells[: map_.height - step[0], : map_.width - step[1]]
    want = {tuple(at) for at in np.argwhere(inner == place).tolist()}
    told = found(doc, "seams")
    assert {cell for each in told for cell in each.places} == want
    assert all(" beside " in each.words for each in told)
    assert told[0].spot == (0.5 + step[0] / 2, 0.5 + step[1] / 2)


def test_snags_on_diamonds_are_steps_along_the_side_of_the_base():
    doc, map_, _ = slanted_project()
    owner, layer = doc.project.tilesets[0], map_.layers[1]
    map_.layers = [layer]
    whole = ((16, 0), (32, 8), (16, 16), (0, 8))
    # As the whole base, two pixels of its plan less deep at the north side.
    low = ((14, 1), (30, 9), (16, 16), (0, 8))
    for at, corners in (((0, 0), whole), ((0, 1), low)):
        owner.facts[at] = TileFacts(shapes=(TileShape("solid", ShapeForm.POLYGON, corners),))
    one, other = (map_.legend.place(TileRef("sheet", *at)) for at in ((0, 0), (0, 1)))
    layer.cells[5, 3:9] = one, one, other, other, one, one
    doc = Document(doc.project)
    told = found(doc, "snags")
    assert {cell for each in told for cell in each.places} == {(5, 4), (5, 6)}
    assert all("a step of 2.0 px" in each.words for each in told)


# Too narrow


def test_where_a_figure_fits_and_what_it_covers_is_told_for_all_pixels_at_once():
    rng = np.random.default_rng(4)
    solid = rng.random((40, 50)) < 0.06
    figure = Figure(5, 8)
    stops = stops_for(solid, figure)
    covered = np.zeros_like(solid)
    for y, x in np.ndindex(solid.shape):
        top, left = y + 1 - figure.stands, x - figure.wide // 2
        inside = top >= 0 and left >= 0 and left + figure.wide <= 50
        part = np.s_[top : y + 1, left : left + figure.wide]
        free = inside and not solid[part].any()
        assert stops[y, x] == (not free)
        if free:
            covered[part] = True
    assert (covered_by(~stops, figure) == covered).all()


def walls(text):
    """A map of walls, seen with a figure of 5 × 10 px of which 5 stand on the ground."""
    doc, map_, _ = field(text)
    layer = map_.new_marker_layer("Places")
    layer.markers = (Marker(1, Shape.POINT, ((12.0, 12.0),), "", "spawn point"),)
    map_.layers.append(layer)
    return doc, map_


def alley(rows):
    """Walls on both sides of an alley that is four pixels wide, from the second row on."""
    doc, map_ = walls("\n".join(["........."] * 9))
    owner, layer = doc.project.tilesets[0], map_.layers[0]
    half = TileShape("solid", ShapeForm.BOX, ((0, 0), (4, 8)))
    owner.facts[0, 1] = TileFacts(shapes=(half,))
    whole, thin = (map_.legend.place(TileRef("sheet", 0, n)) for n in (0, 1))
    layer.cells[2 : 2 + rows, 3] = layer.cells[2 : 2 + rows, 5] = whole
    layer.cells[2 : 2 + rows, 4] = thin
    return Document(doc.project), layer, whole


def test_a_dead_end_and_a_way_that_are_narrower_than_the_figure_are_told():
    doc, layer, whole = alley(3)
    [told] = found(doc, "tight")
    assert told.words.startswith("a way, 4 px wide and 24 long, ")
    assert set(told.places) >= {(2, 4), (3, 4), (4, 4)}
    layer.cells[5, 3:6] = whole
    [told] = found(Document(doc.project), "tight")
    assert told.words.startswith("a dead end, 4 px wide and 24 long, ")
    layer.cells[1, 4] = whole
    assert found(Document(doc.project), "tight") == [], "a hollow that nobody looks into"
    layer.cells[:, 4] = 0
    assert found(Document(doc.project), "tight") == [], "where it fits nothing is told"


def test_who_walks_goes_again_only_where_something_else_stands_in_the_way(monkeypatch):
    doc, layer, whole = alley(3)
    walked, real = [], edges.wander
    monkeypatch.setattr(edges, "wander", lambda *a, **b: walked.append(1) or real(*a, **b))
    monkeypatch.setattr(walking, "_known", OrderedDict())
    owner = doc.project.tilesets[0]
    plain = doc.project.maps[0].legend.place(TileRef("sheet", 0, 5))
    owner.facts[0, 5] = TileFacts()
    first = found(doc, "edges"), found(doc, "tight")
    layer.cells[7, 7] = plain
    assert (found(doc, "edges"), found(doc, "tight")) == first
    assert walked == [1]
    layer.cells[5, 3:6] = whole
    assert found(doc, "tight") != first[1]
    found(doc, "edges")
    assert walked == [1, 1]
    slim = TileShape("solid", ShapeForm.BOX, ((0, 0), (3, 8)))
    owner.facts[0, 1] = TileFacts(shapes=(slim,))
    doc = Document(doc.project)
    assert found(doc, "tight") == [], "five pixels are enough"
    found(doc, "edges")
    assert walked == [1, 1, 1]


def test_the_border_of_the_map_is_no_wall_of_an_alley():
    doc, layer, whole = alley(3)
    layer.cells[:] = 0
    layer.cells[3, 1:4] = layer.cells[5, 1:4] = whole
    doc.project.tilesets[0].facts[0, 0] = TileFacts(
        shapes=(TileShape("solid", ShapeForm.BOX, ((0, 4), (8, 8))),)
    )
    layer.cells[0, 1:5] = whole
    assert found(Document(doc.project), "tight") == []


def test_gone_tiles_are_named_by_layer_and_erased_or_released_as_one_step():
    doc, map_, ground = smooth_project()
    owner, tiles = doc.project.tilesets[0], map_.layers[1]
    lost = TileRef("sheet", owner.rows - 1, 0)
    place = map_.legend.place(lost)
    tiles.cells[2, 3:6] = place
    ones = np.full((1, 1), place, np.int32)
    doc.apply(plan_cells(map_, ground, Box(9, 9, 10, 10), ones, np.ones((1, 1), bool), "").edit)
    assert found(doc, "gone") == []
    owner.picture = owner.picture[:-8]
    owner.height -= 8
    doc = Document(doc.project)
    told = found(doc, "gone")
    assert {(each.layer, each.count) for each in told} == {(tiles.number, 3), (ground.number, 1)}
    assert all("has no tile there any more" in each.words for each in told)
    doc.apply(cure(doc, told))
    assert found(doc, "gone") == []
    assert not tiles.cells.any()
    assert not ground.pinned.any()
    doc.undo()
    assert len(found(doc, "gone")) == 2


def test_a_tile_that_shows_nothing_any_more_is_gone_and_one_of_a_missing_sheet_is_not_told_twice():
    doc, map_, _ = smooth_project()
    owner = doc.project.tilesets[0]
    spare = np.full((8, 16, 4), 200, np.uint8)
    doc.project.tilesets.append(Tileset("things", "things.png", 16, 8, Slicing(8, 8),
                                        picture=spare))  # fmt: skip
    map_.layers[1].cells[1, 1] = map_.legend.place(TileRef("things", 0, 1))
    assert found(doc, "gone") == []
    spare[:, 8:, 3] = 0
    doc.project.tilesets[1].picture = np.ascontiguousarray(spare)
    [told] = found(Document(doc.project), "gone")
    assert "nothing is to be seen" in told.words
    doc.project.tilesets[1].picture = None
    assert found(Document(doc.project), "gone") == []
    assert owner.picture is not None


def test_tiles_that_nothing_uses_are_counted_and_those_of_mixes_and_sets_are_not():
    doc, map_, _ = smooth_project()
    assert found(doc, "unused") == [], "marked tiles may come by knitting"
    things = np.full((8, 32, 4), 200, np.uint8)
    things[2:5, ::4, :3] = 40
    doc.project.tilesets.append(Tileset("things", "things.png", 32, 8, Slicing(8, 8),
                                        picture=things))  # fmt: skip
    map_.layers[1].cells[1, 1] = map_.legend.place(TileRef("things", 0, 1))
    doc.project.mixes.append(Mix("mix", (MixEntry(TileRef("things", 0, 3)),)))
    [told] = found(Document(doc.project), "unused")
    assert told.words.startswith("2 of 4 tiles of “things”")
    assert told.tile == TileRef("things", 0, 0)
    doc.project.tilesets[1].facts = {(0, 0): TileFacts(left_out=True)}
    [told] = found(Document(doc.project), "unused")
    assert told.words.startswith("1 of 3 tiles of “things”")
