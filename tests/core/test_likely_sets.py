"""Likely sets: found among a sheet's tiles without a mark, named by colour, added in one step."""

from itertools import permutations, product

import numpy as np
import pytest
from bench.shades import guessed, is_right, shaded, unrelated
from tests.core.test_guess import corner_art, isometric, road_art
from tests.core.test_labelling import ring_art
from tests.maps import snapshot

from knitground.core.base.errors import Cancelled, EditError, SlicingError
from knitground.core.edit.document import Document
from knitground.core.edit.likelysets import (
    _name_for,
    add_likely_set,
    colour_word,
    guess_words,
    kit_of_guess,
    named_guess,
    sheet_sets,
    texture_word,
    with_tiles,
    without_tiles,
)
from knitground.core.files.opening import open_project
from knitground.core.knit.bridge import build_graph
from knitground.core.knit.faces import describe_tiles
from knitground.core.knit.labelling import SLOT_ORDERS
from knitground.core.knit.layer import set_table
from knitground.core.knit.likelysets import SetGuess, find_sets
from knitground.core.knit.making import key_of_marks, make_tiles
from knitground.core.knit.sample import lay_sample
from knitground.core.knit.setscore import _named_alike, codes_of, look_as
from knitground.core.model.project import Project
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
    offers = {}
    for name, kinds in (("pans", ["corner"]), ("works", ["ring", "edge"])):
        sheet = demo.tileset_named(name)
        true = {kit.kind.value: kit for kit in sheet.sets}
        sheet.sets = []
        found = offers[name] = sheet_sets(sheet)
        assert [each.kind.value for each in found[: len(kinds)]] == kinds
        for guess in found[: len(kinds)]:
            kit = true[guess.kind.value]
            marks = kit.marks_within(sheet.rows, sheet.columns)
            flat, places = marks.reshape(-1, 9), list(np.ndindex(sheet.rows, sheet.columns))
            assert agreement(guess, flat, places) > 0.9
            assert len(guess.places) >= 0.9 * int(marks.any(axis=2).sum())
    pans, guess = demo.tileset_named("pans"), offers["pans"][0]
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
    again = kit_of_guess(pans, guess)
    assert [each.name for each in again.terrains] == [each.name for each in kit.terrains]
    assert again.name != kit.name
    assert not again.name[-1].isdigit(), "sets of like colours are told apart by words"
    pans.sets.append(again)
    assert kit_of_guess(pans, guess).name == f"{again.name} 2"
    pans.sets.pop()
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


def test_terrains_of_one_colour_are_told_apart_by_words_and_not_by_numbers():
    rng = np.random.default_rng(3)
    plain = np.full((16, 16, 4), (40, 130, 150, 255), np.uint8)
    rough, striped, light = plain.copy(), plain.copy(), plain.copy()
    rough[..., :3] = np.clip(plain[..., :3] + rng.integers(-30, 30, (16, 16, 1)), 0, 255)
    striped[::2, :, :3] -= 25
    light[..., :3] += 20
    assert [texture_word(each) for each in (plain, rough, striped)] == [
        "smooth",
        "rough",
        "striped",
    ]
    taken, seen = [], []
    for each in (plain, rough, striped, light):
        taken.append(_name_for(each, taken, seen))
        seen.append(each)
    assert taken == ["teal", "rough teal", "striped teal", "smooth teal"]
    assert _name_for(light, taken, seen) == "light teal"


def test_ring_sets_are_found_by_their_47():
    tiles, own = ring_art(20, 5)
    places = places_of(47)
    best = find_sets(tiles, places)[0]
    assert best.kind is SetKind.RING
    assert agreement(best, own, places) > 0.9


# Ways drawn once, to be turned


def test_a_ring_set_is_seen_at_the_first_look():
    """Corners begin by where both their sides are like, not all as other neighbours."""
    for seed in range(3):
        told = describe_tiles(ring_art(16, seed)[0], SetKind.RING)
        quick, close = (look_as(told, SetKind.RING, quick=quick) for quick in (True, False))
        assert quick.fit > 0.98 * close.fit > 0.7
        assert quick.score > 0.9 * close.score > 0.6


