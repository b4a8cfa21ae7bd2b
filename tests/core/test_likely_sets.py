"""Likely sets: found among a sheet's tiles without a mark, named by colour, added in one step."""

from itertools import permutations

import numpy as np
import pytest
from tests.core.test_guess import corner_art, isometric, road_art
from tests.core.test_labelling import ring_art
from tests.maps import snapshot

from knitground.core.base.errors import Cancelled, SlicingError
from knitground.core.edit.document import Document
from knitground.core.edit.likelysets import (
    add_likely_set,
    colour_word,
    guess_words,
    kit_of_guess,
    sheet_sets,
)
from knitground.core.files.opening import open_project
from knitground.core.knit.likelysets import find_sets
from knitground.core.model.slicing import Slicing
from knitground.core.model.terrain import SetKind, Slot
from knitground.core.model.tileset import Tileset


@pytest.fixture
def demo(demo_folder):
    return open_project(demo_folder).project


def places_of(count, wide=8):
    return [divmod(n, wide) for n in range(count)]


def agreement(guess, marks, places):
    """Part of the offered tiles whose marks are right, under the best naming."""
    slots = [slot for slot in guess.kind.slots if slot != Slot.MIDDLE]
    true = np.array([marks[places.index(at)][slots] for at in guess.places])
    mine = guess.marks[:, slots]
    names = sorted({*np.unique(true), *np.unique(mine)})
    found = 0.0
    for turned in permutations(names):
        table = np.zeros(256, np.int64)
        table[names] = turned
        found = max(found, float((table[mine] == true).all(axis=1).mean()))
    return found


@pytest.mark.parametrize("seed", range(4))
@pytest.mark.parametrize("flat", [True, False], ids=["square", "diamonds"])
def test_a_corner_set_is_found_whole_with_its_marks(seed, flat):
    tiles, marks, _ = corner_art(16, seed)
    tiles = tiles if flat else isometric(tiles)
    places = places_of(len(tiles))
    (best, *_) = find_sets(tiles, places)
    assert best.kind is SetKind.CORNER
    assert best.terrains == 2
    assert best.score > 0.7
    assert len(best.places) >= 0.9 * len(tiles)
    assert agreement(best, marks, places) > 0.95
    assert all(at in places for at in best.plain)


@pytest.mark.parametrize("overlay", [True, False])
def test_roads_are_an_edge_set_and_stand_against_nothing(overlay):
    tiles, marks, _ = road_art(16, 2, overlay, copies=1)
    places = places_of(len(tiles))
    (best, *_) = find_sets(tiles, places)
    assert best.kind is SetKind.EDGE
    assert best.terrains == 1
    assert agreement(best, marks, places) > 0.9
    if overlay:  # what is seen is the road
        crossing = best.places.index(places[15])
        assert best.marks[crossing][[0, 2, 4, 6]].tolist() == [1, 1, 1, 1]


def sprites(count, size, seed):
    """Round things of colours of their own, on nothing."""
    rng = np.random.default_rng(seed)
    y, x = np.indices((size, size))
    out = np.zeros((count, size, size, 4), np.uint8)
    for n in range(count):
        middle, wide = rng.uniform(size * 0.3, size * 0.7, 2), rng.uniform(2, size / 3)
        on = np.hypot(y - middle[0], x - middle[1]) < wide
        out[n, on] = (*rng.integers(0, 256, 3), 255)
    return out


def test_a_set_is_found_among_other_things_and_they_are_left_out():
    tiles, marks, _ = corner_art(16, 6)
    both = np.concatenate([sprites(20, 16, 1), tiles, sprites(12, 16, 2)])
    places = places_of(len(both))
    wide = np.concatenate([np.zeros((20, 8), np.uint8), marks, np.zeros((12, 8), np.uint8)])
    best = find_sets(both, places)[0]
    own = [places.index(at) for at in best.places]
    inside = sum(20 <= n < 20 + len(tiles) for n in own)
    assert best.kind is SetKind.CORNER
    assert inside >= 0.9 * len(tiles)
    assert inside >= 0.9 * len(own)
    assert agreement(best, wide, places) > 0.85


