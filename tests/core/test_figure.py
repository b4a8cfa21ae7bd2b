"""Walking: never in a wall, never through one, the same way for the same keys."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.maps import small_project

from knitground.core.base.errors import EditError
from knitground.core.edit.document import Document
from knitground.core.model.lattice import DIAMOND, Rect
from knitground.core.model.map import Map
from knitground.core.model.project import Project
from knitground.core.model.shapes import ShapeForm, TileShape
from knitground.core.model.slicing import Slicing
from knitground.core.model.tile import TileRef
from knitground.core.model.tileset import TileFacts, Tileset
from knitground.core.proof.proof import CHECKS, run_check
from knitground.core.render.atlas import Atlas
from knitground.core.walk.cover import covered
from knitground.core.walk.figure import Figure, Keys, Stand, View, Walk
from knitground.core.walk.solids import Solids
from knitground.core.walk.wander import wander

WHOLE = TileShape("solid", ShapeForm.BOX, ((0, 0), (8, 8)))
SLOPE = TileShape("solid", ShapeForm.POLYGON, ((0, 8), (8, 0), (8, 8)))
FLOOR = TileShape("one-way", ShapeForm.BOX, ((0, 0), (8, 2)))
NICK = TileShape("solid", ShapeForm.BOX, ((0, 3), (8, 8)))
ROUND = TileShape("solid", ShapeForm.ROUND, ((1, 1), (7, 7)))
LOW = TileShape("solid", ShapeForm.BOX, ((0, 2), (8, 8)))
KINDS = {"#": WHOLE, "/": SLOPE, "-": FLOOR, "n": NICK, "o": ROUND, "i": LOW}


def field(text, wrap=False):
    """A map drawn in letters: # walls, / a slope, - a floor that only bears, n a low wall."""
    rows = [line for line in text.split("\n") if line.strip()]
    picture = np.full((8, 48, 4), 255, np.uint8)
    owner = Tileset("sheet", "sheet.png", 48, 8, Slicing(8, 8), picture=picture)
    map_ = Map("Map", len(rows), len(rows[0]), 8, 8, wrap)
    layer = map_.new_tile_layer("Walls")
    map_.layers.append(layer)
    for n, (letter, shape) in enumerate(KINDS.items()):
        owner.facts[0, n] = TileFacts(shapes=(shape,))
        place = map_.legend.place(TileRef("sheet", 0, n))
        for row, line in enumerate(rows):
            for col, each in enumerate(line):
                if each == letter:
                    layer.cells[row, col] = place
    doc = Document(Project("Small", None, [owner], [], [map_]))
    return doc, map_, layer


def go(walk, at, keys, ticks):
    for _ in range(ticks):
        at = walk.step(at, keys)
    return at


def test_solid_pixels_are_those_of_the_shapes_whatever_block_is_asked_for():
    doc, map_, _ = field("#/.\n.-n\n..o")
    solids = Solids(doc, map_)
    seen = solids.seen(0, 0, 24, 24)
    assert seen[:8, :8].all()
    assert seen[:8, 8:16].sum() == 36, "half of it, its diagonal with it"
    assert not seen[8:16, 8:16].any(), "what only bears is not solid"
    assert solids.seen(8, 8, 8, 8, one_way=True).sum() == 16
    assert [row.any() for row in seen[8:16, 16:24]] == [False] * 3 + [True] * 5
    assert 24 <= seen[16:24, 16:24].sum() <= 32
    around = solids.seen(-2, -2, 28, 28)
    assert around[0].all()
    assert around[:, -1].all()
    assert (around[2:26, 2:26] == seen).all()


def test_borders_of_a_map_that_wraps_are_open():
    doc, map_, _ = field("....\n....\n....\n....", wrap=True)
    walk = Walk(Solids(doc, map_), Figure(4, 8, 60))
    at = go(walk, walk.begin(16, 16), Keys(across=1), 60)
    assert at.x == (16 + 60) % 32
    doc, map_, _ = field("....\n....\n....\n....")
    walk = Walk(Solids(doc, map_), Figure(4, 8, 60))
    assert go(walk, walk.begin(16, 16), Keys(across=1), 60).x == 30


def test_walls_stop_and_corners_are_slid_round():
    doc, map_, _ = field("........\n...##...\n...##...\n........\n........")
    walk = Walk(Solids(doc, map_), Figure(6, 8, 120))
    at = go(walk, walk.begin(12, 22), Keys(across=1), 60)
    assert at.x == 24 - 3, "beside the wall"
    slid = go(walk, Stand(21, 14), Keys(across=1, down=1), 60)
    assert slid.y > 28, "diagonally along it"


