"""How a mix falls: shares, no neighbours alike, clumps; part and whole; wrapping; repetition."""

import numpy as np
import pytest
from tests.maps import small_project

from knitground.core.base.errors import EditError, GrowError
from knitground.core.base.window import Box
from knitground.core.chance.fall import check_fall, fall_cells, laid_cells, repetition
from knitground.core.grow.mixfill import fill_from_mix
from knitground.core.model.mix import Fall, FallWay, Mix, MixEntry
from knitground.core.model.recipe import MixStep
from knitground.core.model.tile import TileRef

WAYS = [Fall(way) for way in FallWay]
WEIGHTS = (2.5, 2.5, 2.0, 1.5, 1.0, 0.5)


def laid(fall, size=(64, 64), seed=3, weights=WEIGHTS, torus=None, dealt=None):
    return fall_cells(weights, fall, np.arange(size[0]), np.arange(size[1]), seed, 2, torus, dealt)


def touching(cells, wraps):
    pairs = int((cells[1:] == cells[:-1]).sum() + (cells[:, 1:] == cells[:, :-1]).sum())
    if wraps:
        pairs += int((cells[0] == cells[-1]).sum() + (cells[:, 0] == cells[:, -1]).sum())
    return pairs


@pytest.mark.parametrize("fall", WAYS, ids=lambda f: f.way.value)
@pytest.mark.parametrize("torus", [None, (50, 60), (51, 61)])
def test_a_part_falls_as_the_whole(fall, torus):
    size = torus or (50, 60)
    whole = laid(fall, size, torus=torus)
    rng = np.random.default_rng(1)
    for _ in range(12):
        top, left = (int(each) for each in rng.integers(0, 40, 2))
        rows = np.arange(top, top + rng.integers(1, 14))
        cols = np.arange(left, left + rng.integers(1, 25))
        if torus:
            rows, cols = rows % size[0], cols % size[1]
        else:
            rows, cols = rows[rows < size[0]], cols[cols < size[1]]
        part = fall_cells(WEIGHTS, fall, rows, cols, 3, 2, torus)
        assert (part == whole[np.ix_(rows, cols)]).all()


@pytest.mark.parametrize("fall", WAYS, ids=lambda f: f.way.value)
def test_shares_come_out_and_seeds_are_not_alike(fall):
    cells = laid(fall, (256, 256))
    part = np.bincount(cells.ravel(), minlength=6) / cells.size
    off = {FallWay.DEALT: 0.002, FallWay.ALONE: 0.01, FallWay.APART: 0.02, FallWay.CLUMPS: 0.06}
    assert np.abs(part - np.array(WEIGHTS) / 10).max() <= off[fall.way]
    other = laid(fall, (256, 256), seed=4)
    alike = (cells == other).mean()
    assert alike < 0.35  # by chance 0.2


def test_exact_shares_are_exact_to_the_cell_in_any_region():
    mask = np.random.default_rng(2).random((40, 50)) < 0.37
    cells = laid(Fall(FallWay.DEALT), (40, 50), dealt=mask)
    counts = np.bincount(cells[mask], minlength=6)
    exact = np.array(WEIGHTS) / 10 * mask.sum()
    assert np.abs(counts - exact).max() < 1
    assert counts.sum() == mask.sum()


@pytest.mark.parametrize("weights", [(1.0, 1.0), (1.0,) * 5, WEIGHTS, (1.0,) * 16])
@pytest.mark.parametrize("size", [(64, 64), (256, 256)])
def test_no_two_side_by_side_are_alike(weights, size):
    cells = laid(Fall(FallWay.APART), size, weights=weights)
    assert touching(cells, False) == 0
    torus = laid(Fall(FallWay.APART), size, weights=weights, torus=size)
    if size[0] % 2 == 0:
        assert touching(torus, True) == 0


def test_no_two_alike_at_the_seam_of_a_map_of_odd_size():
    cells = laid(Fall(FallWay.APART), (51, 63), weights=(1.0,) * 6, torus=(51, 63))
    assert touching(cells, True) == 0


