import numpy as np
import pytest
from tests.sheets import KINDS, Layout, make, opaque, palette, texture

from knitground.core.model.slicing import Slicing
from knitground.core.slicing.axis import axis_guesses, habit
from knitground.core.slicing.evidence import backgrounds, brightness, colour_codes, gather
from knitground.core.slicing.facts import grid_facts
from knitground.core.slicing.grid import lay_grid
from knitground.core.slicing.likely import likely_grids

SEEDS = range(12)


def right(guess, truth):
    return guess.slicing == truth


def hits(kind, seeds=SEEDS):
    best = three = 0
    for seed in seeds:
        sheet = make(kind, seed)
        found = [right(guess, sheet.truth) for guess in likely_grids(sheet.picture)[:3]]
        best += found[:1] == [True]
        three += any(found)
    return best / len(seeds), three / len(seeds)


@pytest.mark.parametrize(
    ("kind", "best", "three"),
    [("packed", 0.7, 0.8), ("spaced", 0.7, 0.8), ("uneven", 0.7, 0.8), ("separators", 0.9, 0.95),
     ("extruded", 0.85, 0.9), ("overlays", 0.7, 0.8), ("half filled", 0.8, 0.9)],
)  # fmt: skip
def test_sheets_of_a_kind_are_mostly_guessed_right(kind, best, three):
    # Far below what docs/likely-grids.md reports for many sheets: this guards against a fall.
    found = hits(kind)
    assert found[0] >= best
    assert found[1] >= three


def test_sheets_without_a_grid_are_not_offered_one_with_confidence():
    sure = [likely_grids(make("no grid", seed).picture) for seed in SEEDS]
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
    for picture in [*(make(kind, 3).picture for kind in KINDS), *tiny]:
        guesses = likely_grids(picture)
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
    codes, luma = colour_codes(picture), brightness(picture)
    assert backgrounds(codes)[0] == 0
    evidence = gather(codes, luma, np.uint32(0))
    assert evidence.flat.tolist() == ([0.0] * 8 + [1.0] * 2) * 6
    assert (evidence.crossing[8:10] == 0).all()
    assert evidence.crossing[4] == 1
    best = axis_guesses(evidence)[0]
    assert (best.tile, best.spacing, best.margin, best.count) == (8, 2, 0, 6)


def test_usual_numbers_are_preferred():
    guesses = axis_guesses(gather(*_noise(), np.uint32(0)))
    whole = next(g for g in guesses if g.count == 1)
    assert habit(whole, 64) == max(habit(g, 64) for g in guesses if g.tile == whole.tile)


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