def test_a_slope_is_slid_along_from_above_and_climbed_from_the_side():
    doc, map_, _ = field("........\n...../..\n..../#..\n.../##..\n########")
    above = Walk(Solids(doc, map_), Figure(4, 4, 60))
    assert go(above, above.begin(8, 31), Keys(across=1), 60).y < 26
    side = Walk(Solids(doc, map_), Figure(4, 7, 60, 20, View.SIDE))
    at = go(side, side.begin(8, 30), Keys(), 30)
    assert (at.y, at.is_grounded) == (32, True)
    up = go(side, at, Keys(across=1), 40)
    assert up.y <= 12
    down = go(side, go(side, at, Keys(across=1), 30), Keys(across=-1), 50)
    assert (down.y, down.is_grounded) == (32, True)


def test_from_the_side_one_falls_jumps_and_lands():
    doc, map_, _ = field("......\n......\n......\n......\n......\n######")
    walk = Walk(Solids(doc, map_), Figure(4, 7, 60, 20, View.SIDE))
    at = go(walk, walk.begin(16, 10), Keys(), 60)
    assert (at.y, at.fall, at.is_grounded) == (40, 0.0, True)
    highest, here = at.y, at
    for _ in range(60):
        here = walk.step(here, Keys(jump=True))
        highest = min(highest, here.y)
    assert 18 <= at.y - highest <= 22
    assert here.is_grounded, "a key that is held does not jump again"
    assert not walk.step(walk.step(here, Keys()), Keys(jump=True)).is_grounded


def test_floors_that_only_bear_are_jumped_through_and_dropped_from():
    doc, map_, _ = field("......\n......\n..--..\n......\n######")
    walk = Walk(Solids(doc, map_), Figure(4, 7, 60, 24, View.SIDE))
    at = go(walk, walk.begin(24, 30), Keys(), 30)
    assert at.y == 32
    up = go(walk, walk.step(at, Keys(jump=True)), Keys(), 60)
    assert (up.y, up.is_grounded) == (16, True)
    assert go(walk, up, Keys(down=1), 60).y == 32


def test_an_edge_that_catches_is_told():
    doc, map_, _ = field("........\n###n....\n........")
    walk = Walk(Solids(doc, map_), Figure(4, 4, 60))
    caught = go(walk, Stand(31, 11), Keys(across=-1, down=1), 60)
    assert (caught.x, caught.y, caught.caught) == (26, 11, True), "three pixels up it would go on"
    low, low_map, _ = field("........\n###i....\n........")
    past = go(Walk(Solids(low, low_map), Figure(4, 4, 60)), Stand(31, 9), Keys(-1, 1), 60)
    assert (past.x, past.y, past.caught) == (2, 8, False), "over an edge of two pixels it goes"
    assert not go(walk, Stand(44, 11), Keys(across=-1), 30).caught, "it walked into it, no more"
    doc, map_, _ = field("........\n..#.....\n..#.....\n..######\n........")
    corner = go(Walk(Solids(doc, map_), Figure(4, 4, 60)), Stand(44, 20), Keys(-1, 1), 60)
    assert (corner.x, corner.y, corner.caught) == (26, 24, False), "where walls meet is no edge"


