"""The demo's art is what it promises: seamless, complete, told apart by every eye."""

import numpy as np
import pytest
from tests.maps import CORNERS

from knitground.core.edit.terrainlist import free_letter
from knitground.core.edit.terrains import TERRAIN_COLOURS
from knitground.core.files.ship.png import map_picture
from knitground.core.knit.bridge import build_graph
from knitground.core.knit.layer import knit_map, layer_table
from knitground.core.model.layers import GAP
from knitground.core.slicing.facts import grid_facts
from knitground.core.slicing.grid import cut, lay_grid
from knitground.demo.pans import (
    BLUSH,
    BRINE,
    CLAY,
    CRUST,
    LEFT_OUT,
    VARIANTS,
    pan_tiles,
    pans_sheet,
)
from knitground.demo.project import TERRAINS
from knitground.demo.props import PLACES, props_sheet


def steps(picture, axis, every, borders):
    """Mean change between neighbouring pixels along an axis, at tile borders or inside."""
    change = np.abs(np.diff(picture[..., :3].astype(float), axis=axis)).sum(axis=-1)
    at = np.arange(change.shape[axis])
    chosen = at[(at % every == every - 1) == borders]
    return float(np.take(change, chosen, axis=axis).mean())


@pytest.mark.parametrize("axis", [0, 1])
def test_tile_borders_can_not_be_seen_in_the_knitted_ground(demo, axis):
    map_ = demo.maps[1]
    map_.layers = map_.layers[:1]
    knit_map(demo, map_)
    picture = map_picture(demo, map_)
    inside, seams = steps(picture, axis, 16, False), steps(picture, axis, 16, True)
    assert seams <= 1.2 * inside
    # The map wraps: its own border is a seam like any other.
    first, last = np.take(picture, 0, axis), np.take(picture, -1, axis)
    over = np.abs(first[..., :3].astype(float) - last[..., :3]).sum(axis=-1).mean()
    assert over <= 1.6 * inside


def test_every_pair_that_borders_is_complete_and_brine_never_meets_clay():
    marks = {tile.marks for tile in pan_tiles()}
    for low, high in ((BRINE, CRUST), (CLAY, CRUST), (BLUSH, CRUST)):
        mine = {each for each in marks if set(each) <= {low, high}}
        assert len(mine) == (15 if low == BLUSH else 16)
    nw, ne, sw, se = ((CRUST if each else BLUSH) for each in LEFT_OUT[1])
    assert (nw, ne, sw, se) not in marks  # left out on purpose: coverage has it to show
    assert not any({BRINE, CLAY} <= set(each) for each in marks)


def test_the_sheet_has_no_tile_twice_and_few_colours():
    picture, tiles = pans_sheet()
    grid = lay_grid(_slicing(), picture.shape[1], picture.shape[0])
    facts = grid_facts(picture, grid)
    assert not facts.doubles.any()
    assert int(facts.empty.sum()) == grid.count - len(tiles)
    colours = np.unique(picture.reshape(-1, 4), axis=0)
    assert len(colours) <= 24


def _slicing():
    from knitground.core.model.slicing import Slicing

    return Slicing(16, 16, 4, 4, 2, 2)


def test_variants_of_plain_ground_share_their_border_pixels():
    picture, tiles = pans_sheet()
    pixels = cut(picture, lay_grid(_slicing(), picture.shape[1], picture.shape[0]))
    for terrain, count in VARIANTS.items():
        same = [pixels[n] for n, tile in enumerate(tiles) if tile.marks == (terrain,) * 4]
        assert len(same) == count >= 3
        for each in same[1:]:
            for side in (np.s_[0], np.s_[-1], np.s_[:, 0], np.s_[:, -1]):
                assert (each[side] == same[0][side]).all()
            assert (each != same[0]).any()


def test_props_stand_where_the_project_says_and_are_see_through():
    sheet = props_sheet()
    for name, (row, col) in PLACES.items():
        tile = sheet[row * 16 : row * 16 + 16, col * 16 : col * 16 + 16]
        assert (tile[..., 3] > 0).any(), name
        assert (tile[..., 3] == 0).any(), name


def test_both_maps_have_no_gap_and_bridge_through_crust(demo):
    for map_ in demo.maps:
        assert knit_map(demo, map_) == 0
        assert not any((layer.cells == GAP).any() for layer in map_.layers)
    graph = build_graph(layer_table(demo, demo.maps[0], demo.maps[0].layers[0]))
    assert graph.way(BRINE, CLAY) == [BRINE, CRUST, CLAY]
    assert graph.way(BLUSH, CLAY) == [BLUSH, CRUST, CLAY]


def test_marks_in_the_demo_are_those_of_the_drawn_tiles(demo):
    tileset = demo.tilesets[0]
    marks = tileset.sets[0].marks_within(tileset.rows, tileset.columns)
    flat = marks.reshape(-1, 9)[:, list(CORNERS)]
    for place, tile in enumerate(pan_tiles()):
        assert tuple(flat[place]) == tile.marks
    assert not flat[len(pan_tiles()) :].any()


# Colours for eyes that miss one kind of cone, after the matrices of Viénot, Brettel and Mollon,
# "Digital video colourmaps for checking the legibility of displays by dichromats", 1999.
_MISSING = {
    "red": [[0.11238, 0.88762, 0], [0.11238, 0.88762, 0], [0.00401, -0.00401, 1]],
    "green": [[0.29275, 0.70725, 0], [0.29275, 0.70725, 0], [-0.02234, 0.02234, 1]],
}


def seen(code, missing):
    rgb = np.array([int(code[n : n + 2], 16) for n in (1, 3, 5)], float) / 255
    return (np.array(_MISSING[missing]) @ rgb**2.2).clip(0, 1) ** (1 / 2.2)


@pytest.mark.parametrize("missing", ["red", "green"])
def test_the_first_terrains_colours_are_told_apart_without_red_or_green(missing):
    for colours in (TERRAIN_COLOURS[:6], [terrain.colour for terrain in TERRAINS]):
        views = [seen(code, missing) for code in colours]
        for n, one in enumerate(views):
            for other in views[n + 1 :]:
                assert np.abs(one - other).max() > 0.07


def test_letters_are_free_ones_of_the_name_first():
    assert free_letter("clay", []) == "C"
    assert free_letter("clay", ["C", "L", "A", "Y"]) == "B"
    assert free_letter("42", []) == "4"
    assert free_letter("- -", []) == "A"
    taken = []
    for _ in range(64):
        taken.append(free_letter("moor", taken))
    assert len(set(taken)) == 64
    while len(taken) < 66:
        taken.append(free_letter("moor", taken))
    assert free_letter("moor", taken) == "?"
