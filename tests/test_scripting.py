"""The page on scripting does what it says, and a script's result is the window's."""

import doctest
from pathlib import Path

import numpy as np
import pytest

from knitground import api
from knitground.core.base.errors import KnitError
from knitground.core.files.images import png_bytes
from knitground.core.model.lattice import GridKind
from knitground.core.model.recipe import NoiseStep, Recipe
from knitground.core.model.slicing import Slicing
from knitground.demo.pans import pans_sheet

PAGE = Path(__file__).parents[1] / "docs" / "scripting.md"


@pytest.fixture
def folder(tmp_path, monkeypatch):
    (tmp_path / "pans.png").write_bytes(png_bytes(pans_sheet()[0]))
    monkeypatch.chdir(tmp_path)
    return tmp_path


def test_the_page_on_scripting_does_what_it_says(folder):
    found = doctest.testfile(str(PAGE), module_relative=False, encoding="utf-8")
    assert found.attempted > 25
    assert found.failed == 0
    assert (folder / "basin.png").exists()
    first = PAGE.read_text().split("## A map")[1].split("In a notebook")[0]
    assert first.count(">>> ") + first.count("... ") <= 15


@pytest.fixture
def basin(folder):
    project = api.new()
    sheet = project.add_sheet("pans.png", slicing=Slicing(16, 16, 4, 4, 2, 2))
    ground = sheet.add_set("corner", ["brine", "crust"], name="Ground")
    ground.mark(0, 0, "brine")
    ground.mark(0, 4, "crust")
    map_ = project.add_map("Basin", (10, 12), (16, 16))
    return project, sheet, ground, map_, map_.add_ground("Floor", ground, fill="brine")


def test_what_is_refused_says_why_and_changes_nothing(basin):
    project, sheet, ground, map_, floor = basin
    steps = list(project.doc.history.names)
    refused = (
        (lambda: floor.paint(ground.terrain("brine"), (50, 50)), "is off “Basin”"),
        (lambda: ground.mark(0, 0, {"MIDDLE": "brine"}), "no slot MIDDLE: it has"),
        (lambda: sheet.tile(99, 0), "no tile in row 99"),
        (lambda: project.map("Bay"), "no map “Bay”: there are “Basin”"),
        (lambda: map_.layer("Roof"), "no layer “Roof”"),
        (lambda: project.save(), "no folder yet"),
        (lambda: map_.add_tiles("Things").explain(0, 0), "only ground layers"),
    )
    for work, words in refused[:-1]:
        with pytest.raises(api.KnitError, match=words):
            work()
        assert list(project.doc.history.names) == steps
    with pytest.raises(api.KnitError, match=refused[-1][1]):
        refused[-1][0]()


def test_a_step_that_fails_leaves_nothing_behind(basin):
    project, _, ground, _, floor = basin
    before = floor.layer.terrain.copy()

    def half():
        with project.step("Half"):
            floor.paint(ground.terrain("crust"), (4, 4), size=4)
            floor.paint(ground.terrain("lava"), (4, 4))

    with pytest.raises(api.KnitError):
        half()
    assert (floor.layer.terrain == before).all()
    assert "Half" not in project.doc.history.names


def test_growing_keeps_the_recipe_and_is_one_step(basin):
    project, _, _, map_, floor = basin
    steps = len(project.doc.history.names)
    noise = NoiseStep(floor.layer.number, 4.0, 2, (("brine", 0.5), ("crust", 0.5)))
    map_.grow(Recipe(seed=3, steps=(noise,)))
    assert len(np.unique(floor.layer.terrain)) > 1
    assert map_.map.recipe.seed == 3
    grown = floor.layer.terrain.copy()
    map_.grow(seed=4)
    assert (floor.layer.terrain != grown).any()
    map_.grow(seed=3)
    assert (floor.layer.terrain == grown).all()
    assert len(project.doc.history.names) == steps + 3


def test_a_script_makes_a_map_of_diamonds():
    project = api.new()
    map_ = project.add_map("Yard", (6, 8), (16, 32), grid="diamond")
    assert map_.map.grid.kind is GridKind.DIAMOND
    assert map_.picture().pixels.shape[:2] == (14 * 8 + 16, 14 * 16)
    for wrong in ("hexagon", 7, None, ["diamond"]):
        with pytest.raises(KnitError, match="is no grid: give one of square, diamond"):
            project.add_map("Other", (6, 8), (16, 32), grid=wrong)
