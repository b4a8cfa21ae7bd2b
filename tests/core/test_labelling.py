"""Marks read off the art: foreign tiles, missing ones, thousands, overlays, outlines."""

from itertools import product

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.core.test_guess import CORNERS, SIDES, corner_art, guessed, isometric, road_art
from tests.core.test_kinds import ring_marks

from knitground.core.base.errors import Cancelled
from knitground.core.knit.codes import corner_codes, edge_codes, ring_codes
from knitground.core.knit.faces import describe_tiles, square_faces
from knitground.core.knit.guess import guess_all, guess_marks
from knitground.core.knit.heaps import main_axis
from knitground.core.knit.labelling import Labeller
from knitground.core.knit.means import AlikeSlots
from knitground.core.model.terrain import ANY, SetKind, Slot


def outlined_art(size, seed):
    """Land with a dark outline and a light rim on see-through ground, with specks in the middle."""
    rng = np.random.default_rng(seed)
    y, x = (np.indices((size, size)) + 0.5) / size
    tiles, marks = [], []
    for corners in list(product((0, 1), repeat=4)) * 2:
        nw, ne, sw, se = corners
        level = (nw * (1 - x) + ne * x) * (1 - y) + (sw * (1 - x) + se * x) * y
        level += rng.normal(0, 0.02, (size, size))
        rgba = np.zeros((size, size, 4), np.uint8)
        rgba[level > 0.5] = (150, 120, 70, 255)
        rgba[(level > 0.5) & (level < 0.6)] = (30, 20, 10, 255)
        rgba[(level > 0.6) & (level < 0.66)] = (230, 210, 160, 255)
        for _ in range(3):
            at = rng.integers(size // 3, 2 * size // 3, 2)
            if level[tuple(at)] > 0.7:
                rgba[tuple(at)] = (60, 160, 60, 255)
        tiles.append(rgba)
        mark = np.zeros(8, np.uint8)
        mark[CORNERS] = corners
        marks.append(mark)
    return np.stack(tiles), np.stack(marks), [15]


def ring_art(size, seed):
    """Floors with a rim towards all that is not floor: the 47 tiles of a ring set."""
    rng = np.random.default_rng(seed)
    marks, rim = ring_marks(), size // 5
    y, x = np.indices((size, size))
    low, high = rim, size - rim - 1
    tiles = []
    for mark in marks:
        land = np.ones((size, size), bool)
        for slot, part in (
            (Slot.N, y < low), (Slot.S, y > high), (Slot.W, x < low), (Slot.E, x > high),
            (Slot.NW, (y < low) & (x < low)), (Slot.NE, (y < low) & (x > high)),
            (Slot.SE, (y > high) & (x > high)), (Slot.SW, (y > high) & (x < low)),
        ):  # fmt: skip
            if not mark[slot]:
                land &= ~part
        rgb = np.where(land[..., None], (150, 90, 60), (90, 140, 90))
        rgb = np.clip(rgb + rng.normal(0, 5, (size, size, 1)), 0, 255)
        tiles.append(np.concatenate([rgb, np.full((size, size, 1), 255)], -1))
    return np.stack(tiles).astype(np.uint8), marks


@pytest.mark.parametrize("seed", range(3))
def test_one_terrain_against_nothing_with_outlines_is_read_from_one_tile(seed):
    right, wrong = guessed(*outlined_art(24, seed)[:2], SetKind.CORNER, [15])
    assert right >= 0.97
    assert wrong <= 0.01


@pytest.mark.parametrize("seed", range(3))
def test_missing_tiles_and_foreign_ones_do_no_harm(seed):
    rng = np.random.default_rng(seed)
    tiles, true, examples = corner_art(16, seed)
    keep = np.sort(np.unique([*examples, *np.flatnonzero(rng.random(len(tiles)) < 0.6)]))
    at = [int(np.flatnonzero(keep == each)[0]) for each in examples]
    right, _ = guessed(tiles[keep], true[keep], SetKind.CORNER, at)
    assert right >= 0.97
    strange = np.full((10, 16, 16, 4), 255, np.uint8)
    strange[..., :3] = rng.integers(0, 256, (10, 4, 4, 3)).repeat(4, 1).repeat(4, 2)
    both = np.concatenate([tiles, strange])
    given = np.full((len(both), 8), 255, np.uint8)
    given[examples] = true[examples]
    found, sure = guess_marks(both, SetKind.CORNER, given)
    assert (found[: len(tiles)] == true).mean() > 0.98
    assert not found[len(tiles) :].any()
    assert not sure[len(tiles) :, CORNERS].any()


def test_isometric_overlays_in_the_lower_half_are_laid_out_square():
    tiles, true, examples = road_art(32, 2, overlay=True)
    flat = isometric(tiles)  # 32 high, 64 wide
    tall = np.concatenate([np.zeros_like(flat), flat], axis=1)
    assert square_faces(tall).shape[1:3] == (32, 32)
    right, wrong = guessed(tall, true, SetKind.EDGE, examples)
    assert right >= 0.97
    assert wrong <= 0.01


def test_a_colour_that_most_tiles_have_in_all_corners_is_see_through():
    tiles, true, examples = road_art(16, 3, overlay=True)
    keyed = tiles.copy()
    keyed[tiles[..., 3] == 0] = (255, 0, 255, 255)
    one, other = (describe_tiles(each, SetKind.EDGE).lines for each in (tiles, keyed))
    assert np.abs(one - other).max() < 1e-9
    right, _ = guessed(keyed, true, SetKind.EDGE, examples)
    assert right >= 0.97


def test_thousands_of_tiles_are_read_by_a_part_of_them():
    tiles, true, examples = corner_art(8, 5, copies=100)
    right, wrong = guessed(tiles, true, SetKind.CORNER, examples)
    assert right >= 0.94
    assert wrong <= 0.02


def test_what_is_given_holds_any_too_and_same_pixels_get_the_same_marks():
    tiles, true, examples = corner_art(16, 1)
    given = np.full((len(true), 9), 255, np.uint8)
    given[:, 8] = 0
    given[examples, :8] = true[examples]
    given[3, Slot.NW] = ANY
    given[4, Slot.SE] = 3 - true[4, Slot.SE]  # wrong, but said by hand
    doubled = np.concatenate([tiles, tiles[5:6], tiles[5:6]])
    more = np.concatenate([given, given[5:6], given[5:6]])
    found, sure = guess_all(doubled, SetKind.CORNER, more)
    assert found[3, Slot.NW] == ANY
    assert found[4, Slot.SE] == 3 - true[4, Slot.SE]
    assert sure[4, Slot.SE] == 1
    assert (found[-1] == found[5]).all()
    assert (found[-2] == found[5]).all()
    again, _ = guess_all(doubled, SetKind.CORNER, more)
    assert (again == found).all()


def test_three_terrains_are_told_apart():
    rng = np.random.default_rng(4)
    colours = np.array([(60, 120, 50), (190, 170, 110), (50, 90, 160)], float)
    y, x = (np.indices((16, 16)) + 0.5) / 16
    tiles, marks = [], []
    pairs = ((1, 2), (2, 3))
    for pair in pairs:
        for corners in product(pair, repeat=4):
            nw, ne, sw, se = (each == pair[1] for each in corners)
            level = (nw * (1 - x) + ne * x) * (1 - y) + (sw * (1 - x) + se * x) * y
            low, high = colours[pair[0] - 1], colours[pair[1] - 1]
            rgb = np.where((level > 0.5)[..., None], high, low) + rng.normal(0, 6, (16, 16, 1))
            tiles.append(np.concatenate([np.clip(rgb, 0, 255), np.full((16, 16, 1), 255)], -1))
            mark = np.zeros(8, np.uint8)
            mark[CORNERS] = corners
            marks.append(mark)
    tiles, marks = np.stack(tiles).astype(np.uint8), np.stack(marks)
    examples = [next(n for n, m in enumerate(marks) if (m[CORNERS] == each).all())
                for each in (1, 2, 3)]  # fmt: skip
    right, wrong = guessed(tiles, marks, SetKind.CORNER, examples)
    assert right >= 0.97
    assert wrong <= 0.01


def test_the_labels_found_are_those_of_the_least_energy_of_all_on_a_tiny_set():
    tiles, true, _ = road_art(16, 7, overlay=False, copies=1)
    few = [15, 0, 5, 10, 3]
    told = describe_tiles(tiles[few], SetKind.EDGE)
    codes = edge_codes(2)
    known = np.full((len(few), 4), -1, np.int64)
    known[0] = 1
    allowed = np.ones((len(few), 16), bool)
    allowed[0] = (codes.values == 1).all(axis=1)
    labeller = Labeller(told, codes, allowed, known)
    found = labeller.solve()
    order = [0, 2, 4, 6]  # N E S W
    assert (codes.values[found.code] == true[few][:, order]).all()
    rng = np.random.default_rng(1)
    for _ in range(200):  # no other labelling settles lower
        code = rng.integers(0, 16, len(few))
        code[0] = found.code[0]
        assert labeller._settled(code, 6).energy >= found.energy - 1e-6


def test_codes_list_each_once_and_ring_codes_are_forty_seven():
    assert len(corner_codes(2).values) == 16
    assert len(edge_codes(3).values) == 81
    many = corner_codes(6)
    assert len(many.values) == 6 + 15 * 14
    assert len({tuple(each) for each in many.values.tolist()}) == len(many.values)
    ring = ring_codes(2)
    assert len(ring.values) == 94
    corners = ring.values[:, 4:] % 2 == 1
    sides = ring.values[:, :4] % 2 == 1
    for n, (a, b) in enumerate(((0, 3), (0, 1), (2, 1), (2, 3))):  # NW NE SE SW
        assert (~corners[:, n] | (sides[:, a] & sides[:, b])).all()
    assert set(SIDES) == {0, 2, 4, 6}


def test_rings_are_read_and_reading_is_called_off():
    tiles, own = ring_art(24, 2)
    whole = int(np.flatnonzero((own[:, :8] > 0).all(axis=1))[0])
    given = np.full_like(own, 255)
    given[whole] = own[whole]
    found, _ = guess_all(tiles, SetKind.RING, given)
    assert (found == own).mean() > 0.98

    def stop(part):
        if part > 0.3:
            raise Cancelled("called off")

    with pytest.raises(Cancelled):
        guess_all(tiles, SetKind.RING, given, stop)


@given(st.integers(0, 10**6), st.integers(2, 60), st.integers(1, 40))
def test_the_main_axis_is_that_of_a_whole_decomposition(seed, count, features):
    rng = np.random.default_rng(seed)
    x = rng.normal(size=(count, features)) * rng.uniform(0.1, 3, features)
    centred = x - x.mean(axis=0)
    axis = main_axis(centred)
    assert np.sqrt((axis**2).sum()) == pytest.approx(1)
    most = np.linalg.svd(centred)[1][0]
    # Where two directions differ nearly as much either will do.
    assert np.sqrt(((centred @ axis) ** 2).sum()) >= 0.99 * most


@pytest.mark.parametrize("points", [np.zeros((5, 3)), np.zeros((1, 1)), np.full((4, 2), 1e-200)])
def test_points_that_do_not_differ_have_an_axis_too(points):
    axis = main_axis(points)
    assert np.isfinite(axis).all()
    assert np.sqrt((axis**2).sum()) == pytest.approx(1)


@given(st.integers(0, 10**6), st.integers(1, 9), st.integers(1, 4), st.integers(2, 4))
def test_what_values_cost_is_what_loops_give(seed, n, slots, count):
    """Each slot against the mean of a value: its own slot's and all slots', itself taken out."""
    rng = np.random.default_rng(seed)
    x, over = rng.random((n, slots, 3)), rng.dirichlet(np.ones(3))
    labels = rng.integers(0, count, (n, slots))
    weight = rng.choice([0.0, 1.0, 3.0], n)
    cost, var = AlikeSlots(x, over, 0.7).costs(labels, count, weight)
    means, left = np.zeros((slots, count, 3)), np.zeros(3)
    whole, each = np.zeros(count), np.zeros((slots, count))
    for t, s in np.ndindex(n, slots):
        whole[labels[t, s]] += weight[t]
        each[s, labels[t, s]] += weight[t]
    for s, v in np.ndindex(slots, count):
        everywhere = sum(weight[t] * x[t, z] for t, z in np.ndindex(n, slots) if labels[t, z] == v)
        here = sum(weight[t] * x[t, s] for t in range(n) if labels[t, s] == v)
        own = 0.7 if each[s, v] else 0.0
        means[s, v] = (own * here / (each[s, v] or 1)
                       + (1 - own) * everywhere / (whole[v] or 1))  # fmt: skip
    for t, s in np.ndindex(n, slots):
        left += weight[t] * (x[t, s] - means[s, labels[t, s]]) ** 2
    sure = weight.sum() * slots
    mean_var = left / max(sure, 1e-9)
    held = (sure * mean_var + 6 * mean_var.mean()) / (sure + 6)
    assert var == pytest.approx(held + 0.025 * x.reshape(-1, 3).var(axis=0) + 1e-4)
    for t, s, v in np.ndindex(n, slots, count):
        if not whole[v]:
            assert cost[t, s, v] == 1e3
            continue
        own = 0.7 if each[s, v] else 0.0
        part = own / (each[s, v] or 1) + (1 - own) / whole[v]
        itself = min(0.9, weight[t] * part) if labels[t, s] == v else 0.0
        far = (over * (x[t, s] - means[s, v]) ** 2 / var).sum()
        assert cost[t, s, v] == pytest.approx(far / (1 - itself) ** 2, abs=1e-6)
