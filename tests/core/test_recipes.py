"""Recipes: each kind of step against oracles and properties, conditions, what is kept."""

import itertools
import json
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.ndimage import distance_transform_edt, label
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import dijkstra

from knitground.core.base.errors import EditError, FormatError, GrowError
from knitground.core.base.window import Box
from knitground.core.edit import recipes as edits
from knitground.core.edit.document import Document
from knitground.core.edit.maps import lay_grown, set_recipe
from knitground.core.edit.selecting import Selection
from knitground.core.files.map_io import recipe_from_file, recipe_to_file
from knitground.core.files.opening import open_project
from knitground.core.files.recipefile import read_recipe, write_recipe
from knitground.core.files.recipeformats import RecipeFile
from knitground.core.files.saving import save_project
from knitground.core.grow import regions as regioning
from knitground.core.grow.distance import far_from, parts_of
from knitground.core.grow.joins import Joins, from_pixels
from knitground.core.grow.kinds import STEP_KINDS
from knitground.core.grow.looks import seam_figure, step_picture
from knitground.core.grow.preview import alone_picture, grown_picture
from knitground.core.grow.regions import regions
from knitground.core.grow.route import distances, join_places, way_back
from knitground.core.grow.runner import Kept, run_recipe
from knitground.core.grow.scatter import Strewn, scatter
from knitground.core.grow.smooth import majority, without_islands
from knitground.core.grow.solver import Solver, wrong_joins
from knitground.core.model.conditions import Area, Condition, Look
from knitground.core.model.layers import GAP, TileLayer
from knitground.core.model.map import Map
from knitground.core.model.marker import Marker, Shape
from knitground.core.model.mix import Mix, MixEntry
from knitground.core.model.patch import Patch
from knitground.core.model.recipe import (
    BorderStep,
    MarkersStep,
    MixStep,
    NoiseForm,
    NoiseStep,
    Recipe,
    RegionsStep,
    RouteEnd,
    RouteStep,
    ScatterStep,
    ShapeOf,
    ShapeStep,
    SmoothStep,
    TintStep,
    UnknownStep,
)
from knitground.core.model.solvestep import SolveFrom, SolveStep
from knitground.core.model.terrain import SetKind
from knitground.core.model.tile import TileRef
from knitground.core.render.tiles import tile_pixels

SHARES = (("brine", 0.4), ("crust", 0.35), ("clay", 0.25))


@pytest.fixture(scope="module")
def demo(demo_folder):
    return open_project(demo_folder).project


class Ground:
    """A map with a layer of every kind, and what a recipe makes of it."""

    def __init__(self, project, size=(40, 48), wrap=True):
        self.project = project
        m = self.map = Map("T", *size, 16, 16, wrap=wrap)
        self.ground = m.new_ground_layer("Ground", "pans", "Pans")
        m.layers.append(self.ground)
        self.ways = m.new_ground_layer("Ways", "works", "Causeways", SetKind.EDGE)
        m.layers.append(self.ways)
        self.walls = m.new_ground_layer("Walls", "works", "Dykes", SetKind.RING)
        m.layers.append(self.walls)
        self.grown = m.new_grown_layer("Grown")
        m.layers.append(self.grown)
        self.tint = m.new_tint_layer("Tint")
        m.layers.append(self.tint)
        self.points = m.new_marker_layer("Points")
        m.layers.append(self.points)

    def run(self, *steps, seed=5, **more):
        self.map.recipe = Recipe(seed, steps)
        return run_recipe(self.project, self.map, **more)

    def lay(self, *steps, seed=5):
        made = self.run(*steps, seed=seed)
        self.document = Document(self.project)
        self.document.apply(lay_grown(self.map, made))
        self.document.ensure_all(self.map)
        return made

    def gaps(self):
        return sum(int((each.cells == GAP).sum()) for each in self.map.layers if each.holds_tiles)


@pytest.fixture(params=[True, False], ids=["wraps", "ends"])
def place(demo, request):
    return Ground(demo, wrap=request.param)


def noise(ground):
    return NoiseStep(ground.ground.number, 10, 3, SHARES)


# Every kind of step


def test_every_step_runs_twice_alike_without_gaps_and_meets_at_the_border(place):
    g = place
    number = g.ground.number
    on_crust = Condition(look=Look.TERRAIN, layer=number, names=("crust",))
    steps = [
        noise(g),
        ShapeStep(number, "brine", ShapeOf.LAKE, 0.3, 0.5, salt=9),
        RegionsStep(
            number,
            9,
            0.4,
            SHARES,
            where=(Condition(look=Look.AREA, area=Area.of(5, 6, np.ones((20, 20), bool))),),
        ),
        SmoothStep(number, 2),
        NoiseStep(g.walls.number, 8, 2, (("brick", 0.2), ("", 0.8)), where=(on_crust,)),
        MarkersStep(g.points.number, "stop", "Stop", 4, 8.0, where=(on_crust,)),
        RouteStep(g.ways.number, "planks", kind="stop", ground=number, dear=("brine",)),
        ScatterStep(g.grown.number, "salt heaps", 0.1, 1, where=(on_crust,)),
        TintStep(g.tint.number),
    ]
    first = g.lay(*steps)
    assert g.gaps() == 0
    again = g.run(*steps)
    for one, two in zip(first, again):
        assert (
            np.array_equal(one.made, two.made)
            if hasattr(one.made, "shape")
            else (one.made == two.made)
        )
    other = g.run(*steps, seed=6)
    assert not np.array_equal(first[0].made, other[0].made)
    if g.map.wrap:
        for layer in (g.ground, g.ways):
            assert (layer.terrain[0] == layer.terrain[-1]).all()
            assert (layer.terrain[:, 0] == layer.terrain[:, -1]).all()
        assert 0.5 < seam_figure(g.ground, g.map.lattice) < 1.7
    assert len(g.points.markers) == 4


def test_noise_of_every_form_keeps_exact_shares_and_stretches(demo):
    g = Ground(demo, (64, 64))
    halves = (("crust", 0.5), ("clay", 0.5))

    def runs(terrain, axis):
        part = terrain[:-1, :-1]
        return float((part != np.roll(part, 1, axis)).mean())

    for form in NoiseForm:
        (made,) = g.run(NoiseStep(g.ground.number, 12, 3, halves, form))
        assert [laid for _, _, laid in made.shares] == [0.5, 0.5]
    (lying,) = g.run(NoiseStep(g.ground.number, 12, 3, halves, stretch=6.0))
    (standing,) = g.run(NoiseStep(g.ground.number, 12, 3, halves, stretch=6.0, turn=90.0))
    assert runs(lying.made, 0) > 2 * runs(lying.made, 1)
    assert runs(standing.made, 1) > 2 * runs(standing.made, 0)