def test_those_that_wander_find_the_edges_that_catch_and_no_corners():
    plain = "............\n..######....\n............\n............"
    figure = Figure(4, 4, 60)
    doc, map_, _ = field(plain)
    assert len(wander(Solids(doc, map_), figure, (0, 0, 96, 32))) == 0
    doc, map_, _ = field(plain.replace("######", "###n##"))
    found = wander(Solids(doc, map_), figure, (0, 0, 96, 32))
    assert len(found) > 20
    assert set(found[:, 0] // 8) <= {4, 5, 6}
    assert set(found[:, 1].tolist()) == {11}
    again = wander(Solids(doc, map_), figure, (0, 0, 96, 32))
    assert (again == found).all()
    told = run_check(doc, CHECKS["edges"], map_)
    assert len(told) == 1
    assert {(1, 5)} <= set(told[0].places) <= {(1, 4), (1, 5), (1, 6)}


@given(st.integers(0, 2**31), st.sampled_from(list(View)), st.sampled_from([7, 60, 900, 4000]))
def test_it_is_never_in_a_wall_at_any_speed_and_the_way_is_the_same(seed, view, speed):
    rng = np.random.default_rng(seed)
    letters = rng.choice(list(".....#/-no"), (9, 12))
    letters[3:5, 4:7] = "."
    doc, map_, _ = field("\n".join("".join(row) for row in letters), wrap=bool(seed % 2))
    solids = Solids(doc, map_)
    walk = Walk(solids, Figure(int(rng.integers(1, 10)), int(rng.integers(1, 12)), speed, 30, view))
    begin = walk.begin(44, 36)
    held = np.stack([rng.integers(-1, 2, 60), rng.integers(-1, 2, 60), rng.integers(0, 2, 60)])
    pressed = [Keys(across, down, bool(jump)) for across, down, jump in held.T.tolist()]
    at, way = begin, []
    for keys in pressed:
        before, at = at, walk.step(at, keys)
        assert walk.is_free(at.x, at.y)
        far = max(abs(at.x - before.x), 0)
        assert far <= speed / 60 + 2 or map_.wrap
        way.append((at.x, at.y))
    again = Walk(Solids(doc, map_), walk.figure)
    at = begin
    for keys, there in zip(pressed, way):
        at = again.step(at, keys)
        assert (at.x, at.y) == there


def test_where_there_is_no_room_it_says_so_and_else_begins_beside():
    doc, map_, _ = field("####\n####\n####\n####")
    with pytest.raises(EditError, match="no room within 64 px"):
        Walk(Solids(doc, map_), Figure(4, 8)).begin(10, 10)
    with pytest.raises(EditError, match="make the figure smaller"):
        Walk(Solids(doc, map_), Figure(40, 8))
    for wrong in ({"wide": 0}, {"high": 600}, {"speed": 0.0}, {"jump": -1.0}):
        with pytest.raises(EditError, match="give"):
            Figure(**wrong)
    doc, map_, _ = field("####\n#..#\n#..#\n####")
    at = Walk(Solids(doc, map_), Figure(4, 8)).begin(2, 2)
    assert at.x - 2 >= 8
    assert at.y >= 12


def test_what_is_drawn_is_solid_at_once_when_its_pixels_are_forgotten():
    doc, map_, layer = field("....\n....\n....\n....")
    solids = Solids(doc, map_)
    assert not solids.seen(8, 8, 8, 8).any()
    layer.cells[1, 1] = 1
    solids.forget(Rect(8, 8, 8, 8))
    assert solids.seen(8, 8, 8, 8).all()


def test_it_hides_behind_what_stands_nearer_and_not_behind_what_stands_farther():
    doc, map_, ground, tiles = small_project()
    owner = doc.project.tilesets[0]
    owner.picture[..., 3] = 255
    tiles.cells[5, 5] = map_.legend.place(TileRef("sheet", 0, 0))
    atlas, figure = Atlas(doc.project, map_), Figure(8, 16)
    behind = covered(doc, map_, atlas, figure, Stand(44, 46))
    assert behind.any()
    assert behind[-5:].any()
    before = covered(doc, map_, atlas, figure, Stand(44, 49))
    assert not before.any(), "its feet are nearer than the tile's lower edge"
    tiles.height = 8
    assert covered(doc, map_, atlas, figure, Stand(44, 44)).any()
    assert ground in map_.layers


def test_on_diamonds_the_border_is_where_no_diamond_is_and_is_slid_along():
    map_ = Map("Yard", 8, 8, 32, 16, grid=DIAMOND)
    doc = Document(Project("Small", None, [], [], [map_]))
    walk = Walk(Solids(doc, map_), Figure(4, 4, 60))
    at = walk.begin(*map_.lattice.middle(4, 4))
    for ways in ((0, -1), (1, 0), (0, 1), (-1, 0), (1, 1), (-1, -1)):
        at = go(walk, at, Keys(*ways), 200)
        row, col = map_.lattice.cell_at(at.x, at.y - 1)
        assert 0 <= row < 8
        assert 0 <= col < 8
    slid = go(walk, walk.begin(*map_.lattice.middle(7, 4)), Keys(down=1), 60)
    assert abs(slid.x - map_.lattice.middle(7, 4)[0]) > 8, "two pixels aside for each one down"


@pytest.mark.parametrize("wrap", [False, True])
@pytest.mark.parametrize("side", [16, 24, 256])
def test_any_rectangle_is_cut_out_of_the_same_pixels(wrap, side):
    """Across blocks, across the border, and larger than the map."""
    rng = np.random.default_rng(side)
    letters = rng.choice([".", "#"], (6, 5), p=[0.6, 0.4])
    doc, map_, _ = field("\n".join("".join(row) for row in letters), wrap=wrap)
    solids = Solids(doc, map_, side=side)
    whole = np.repeat(np.repeat(letters == "#", 8, 0), 8, 1)
    for _ in range(60):
        x, y = rng.integers(-90, 90, 2).tolist()
        wide, high = rng.integers(1, 120, 2).tolist()
        ys, xs = np.mgrid[y : y + high, x : x + wide]
        inside = (ys >= 0) & (ys < 48) & (xs >= 0) & (xs < 40)
        want = whole[ys % 48, xs % 40] | (False if wrap else ~inside)
        assert (solids.seen(x, y, wide, high) == want).all()
