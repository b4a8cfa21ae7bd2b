"""Each check against faults that were put in, by their number; and against what has none."""

from collections import Counter
from dataclasses import replace

import numpy as np
import pytest
from PIL import Image
from tests.maps import pair_marks, small_project, snapshot

from knitground.core.base.errors import EditError
from knitground.core.base.window import Box
from knitground.core.edit.document import Document
from knitground.core.edit.excuses import accuse, excuse
from knitground.core.edit.laying import plan_cells, plan_terrain
from knitground.core.files.opening import open_project
from knitground.core.files.saving import save_project, settle_after_save
from knitground.core.model.excuse import Excuse
from knitground.core.model.lattice import Lattice
from knitground.core.model.layers import GAP
from knitground.core.model.map import Map
from knitground.core.model.marker import Marker, Shape
from knitground.core.model.mix import Mix, MixEntry
from knitground.core.model.project import Project
from knitground.core.model.properties import Property
from knitground.core.model.rules import SAME, NeighbourRule, Result, RuleList, Spot, Ways
from knitground.core.model.shapes import ShapeForm, TileShape
from knitground.core.model.slicing import Slicing
from knitground.core.model.terrain import SetKind, Slot, Terrain, TerrainSet
from knitground.core.model.tile import TileRef
from knitground.core.model.tileset import Frame, TileFacts, Tileset
from knitground.core.proof import proof as proofs
from knitground.core.proof.finding import Check, Group
from knitground.core.proof.pairs import neighbours
from knitground.core.proof.proof import CHECKS, cure, prove, run_check
from knitground.core.proof.proving import MOST_PLACES
from knitground.core.proof.runs import longest_runs


def found(doc, key, map_=None):
    check = CHECKS[key]
    return run_check(doc, check, (map_ or doc.project.maps[0]) if check.of_map else None)