def test_ring_and_edge_sets_grow_in_noise_too(place):
    g = place
    (made,) = g.lay(NoiseStep(g.walls.number, 8, 3, (("brick", 0.3), ("", 0.7))))
    assert abs((made.made[:-1, :-1] == 1).mean() - 0.3) < 1e-3
    (made,) = g.lay(NoiseStep(g.ways.number, 12, 2, (("planks", 0.1), ("", 0.9))))
    sides = (made.made & 255 > 0).sum() + (made.made >> 8 > 0).sum()
    assert 0.05 < sides / (2 * g.map.height * g.map.width) < 0.3
    assert g.gaps() == 0
    # Level lines are ways: hardly any side stands alone.
    slots = np.array(made.made[:-1, :-1])
    ends = sum(((slots >> shift & 255) > 0).sum() for shift in (0, 8))
    assert ends > 20


@given(st.integers(0, 2**31), st.booleans())
def test_smoothing_keeps_shares_rolls_with_the_map_and_takes_islands(seed, keeps):
    rng = np.random.default_rng(seed)
    places = rng.integers(1, 4, (18, 22)).astype(np.uint8)
    free = np.ones(places.shape, bool)
    out = majority(places, free, wrap=True, keeps=keeps)
    if keeps:
        assert (np.bincount(out.ravel()) == np.bincount(places.ravel())).all()
    else:
        rolled = majority(np.roll(places, (5, 7), (0, 1)), free, wrap=True, keeps=False)
        assert (rolled == np.roll(out, (5, 7), (0, 1))).all()
    calm = without_islands(places, free, 4, wrap=False)
    one, count = label(places == 2)
    sizes = np.bincount(one.ravel(), minlength=count + 1)
    gone = np.isin(one, np.flatnonzero(sizes < 4)) & (one > 0)
    if not (calm[gone] == 2).all():
        assert (calm[gone] != 2).any()
    frozen = majority(places, np.zeros_like(free), wrap=True, keeps=False)
    assert (frozen == places).all()


@given(st.integers(0, 2**31), st.booleans())
def test_distances_and_parts_are_those_of_nine_copies(seed, corners):
    rng = np.random.default_rng(seed)
    mask = rng.random((12, 15)) < 0.25
    if mask.any():
        far = far_from(mask, 6, wrap=True)
        whole = distance_transform_edt(~np.tile(mask, (3, 3)))[12:24, 15:30]
        near = whole <= 6
        assert np.allclose(far[near], whole[near])
        assert (far[~near] > 6).all()
    numbers, count = parts_of(mask, wrap=True, corners=corners)
    copies, _ = label(np.tile(mask, (3, 3)), np.ones((3, 3)) if corners else None)
    pairs = {(int(a), int(b)) for a, b in zip(np.tile(numbers, (3, 3)).ravel(), copies.ravel())}
    assert len({a for a, _ in pairs if a}) == count
    for _, group in itertools.groupby(sorted((b, a) for a, b in pairs if b), lambda each: each[0]):
        assert len({a for _, a in group}) == 1  # one part of the copies has one number here


def test_regions_are_whole_fit_the_torus_and_have_about_their_shares(demo):
    numbers, count, edge = regions((60, 80), 12, 0.5, 3, wrap=True)
    assert count == 5 * 7
    assert len(np.unique(numbers)) > 0.9 * count
    assert (edge >= 0).all()
    moved, again, _ = regions((60, 80), 12, 0.5, 3, wrap=True)
    assert (moved == numbers).all()
    assert again == count
    crossing = np.roll(numbers, 30, 0)
    steps = (crossing[1:] != crossing[:-1]).mean(axis=1)
    assert steps[29] < 2.5 * steps.mean()  # the seam is a line like any other
    g = Ground(demo, (64, 96))
    halves = (("crust", 0.5), ("clay", 0.5))
    (made,) = g.run(RegionsStep(g.ground.number, 8, 0.3, halves))
    assert all(abs(laid - 0.5) < 0.08 for _, _, laid in made.shares)


@pytest.mark.parametrize(("size", "each", "warp", "wrap"), [
    ((60, 80), 12, 1.0, True), ((61, 79), 12, 1.0, False), ((10, 9), 6, 1.0, True),
    ((5, 90), 4, 0.5, True), ((40, 40), 64, 0.0, True),
])  # fmt: skip
def test_points_that_are_passed_over_are_not_the_nearest(monkeypatch, size, each, warp, wrap):
    quick = regions(size, each, warp, 3, wrap=wrap)
    monkeypatch.setattr(regioning, "_NEAR", [*regioning._NEAR, *regioning._FAR])
    monkeypatch.setattr(regioning, "_FAR", [])
    numbers, count, edge = regions(size, each, warp, 3, wrap=wrap)
    assert count == quick[1]
    assert (numbers == quick[0]).all()
    assert np.array_equal(edge, quick[2], equal_nan=True)


def test_rooms_are_closed_by_walls_and_joined_by_passages(place):
    g = place
    (made,) = g.run(RegionsStep(g.ground.number, 10, 0.2, (("crust", 1.0),), "brine", 2))
    floor = made.made[:-1, :-1] == 2
    rooms, _ = parts_of(floor, wrap=g.map.wrap)
    biggest = np.bincount(rooms.ravel())[1:].max()
    assert biggest > 0.8 * floor.sum()
    assert 0.1 < 1 - floor.mean() < 0.6
    assert "rooms" in made.words
    if not g.map.wrap:
        assert not floor[0].any()
        assert not floor[:, 0].any()


@pytest.mark.parametrize("form", list(ShapeOf))
def test_shapes_take_their_share_to_the_place_and_lie_where_they_should(demo, form):
    g = Ground(demo, (40, 40), wrap=False)
    base = NoiseStep(g.ground.number, 10, 1, (("crust", 1.0),))
    step = ShapeStep(g.ground.number, "brine", form, 0.3, 0.0, sheet="props")
    made = g.run(base, step)[-1].made
    laid = made == 1
    assert laid.sum() == round(0.3 * 41 * 41)
    middle = laid[15:26, 15:26].mean()
    corner = laid[:6, :6].mean()
    if form is ShapeOf.ISLAND:
        assert (middle, corner) == (1, 0)
    elif form in (ShapeOf.LAKE, ShapeOf.BORDER):
        assert middle == 0
        assert corner > 0.7
    elif form is ShapeOf.GRADIENT:
        assert laid[:, :8].all()
        assert not laid[:, 20:].any()