def test_a_terrain_without_a_plain_tile_is_named_by_the_corners_that_show_it():
    """Land all round, and not one tile of land alone: its tiles show mostly the other terrain."""
    size, combos = 16, [c for c in product((1, 2), repeat=4) if any(v == 2 for v in c)]
    tiles = np.zeros((len(combos), size, size, 4), np.uint8)
    for tile, corners in zip(tiles, combos):
        tile[:] = (20, 60, 200, 255)
        y, x = np.indices((size, size)) >= size // 2
        for value, at in zip(corners, (~y & ~x, ~y & x, y & x, y & ~x)):
            if value == 1:
                tile[at] = (60, 150, 40, 255)
    places = places_of(len(tiles))
    marks = np.zeros((len(tiles), 9), np.uint8)
    marks[:, [Slot.NW, Slot.NE, Slot.SE, Slot.SW]] = combos
    plain = (None, places[combos.index((2, 2, 2, 2))])
    sheet = np.zeros((2 * size, 8 * size, 4), np.uint8)
    for (row, col), tile in zip(places, tiles):
        sheet[row * size : (row + 1) * size, col * size : (col + 1) * size] = tile
    tileset = Tileset("coast", "coast.png", 8 * size, 2 * size, Slicing(size, size), picture=sheet)
    guess = SetGuess(SetKind.CORNER, places, marks, 2, plain, 15, 0.9)
    kit = kit_of_guess(tileset, guess)
    assert [each.name for each in kit.terrains] == ["green", "blue"]
    tileset.sets.append(kit)
    table, _ = set_table(Project("P", tilesets=[tileset]), tileset, kit)
    assert [table.has_plain(n) for n in (1, 2)] == [False, True]
    laid = lay_sample(table, build_graph(table), 2)
    assert (laid == 2).mean() > 0.5  # the sample stands on blue: on green all would be gaps


def test_the_search_can_be_called_off_between_any_two_groups():
    tiles, _, _ = corner_art(16, 3)
    places = [divmod(n, 8) for n in range(len(tiles))]
    told = []
    find_sets(tiles, places, told.append)
    assert len(told) > 4
    assert all(0 <= each < 1 for each in told)

    def stop(part):
        if len(seen) == 2:
            raise Cancelled("enough")
        seen.append(part)

    seen = []
    with pytest.raises(Cancelled):
        find_sets(tiles, places, stop)
    assert seen == told[:2]


def way_rows(colours, size=24, seed=0):
    """A row a colour of ways on black: straight down, across, a bend, a fork, a crossing, an end.

    Behind each row lies a plate that is no way at all.
    """
    rng = np.random.default_rng(seed)
    sides = [(1, 0, 1, 0), (0, 1, 0, 1), (1, 1, 0, 0), (1, 1, 0, 1), (1, 1, 1, 1), (1, 0, 0, 0)]
    tiles, marks = [], []
    half, wide = size // 2, size // 6
    for colour in colours:
        for north, east, south, west in sides:
            tile = np.zeros((size, size, 4), np.uint8)
            tile[..., 3] = 255
            across = slice(half - wide, half + wide)
            for on, spot in (
                (north, (slice(0, half + wide), across)),
                (south, (slice(half - wide, size), across)),
                (west, (across, slice(0, half + wide))),
                (east, (across, slice(half - wide, size))),
            ):  # fmt: skip
                if on:
                    tile[(*spot, slice(0, 3))] = colour + rng.integers(-6, 7, 3)
            tiles.append(tile)
            own = np.zeros(9, np.uint8)
            own[[0, 2, 4, 6]] = north, east, south, west
            marks.append(own)
        plate = np.zeros((size, size, 4), np.uint8)
        plate[..., 3] = 255
        plate[2:-2, 2:-2, :3] = rng.integers(60, 200, 3)
        tiles.append(plate)
        marks.append(np.zeros(9, np.uint8))
    return np.array(tiles), np.array(marks)


COLOURS = np.array([[200, 60, 50], [60, 190, 80], [70, 90, 220], [210, 200, 60]])


def test_ways_that_are_drawn_once_are_sets_row_by_row():
    tiles, marks = way_rows(COLOURS)
    places = places_of(len(tiles), wide=7)
    found = [each for each in find_sets(tiles, places) if each.score >= 0.5]
    assert len(found) >= 3
    rows = set()
    for guess in found:
        assert guess.kind is SetKind.EDGE
        assert guess.terrains == 1
        assert agreement(guess, marks, places) == 1
        assert len({row for row, _ in guess.places}) == 1
        rows.add(guess.places[0][0])
    assert len(rows) == len(found)
    assert "6 of 15 combinations (15 with the tiles turned)" in guess_words(found[0])
    own = np.array([tiles[places.index(at)] for at in found[0].places])
    had = {key_of_marks(SetKind.EDGE, each) for each in found[0].marks}
    lacking = [key for key in product((0, 1), repeat=4) if any(key) and key not in had]
    made = make_tiles(SetKind.EDGE, own, found[0].marks, lacking, mirror=False, join=False)
    assert len(made) == len(lacking) == 9  # so that one click makes the set whole