@pytest.mark.parametrize(
    ("weights", "words"),
    [
        ((1.0,), "one tile can not keep apart"),
        ((1.0, 1.0, 1.0), "3 tiles can not keep apart"),
        ((9.0, 1.0, 1.0, 1.0, 1.0), "28% is the most"),
    ],
)
def test_what_can_not_keep_apart_is_refused_with_the_cure(weights, words):
    with pytest.raises(EditError, match=words):
        check_fall(weights, Fall(FallWay.APART))
    with pytest.raises(EditError, match=words):
        laid(Fall(FallWay.APART), weights=weights)


def test_clumps_are_as_large_as_asked():
    def same_beside(cells):
        return (cells[:, 1:] == cells[:, :-1]).mean()

    small, large = (laid(Fall(FallWay.CLUMPS, size), (128, 128)) for size in (3.0, 16.0))
    alone = laid(Fall(), (128, 128))
    assert same_beside(alone) < same_beside(small) < same_beside(large)
    assert same_beside(large) > 0.8
    wraps = laid(Fall(FallWay.CLUMPS, 8.0), (48, 48), torus=(48, 48))
    inner = (wraps[:, 1:] == wraps[:, :-1]).mean()
    seam = (wraps[:, 0] == wraps[:, -1]).mean()
    assert seam > inner - 0.15


@pytest.mark.parametrize("density", [0.1, 0.5, 0.9])
def test_clumps_fill_the_part_that_is_asked_for(density):
    at = np.arange(256)
    for fall in (Fall(), Fall(FallWay.CLUMPS, 6.0)):
        part = laid_cells(density, fall, at, at, 5, 1).mean()
        assert abs(part - density) < 0.06


def test_rolling_a_wrapping_fill_shows_no_seam():
    cells = laid(Fall(FallWay.CLUMPS, 9.0), (60, 60), torus=(60, 60))
    inside = (cells[20:41] != cells[19:40]).mean()
    seam = (cells[0] != cells[-1]).mean()
    assert seam < 2.5 * inside + 0.1


def test_repetition_is_seen_where_there_is_any():
    random = laid(Fall(), (256, 256), weights=(1.0,) * 8)
    assert repetition(random)[0] < 0.01
    tiled = np.tile(laid(Fall(), (16, 32)), (8, 4))
    value, (down, across) = repetition(tiled)
    assert value > 0.99
    assert (down % 16, across % 32) == (0, 0)
    part = random.copy()
    part[:64, 128:] = part[:64, :128]
    assert 0.05 < repetition(part)[0] < 0.5
    assert repetition(np.zeros((8, 8)))[0] == 1.0


@pytest.mark.parametrize("fall", WAYS, ids=lambda f: f.way.value)
def test_the_recipe_step_falls_as_the_mix_does_and_a_part_as_the_whole(fall):
    doc, map_, _, _ = small_project((40, 44), wrap=True)
    tiles = tuple(MixEntry(TileRef("sheet", 0, n), weight) for n, weight in enumerate(WEIGHTS))
    doc.project.mixes.append(Mix("m", tiles, fall))
    grown = map_.new_grown_layer("Grown")
    map_.layers.append(grown)
    step = MixStep(grown.number, "m", 0.6)
    whole = fill_from_mix(doc.project, map_, step, 0, Box(0, 0, 40, 44))
    part = fill_from_mix(doc.project, map_, step, 0, Box(35, 40, 48, 52))
    assert (part == whole[np.ix_(np.arange(35, 48) % 40, np.arange(40, 52) % 44)]).all()
    assert 0.45 < (whole > 0).mean() < 0.75
    if fall.way is FallWay.DEALT:
        counts = [int((whole == map_.legend.place(each.tile)).sum()) for each in tiles]
        assert max(abs(c - w / 10 * sum(counts)) for c, w in zip(counts, WEIGHTS)) < 1


def test_a_step_whose_mix_can_not_fall_says_so():
    doc, map_, _, _ = small_project()
    doc.project.mixes.append(Mix("m", (MixEntry(TileRef("sheet", 0, 0)),), Fall(FallWay.APART)))
    grown = map_.new_grown_layer("Grown")
    map_.layers.append(grown)
    with pytest.raises(GrowError, match=r"step 1: mix “m”: one tile can not keep apart"):
        fill_from_mix(doc.project, map_, MixStep(grown.number, "m"), 0, Box(0, 0, 8, 10))