def test_a_border_keeps_to_the_border_and_a_map_that_wraps_has_none(demo):
    g = Ground(demo, (30, 30), wrap=False)
    base = NoiseStep(g.ground.number, 10, 1, (("crust", 1.0),))
    made = g.run(base, BorderStep(g.ground.number, "brine", 4, 0.0))[-1].made
    assert (made[:4] == 1).all()
    assert (made[:, -4:] == 1).all()
    assert (made[5:-5, 5:-5] == 2).all()
    wraps = Ground(demo, (30, 30))
    with pytest.raises(GrowError, match="wraps and has none"):
        wraps.run(BorderStep(wraps.ground.number, "brine"))


# Routes


def graph_distance(costs, source, wrap):
    """Dijkstra of a general library on the same grid."""
    high, wide = costs.shape
    rows, cols, weights = [], [], []
    for row, col in np.argwhere(costs > 0).tolist():
        for down, across in ((-1, 0), (1, 0), (0, -1), (0, 1)):
            r, c = row + down, col + across
            if wrap:
                r, c = r % high, c % wide
            elif not (0 <= r < high and 0 <= c < wide):
                continue
            if costs[r, c] > 0:
                rows.append(row * wide + col)
                cols.append(r * wide + c)
                weights.append(int(costs[r, c]))
    graph = coo_matrix((weights, (rows, cols)), shape=(costs.size, costs.size)).tocsr()
    return dijkstra(graph, indices=source[0] * wide + source[1]).reshape(costs.shape)


@given(st.integers(0, 2**31), st.booleans())
def test_routes_are_the_cheapest_there_are(seed, wrap):
    rng = np.random.default_rng(seed)
    costs = rng.integers(0, 12, (11, 13)).astype(np.int32)
    source, end = (int(rng.integers(11)), int(rng.integers(13))), (5, 6)
    costs[source] = costs[end] = 3
    start = np.zeros(costs.shape, bool)
    start[source] = True
    far = distances(costs, start, wrap=wrap)
    wanted = graph_distance(costs, source, wrap)
    known = np.isfinite(wanted)
    assert (far[known] == wanted[known]).all()
    assert (far[~known] == 2**30).all()
    paths, lost = join_places(costs, [source, end], wrap=wrap)
    if not known[end]:
        assert lost == [end]
        return
    assert lost == []
    if source == end:
        return
    path = paths[0] if paths else way_back(costs, far, end, wrap=wrap)
    cells = [(r % 11, c % 13) for r, c in path]
    assert cells[0] == end
    assert cells[-1] == source
    assert sum(int(costs[at]) for at in cells[:-1]) == wanted[end]
    steps = [abs(a[0] - b[0]) + abs(a[1] - b[1]) for a, b in itertools.pairwise(path)]
    assert all(each == 1 for each in steps)


@given(st.integers(0, 2**31), st.integers(1, 12), st.booleans())
def test_a_gap_is_kept_all_round_what_lies_there(seed, gap, wrap):
    rng = np.random.default_rng(seed)
    taken = rng.random((int(rng.integers(1, 20)), int(rng.integers(1, 20)))) < 0.1
    high, wide = taken.shape
    near = np.zeros_like(taken)
    for row, col in np.argwhere(taken).tolist():
        for r, c in itertools.product(range(row - gap, row + gap + 1),
                                      range(col - gap, col + gap + 1)):  # fmt: skip
            if wrap or (0 <= r < high and 0 <= c < wide):
                near[r % high, c % wide] = True
    step = ScatterStep(0, "m", 1.0, gap)
    things = [Strewn(np.ones((1, 1), np.int32), 1.0, "one")]
    laid, _, _ = scatter(things, ~taken, taken, step, 1, wrap=wrap)
    assert not (near & (laid > 0)).any()
    assert (laid > 0).any() == (~near & ~taken).any()


@given(st.integers(0, 2**31), st.booleans())
def test_each_way_is_the_cheapest_to_what_is_joined_by_then(seed, wrap):
    """One search goes on from way to way; each is held to one that begins anew."""
    rng = np.random.default_rng(seed)
    costs = rng.integers(0, 30, (14, 17)).astype(np.int32)
    ends = list(dict.fromkeys(map(tuple, rng.integers(0, 14, (7, 2)).tolist())))
    paths, lost = join_places(costs, ends, wrap=wrap)
    open_ = [end for end in ends if costs[end] > 0]
    joined = np.zeros(costs.shape, bool)
    for first in open_[:1]:
        joined[first] = True
    for path in paths:
        far = distances(costs, joined, wrap=wrap)
        left = [end for end in open_[1:] if not joined[end] or end == path[0]]
        assert far[path[0]] == min(far[end] for end in left)
        cells = [(r % 14, c % 17) for r, c in path]
        assert joined[cells[-1]]
        assert sum(int(costs[at]) for at in cells[:-1]) == far[path[0]]
        joined[tuple(zip(*cells))] = True
    assert {path[0] for path in paths} | set(lost) | set(open_[:1]) == set(ends)
    far = distances(costs, joined, wrap=wrap)
    assert all(costs[end] == 0 or far[end] >= 2**30 for end in lost)


def test_routes_join_markers_never_cross_and_meet_over_the_border(place):
    g = place
    at = [(4, 4), (30, 40), (20, 10)]
    g.points.markers = tuple(
        Marker(n, Shape.POINT, ((col * 16 + 8.0, row * 16 + 8.0),), "", "stop")
        for n, (row, col) in enumerate(at, 1)
    )
    base = NoiseStep(g.ground.number, 10, 1, (("crust", 1.0),))
    lake = ShapeStep(g.ground.number, "brine", ShapeOf.ISLAND, 0.2, 0.0)
    step = RouteStep(g.ways.number, "planks", kind="stop", ground=g.ground.number,
                     never=("brine",))  # fmt: skip
    made = g.lay(base, lake, step)[-1]
    assert "3 of 3 places joined" in made.words
    terrain = g.ground.terrain
    shows = np.stack([terrain[r : r + g.map.height, c : c + g.map.width]
                      for r in (0, 1) for c in (0, 1)])  # fmt: skip
    sides = made.made
    touched = (sides[:-1, :-1] & 255 > 0) | (sides[:-1, :-1] >> 8 > 0)
    touched |= (sides[1:, :-1] & 255 > 0) | (sides[:-1, 1:] >> 8 > 0)
    assert touched.any()
    assert not (touched & (shows == 1).any(0)).any()
    assert all(touched[each] for each in at)
    shut = replace(step, never=("brine", "crust"))
    made = g.run(base, lake, shut)[-1]
    assert "no way to" in made.words or "0 of 3" in made.words
    if g.map.wrap:
        across = g.run(base, replace(step, between=RouteEnd.BORDERS))[-1].made
        assert (across[0] & 255 > 0).any()
        assert (across[:, 0] >> 8 > 0).any()
    with pytest.raises(GrowError, match="it takes two"):
        g.run(base, replace(step, kind="nobody"))


