"""Sets without a plain tile: growing ends, says so, and names the cures."""

import json

import numpy as np
import pytest
from tests.cli.test_verbs import call
from tests.maps import small_project

from knitground import api
from knitground.core.edit.document import Document
from knitground.core.edit.maps import lay_grown
from knitground.core.files.saving import save_project
from knitground.core.grow.plainless import find_plainless, left_out
from knitground.core.grow.runner import run_recipe
from knitground.core.knit import repair
from knitground.core.knit.layer import knit_map, layer_table, set_table
from knitground.core.model.map import gaps_of
from knitground.core.model.recipe import NoiseStep, Recipe, SmoothStep
from knitground.core.model.terrain import SetKind, Slot

SHARES = (("brine", 1.0), ("crust", 1.0), ("clay", 1.0))


def without(*terrains, size=(60, 60), most=False):
    """A project whose set has no plain tile for some terrains; with `most`, hardly any tile."""
    doc, map_, ground, _ = small_project(size)
    kit = doc.project.tilesets[0].sets[0]
    marks = kit.marks.reshape(-1, 9)
    corners = marks[:, [Slot.NW, Slot.NE, Slot.SW, Slot.SE]]
    for number in terrains:
        marks[(corners == number).all(axis=1)] = 0
        if most:  # nor any with three corners of it: nothing near by helps
            marks[(corners == number).sum(axis=1) >= 3] = 0
    map_.recipe = Recipe(3, (NoiseStep(ground.number, 12.0, 3, SHARES),))
    return doc.project, map_, ground


@pytest.fixture
def searches(monkeypatch):
    found, real = [], repair.Problem.search

    def search(self, *args, **kwargs):
        found.append(real(self, *args, **kwargs) is not None)
        return real(self, *args, **kwargs)

    monkeypatch.setattr(repair.Problem, "search", search)
    return found


def test_searching_in_vain_comes_to_an_end(searches):
    project, map_, ground = without(1, 2, 3, most=True)
    grown = run_recipe(project, map_)
    assert grown
    assert 0 < searches.count(False) <= repair._IN_VAIN
    table = layer_table(project, map_, ground)
    terrain = np.random.default_rng(2).integers(1, 4, (49, 49)).astype(np.uint8)
    searches.clear()
    repair.close_gaps(table, terrain, wrap=False)
    assert len(searches) <= repair._IN_VAIN_IN_A_ROW


def test_what_can_be_closed_still_is(searches):
    project, map_, _ = without(1)
    Document(project).apply(lay_grown(map_, run_recipe(project, map_)))
    assert len(searches) > 30
    assert knit_map(project, map_) == 0


def test_a_search_without_progress_gives_up_earlier_and_gives_the_same(searches):
    project, _, _ = without(1)
    table, _ = set_table(project, project.tilesets[0], project.tilesets[0].sets[0])
    rng, found = np.random.default_rng(4), 0
    for _ in range(20):
        window = np.full((10, 10), 2, np.uint8)
        top, left = (int(each) for each in rng.integers(2, 5, 2))
        window[top : top + 3, left : left + 3] = 1  # its inside has no tile
        fixed = np.ones(window.shape, bool)
        fixed[1:-1, 1:-1] = False
        cells = repair.corner_cells(*window.shape)
        problem = repair.Problem(table, cells, window, fixed, window, forgive=False)
        quick = problem.search(window, 400, patience=64)
        slow = problem.search(window, 400)
        assert quick is None or (quick == slow).all()
        found += quick is not None
    assert found > 0


@pytest.mark.parametrize("kind", [SetKind.CORNER, SetKind.RING])
def test_a_terrain_without_a_plain_tile_is_named_with_its_cells(kind):
    project, map_, ground = without(3, most=True)
    name = "clay"
    if kind is SetKind.RING:
        name, kit = "crust", project.tilesets[0].sets[0]
        kit.kind = ground.kind_of_set = kind
        kit.marks[:] = 0
        kit.marks.reshape(-1, 9)[0, :] = 1  # brine alone has a tile
        map_.recipe = Recipe(3, (NoiseStep(ground.number, 12.0, 3, SHARES[:2]),))
        ground.terrain = np.zeros((61, 61), np.uint8)
    grown = run_recipe(project, map_)
    (found,) = find_plainless(project, map_, grown)
    assert found.name == name
    Document(project).apply(lay_grown(map_, grown))
    knit_map(project, map_)
    assert 0 < found.cells <= sum(gaps_of(map_).values())
    assert "mark one, make one, or leave the terrain out" in found.words
    map_.recipe = left_out(map_.recipe, ground, name)
    assert find_plainless(project, map_, run_recipe(project, map_)) == []


def test_leaving_out_keeps_the_only_terrain_and_other_layers():
    _, _, ground = without(2)
    other = NoiseStep(ground.number + 7, shares=SHARES)
    only = NoiseStep(ground.number, shares=(("crust", 1.0),))
    alone = Recipe(1, (only, other, SmoothStep(ground.number)))
    assert left_out(alone, ground, "crust") is None
    both = Recipe(1, (NoiseStep(ground.number, shares=SHARES), *alone.steps))
    new = left_out(both, ground, "crust")
    assert [name for name, _ in new.steps[0].shares] == ["brine", "clay"]
    assert new.steps[1:] == both.steps[1:]


def test_grow_says_so_once_and_exits_1(tmp_path):
    project, map_, _ = without(1, most=True)
    save_project(project, tmp_path / "p")
    found = call("grow", tmp_path / "p", "--map", map_.name, "--json")
    assert found.return_value == 1
    said = [line for line in found.stderr.splitlines() if "no plain tile" in line]
    assert len(said) == 1
    assert "“brine”" in said[0]
    assert "mark one, make one, or leave the terrain out" in said[0]
    assert json.loads(found.stdout)["without_plain_tile"] == ["brine"]
    assert any("no tile that fits" in line for line in found.stderr.splitlines())
    allowed = call("grow", tmp_path / "p", "--map", map_.name, "--allow-gaps")
    assert allowed.return_value == 0
    door = api.open(tmp_path / "p").map(map_.name)
    (words,) = door.grow()
    assert "“brine”" in words
    assert sum(door.gaps.values()) > 0