def test_six_other_tiles_are_no_ways():
    rng = np.random.default_rng(3)
    for seed in range(6):
        tiles = sprites(6, 24, seed)
        plates = np.zeros((6, 24, 24, 4), np.uint8)
        plates[..., 3] = 255
        plates[:, 4:-4, 4:-4, :3] = rng.integers(0, 256, (6, 1, 1, 3))
        for each in (tiles, plates, noise(seed)[:6]):
            assert all(guess.score < 0.5 for guess in find_sets(each, places_of(6)))


@pytest.mark.parametrize("slot", range(4))
@pytest.mark.parametrize("art", [road_art, corner_art], ids=["roads", "corners"])
def test_a_slot_whose_two_values_are_named_the_other_way_round_is_named_as_the_others(art, slot):
    """Values are found slot by slot: what is a way at one side must not be none at another."""
    is_road = art is road_art
    tiles, marks, _ = road_art(16, 5, True, copies=1) if is_road else corner_art(16, 5)
    kind = SetKind.EDGE if is_road else SetKind.CORNER
    codes, told = codes_of(kind), describe_tiles(tiles, kind)
    shown = marks[:, [int(each) for each in SLOT_ORDERS[kind]]].astype(int)
    true = shown - shown.min()
    number = {tuple(each): n for n, each in enumerate(codes.values.tolist())}
    right = np.array([number[tuple(each)] for each in true.tolist()])
    assert (_named_alike(told, codes, right) == right).all()
    swapped = true.copy()
    swapped[:, slot] ^= 1
    wrong = np.array([number[tuple(each)] for each in swapped.tolist()])
    named = codes.values[_named_alike(told, codes, wrong)]
    assert (named == true).all() or (named == 1 - true).all()