def test_wide_ways_on_ground_and_ways_of_tiles(place):
    g = place
    base = NoiseStep(g.ground.number, 10, 1, (("clay", 1.0),))
    way = RouteStep(g.ground.number, "crust", between=RouteEnd.BORDERS, width=3, wobble=0.0)
    made = g.run(base, way)[-1].made
    assert (made == 2).sum() > 3 * min(g.map.height, g.map.width)
    tiles = RouteStep(g.grown.number, "", "salt flat", RouteEnd.BORDERS, wobble=0.0)
    cells = g.run(base, tiles)[-1].made
    assert np.count_nonzero(cells) >= min(g.map.height, g.map.width)
    with pytest.raises(GrowError, match="not there or empty"):
        g.run(base, replace(tiles, mix="gone"))
    patches = RouteStep(g.ways.number, "planks", between=RouteEnd.REGIONS, seek=("brine",),
                        ground=g.ground.number)  # fmt: skip
    made = g.run(noise(g), patches)[-1]
    assert "places joined" in made.words


# Scatter


@given(st.integers(0, 2**31), st.booleans(), st.integers(0, 2))
def test_scattered_things_are_whole_apart_and_where_they_may(seed, wrap, gap):
    rng = np.random.default_rng(seed)
    free = rng.random((20, 24)) < 0.8
    things = [
        Strewn(np.array([[1, 2], [3, 4]], np.int32), 3.0, "square"),
        Strewn(np.array([[5, 0], [6, 7]], np.int32), 2.0, "bent"),
        Strewn(np.array([[8]], np.int32), 4.0, "one"),
    ]
    step = ScatterStep(1, "m", 0.4, gap)
    taken = np.zeros(free.shape, bool)
    out, counts, wanted = scatter(things, free, taken, step, seed, wrap=wrap)
    assert not (out[~free] > 0).any()
    high, wide = free.shape
    found = []
    for thing, count, want in zip(things, counts, wanted):
        assert count <= want
        first = int(thing.cells.ravel()[0])
        anchors = np.argwhere(out == first).tolist()
        assert len(anchors) == count
        for row, col in anchors:
            cells = []
            for r, c in zip(*np.nonzero(thing.cells)):
                at = (row + r, col + c)
                assert wrap or (at[0] < high and at[1] < wide)
                at = (at[0] % high, at[1] % wide)
                assert out[at] == thing.cells[r, c]
                cells.append(at)
            found.append(cells)
    assert sum(len(each) for each in found) == np.count_nonzero(out)
    for one, other in itertools.combinations(found, 2):
        for (r0, c0), (r1, c1) in itertools.product(one, other):
            down, across = abs(r0 - r1), abs(c0 - c1)
            if wrap:
                down, across = min(down, high - down), min(across, wide - across)
            assert max(down, across) > gap


def test_scatter_says_what_found_no_room_follows_density_and_clumps(demo):
    g = Ground(demo, (64, 64))
    tight = ScatterStep(g.grown.number, "salt heaps", 0.9, 6)
    assert "no room for" in g.run(tight)[0].words
    tint = g.tint
    tint.cells[:, :32] = 127 << 24
    tint.cells[:, 32:] = 20 << 24
    dense = Condition(look=Look.TINT, layer=tint.number)
    cells = g.run(ScatterStep(g.grown.number, "shore growth", 0.1, where=(dense,)))[0].made > 0
    assert cells[:, :32].sum() > 3 * cells[:, 32:].sum()
    tint.cells[:] = 0
    even = g.run(ScatterStep(g.grown.number, "shore growth", 0.1))[0].made > 0
    clumped = g.run(ScatterStep(g.grown.number, "shore growth", 0.1, clumps=12.0))[0].made > 0
    assert even.sum() == clumped.sum()

    def spread(cells):
        return cells.reshape(8, 8, 8, 8).sum(axis=(1, 3)).std()

    assert spread(clumped) > 1.5 * spread(even)


def test_later_steps_of_a_layer_leave_what_earlier_ones_laid(demo):
    g = Ground(demo)
    first = ScatterStep(g.grown.number, "salt heaps", 0.1, 1, salt=1)
    second = ScatterStep(g.grown.number, "shore growth", 0.1, salt=2)
    one = g.run(first)[0].made
    both = g.run(first, second)[-1].made
    assert (both[one > 0] == one[one > 0]).all()
    assert np.count_nonzero(both) > np.count_nonzero(one)


# Markers, tint


def test_markers_keep_apart_can_be_reached_and_others_stay(place):
    g = place
    own = Marker(1, Shape.POINT, ((40.0, 40.0),), "mine", "spawn point")
    g.points.markers = (own,)
    step = MarkersStep(g.points.number, "spawn point", "Gull", 6, 9.0)
    made = g.lay(step)[0].made
    assert own in made
    new = [each for each in made if each is not own]
    assert len(new) == 6
    for one, other in itertools.combinations(new, 2):
        across, down = (abs(a - b) / 16 for a, b in zip(one.points[0], other.points[0]))
        if g.map.wrap:
            across, down = min(across, 48 - across), min(down, 40 - down)
        assert np.hypot(across, down) >= 9
    assert g.run(step)[0].made == made  # run again, nothing changes
    fewer = g.run(replace(step, count=2))[0].made
    assert len(fewer) == 3
    lot = g.run(replace(step, apart=60.0))[0]
    assert lot.words == "1 of 6 set"
    island = Area.of(0, 0, np.eye(40, 48, dtype=bool))
    walled = replace(step, reach="door", where=(Condition(look=Look.AREA, area=island),))
    assert g.run(walled)[0].words == "0 of 6 set"


