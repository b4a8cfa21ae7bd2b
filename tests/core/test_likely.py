from functools import cache

import numpy as np
import pytest
from tests.sheets import KINDS, Layout, make, opaque, palette, sprite, texture

from knitground.core.model.slicing import Slicing
from knitground.core.slicing import gridweights
from knitground.core.slicing.axis import axis_grids
from knitground.core.slicing.evidence import backgrounds, brightness, colour_codes, gather
from knitground.core.slicing.facts import grid_facts
from knitground.core.slicing.grid import lay_grid
from knitground.core.slicing.likely import both_axes, likely_grids, rate
from knitground.core.slicing.pairs import join_axes, pair_up
from knitground.core.slicing.pitches import LINES, fold

SEEDS = range(12)


@cache
def guessed(kind, seed):
    """A sheet, and what is guessed of it: several tests look at the same."""
    sheet = make(kind, seed)
    return sheet, likely_grids(sheet.picture)


def hits(kind, seeds=SEEDS):
    best = three = 0
    for seed in seeds:
        sheet, guesses = guessed(kind, seed)
        found = [guess.slicing == sheet.truth for guess in guesses[:3]]
        best += found[:1] == [True]
        three += any(found)
    return best / len(seeds), three / len(seeds)


@pytest.mark.parametrize(
    ("kind", "best", "three"),
    [("packed", 0.7, 0.8), ("spaced", 0.7, 0.8), ("uneven", 0.7, 0.8), ("separators", 0.9, 0.95),
     ("extruded", 0.85, 0.9), ("overlays", 0.7, 0.8), ("half filled", 0.8, 0.9)],
)  # fmt: skip
def test_sheets_of_a_kind_are_mostly_guessed_right(kind, best, three):
    # Far below what docs/reading-art.md reports for many sheets: this guards against a fall.
    found = hits(kind)
    assert found[0] >= best
    assert found[1] >= three


def test_sheets_without_a_grid_are_not_offered_one_with_confidence():
    sure = [guessed("no grid", seed)[1] for seed in SEEDS]
    assert sum(bool(g) and g[0].score >= 0.35 for g in sure) <= 3


@pytest.mark.parametrize("size", [(1, 1), (7, 90), (8, 8), (40, 9)])
def test_tiny_and_flat_pictures_have_no_likely_grid(size):
    flat = np.full((*size, 4), 255, np.uint8)
    assert likely_grids(flat) == [] or likely_grids(flat)[0].score < 0.35


def test_the_demo_sheet_is_sure_and_its_reasons_are_words():
    from knitground.demo.pans import pans_sheet

    guesses = likely_grids(pans_sheet()[0])
    assert guesses[0].slicing == Slicing(16, 16, 4, 4, 2, 2)
    assert (guesses[0].columns, guesses[0].rows) == (12, 6)
    assert guesses[0].score > 0.9 > 0.5 > guesses[1].score
    assert "gutters are one flat colour" in guesses[0].reasons
    assert guesses[0].words() == "16 × 16, margin 4, spacing 2"


def test_guesses_are_best_first_and_all_cut_the_sheet():
    tiny = [
        np.random.default_rng(n).integers(0, 255, (9 + n, 11 + 3 * n, 4), np.uint8)
        for n in range(30)
    ]
    sheets = [guessed(kind, 3) for kind in KINDS]
    looked = [(sheet.picture, guesses) for sheet, guesses in sheets]
    for picture, guesses in [*looked, *((each, likely_grids(each)) for each in tiny)]:
        scores = [guess.score for guess in guesses]
        assert all(0 <= score <= 1 for score in scores)
        for guess in guesses:
            grid = lay_grid(guess.slicing, picture.shape[1], picture.shape[0])
            assert (grid.columns, grid.rows) == (guess.columns, guess.rows)


def test_the_colour_of_see_through_pixels_does_not_matter():
    sheet = make("overlays", 4)
    tinted = sheet.picture.copy()
    hidden = tinted[..., 3] == 0
    tinted[hidden, :3] = np.random.default_rng(1).integers(0, 256, (int(hidden.sum()), 3))
    plain = [g.slicing for g in likely_grids(sheet.picture)]
    assert [g.slicing for g in likely_grids(tinted)][:1] == plain[:1]