def smooth_project(size=(12, 14), seed=3, wrap=False, variants=4):
    """A map of a set whose tiles go on into each other: two terrains, some variants of each."""
    side = 8
    marks = pair_marks(((1, 2),), variants)
    rng = np.random.default_rng(seed)
    colours = {1: (60, 120, 140), 2: (220, 210, 190)}
    tiles = []
    for own in marks:
        nw, ne, sw, se = (np.array(colours[int(own[each])], float) for each in
                          (Slot.NW, Slot.NE, Slot.SW, Slot.SE))  # fmt: skip
        part = (np.arange(side) + 0.5) / side
        down, across = part[:, None, None], part[None, :, None]
        picture = (nw * (1 - across) + ne * across) * (1 - down)
        picture = picture + (sw * (1 - across) + se * across) * down
        tiles.append(picture + rng.normal(0, 4, picture.shape))
    columns = 8
    sheet = np.zeros((-(-len(tiles) // columns) * side, columns * side, 4), np.uint8)
    laid = np.zeros((sheet.shape[0] // side, columns, 9), np.uint8)
    for n, (tile, own) in enumerate(zip(tiles, marks)):
        row, col = divmod(n, columns)
        sheet[row * side : (row + 1) * side, col * side : (col + 1) * side, :3] = tile.clip(0, 255)
        sheet[row * side : (row + 1) * side, col * side : (col + 1) * side, 3] = 255
        laid[row, col, :8] = own
    owner = Tileset("sheet", "sheet.png", sheet.shape[1], sheet.shape[0], Slicing(side, side),
                    picture=sheet)  # fmt: skip
    terrains = (Terrain("water", "#3c788c", "W"), Terrain("sand", "#dcd2be", "S"))
    owner.sets = [TerrainSet("Set", SetKind.CORNER, terrains, laid)]
    map_ = Map("Map", *size, side, side, wrap)
    ground = map_.new_ground_layer("Ground", "sheet", "Set")
    ground.terrain[:] = 2
    ground.terrain[3:7, 4:9] = 1
    map_.layers.append(ground)
    map_.layers.append(map_.new_tile_layer("Tiles"))
    map_.layers.append(map_.new_marker_layer("Places"))
    return Document(Project("Small", None, [owner], [], [map_])), map_, ground


def test_what_has_no_fault_is_told_to_have_none():
    doc, _, _ = smooth_project()
    proof = prove(doc)
    assert proof.failed == {}
    assert [each.words for each in proof.findings] == []


# Looks


def test_seams_are_found_where_a_tile_was_spoilt_and_nowhere_else():
    doc, map_, ground = smooth_project(size=(20, 20))
    owner = doc.project.tilesets[0]
    cells = doc.cells(map_, ground, Box(0, 0, 20, 20))
    plain = [tile for tile in map_.legend.tiles if tile is not None
             and set(owner.sets[0].marks[tile.row, tile.col, [1, 3, 5, 7]]) == {2}]  # fmt: skip
    spoilt = plain[0]
    picture = owner.picture.copy()
    picture[spoilt.row * 8 : spoilt.row * 8 + 8, spoilt.col * 8 + 7, :3] = (20, 20, 20)
    owner.picture = picture
    doc = Document(doc.project)
    seams = found(doc, "seams")
    place = map_.legend.place(spoilt)
    beside = {(r, c) for r, c in np.argwhere(cells[:, :-1] == place).tolist()}
    told = {cell for each in seams for cell in each.places}
    assert told == beside, "every border of the spoilt side, and no other"
    assert all("step of" in each.words for each in seams)


def test_a_seam_over_the_border_of_a_map_that_wraps_is_found():
    doc, map_, ground = smooth_project(wrap=True)
    owner = doc.project.tilesets[0]
    assert found(doc, "seams") == []
    marks = owner.sets[0].marks
    row, col = np.argwhere((marks[..., [1, 3, 5, 7]] == 2).all(axis=2))[0].tolist()
    picture = owner.picture.copy()
    picture[row * 8, col * 8 : col * 8 + 8, :3] = 0
    owner.picture = picture
    tile = map_.legend.place(TileRef("sheet", row, col))
    doc = Document(doc.project)
    ones = np.full((1, 1), tile, np.int32)
    doc.apply(plan_cells(map_, ground, Box(0, 5, 1, 6), ones, np.ones((1, 1), bool), "x").edit)
    [told] = found(doc, "seams")
    assert (0, 5) in told.places
    assert " below " in told.words


def test_long_runs_of_one_variant_are_found():
    same = np.zeros((6, 9), bool)
    same[2, 1:7] = True
    same[1:5, 8] = True
    assert sorted(longest_runs(same, 4)) == [(1, 8, 4, (1, 0)), (2, 1, 6, (0, 1))]
    doc, map_, ground = smooth_project(size=(20, 20))
    assert found(doc, "runs") == []
    cells = doc.cells(map_, ground, Box(0, 0, 20, 20))
    ground.cells[15, 2:16] = cells[15, 2]
    ground.seed = ground.seed  # what lies there now is taken for what was drawn
    assert len([each for each in found(doc, "runs") if each.count >= 14]) == 1


def test_fringes_of_a_see_through_colour_are_counted():
    doc, *_ = small_project()
    owner = doc.project.tilesets[0]
    picture = np.zeros_like(owner.picture)
    picture[...] = (255, 0, 255, 255)
    picture[2:6, 2:6] = (40, 90, 40, 255)
    picture[2:6, 10:14] = (40, 90, 40, 255)
    picture[2:6, 9] = (250, 30, 240, 255)
    owner.picture, owner.slicing = picture, Slicing(8, 8, see_through=((255, 0, 255),))
    told = found(Document(doc.project), "fringes")
    assert [(each.tile, each.count) for each in told] == [(TileRef("sheet", 0, 1), 4)]


def test_animations_out_of_step_are_named():
    doc, *_ = small_project()
    owner = doc.project.tilesets[0]
    even = (Frame(0, 0, 100), Frame(0, 1, 100))
    for n in range(3):
        owner.facts[0, n] = TileFacts(frames=even)
    assert found(doc, "steps") == []
    owner.facts[0, 3] = TileFacts(frames=(Frame(0, 0, 100), Frame(0, 1, 170)))
    told = found(doc, "steps")
    assert [each.tile for each in told] == [TileRef("sheet", 0, 3)]
    assert "270 ms" in told[0].words


def test_a_variant_that_catches_the_eye_again_and_again_is_told_and_laid_more_rarely():
    doc, map_, ground = smooth_project(size=(40, 40))
    owner = doc.project.tilesets[0]
    assert found(doc, "repeats") == []
    marks = owner.sets[0].marks
    row, col = np.argwhere((marks[..., [1, 3, 5, 7]] == 2).all(axis=2))[2].tolist()
    picture = owner.picture.copy()
    picture[row * 8 + 1 : row * 8 + 7, col * 8 + 1 : col * 8 + 7, :3] = (90, 20, 30)
    owner.picture, owner.facts = picture, {(row, col): TileFacts(weight=0.5)}
    doc = Document(doc.project)
    [told] = found(doc, "repeats")
    place = map_.legend.place(TileRef("sheet", row, col))
    before = int((doc.cells(map_, ground, Box(0, 0, 40, 40)) == place).sum())
    assert told.tile == TileRef("sheet", row, col)
    assert before / 2 <= told.count <= before
    doc.apply(cure(doc, [told]))
    after = int((doc.cells(map_, ground, Box(0, 0, 40, 40)) == place).sum())
    assert after < before / 5
    assert found(doc, "repeats") == []
    doc.undo()
    assert len(found(doc, "repeats")) == 1


# Sense


def test_gaps_are_told_by_what_they_ask_for_and_can_be_pinned():
    doc, map_, ground = smooth_project()
    owner = doc.project.tilesets[0]
    lost = [tuple(at) for at in np.argwhere(
        (owner.sets[0].marks[..., Slot.NW] == 1) & (owner.sets[0].marks[..., Slot.SE] == 2)
        & (owner.sets[0].marks[..., Slot.NE] == 2) & (owner.sets[0].marks[..., Slot.SW] == 2)
    ).tolist()]  # fmt: skip
    owner.facts = {at: TileFacts(weight=0.0) for at in lost}
    doc = Document(doc.project)
    told = found(doc, "gaps")
    assert [(each.count, each.places) for each in told] == [(1, ((6, 8),))]
    assert "no tile shows" in told[0].words
    before = snapshot(doc.project)
    doc.apply(cure(doc, told))
    assert ground.pinned[6, 8]
    assert doc.cells(map_, ground, Box(6, 8, 7, 9))[0, 0] > 0
    assert found(doc, "gaps") == []
    doc.undo()
    assert ground.cells[6, 8] == GAP
    assert snapshot(doc.project)[1]["maps"] == before[1]["maps"]


def test_gaps_of_several_kinds_and_very_many_are_all_mended_in_one_step():
    doc, _, ground = smooth_project(size=(60, 60))
    owner = doc.project.tilesets[0]
    corners = owner.sets[0].marks[..., [Slot.NW, Slot.NE, Slot.SW, Slot.SE]]
    for want in ((1, 2, 1, 2), (2, 1, 2, 1)):
        for at in np.argwhere((corners == want).all(axis=2)).tolist():
            owner.facts[tuple(at)] = TileFacts(weight=0.0)
    ground.terrain[:, ::4] = ground.terrain[:, 1::4] = 1
    doc = Document(doc.project)
    told = found(doc, "gaps")
    assert len(told) == 2
    assert all(each.count > MOST_PLACES == len(each.places) for each in told)
    one = cure(doc, told[:1])
    doc.apply(one)
    assert [each.key for each in found(doc, "gaps")] == [told[1].key], "all of its places"
    with pytest.raises(EditError, match="not there any more"):
        cure(doc, told[:1])
    doc.undo()
    doc.apply(cure(doc, told))
    assert found(doc, "gaps") == []
    doc.undo()
    assert [each.count for each in found(doc, "gaps")] == [each.count for each in told]


def test_what_is_excused_is_the_same_tile_after_saving(tmp_path):
    """Places in the legend are others then: what is no fault must not become another tile's."""
    doc, map_, _ = smooth_project()
    props, other = map_.layers[1], map_.new_tile_layer("Other")
    map_.layers.append(other)
    late, early = (map_.legend.place(TileRef("sheet", 1, n)) for n in (7, 0))
    props.cells[:4], props.cells[4:6] = late, early
    other.cells[7, 7], other.cells[8, 8] = late, early
    told = {each.tile: each.key for each in found(doc, "layer")}
    doc.apply(excuse(doc.project, [told[TileRef("sheet", 1, 7)]], "meant so"))
    save_project(doc.project, tmp_path / "p")
    again = Document(open_project(tmp_path / "p").project)
    proof = prove(again, only=["layer"])
    assert [each.tile for each in proof.findings] == [TileRef("sheet", 1, 0)]
    assert [each.tile for each in proof.excused] == [TileRef("sheet", 1, 7)]
    again.apply(cure(again, proof.findings))
    assert prove(again, only=["layer"]).findings == ()


def test_all_on_the_wrong_layer_are_moved_in_one_step():
    doc, map_, _ = smooth_project()
    props, other = map_.layers[1], map_.new_tile_layer("Other")
    map_.layers.append(other)
    a, b = (map_.legend.place(TileRef("sheet", 0, n)) for n in (0, 1))
    props.cells[:4], props.cells[4:6] = a, b
    other.cells[7, 7], other.cells[8, 8] = a, b
    doc.apply(cure(doc, found(doc, "layer")))
    assert (props.cells[7, 7], props.cells[8, 8]) == (a, b)
    assert not other.cells.any()
    doc.undo()
    other.locked = True
    with pytest.raises(EditError, match="“Other” is locked"):
        cure(doc, found(doc, "layer"))


def test_holes_in_what_is_filled_are_found_and_no_open_map():
    doc, map_, ground = smooth_project()
    ground.terrain[9, 3] = 0
    doc = Document(doc.project)
    told = found(doc, "uncovered")
    assert sum(each.count for each in told) == int(
        (doc.cells(map_, ground, Box(0, 0, 12, 14)) == 0).sum()
    )
    assert len(told) == 1
    ground.terrain[:, 6:] = 0
    assert found(Document(doc.project), "uncovered") == [], "a map drawn on nothing has no holes"
    map_.background = "#101010"
    assert found(Document(doc.project), "uncovered") == []


def test_pins_that_terrain_has_outgrown_are_released():
    doc, map_, ground = smooth_project()
    sand = doc.cells(map_, ground, Box(0, 0, 1, 1))
    for cell in ((10, 10), (5, 6)):
        box = Box(*cell, cell[0] + 1, cell[1] + 1)
        doc.apply(plan_cells(map_, ground, box, sand, np.ones((1, 1), bool), "pin").edit)
    told = found(doc, "pins")
    assert [each.places for each in told] == [((5, 6),)], "sand on sand is no fault"
    doc.apply(cure(doc, told))
    assert not ground.pinned[5, 6]
    assert ground.pinned[10, 10]
    assert found(doc, "pins") == []
    doc.apply(
        plan_terrain(doc, map_, ground, Box(9, 9, 12, 12), np.ones((3, 3), bool), 1, "p").edit
    )
    assert [each.places for each in found(doc, "pins")] == [((10, 10),)], "it has outgrown now"


def test_tiles_on_the_wrong_layer_are_moved():
    doc, map_, _ = smooth_project()
    props, other = map_.layers[1], map_.new_tile_layer("Other")
    map_.layers.append(other)
    a, b = (map_.legend.place(TileRef("sheet", 0, n)) for n in (0, 1))
    props.cells[:4] = a
    other.cells[:3] = b
    other.cells[7, 7] = a
    told = found(doc, "layer")
    assert [(each.layer, each.places) for each in told] == [(other.number, ((7, 7),))]
    doc.apply(cure(doc, told))
    assert (props.cells[7, 7], other.cells[7, 7]) == (a, 0)
    assert found(doc, "layer") == []


def test_rules_that_never_fire_are_named_with_what_hides_them():
    doc, *_ = small_project()
    kit = doc.project.tilesets[0].sets[0]
    result = Result(tiles=(MixEntry(TileRef("sheet", 0, 1)),))
    wide = NeighbourRule(1, (Spot(0, 0, SAME),), "wide", result)
    hidden = NeighbourRule(2, (Spot(0, 0, SAME), Spot(0, 2, SAME)), "hidden", result)
    kit.rules = RuleList("", (wide, hidden), first=True)
    told = found(doc, "rules")
    assert [each.words.split("“")[1].split("”")[0] for each in told] == ["hidden"]
    assert "rule 1 takes" in told[0].words
    kit.rules = RuleList("", (hidden, replace(wide, ways=Ways.AS_DRAWN)), first=True)
    assert found(doc, "rules") == []


def test_a_stranger_among_plain_tiles_is_named():
    doc, _, _ = smooth_project()
    owner = doc.project.tilesets[0]
    marks = owner.sets[0].marks
    row, col = np.argwhere((marks[..., [1, 3, 5, 7]] == 2).all(axis=2))[1].tolist()
    picture = owner.picture.copy()
    picture[row * 8 : row * 8 + 8, col * 8 : col * 8 + 8, :3] = (30, 160, 40)
    owner.picture = picture
    told = found(Document(doc.project), "strangers")
    assert [each.tile for each in told] == [TileRef("sheet", row, col)]


@pytest.mark.parametrize("corners", [(1, 1, 1, 1), (1, 1, 2, 2), (2, 1, 2, 2)])
def test_of_two_that_claim_one_combination_the_stranger_is_named(corners):
    doc, _, _ = smooth_project(variants=1)
    assert found(doc, "strangers") == []
    owner = doc.project.tilesets[0]
    marks, picture = owner.sets[0].marks, owner.picture.copy()
    true = np.argwhere((marks[..., [1, 3, 5, 7]] == corners).all(axis=2))[0].tolist()
    row, col = marks.shape[0], 3
    wider = np.zeros((row + 1, *marks.shape[1:]), np.uint8)
    wider[:row], wider[row, col] = marks, marks[tuple(true)]
    tile = np.full((8, picture.shape[1], 4), 255, np.uint8)
    tile[..., :3] = (150, 30, 40)
    owner.picture = np.concatenate([picture, tile])
    owner.height += 8
    owner.sets[0].marks = wider
    told = found(Document(doc.project), "strangers")
    assert [each.tile for each in told] == [TileRef("sheet", row, col)]
    assert "one of 2 tiles" in told[0].words
    facts = {(row, col): TileFacts(weight=0.0)}
    owner.facts.update(facts)
    assert found(Document(doc.project), "strangers") == []  # it is never laid


def test_pairs_are_counted_alike_with_few_tiles_and_with_many():
    rng = np.random.default_rng(4)
    few = rng.integers(-1, 5, (9, 7)).astype(np.int32)
    many = np.where(few > 0, few * 90_000, few)
    for wrap in (False, True):
        lattice = Lattice(9, 7, 4, 4, wrap)
        for down, across in ((1, 0), (0, 1)):
            plain = Counter(
                (int(few[r, c]), int(few[(r + down) % 9, (c + across) % 7]))
                for r in range(9) for c in range(7)
                if wrap or (r + down < 9 and c + across < 7)
            )  # fmt: skip
            wanted = [(*pair, n) for pair, n in sorted(plain.items()) if min(pair) > 0]
            assert list(neighbours(lattice, few, down, across).pairs()) == wanted
            large = [(a * 90_000, b * 90_000, n) for a, b, n in wanted]
            assert list(neighbours(lattice, many, down, across).pairs()) == large


def test_marks_that_contradict_their_pixels_are_named_and_mended():
    doc, *_ = smooth_project()
    owner = doc.project.tilesets[0]
    kit = owner.sets[0]
    true = kit.marks.copy()
    assert found(doc, "marks") == []
    rng = np.random.default_rng(8)
    put = [tuple(at) for at in rng.permutation(np.argwhere(true.any(axis=2)))[:3].tolist()]
    for at in put:
        kit.marks[at][:8] = np.where(true[at][:8] == 1, 2, np.where(true[at][:8] == 2, 1, 0))
    doc = Document(doc.project)
    told = found(doc, "marks")
    assert {(each.tile.row, each.tile.col) for each in told} == set(put)
    assert all("looks like" in each.words and "is marked" in each.words for each in told)
    doc.apply(cure(doc, told[:1]))
    assert (kit.marks != true).any(axis=2).sum() == 2
    doc.undo()
    doc.apply(cure(doc, told))
    assert (kit.marks == true).all()
    assert found(doc, "marks") == []


def test_shares_that_are_not_those_asked_for_are_told():
    doc, map_, ground = smooth_project(size=(30, 30))
    cells = doc.cells(map_, ground, Box(0, 0, 30, 30))
    assert found(doc, "shares") == []
    place = int(cells[20, 20])
    mask = np.zeros((30, 30), bool)
    mask[15:28] = True
    values = np.full((30, 30), place, np.int32)
    doc.apply(plan_cells(map_, ground, Box(0, 0, 30, 30), values, mask, "Pin").edit)
    told = found(doc, "shares")
    own = [each for each in told if each.tile == map_.legend.tile(place)]
    assert len(own) == 1
    assert "25% are asked for" in own[0].words
    assert "390 of them are pinned" in own[0].words


def test_a_sheet_that_is_cut_through_its_tiles_is_named():
    doc, *_ = smooth_project(size=(4, 4))
    owner = doc.project.tilesets[0]
    rng = np.random.default_rng(2)
    sheet = np.zeros((4 + 5 * 18, 4 + 9 * 18, 4), np.uint8)
    for row, col in np.ndindex(5, 9):
        tile = np.full((16, 16, 4), 255, np.uint8)
        tile[..., :3] = rng.integers(30, 220, 3) + rng.integers(-20, 20, (16, 16, 1))
        sheet[4 + row * 18 : 20 + row * 18, 4 + col * 18 : 20 + col * 18] = tile
    owner.picture, owner.sets = sheet, []
    right = Slicing(16, 16, 4, 4, 2, 2)
    for slicing in (right, Slicing(34, 34, 4, 4, 2, 2)):
        owner.slicing = slicing
        assert found(doc, "cut") == [], "as it is drawn, or two by two"
    for slicing in (replace(right, margin_x=7), replace(right, tile_width=17), Slicing(16, 16)):
        owner.slicing = slicing
        assert ["16 × 16, margin 4, spacing 2" in each.words for each in found(doc, "cut")] == [
            True
        ]


# Play


def solid(*corners):
    return TileShape("solid", ShapeForm.BOX, corners)


def test_snags_between_solid_shapes_are_found_by_pairs():
    doc, map_, _, tiles = small_project()
    owner = doc.project.tilesets[0]
    owner.facts = {
        (0, 0): TileFacts(shapes=(solid((0, 0), (8, 8)),)),
        (0, 1): TileFacts(shapes=(solid((0, 1.5), (8, 8)),)),
        (0, 2): TileFacts(shapes=(solid((1.5, 0), (8, 8)),)),
    }
    whole, low, slim = (map_.legend.place(TileRef("sheet", 0, n)) for n in range(3))
    tiles.cells[2, 1:4] = whole
    assert found(doc, "snags") == []
    tiles.cells[2, 3] = low
    told = found(doc, "snags")
    assert [(each.places, "step of 1.5 px" in each.words) for each in told] == [(((2, 2),), True)]
    tiles.cells[2, 3] = slim
    assert ["apart" in each.words for each in found(doc, "snags")] == [True]
    tiles.cells[2, 3] = 0
    assert found(doc, "snags") == []


def walled():
    """A map with a closed room of solid tiles, and a spawn point outside of it."""
    doc, map_, _ = smooth_project(size=(12, 14))
    owner, tiles, places = doc.project.tilesets[0], map_.layers[1], map_.layers[2]
    owner.facts = {(0, 0): TileFacts(shapes=(solid((0, 0), (8, 8)),))}
    wall = map_.legend.place(TileRef("sheet", 0, 0))
    tiles.cells[2, 2:8] = tiles.cells[7, 2:8] = tiles.cells[2:8, 2] = tiles.cells[2:8, 7] = wall
    places.markers = (
        Marker(1, Shape.POINT, (map_.lattice.middle(10, 10),), "Start", "spawn point"),
    )
    for layer in map_.layers[:1]:
        layer.terrain[:] = 2
    # Plain sand is tile (0, 0) too in this set: let another sheet be the wall.
    return doc, map_, tiles, places, wall


def test_places_out_of_reach_and_markers_in_walls_are_found_and_freed():
    doc, map_, tiles, places, wall = walled()
    own = map_.layers[0]
    own.visible = False
    told = found(doc, "reach")
    assert [each.count for each in told] == [16]
    assert {cell for each in told for cell in each.places} == {
        (row, col) for row in range(3, 7) for col in range(3, 7)
    }
    tiles.cells[2, 4] = 0
    assert found(Document(doc.project), "reach") == []
    tiles.cells[10, 10] = wall
    doc = Document(doc.project)
    assert [each.what for each in found(doc, "stuck")] == ["1"]
    doc.apply(cure(doc, found(doc, "stuck")))
    at = map_.lattice.cell_at(*places.markers[0].points[0])
    assert tiles.cells[at] == 0
    assert abs(at[0] - 10) + abs(at[1] - 10) == 1
    places.markers = (replace(places.markers[0], points=((-40.0, 5.0),)),)
    assert "outside the map" in found(doc, "stuck")[0].words
    places.markers = ()
    assert found(doc, "reach") == [], "without a beginning nothing is out of reach"


def test_properties_that_all_others_have_are_added():
    doc, map_, _ = smooth_project()
    places = map_.layers[2]
    toll = Property("toll", "3")
    places.markers = tuple(
        Marker(n, Shape.POINT, ((8.0 * n, 8.0),), f"d{n}", "door", (toll,) if n < 5 else ())
        for n in range(1, 6)
    )
    told = found(doc, "lacking")
    assert [each.what for each in told] == ["5 toll"]
    doc.apply(cure(doc, told))
    assert places.markers[4].properties == (toll,)
    assert found(doc, "lacking") == []


# Files


def test_missing_and_unused_sheets_and_names_alike():
    doc, map_, _ = smooth_project()
    project = doc.project
    assert found(doc, "unused") == []
    other = Tileset(
        "spare", "spare.png", 8, 8, Slicing(8, 8), picture=np.zeros((8, 8, 4), np.uint8)
    )
    project.tilesets.append(other)
    assert [each.what for each in found(doc, "unused")] == ["spare"]
    project.mixes.append(Mix("mix", (MixEntry(TileRef("spare", 0, 0)),)))
    assert found(doc, "unused") == []
    project.mixes.clear()
    rule = NeighbourRule(1, (), result=Result(tiles=(MixEntry(TileRef("spare", 0, 0)),)))
    project.rule_lists.append(RuleList("Finish", (rule,)))
    assert found(doc, "unused") == []
    other.picture = None
    assert [each.what for each in found(doc, "missing")] == ["spare"]
    again = Map("MAP", 4, 4, 8, 8)
    project.maps.append(again)
    told = found(doc, "names")
    assert "“Map”, “MAP”" in told[0].words
    doc.apply(cure(doc, told))
    assert again.name == "MAP 2"
    assert found(doc, "names") == []
    map_.layers[1].name = "ground"
    told = found(doc, "names")
    with pytest.raises(EditError, match="rename one of them"):
        cure(doc, told)


# The whole


def test_what_is_no_fault_is_remembered_with_the_project(tmp_path):
    doc, map_, ground = smooth_project()
    ground.terrain[9, 3] = 0
    doc = Document(doc.project)
    told = prove(doc).findings
    assert told
    doc.apply(excuse(doc.project, [told[0].key], "a pond to come"))
    after = prove(doc)
    assert len(after.findings) == len(told) - 1
    assert [each.key for each in after.excused] == [told[0].key]
    save_project(doc.project, tmp_path / "p")
    again = open_project(tmp_path / "p").project
    assert [(each.key, each.why) for each in again.excused] == [(told[0].key, "a pond to come")]
    assert len(prove(Document(again)).findings) == len(told) - 1
    doc.apply(accuse(doc.project, [told[0].key]))
    assert len(prove(doc).findings) == len(told)
    doc.undo()
    doc.undo()
    assert doc.project.excused == ()
    assert map_.name == told[0].map


def test_a_check_that_fails_inside_leaves_the_others_be(monkeypatch):
    doc, *_ = small_project()

    def broken(_):
        raise RuntimeError("boom")

    made_up = Check("made up", Group.SENSE, "Made up", "Fails", broken)
    monkeypatch.setitem(CHECKS, "made up", made_up)
    proof = prove(doc)
    assert "boom" in proof.failed["made up"]
    assert set(proof.failed) == {"made up"}
    with pytest.raises(EditError, match="no check “nonsense”"):
        prove(doc, only=["nonsense"])


def test_very_many_findings_are_told_by_their_first(monkeypatch):
    monkeypatch.setattr(proofs, "MOST", 3)
    doc, *_ = small_project()
    assert [each.count for each in found(doc, "unused")] == [2], "two of its tiles have no marks"
    doc.project.tilesets[0].picture[-8:, 48:] = 0
    assert found(doc, "unused") == []
    none = np.zeros((8, 8, 4), np.uint8)
    doc.project.tilesets.extend(
        Tileset(f"spare {n}", "spare.png", 8, 8, Slicing(8, 8), picture=none) for n in range(9)
    )
    told = found(doc, "unused")
    assert [each.what for each in told] == ["spare 0", "spare 1", "spare 2", "more"]
    assert "the first 3 are told" in told[-1].words


def test_all_of_the_demo_is_checked_and_only_its_shapes_are_not_whole(demo_folder):
    doc = Document(open_project(demo_folder).project)
    before = snapshot(doc.project)
    proof = prove(doc)
    assert proof.failed == {}
    assert {each.check for each in proof.findings} <= {"snags", "edges", "unused", "tight"}
    cells = sum(m.height * m.width for m in doc.project.maps)
    assert sum(each.count for each in proof.findings) < cells / 100
    assert snapshot(doc.project)[0] == before[0], "looking changes nothing"


@pytest.mark.parametrize("pieces", [False, True])
def test_tiles_that_were_drawn_anew_are_named_until_the_project_is_saved(tmp_path, pieces):
    doc, _, _ = smooth_project()
    owner = doc.project.tilesets[0]
    if pieces:
        areas = tuple((x, 0, 8, 8 + x % 3) for x in range(0, owner.width, 8))
        owner.slicing, owner.sets = Slicing(8, 8, pieces=areas), []
        doc.project.maps[0].layers.pop(0)
    assert found(doc, "changed") == []  # it was never saved: nothing is known
    settle_after_save(doc.project, save_project(doc.project, tmp_path / "it"))
    assert found(doc, "changed") == []
    file = tmp_path / "it" / owner.sheet
    picture = np.asarray(Image.open(file)).copy()
    picture[3, 17] = picture[5, 41] = (1, 2, 3, 255)
    Image.fromarray(picture).save(file)
    again = open_project(tmp_path / "it").project
    told = found(Document(again), "changed")
    assert [each.words.split(" of ")[0] for each in told] == ["tiles 2, 5"]
    assert told[0].count == 2
    again.excused = (Excuse(told[0].key, "as wanted"),)
    assert prove(Document(again), only=["changed"]).findings == ()
    owner = again.tilesets[0]
    owner.picture = owner.picture.copy()
    owner.picture[6, 1] = 9
    assert "tiles 0, 2, 5" in prove(Document(again), only=["changed"]).findings[0].words
    owner.data = None
    settle_after_save(again, save_project(again, tmp_path / "it", overwrite=True))
    assert found(Document(again), "changed") == []
    assert found(Document(open_project(tmp_path / "it").project), "changed") == []


def test_a_sheet_of_another_size_is_told_and_one_that_was_cut_otherwise_is_not(tmp_path):
    doc, _, _ = smooth_project()
    settle_after_save(doc.project, save_project(doc.project, tmp_path / "it"))
    owner = doc.project.tilesets[0]
    owner.slicing = Slicing(4, 4)
    assert found(doc, "changed") == []
    owner.slicing = Slicing(8, 8)
    owner.picture = np.concatenate([owner.picture, owner.picture])
    assert "other rows and columns" in found(doc, "changed")[0].words
    owner.picture = None
    assert found(doc, "changed") == []