def test_tint_by_noise_is_weaker_where_conditions_hold_in_part(place):
    g = place
    step = TintStep(g.tint.number, "#102030", 100, 10.0, 2, 1.0)
    cells = g.run(step)[0].made
    assert (cells >> 24 == 100).all()
    assert (cells & 0xFFFFFF == 0x102030).all()
    part = Condition(look=Look.EDGE, low=0, high=3, negated=True)
    cells = g.run(replace(step, where=(part,)))[0].made
    if g.map.wrap:
        assert (cells >> 24 == 100).all()  # it has no border
    else:
        assert not cells[:4].any()
        assert (cells[4:-4, 4:-4] >> 24 == 100).all()


# Conditions


def test_conditions_hold_where_they_say(place):
    g = place
    g.lay(noise(g))
    terrain = g.ground.terrain
    high, wide = g.map.height, g.map.width
    corners = np.stack([terrain[r : r + high, c : c + wide] for r in (0, 1) for c in (0, 1)])
    number = g.ground.number

    def held(**more):
        step = TintStep(g.tint.number, "#000000", 127, even=1.0, where=(Condition(**more),))
        return g.run(step)[0].made >> 24 > 0

    on = held(look=Look.TERRAIN, layer=number, names=("crust",))
    assert (on == (corners == 2).all(0)).all()
    assert (held(look=Look.TERRAIN, layer=number, names=("crust",), negated=True) == ~on).all()
    meets = held(look=Look.MEETS, layer=number, names=("brine",))
    assert (meets == ((corners == 1).any(0) & (corners != corners[0]).any(0))).all()
    near = held(look=Look.NEAR, layer=number, names=("brine",), low=1.0, high=2.0)
    assert not (near & (corners == 1).any(0)).any()
    assert near.any()
    g.grown.cells[3, 4] = g.map.legend.place(TileRef("props", 0, 2))
    g.grown.pinned[3, 4] = True
    assert np.argwhere(held(look=Look.TILES, layer=g.grown.number)).tolist() == [[3, 4]]
    around = held(look=Look.NEAR_TILES, layer=g.grown.number, low=0.0, high=1.0)
    assert around.sum() == 5
    area = Area.of(38, 46, np.ones((9, 9), bool))
    assert held(look=Look.AREA, area=area).sum() == 4  # what lies outside is cut off
    with pytest.raises(GrowError, match="layer 99 is none or is gone"):
        held(look=Look.TERRAIN, layer=99)


def test_two_conditions_must_both_hold_and_tags_are_known(demo):
    g = Ground(demo)
    props = demo.tileset_named("props")
    before = props.facts
    props.facts = {**before, (0, 2): replace(props.fact(0, 2), tags=("plant",))}
    g.grown.cells[2, 2:6] = g.map.legend.place(TileRef("props", 0, 2))
    g.grown.cells[2, 3] = g.map.legend.place(TileRef("props", 0, 4))
    g.grown.pinned[:] = g.grown.cells > 0
    left = Area.of(0, 0, np.ones((40, 4), bool))
    where = (
        Condition(look=Look.TAG, layer=g.grown.number, names=("plant",)),
        Condition(look=Look.AREA, area=left),
    )
    made = g.run(TintStep(g.tint.number, even=1.0, where=where))[0].made
    assert np.argwhere(made > 0).tolist() == [[2, 2]]
    props.facts = before


# Solving


def tiny_joins(seed, count=4):
    rng = np.random.default_rng(seed)
    codes = rng.integers(0, 2, (count, 4))
    right = codes[:, None, 1] == codes[None, :, 3]
    down = codes[:, None, 2] == codes[None, :, 0]
    tiles = [TileRef("t", 0, n) for n in range(count)]
    ends = np.stack([codes[:, n] == 0 for n in range(4)])
    return Joins(tiles, rng.random(count) + 0.2, right, down, ends)


def exists(joins, size, given, wrap, closed):
    """Try all fillings."""
    count = len(joins.tiles)
    for tiles in itertools.product(range(count), repeat=size[0] * size[1]):
        cells = np.array(tiles, np.int32).reshape(size)
        if (cells[given >= 0] != given[given >= 0]).any() or wrong_joins(joins, cells, wrap=wrap):
            continue
        edges = (cells[0], cells[:, -1], cells[-1], cells[:, 0])
        free = (given[0] < 0, given[:, -1] < 0, given[-1] < 0, given[:, 0] < 0)
        if closed and not all(joins.ends[n][line[open_]].all()
                              for n, (line, open_) in enumerate(zip(edges, free))):  # fmt: skip
            continue
        return True
    return False


@given(st.integers(0, 2**31), st.booleans(), st.booleans())
def test_the_solver_finds_a_filling_where_there_is_one_and_only_there(seed, wrap, closed):
    rng = np.random.default_rng(seed)
    joins = tiny_joins(seed, 3)
    size = (2, 3)
    given_ = np.full(size, -1, np.int32)
    if rng.random() < 0.6:
        given_[rng.integers(2), rng.integers(3)] = rng.integers(3)
    closed = closed and not wrap
    solver = Solver(joins, np.ones(size, bool), given_, wrap=wrap, closed=closed, seconds=5)
    found = solver.solve()
    fine = exists(joins, size, given_, wrap, closed)
    assert fine == (not found.holes)
    if fine:
        assert wrong_joins(joins, found.cells, wrap=wrap) == []
        assert (found.cells[given_ >= 0] == given_[given_ >= 0]).all()
        assert (found.cells >= 0).all()


def test_a_solved_map_joins_keeps_pins_and_an_area_and_wraps(demo):
    g = Ground(demo, (24, 30))
    step = SolveStep(g.grown.number, "pans", SolveFrom.MARKS, "Pans")
    brine = g.map.legend.place(TileRef("pans", 0, 0))
    g.grown.cells[5, 5], g.grown.pinned[5, 5] = brine, True
    made = g.run(step)[0]
    assert (made.made > 0).all()
    assert made.words.startswith("all join")
    assert made.made[5, 5] == brine
    part = Area.of(4, 4, np.ones((10, 12), bool))
    cells = g.run(replace(step, where=(Condition(look=Look.AREA, area=part),)))[0].made
    assert (cells[4:14, 4:16] > 0).all()
    assert np.count_nonzero(cells) == 120