def test_separator_lines_are_not_taken_for_a_part_of_the_tile():
    rng = np.random.default_rng(5)
    lay = Layout(rng, tile=(96, 66), spacing=(1, 1), margin=(0, 0), back=(0, 0, 0, 255))
    for row, col in lay.places():
        lay.put(row, col, opaque(texture(rng, lay.h, lay.w, palette(rng))))
    assert likely_grids(lay.sheet)[0].slicing == lay.done().truth


def test_evidence_tells_flat_columns_changes_and_crossings():
    picture = np.zeros((40, 60, 4), np.uint8)
    for col in range(0, 60, 10):
        picture[:, col : col + 8] = (200, (col * 37) % 255, 40, 255)
        picture[::3, col + 1 : col + 7 : 2] = (20, 90, 40, 255)
    codes, luma = colour_codes(picture), brightness(picture)
    assert backgrounds(codes)[0] == 0
    evidence = gather(codes, luma, np.uint32(0))
    assert evidence.flat.tolist() == ([0.0] * 8 + [1.0] * 2) * 6
    assert (evidence.crossing[8:10] == 0).all()
    assert evidence.crossing[4] == 1
    assert evidence.runs.tolist() == [[10 * n + 8, 10 * n + 10] for n in range(5)]
    grids = axis_grids(evidence)
    best = int(np.argmax(rate(grids.features, gridweights.AXIS)))
    assert (grids.tile[best], grids.spacing[best], grids.margin[best]) == (8, 2, 0)
    assert grids.count[best] == 6
    assert grids.features["runs held"][best] == 1


def test_folded_profiles_are_those_of_each_grid_counted_one_by_one():
    codes, luma = _noise()
    evidence = gather(codes, luma, np.uint32(0))
    folded = fold(evidence)
    lines = np.stack([getattr(evidence, name) for name in LINES])[:, 1:64]
    floor = np.array([0.15, 0.10, 0.30, 0.30])
    for pitch, phase in ((5, 2), (16, 0), (21, 20), (63, 0), (63, 62)):
        at = int(folded.at(np.array(pitch), np.array(phase)))
        places = np.arange(1, 64)
        own = places % pitch == phase
        for k in range(4):
            if not own.any():
                assert folded.gains[k, at] == 0
                continue
            a, b = lines[k][own], lines[k][~own]
            whole = lines[k].var() + floor[k]
            wanted = (a.mean() - b.mean()) / np.sqrt(whole)
            assert folded.lifts[k, at] == pytest.approx(np.clip(wanted, -1, 3), abs=1e-9)
            gain = 0.5 * (
                63 * np.log(whole)
                - own.sum() * np.log(a.var() + floor[k])
                - (~own).sum() * np.log(b.var() + floor[k])
            )
            gain *= [0, 0.35, 0.7, 0.9, 1][min(own.sum(), 4)]
            gain = max(gain, 0) if wanted > 0 else 0
            assert folded.gains[k, at] == pytest.approx(24 * np.log1p(gain / 24), abs=1e-9)


def test_likeness_to_itself_moved_is_what_comparing_pixels_gives():
    codes, luma = _noise()
    evidence = gather(codes, luma, np.uint32(0))
    rows = luma.astype(float) / 128 + 0.7
    for p in (1, 7, 30):
        wanted = ((rows[:, :-p] - rows[:, p:]) ** 2).mean()
        assert evidence.unlike[p] == pytest.approx(wanted)
    assert np.isinf(evidence.unlike[[0, 60]]).all()


def test_each_feature_is_weighed_and_each_weight_has_its_words():
    picture = make("spaced", 2).picture
    codes = colour_codes(picture)
    axes = both_axes(picture, backgrounds(codes))
    pairs = join_axes([pair_up(a, d) for a, d in axes])
    assert set(axes[0][0].features) == set(gridweights.AXIS)
    assert set(pairs.features) == set(gridweights.PAIR)
    for table in (gridweights.AXIS, gridweights.PAIR, gridweights.SCORE):
        assert all(words for _, words in table.values())


# Kinds of sheets that were once read wrongly


def strip_of_figures(rng, count, side):
    out = np.zeros((side, count * side, 4), np.uint8)
    colours = palette(rng)
    for n in range(count):
        figure = sprite(rng, side - 4, side - 6, colours, 0.8)
        out[2 : 2 + figure.shape[0], n * side + 3 : n * side + 3 + figure.shape[1]] = figure
    return out