def noise(seed):
    return np.random.default_rng(seed).integers(0, 256, (40, 16, 16, 4), np.uint8)


@pytest.mark.parametrize("tiles", [
    np.zeros((20, 16, 16, 4), np.uint8),
    np.full((20, 16, 16, 4), 200, np.uint8),
    np.full((30, 1, 1, 4), 90, np.uint8),
    noise(3), sprites(40, 16, 5), sprites(60, 24, 6), noise(4)[:4],
], ids=["clear", "one colour", "1 px", "noise", "sprites", "large sprites", "four"])  # fmt: skip
def test_nothing_is_offered_where_there_is_no_set(tiles):
    found = find_sets(tiles, places_of(len(tiles)))
    assert all(each.score < 0.5 for each in found)


def test_the_demo_s_sheets_give_their_sets_whole(demo):
    for name, kinds in (("pans", ["corner"]), ("works", ["ring", "edge"])):
        sheet = demo.tileset_named(name)
        true = {kit.kind.value: kit for kit in sheet.sets}
        sheet.sets = []
        found = sheet_sets(sheet)
        assert [each.kind.value for each in found[: len(kinds)]] == kinds
        for guess in found[: len(kinds)]:
            kit = true[guess.kind.value]
            marks = kit.marks_within(sheet.rows, sheet.columns)
            flat, places = marks.reshape(-1, 9), list(np.ndindex(sheet.rows, sheet.columns))
            assert agreement(guess, flat, places) > 0.9
            assert len(guess.places) >= 0.9 * int(marks.any(axis=2).sum())
    pans = demo.tileset_named("pans")
    guess = sheet_sets(pans)[0]
    assert guess.terrains == 4
    kit = kit_of_guess(pans, guess)
    assert sorted(each.name for each in kit.terrains) == ["brown", "pink", "teal", "white"]
    assert len({each.letter for each in kit.terrains}) == 4
    assert guess_words(guess).startswith("corner set · 4 terrains")


def test_a_likely_set_is_added_as_one_step_and_what_is_marked_is_not_offered_again(demo):
    pans = demo.tileset_named("pans")
    pans.sets = []
    document = Document(demo)
    before = snapshot(demo)
    guess = sheet_sets(pans)[0]
    document.apply(add_likely_set(pans, guess))
    kit = pans.sets[0]
    marks = kit.marks_within(pans.rows, pans.columns)
    assert {tuple(at) for at in np.argwhere(marks.any(axis=2)).tolist()} == set(guess.places)
    assert not any(set(each.places) & set(guess.places) for each in sheet_sets(pans))
    document.undo()
    assert snapshot(demo) == before
    assert pans.sets == []


def test_a_missing_sheet_too_many_tiles_and_pieces_are_told(demo):
    props = demo.tileset_named("props")
    props.picture = None
    with pytest.raises(SlicingError, match="is missing: find it first"):
        sheet_sets(props)
    many = Tileset("m", "m.png", 1024, 1024, Slicing(8, 8),
                   picture=np.zeros((1024, 1024, 4), np.uint8))  # fmt: skip
    with pytest.raises(SlicingError, match=r"16384 tiles.*4096 at most"):
        sheet_sets(many)

    def stop(part):
        raise Cancelled("called off")

    with pytest.raises(Cancelled):
        find_sets(corner_art(16, 1)[0], places_of(32), stop)


@pytest.mark.parametrize(("colour", "word"), [
    ((250, 250, 250), "white"), ((10, 10, 10), "black"), ((130, 130, 132), "grey"),
    ((40, 160, 50), "green"), ((220, 190, 40), "yellow"), ((20, 30, 70), "dark blue"),
    ((206, 144, 157), "pink"), ((200, 30, 30), "red"),
])  # fmt: skip
def test_colours_have_names(colour, word):
    assert colour_word(np.full((3, 3, 4), (*colour, 255), np.uint8)) == word
    assert colour_word(np.zeros((3, 3, 4), np.uint8)) == "clear"


def test_ring_sets_are_found_by_their_47():
    tiles, own = ring_art(20, 5)
    places = places_of(47)
    best = find_sets(tiles, places)[0]
    assert best.kind is SetKind.RING
    assert agreement(best, own, places) > 0.9
