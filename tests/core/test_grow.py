from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.maps import pair_marks, small_project

from knitground.core.base.errors import Cancelled, GrowError
from knitground.core.edit.maps import lay_grown
from knitground.core.grow.ground import Noise, noise_ground
from knitground.core.grow.noise import noise_field
from knitground.core.grow.parting import mend, plant_tree
from knitground.core.grow.runner import run_recipe
from knitground.core.grow.shares import cut_shares, exact_counts, ordered, top_places
from knitground.core.knit.bridge import build_graph
from knitground.core.knit.table import build_table
from knitground.core.model.layers import GAP
from knitground.core.model.recipe import NoiseStep, Recipe

STAR = pair_marks([(1, 2), (2, 3), (4, 2)])
GRAPH = build_graph(build_table(STAR, list(range(1, len(STAR) + 1)), [1] * len(STAR), 4))


def touching(ground, wrap):
    """All pairs of terrains that stand side by side or corner to corner."""
    padded = np.pad(ground, 1, mode="wrap" if wrap else "edge")
    high, wide = ground.shape
    pairs = set()
    for down, across in ((0, 1), (1, 0), (1, 1), (1, -1)):
        other = padded[1 + down : 1 + down + high, 1 + across : 1 + across + wide]
        pairs |= {tuple(sorted(p)) for p in np.stack([ground.ravel(), other.ravel()], 1).tolist()}
    return {pair for pair in pairs if pair[0] != pair[1]}


@pytest.mark.parametrize("shape", [(64, 64), (48, 96), (7, 5), (1, 1)])
def test_noise_is_as_smooth_over_the_border_as_inside(shape):
    field = noise_field(*shape, 12, 3, 4)
    assert field.shape == shape
    if shape[0] < 10:
        return
    inner = np.abs(np.diff(field, axis=1)).mean()
    over = np.abs(field[:, 0] - field[:, -1]).mean()
    assert over / inner < 1.25
    assert abs(field.std() - 1) < 1e-6


def test_scale_sets_how_large_patches_are():
    def reach(scale):
        field = noise_field(256, 256, scale, 1, 3)
        repeats = np.fft.irfft2(np.abs(np.fft.rfft2(field)) ** 2)[0] / field.size
        return int(np.argmax(repeats < 0.5))

    assert reach(8) < reach(16) < reach(48)


@given(st.lists(st.integers(0, 40), min_size=1, max_size=6).filter(sum), st.integers(0, 99))
def test_cut_shares_are_exact(counts, seed):
    total = sum(counts)
    field = np.round(np.random.default_rng(seed).random((1, total)), 1)  # with many ties
    levels = cut_shares(field, counts)
    assert np.bincount(levels.ravel(), minlength=len(counts)).tolist() == counts
    assert (np.diff(levels.ravel()[np.argsort(ordered(field))].astype(int)) >= 0).all()


def test_top_places_are_exactly_so_many():
    keys = ordered(np.zeros(50))
    assert [int(top_places(keys, n).sum()) for n in (0, 1, 17, 50, 99)] == [0, 1, 17, 50, 50]


def test_counts_of_nothing_are_refused():
    with pytest.raises(GrowError, match="more than 0"):
        exact_counts([0, 0], 10)


@given(
    st.dictionaries(st.integers(1, 4), st.integers(0, 10), min_size=1).filter(
        lambda parts: sum(parts.values())
    ),
    st.booleans(),
    st.integers(0, 50),
    st.sampled_from([3, 9, 20]),
)
def test_ground_touches_only_what_has_tiles(parts, wrap, seed, scale):
    ground = noise_ground(GRAPH, parts, (33, 40), wrap, Noise(scale, 3, seed))
    assert touching(ground, wrap) <= {(1, 2), (2, 3), (2, 4)}
    kinds = {terrain for terrain, part in parts.items() if part}
    assert set(np.unique(ground)) <= kinds | {2}


@pytest.mark.parametrize("wrap", [False, True])
def test_shares_are_exact_where_borders_leave_room(wrap):
    parts = {1: 0.3, 2: 0.45, 3: 0.25}
    ground = noise_ground(GRAPH, parts, (160, 160), wrap, Noise(24, 2, 11))
    laid = np.bincount(ground.ravel(), minlength=4)
    assert laid[1:].tolist() == exact_counts([0.3, 0.45, 0.25], 160 * 160)


def test_the_tree_has_the_middle_terrain_at_its_root():
    tree = plant_tree(GRAPH, {1: 1, 3: 1, 4: 1})
    assert tree.order[0] == 2
    assert tree.parent == {1: 2, 3: 2, 4: 2}


@given(st.integers(0, 2**20), st.booleans())
def test_mending_parts_everything_and_leaves_the_rest(seed, wrap):
    rng = np.random.default_rng(seed)
    terrain = rng.integers(1, 5, (12, 15)).astype(np.uint8)
    terrain[:, :6] = 2
    mended = mend(GRAPH, terrain, wrap)
    assert touching(mended, wrap) <= {(1, 2), (2, 3), (2, 4)}
    assert (mended[:, :6] == 2).all()
    assert (mend(GRAPH, mended, wrap) == mended).all()


def grown_map(wrap=True, **step):
    doc, map_, ground, _ = small_project((32, 32), wrap)
    shares = (("brine", 0.4), ("crust", 0.35), ("clay", 0.25))
    map_.recipe = Recipe(
        5, (NoiseStep(ground.number, **{"scale": 12.0, "shares": shares, **step}),)
    )
    return doc, map_, ground


def test_a_recipe_lays_one_step_that_wraps_and_keeps_pins():
    doc, map_, ground = grown_map()
    ground.pinned[4, 4] = True
    ground.cells[4, 4] = 3
    before = ground.terrain.copy()
    grown = run_recipe(doc.project, map_)
    assert (ground.terrain == before).all()  # running alone changes nothing
    doc.apply(lay_grown(map_, grown))
    doc.knitter.ensure_all(map_)
    assert (ground.terrain[0] == ground.terrain[-1]).all()
    assert ground.cells[4, 4] == 3
    assert not (ground.cells == GAP).any()
    assert doc.history.names == ["Grow"]
    doc.undo()
    assert (ground.terrain == before).all()


def test_the_same_seed_gives_the_same_ground():
    first, second = (run_recipe(*(lambda d, m, g: (d.project, m))(*grown_map()))[0] for _ in "ab")
    assert (first.made == second.made).all()
    doc, map_, _ = grown_map()
    map_.recipe = replace(map_.recipe, seed=6)
    assert (run_recipe(doc.project, map_)[0].made != first.made).any()


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"scale": 1.0}, "scale 1.0"),
        ({"octaves": 9}, "9 octaves"),
        ({"shares": (("brine", -1.0),)}, "negative"),
        ({"shares": (("brine", 0.0),)}, "every share is 0"),
        ({"layer": 99}, "layer 99"),
    ],
)
def test_steps_that_can_not_run_say_why(change, words):
    doc, map_, _ground = grown_map()
    step = replace(map_.recipe.steps[0], **change)
    map_.recipe = replace(map_.recipe, steps=(step,))
    with pytest.raises(GrowError, match=words):
        run_recipe(doc.project, map_)


def test_an_empty_recipe_and_a_cancelled_one():
    doc, map_, _ = grown_map()

    def cancel(_part):
        raise Cancelled("stop")

    with pytest.raises(Cancelled):
        run_recipe(doc.project, map_, cancel)
    map_.recipe = Recipe()
    with pytest.raises(GrowError, match="no step"):
        run_recipe(doc.project, map_)