@pytest.mark.parametrize("side", [24, 30, 40])
def test_a_strip_of_figures_is_cut_into_squares(side):
    cut = likely_grids(strip_of_figures(np.random.default_rng(side), 9, side))[0].slicing
    assert (cut.tile_width, cut.tile_height, cut.spacing_x, cut.margin_x) == (side, side, 0, 0)


@pytest.mark.parametrize("thick", [1, 2])
def test_lines_drawn_round_a_row_of_cells_are_spacing_and_margin(thick):
    rng, side, count = np.random.default_rng(thick), 30, 11
    wide = thick + count * (side + thick) + 17  # and something left over
    sheet = np.zeros((side + 2 * thick, wide, 4), np.uint8)
    sheet[..., 3] = 255
    sheet[:, : wide - 17] = (255, 0, 255, 255)
    for n in range(count):
        x = thick + n * (side + thick)
        sheet[thick:-thick, x : x + side] = (0, 0, 0, 255)
        figure = sprite(rng, 22, 20, palette(rng), 0.8)
        part = sheet[thick + 3 : thick + 25, x + 4 : x + 24]
        seen = figure[..., 3] > 0
        part[seen] = figure[seen]
    cut = likely_grids(sheet)[0].slicing
    assert cut == Slicing(side, side, thick, thick, thick, thick)


def test_empty_borders_of_figures_are_not_spacing_where_the_tile_fills_the_sheet():
    rng = np.random.default_rng(3)
    sheet = np.zeros((5 * 20, 8 * 16, 4), np.uint8)
    for row in range(5):
        for col in range(8):
            figure = sprite(rng, 14, 10, palette(rng), 0.9)
            sheet[row * 20 + 3 : row * 20 + 17, col * 16 + 3 : col * 16 + 13] = figure
    cut = likely_grids(sheet)[0].slicing
    assert cut == Slicing(16, 20)


def test_tiles_built_of_blocks_are_seen_whole_or_offered_whole():
    rng = np.random.default_rng(8)
    tiles = []
    for _ in range(40):
        blocks = [opaque(texture(rng, 16, 16, palette(rng))) for _ in range(2)]
        picked = [blocks[n] for n in (0, 1, 1, 0)]
        tile = np.concatenate([np.concatenate(picked[:2], 1), np.concatenate(picked[2:], 1)])
        tile[[0, -1]] = tile[:, [0, -1]] = (20, 20, 20, 255)  # an outline round the whole
        tiles.append(tile)
    sheet = np.concatenate([np.concatenate(tiles[n : n + 8], 1) for n in range(0, 40, 8)])
    assert Slicing(32, 32) in [g.slicing for g in likely_grids(sheet)[:3]]


@pytest.mark.parametrize("size", [(1, 1), (1, 400), (400, 1), (8, 16384), (16384, 8), (900, 900)])
@pytest.mark.parametrize("what", ["one colour", "clear", "noise"])
def test_odd_pictures_are_looked_at_without_an_error(size, what):
    picture = np.full((*size, 4), 90, np.uint8)
    if what == "clear":
        picture[..., 3] = 0
    elif what == "noise":
        picture = np.random.default_rng(1).integers(0, 256, (*size, 4), np.uint8)
        picture[..., 3] = 255
    guesses = likely_grids(picture)
    assert not guesses or guesses[0].score < 0.5 or min(size) <= 8


def _noise():
    picture = np.random.default_rng(1).integers(0, 255, (64, 64, 4), np.uint8)
    picture[..., 3] = 255
    return colour_codes(picture), brightness(picture)


def test_facts_name_empty_double_and_crossed_tiles():
    picture = np.zeros((32, 48, 4), np.uint8)
    picture[2:14, 2:14] = (200, 10, 10, 255)
    picture[2:14, 18:30] = (200, 10, 10, 255)
    picture[20:28, 12:20] = (10, 10, 200, 255)  # lies across the line between two tiles
    facts = grid_facts(picture, lay_grid(Slicing(16, 16), 48, 32))
    assert facts.empty.tolist() == [[False, False, True], [False, False, True]]
    assert facts.doubles.tolist() == [[False, True, False], [False, False, False]]
    assert facts.first[0, 1] == 0
    assert facts.crossed.tolist() == [[False, False, False], [True, True, False]]