@pytest.mark.parametrize("seed", range(12))
@pytest.mark.parametrize("wrap", [True, False])
def test_a_tile_lies_so_often_at_most_or_it_is_told_how_many_more(seed, wrap):
    rng = np.random.default_rng(seed)
    joins = tiny_joins(seed, 10)
    size, given_ = (18, 20), np.full((18, 20), -1, np.int32)
    area = np.ones(size, bool)
    free = Solver(joins, area, given_, wrap=wrap, seconds=5).solve()
    if free.holes:
        pytest.skip("these tiles fill nothing")
    often = np.bincount(free.cells.ravel(), minlength=10)
    tile = int(often.argmax())
    most = int(rng.integers(1, 6))
    pin = np.argwhere(free.cells == tile)[0]
    given_[tuple(pin)] = tile
    if Solver(joins, area, given_, wrap=wrap, seconds=2).solve().holes:
        pytest.skip("these tiles hardly fill anything, limited or not")
    found = Solver(joins, area, given_, wrap=wrap, seconds=5, most={tile: most}).solve()
    assert wrong_joins(joins, found.cells, wrap=wrap) == []
    assert (found.cells >= 0).all()
    assert found.cells[tuple(pin)] == tile
    laid = int((found.cells == tile).sum())
    assert found.over == ({tile: laid - most} if laid > most else {})
    assert laid <= most or laid < often[tile]


def test_a_limit_is_met_where_others_can_stand_in_and_none_is_none():
    every = np.ones((3, 3), bool)
    joins = Joins([TileRef("t", 0, n) for n in range(3)], np.array([8.0, 1.0, 1.0]), every, every,
                  np.ones((4, 3), bool))  # fmt: skip
    size = (20, 20)
    area, open_ = np.ones(size, bool), np.full(size, -1, np.int32)
    open_[3, 3] = 0
    for most in (0, 1, 7):
        found = Solver(joins, area, open_, wrap=True, most={0: most, 1: 5}).solve()
        often = np.bincount(found.cells.ravel(), minlength=3)
        assert often[0] == max(1, min(most, often[0]))
        assert often[0] <= max(1, most)
        assert often[1] <= 5
        assert found.over == ({0: 1} if most == 0 else {})  # the pin stays


def test_a_layer_that_is_full_is_pictured_by_the_colours_of_its_tiles(demo):
    g = Ground(demo, (12, 16))
    made = g.run(SolveStep(g.grown.number, "pans", SolveFrom.MARKS, "Pans"))[0]
    full = step_picture(demo, g.map, made, 12, 16)
    owner = demo.tileset_named("pans")
    for row, col in ((0, 0), (5, 9), (11, 15)):
        pixels = tile_pixels(owner, g.map.legend.tile(int(made.made[row, col])))
        for shift in (16, 8, 0):
            mean = (pixels >> shift & 255).mean()
            assert abs((int(full[row, col]) >> shift & 255) - mean) <= 1
    few = np.zeros_like(made.made)
    few[2, 3] = made.made[2, 3]
    assert len(np.unique(step_picture(demo, g.map, replace(made, made=few), 12, 16))) == 2


def test_an_impossible_corner_is_proven_shown_and_leaves_the_rest_as_it_was(demo):
    g = Ground(demo, (12, 12), wrap=False)
    places = {n: g.map.legend.place(TileRef("pans", 0, n)) for n in (0, 8)}
    g.grown.cells[0, 0], g.grown.cells[0, 1] = places[0], places[8]  # brine beside clay
    g.grown.pinned[0, :2] = True
    made = g.run(SolveStep(g.grown.number, "pans", SolveFrom.MARKS, "Pans"))[0]
    assert made.words.startswith("impossible")
    assert set(made.spots) & {(0, 0), (0, 1)}
    assert not made.made.any()


def test_tiles_join_by_pixels_by_an_example_and_not_where_it_is_forbidden(demo):
    pans = demo.tileset_named("pans")
    loose = from_pixels(demo, pans, 60.0)
    strict = from_pixels(demo, pans, 0.0)
    assert strict.right.sum() < loose.right.sum()
    g = Ground(demo, (16, 16))
    g.lay(NoiseStep(g.ground.number, 6, 2, (("brine", 0.5), ("crust", 0.5))))
    learnt = SolveStep(g.grown.number, source=SolveFrom.EXAMPLE, example=g.ground.number)
    made = g.run(learnt)[0]
    assert made.words.startswith("all join")
    seen = {(a, b) for a, b in zip(g.ground.cells[:, :-1].ravel(), g.ground.cells[:, 1:].ravel())}
    seen |= {(a, b) for a, b in zip(g.ground.cells[:, -1], g.ground.cells[:, 0])}
    laid = set(zip(made.made[:, :-1].ravel().tolist(), made.made[:, 1:].ravel().tolist()))
    assert laid <= {(int(a), int(b)) for a, b in seen}
    every = tuple(
        (0, a, 0, b, below) for a in range(4) for b in range(4) for below in (False, True)
    )
    marks = SolveStep(g.grown.number, "pans", SolveFrom.MARKS, "Pans", forbidden=every)
    made = g.run(marks)[0].made
    first = [g.map.legend.place(TileRef("pans", 0, n)) for n in range(4)]
    beside = np.isin(made, first) & np.isin(np.roll(made, -1, 1), first)
    assert not beside.any()
    with pytest.raises(GrowError, match="nothing lies on"):
        g.run(replace(learnt, example=g.walls.number))


# Running, keeping, failing


def test_only_what_is_changed_runs_again(demo):
    g = Ground(demo)
    kept = Kept()
    steps = [noise(g), SmoothStep(g.ground.number), TintStep(g.tint.number)]
    first = g.run(*steps, kept=kept)
    again = g.run(*steps, kept=kept)
    assert [a.made is b.made for a, b in zip(first, again)] == [True, True, True]
    steps[2] = replace(steps[2], strength=20)
    third = g.run(*steps, kept=kept)
    assert [a.made is b.made for a, b in zip(first, third)] == [True, True, False]
    steps[0] = replace(steps[0], scale=14.0)
    fourth = g.run(*steps, kept=kept)
    assert fourth[0].made is not first[0].made
    assert fourth[1].made is not first[1].made
    small = Kept(most=10)
    g.run(*steps, kept=small)
    assert len(small._found) == 1


