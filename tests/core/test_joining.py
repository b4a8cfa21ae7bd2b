"""Tiles that a tile would join: what they share is the same, in sets of every kind."""

from dataclasses import replace

import numpy as np
import pytest

from knitground.core.knit.joining import joined_tiles
from knitground.core.knit.keys import keys_of
from knitground.core.model.terrain import ANY, Slot

SHARED = {
    "Pans": {
        (0, 1): ((Slot.NE, Slot.NW), (Slot.SE, Slot.SW)), (0, -1): ((Slot.NW, Slot.NE),
        (Slot.SW, Slot.SE)), (-1, 0): ((Slot.NW, Slot.SW), (Slot.NE, Slot.SE)),
        (1, 0): ((Slot.SW, Slot.NW), (Slot.SE, Slot.NE)), (1, 1): ((Slot.SE, Slot.NW),),
        (-1, -1): ((Slot.NW, Slot.SE),), (1, -1): ((Slot.SW, Slot.NE),),
        (-1, 1): ((Slot.NE, Slot.SW),),
    },
    "Causeways": {
        (0, 1): ((Slot.E, Slot.W),), (0, -1): ((Slot.W, Slot.E),),
        (-1, 0): ((Slot.N, Slot.S),), (1, 0): ((Slot.S, Slot.N),),
    },
}  # fmt: skip
ROUND = {
    (-1, 0): Slot.N, (0, 1): Slot.E, (1, 0): Slot.S, (0, -1): Slot.W,
    (-1, 1): Slot.NE, (1, 1): Slot.SE, (1, -1): Slot.SW, (-1, -1): Slot.NW,
}  # fmt: skip


def kit_of(demo, name):
    return next((t, s) for t in demo.tilesets for s in t.sets if s.name == name)


def marked(tileset, kit):
    marks = kit.marks_within(tileset.rows, tileset.columns)
    return marks, [tuple(at) for at in np.argwhere(marks.any(axis=2)).tolist()]


@pytest.mark.parametrize("name", SHARED)
def test_what_tiles_share_with_those_round_them_is_the_same(demo, name):
    tileset, kit = kit_of(demo, name)
    marks, places = marked(tileset, kit)
    count = 0
    for at in places:
        if tileset.sets[0] is not kit and tileset.sets[0].marks_within(*marks.shape[:2])[at].any():
            continue
        for place, tile in joined_tiles(demo, tileset, at).items():
            assert tile.tileset == tileset.name
            for own, other in SHARED[name].get(place, ()):
                pair = int(marks[at][own]), int(marks[tile.row, tile.col][other])
                assert pair[0] == pair[1] or ANY in pair, (at, place, pair)
                count += 1
    assert count > 30


def test_a_plain_tile_lies_among_its_like_and_a_border_goes_straight_on(demo):
    tileset, kit = kit_of(demo, "Pans")
    marks, places = marked(tileset, kit)
    corners = [Slot.NW, Slot.NE, Slot.SW, Slot.SE]
    plain = [at for at in places if len(set(marks[at][corners].tolist())) == 1]
    for at in plain:
        beside = joined_tiles(demo, tileset, at)
        assert set(beside) == set(ROUND)
        for tile in beside.values():
            assert (marks[tile.row, tile.col][corners] == marks[at][corners]).all()
    edges = ([1, 1, 2, 2], [2, 2, 1, 1])
    border = next(at for at in places if marks[at][corners].tolist() in edges)
    beside = joined_tiles(demo, tileset, border)
    for place in ((0, 1), (0, -1)):
        assert (marks[beside[place].row, beside[place].col] == marks[border]).all()


def test_areas_of_a_ring_set_have_neighbours_where_they_go_on(demo):
    tileset, kit = kit_of(demo, "Dykes")
    marks, places = marked(tileset, kit)
    first = tileset.sets[0]
    for at in places:
        if first is not kit and first.marks_within(*marks.shape[:2])[at].any():
            continue
        own = marks[at]
        beside = joined_tiles(demo, tileset, at)
        for place, slot in ROUND.items():
            goes_on = own[slot] in (own[Slot.MIDDLE], ANY)
            assert goes_on or place not in beside
            if place in beside:
                down, across = place
                back = ROUND[-down, -across]
                other = marks[beside[place].row, beside[place].col]
                key = keys_of(kit.kind).of_marks(other.astype(int), len(kit.terrains))[1]
                if 0 in place:  # sides always count, corners only with both of theirs
                    assert other[back] in (other[Slot.MIDDLE], ANY)
                assert key[0][0] == own[Slot.MIDDLE]


def test_a_tile_in_no_set_joins_nothing_and_never_used_ones_are_not_taken(demo):
    tileset, kit = kit_of(demo, "Pans")
    places = marked(tileset, kit)[1]
    props = next(t for t in demo.tilesets if t.name == "props")
    assert joined_tiles(demo, props, (0, 0)) is None
    plain = places[0]
    taken = set(joined_tiles(demo, tileset, plain).values())
    facts = dict(tileset.facts)
    for tile in taken:
        at = (tile.row, tile.col)
        facts[at] = replace(tileset.fact(*at), weight=0.0)
    tileset.facts = facts
    assert not taken & set(joined_tiles(demo, tileset, plain).values())