def sheet_of(tiles, wide=8):
    """Put tiles on a sheet of their own."""
    count, high, across, _ = tiles.shape
    rows = -(-count // wide)
    picture = np.zeros((rows * high, wide * across, 4), np.uint8)
    for n, tile in enumerate(tiles):
        row, col = divmod(n, wide)
        picture[row * high : (row + 1) * high, col * across : (col + 1) * across] = tile
    return Tileset("art", "art.png", wide * across, rows * high, Slicing(across, high),
                   picture=picture)  # fmt: skip


def test_a_tile_that_is_put_in_gets_the_marks_that_it_had():
    tiles, _, _ = corner_art(16, 2)
    sheet = sheet_of(tiles)
    (guess, *_) = sheet_sets(sheet)
    for n in (0, 5, len(guess.places) - 1):
        at = guess.places[n]
        less = without_tiles(guess, [at])
        assert at not in less.places
        assert less.combinations <= guess.combinations
        again = with_tiles(sheet, less, [at])
        assert again.places[-1] == at
        assert (again.marks[-1] == guess.marks[n]).all()
        assert again.combinations == guess.combinations
    assert with_tiles(sheet, guess, guess.places[:3]) is guess
    with pytest.raises(EditError, match="a set needs a tile"):
        without_tiles(guess, guess.places)
    sheet.sets.append(kit_of_guess(sheet, without_tiles(guess, guess.places[4:])))
    with pytest.raises(EditError, match="tile 0 is in a set already"):
        with_tiles(sheet, without_tiles(guess, guess.places[:4]), [guess.places[0]])


def test_terrains_of_a_likely_set_are_named_and_named_by_their_art_again():
    tiles, _, _ = corner_art(16, 2)
    sheet = sheet_of(tiles)
    (guess, *_) = sheet_sets(sheet)
    own = [each.name for each in kit_of_guess(sheet, guess).terrains]
    named = named_guess(sheet, guess, 1, "reed")
    assert [each.name for each in kit_of_guess(sheet, named).terrains] == [own[0], "reed"]
    with pytest.raises(EditError, match="two terrains are called “reed”"):
        named_guess(sheet, named, 0, "reed")
    assert named_guess(sheet, named, 1, "").names == ("", "")


def test_two_kinds_of_art_on_one_sheet_are_read_each_by_itself():
    flat, *_ = corner_art(16, 3)
    upright = np.zeros((len(flat), 32, 32, 4), np.uint8)
    upright[:] = flat.repeat(2, axis=1).repeat(2, axis=2)
    low = isometric(corner_art(16, 4)[0])
    standing = np.zeros((len(low), 32, 32, 4), np.uint8)
    standing[:, 16:] = low
    both = np.concatenate([upright, standing])
    down = 2 + (len(flat) - 1) // 8
    places = places_of(len(flat)) + [(row + down, col) for row, col in places_of(len(low))]
    found = [each for each in find_sets(both, places) if each.score > 0.8]
    assert [each.kind for each in found] == [SetKind.CORNER] * 2
    assert {len({row >= down for row, _ in each.places}) for each in found} == {1}, "none has both"
    assert {len(each.places) for each in found} == {len(flat)}


def blobs(colour, seed, noise, size=24):
    """Bodies that go on at the sides where they are joined, each with eyes of its own."""
    rng = np.random.default_rng(seed)
    y, x = np.indices((size, size)) + 0.5
    tiles, marks = [], []
    for sides in product((0, 1), repeat=4):
        body = np.ones((size, size), bool)
        for on, away in zip(sides, (y, size - x, size - y, x)):
            edge = 2 + rng.integers(0, noise + 1) + np.sin(rng.uniform(0, 6) + x + y)
            body &= (away > edge) | bool(on)
        out = np.zeros((size, size, 4), np.uint8)
        out[body] = (*colour, 255)
        out[body, :3] -= rng.integers(0, 20, (body.sum(), 1)).astype(np.uint8)
        for middle in (size / 3, size * 2 / 3):
            away = y - size * 0.4 + rng.uniform(-3, 3), x - middle + rng.uniform(-3, 3)
            out[np.hypot(*away) < 3.5] = 255
        tiles.append(out)
        marks.append(np.array([*np.kron(sides, [1, 0])], np.uint8))
    return np.stack(tiles), np.stack(marks)


def test_a_row_that_lies_as_one_that_was_found_is_read_by_its_marks():
    """By itself the third row is taken for a corner set of half of its tiles."""
    rows = [blobs((200, 40, 40), 1, 0), blobs((40, 90, 200), 2, 6), blobs((60, 180, 60), 3, 8)]
    alone = find_sets(rows[2][0], places_of(16, 16))
    assert not any(each.kind is SetKind.EDGE and len(each.places) > 12 for each in alone)
    sheet = np.concatenate([*(tiles for tiles, _ in rows), sprites(16, 24, 5)])
    found = find_sets(sheet, places_of(64, 16))
    assert [each.kind for each in found] == [SetKind.EDGE] * 3
    assert sorted(each.places[0][0] for each in found) == [0, 1, 2], "and nothing of the figures"
    marks = np.concatenate([marks for _, marks in rows])
    for each in found:
        assert len(each.places) == each.combinations == 15
        own = [places_of(64, 16).index(at) for at in each.places]
        assert (each.marks[:, [0, 2, 4, 6]] == marks[own][:, [0, 2, 4, 6]]).all()


def test_sets_as_likely_as_each_other_come_in_the_order_of_the_sheet():
    tiles, _, _ = road_art(16, 2, True, copies=1)
    other = tiles.copy()
    other[..., :3] = 255 - other[..., :3]
    found = find_sets(np.concatenate([other, tiles]), places_of(32, 16))
    assert [each.places[0][0] for each in found] == [0, 1]


@pytest.mark.parametrize(("size", "shade", "grain"), [(16, 0.8, 12), (16, 0.88, 4), (32, 0.88, 12)])
def test_sand_in_sand_is_found(size, shade, grain):
    """Opaque ground whose border is a shade of its own colour: a person sees it at once."""
    for seed, rim in product((1, 2), (False, True)):
        tiles, marks = shaded(size, seed, shade, grain, rim=rim)
        guess = guessed(tiles)
        assert is_right(guess, marks)
        assert guess.kind is SetKind.CORNER


def test_grounds_that_are_a_little_lighter_or_darker_are_no_set():
    for seed in range(6):
        guess = guessed(unrelated(16, seed))
        assert guess is None or guess.score < 0.5


def test_tiles_are_described_alike_however_many_there_are():
    tiles = np.concatenate([corner_art(16, seed)[0] for seed in range(9)])  # 288: three at a time
    for kind in SetKind:
        whole = describe_tiles(tiles, kind)
        for at in (slice(0, 130), slice(125, 131), slice(287, 288)):
            part = describe_tiles(tiles[at], kind)
            assert np.array_equal(part.lines, whole.lines[at])
            for some, every in zip(part.parts, whole.parts):
                assert np.array_equal(some, every[at])