def test_what_a_run_has_laid_makes_no_step_run_again_and_changes_nothing(demo):
    g = Ground(demo)
    near = Condition(look=Look.NEAR_TILES, layer=g.grown.number, high=2, negated=True)
    steps = [
        noise(g), SmoothStep(g.ground.number),
        MixStep(g.grown.number, "marsh", 0.2, g.ground.number, ("brine", "crust"), "inside"),
        ScatterStep(g.grown.number, "salt heaps", 0.05, where=(near,)),
        TintStep(g.tint.number, where=(Condition(look=Look.TILES, layer=g.grown.number),)),
    ]  # fmt: skip
    kept = Kept()
    first = g.run(*steps, kept=kept)
    document = Document(demo)
    document.apply(lay_grown(g.map, first))
    again = g.run(*steps, kept=kept)
    assert [a.made is b.made for a, b in zip(first, again)] == [True] * 5
    fresh = g.run(*steps)
    assert all((a.made == b.made).all() for a, b in zip(first, fresh))
    steps[3] = replace(steps[3], density=0.1)
    third = g.run(*steps, kept=kept)
    assert [a.made is b.made for a, b in zip(first, third)] == [True, True, True, False, False]
    # A pin counts, whenever it was laid.
    g.grown.pinned[5, 5], g.grown.cells[5, 5] = True, g.map.legend.place(TileRef("props", 0, 1))
    pinned = g.run(*steps, kept=kept)
    assert pinned[2].made is not first[2].made
    assert all((a.made == b.made).all() for a, b in zip(pinned, g.run(*steps)))


def test_a_step_that_can_not_run_is_passed_over_and_says_so(demo):
    g = Ground(demo)
    steps = [
        replace(noise(g), layer=77),
        ScatterStep(g.grown.number, "gone"),
        ShapeStep(g.ground.number, "mud"),
        replace(noise(g), active=False),
        TintStep(g.tint.number),
        UnknownStep(1, "dream"),
        MixStep(g.grown.number, "salt flat"),
    ]
    skipped = []
    made = g.run(*steps, skipped=skipped)
    assert [type(steps[each.step]) for each in made] == [TintStep, MixStep]
    assert [line.split()[1].rstrip(":") for line in skipped] == ["1", "2", "3"]
    assert "lays “mud”" in skipped[2]
    assert "brine, crust, clay, blush" in skipped[2]
    with pytest.raises(GrowError, match="step 1"):
        g.run(*steps)


def test_pins_stay_through_runs_and_a_released_cell_shows_what_grows(demo):
    g = Ground(demo)
    tile = g.map.legend.place(TileRef("props", 0, 5))
    g.grown.cells[7, 7], g.grown.pinned[7, 7] = tile, True
    step = ScatterStep(g.grown.number, "shore growth", 0.3, where=(
        Condition(look=Look.EDGE, negated=True),))  # fmt: skip
    g.lay(step)
    g.lay(step, seed=8)
    assert g.grown.cells[7, 7] == tile
    from knitground.core.edit.laying import plan_unpin

    plan = plan_unpin(g.document, g.map, g.grown, Box(7, 7, 8, 8), np.ones((1, 1), bool), "Free")
    g.document.apply(plan.edit)
    again = g.run(step, seed=8)[0].made
    assert g.grown.cells[7, 7] == again[7, 7]


# Edits of recipes, files


def test_steps_are_added_moved_doubled_and_taken_out_and_keep_what_they_draw(demo):
    g = Ground(demo)
    demo.maps.append(g.map)
    doc = Document(demo)
    for kind in STEP_KINDS:
        doc.apply(edits.add_step(demo, g.map, kind))
    kinds = [type(each) for each in g.map.recipe.steps]
    assert kinds == list(STEP_KINDS)
    salts = [g.map.recipe.salt_of(n) for n in range(len(kinds))]
    assert len(set(salts)) == len(salts)
    doc.apply(edits.move_step(g.map, 5, 0))
    assert type(g.map.recipe.steps[0]) is kinds[5]
    assert g.map.recipe.salt_of(0) == salts[5]
    doc.apply(edits.duplicate_step(g.map, 0))
    assert g.map.recipe.salt_of(1) not in salts
    doc.apply(edits.reroll_step(g.map, 0))
    assert g.map.recipe.salt_of(0) != salts[5]
    doc.apply(edits.remove_step(g.map, 1))
    assert len(g.map.recipe.steps) == len(kinds)
    with pytest.raises(EditError, match="no place 99"):
        edits.move_step(g.map, 0, 98)
    names = edits.layer_names(g.map)
    other = Ground(demo)
    other.map.layers.reverse()
    other.map.layers.remove(other.tint)
    doc.apply(edits.paste_steps(other.map, g.map.recipe.steps, names))
    assert len(other.map.recipe.steps) == len(kinds)
    for mine, theirs in zip(g.map.recipe.steps, other.map.recipe.steps):
        kind, name = names[mine.layer]
        found = other.map.layer_numbered(theirs.layer)
        assert (found is None and kind == "tint") or found.name == name
    while doc.history.undo_name:
        doc.undo()
    assert g.map.recipe == Recipe()
    demo.maps.remove(g.map)


def test_a_step_without_a_fitting_layer_brings_one_or_says_what_is_needed(demo):
    map_ = Map("Bare", 10, 10, 16, 16)
    doc = Document(demo)
    with pytest.raises(EditError, match="needs a ground layer"):
        edits.add_step(demo, map_, NoiseStep)
    doc.apply(edits.add_step(demo, map_, ScatterStep))
    assert [each.kind for each in map_.layers] == ["grown"]
    doc.apply(edits.add_step(demo, map_, MarkersStep))
    assert [each.kind for each in map_.layers] == ["grown", "markers"]


def test_kept_cells_and_plain_layers_are_out_of_the_recipe_s_reach(demo):
    g = Ground(demo)
    scatter_ = ScatterStep(g.grown.number, "shore growth", 0.4)
    g.lay(noise(g), scatter_)
    doc = g.document
    chosen = Selection(Box(5, 5, 15, 20), np.ones((10, 15), bool))
    doc.apply(edits.keep_area(g.map, chosen))
    before = g.ground.terrain.copy(), g.grown.cells.copy()
    doc.apply(set_recipe(g.map, replace(g.map.recipe, seed=77)))
    doc.apply(lay_grown(g.map, run_recipe(demo, g.map)))
    assert (g.ground.terrain[6:15, 6:20] == before[0][6:15, 6:20]).all()
    assert (g.ground.terrain != before[0]).any()
    shown = g.grown.cells.copy()
    doc.apply(edits.make_plain(g.map, g.grown))
    plain = g.map.layer_numbered(g.grown.number)
    assert type(plain) is TileLayer
    assert (plain.cells == shown).all()
    assert all(each.layer != plain.number for each in g.map.recipe.steps)
    with pytest.raises(EditError, match="no grown layer"):
        edits.make_plain(g.map, g.ground)
    doc.undo()
    assert g.map.layer_numbered(g.grown.number) is g.grown


def every_step():
    where = (
        Condition(look=Look.AREA, area=Area.of(3, 4, np.eye(5, dtype=bool)), negated=True),
        Condition(look=Look.NEAR, layer=2, names=("a", "b"), low=1.5, high=4),
    )
    return (
        NoiseStep(1, 9.5, 2, (("a", 0.5), ("", 0.5)), NoiseForm.RIDGED, 2.0, 45.0, where=where),
        MixStep(1, "m", salt=900, name="mine"), SmoothStep(1, 0, False, 9), RegionsStep(1),
        ShapeStep(2, "a", ShapeOf.PICTURE, sheet="s", active=False),
        RouteStep(3, "x", seek=("a",), never=("b", "c"), between=RouteEnd.REGIONS),
        ScatterStep(1, "m", 0.2, 1, 2, 3.5), BorderStep(1, "a"), TintStep(4, "#abcdef"),
        MarkersStep(5, reach="door"),
        SolveStep(6, "t", SolveFrom.PIXELS, forbidden=((0, 1, 2, 3, True),)),
    )  # fmt: skip


def test_recipes_are_saved_read_and_unknown_steps_are_kept_as_they_are(demo, tmp_path):
    recipe = Recipe(3, every_step())
    file = recipe_to_file(recipe)
    text = json.loads(file.model_dump_json())
    assert recipe_from_file(RecipeFile.model_validate(text)) == recipe
    text["steps"].insert(1, {"step": "weave", "layer": 2, "threads": [1, {"deep": 2}]})
    again = recipe_from_file(RecipeFile.model_validate(text))
    assert isinstance(again.steps[1], UnknownStep)
    back = json.loads(recipe_to_file(again).model_dump_json())["steps"][1]
    assert back["threads"] == [1, {"deep": 2}]
    g = Ground(demo)
    g.map.recipe = again
    write_recipe(g.map, tmp_path / "a.recipe.json")
    read, names = read_recipe(tmp_path / "a.recipe.json")
    assert read == again
    assert names[g.grown.number] == ("grown", "Grown")
    (tmp_path / "b.recipe.json").write_text('{"format": "knitground/recipe", "version": 9}')
    with pytest.raises(FormatError, match="newer than 1"):
        read_recipe(tmp_path / "b.recipe.json")
    text["steps"][0]["where"][0]["area"]["bits"] = "AAAA"
    with pytest.raises(FormatError, match="can not be unpacked"):
        recipe_from_file(RecipeFile.model_validate(text))


def test_patches_in_mixes_are_saved_and_scattered_whole(demo, tmp_path):
    patch = Patch("two", ((TileRef("props", 1, 0), TileRef("props", 1, 1)),))
    mix = Mix("pairs", (MixEntry(TileRef("props", 1, 0), 2.0, patch),))
    demo.mixes.append(mix)
    save_project(demo, tmp_path / "p")
    assert open_project(tmp_path / "p").project.mixes[-1] == mix
    g = Ground(demo)
    cells = g.run(ScatterStep(g.grown.number, "pairs", 0.2))[0].made
    left, right = (g.map.legend.place(t) for t in patch.rows[0])
    assert np.count_nonzero(cells == left) == np.count_nonzero(cells == right) > 50
    assert (np.roll(cells == left, 1, 1) == (cells == right)).all()
    demo.mixes.remove(mix)


def test_pictures_of_steps_and_seeds_change_nothing(demo):
    g = Ground(demo)
    g.lay(noise(g), ScatterStep(g.grown.number, "shore growth", 0.2), TintStep(g.tint.number))
    before = [each.cells.copy() for each in g.map.layers]
    count = len(g.map.legend)
    picture = grown_picture(demo, g.map, replace(g.map.recipe, seed=9), (80, 96))
    assert picture.shape[0] >= 40
    alone, words = alone_picture(demo, g.map, 1, (80, 96))
    assert alone.shape == picture.shape
    assert "shore growth" in words
    assert all((a == b.cells).all() for a, b in zip(before, g.map.layers))
    assert len(g.map.legend) == count
    for each in g.run(*g.map.recipe.steps):
        small = step_picture(demo, g.map, each, 30, 44)
        assert small.shape == (30, 44)
        assert len(np.unique(small)) > 1


def test_chunks_share_their_border_fit_in_any_order_and_differ_inside(demo):
    from knitground.core.grow.chunks import BAND, grow_chunks, laid_out
    from knitground.core.knit.knit import knit_box
    from knitground.core.knit.layer import layer_table

    g = Ground(demo, (28, 32))
    g.lay(noise(g), ScatterStep(g.grown.number, "shore growth", 0.2))
    chunks = grow_chunks(demo, g.map, 4)
    first = g.ground.terrain
    for chunk in chunks:
        terrain = chunk.layers[0].terrain
        band = np.ones(first.shape, bool)
        band[BAND:-BAND, BAND:-BAND] = False
        assert (terrain[band] == first[band]).all()
        assert not (chunk.layers[0].cells == GAP).any()
    inner = [each.layers[0].terrain[8:20, 8:20] for each in chunks]
    assert len({each.tobytes() for each in inner}) == 4
    # Two of them side by side, knitted as one map, have no gap and the same terrain at the seam.
    pair = Map("Pair", 28, 64, 16, 16, wrap=True)
    layer = pair.new_ground_layer("Ground", "pans", "Pans")
    layer.terrain[:28, :32] = chunks[1].layers[0].terrain[:28, :32]
    layer.terrain[:28, 32:64] = chunks[2].layers[0].terrain[:28, :32]
    layer.terrain[-1], layer.terrain[:, -1] = layer.terrain[0], layer.terrain[:, 0]
    pair.layers.append(layer)
    cells = knit_box(layer_table(demo, pair, layer), layer, Box(0, 0, 28, 64), wrap=True)
    assert not (cells == GAP).any()
    assert laid_out(demo, chunks, 3, 1, (90, 90)).size
    ends = Ground(demo, (28, 32), wrap=False)
    ends.map.recipe = Recipe(1, (noise(ends),))
    with pytest.raises(GrowError, match="does not wrap"):
        grow_chunks(demo, ends.map, 4)
