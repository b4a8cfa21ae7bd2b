"""The page on scripting does what it says, and a script's result is the window's."""

import doctest
import shutil
from pathlib import Path

import numpy as np
import pytest

from knitground import api
from knitground.core.base.errors import KnitError
from knitground.core.edit.hand import TintInHand
from knitground.core.files.images import png_bytes, read_picture
from knitground.core.model.lattice import GridKind
from knitground.core.model.recipe import NoiseStep, Recipe
from knitground.core.model.rules import Ask, AskKind, NeighbourRule, Spot
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
    assert found.attempted > 50
    assert found.failed == 0
    assert (folder / "basin.png").exists()
    first = PAGE.read_text().split("## A map")[1].split("In a notebook")[0]
    assert first.count(">>> ") + first.count("... ") <= 15


def test_twenty_seeds_are_looked_at_and_the_map_stays(tmp_path, monkeypatch, demo_folder):
    shutil.copytree(demo_folder, tmp_path / "Demo")
    monkeypatch.chdir(tmp_path)
    page = PAGE.with_name("twenty-seeds.md")
    found = doctest.testfile(
        str(page), module_relative=False, encoding="utf-8", optionflags=doctest.ELLIPSIS
    )
    assert (found.failed, found.attempted > 20) == (0, True)
    shown = read_picture(page.with_suffix(".png"))
    assert (shown == read_picture(tmp_path / "twenty-seeds.png")).all(), "the page's picture is old"


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


def test_arrays_go_out_and_in_and_are_one_step_each(basin):
    project, sheet, _, map_, floor = basin
    terrain = floor.terrain()["terrain"]
    assert (terrain == 1).all()
    assert terrain.shape == (11, 13)
    terrain[3:7, 4:9] = 2
    floor.lay_terrain(terrain)
    assert (floor.layer.terrain == terrain).all()
    assert floor.layer.painted[3:7, 4:9].all(), "recipes are to ask before they lay over it"
    assert floor.terrains == ["brine", "crust"]
    things = map_.add_tiles("Things")
    wanted = [[0, -1, 1], [-2, 1, 0]]
    things.lay_tiles(wanted, [sheet.tile(0, 0), sheet.tile(0, 1, turn=4)], at=(2, 3))
    cells, tiles = things.tiles()
    assert [(each.row, each.col, each.turn) for each in tiles] == [(0, 0, 0), (0, 1, 4)]
    assert cells[2:4, 3:6].tolist() == [[0, -1, 1], [-1, 1, 0]]
    assert (cells >= 0).sum() == 4
    things.lay_tiles(np.full((10, 12), -1), [])
    assert (things.tiles()[0] == -1).all()
    for _ in range(2):
        assert project.undo() == "Lay tiles"
    assert project.undo() == "Add layer “Things”"
    assert project.undo() == "Lay terrain"
    assert (floor.terrain()["terrain"] == 1).all()
    knitted, _ = floor.tiles()
    assert knitted.shape == (10, 12)


def test_arrays_of_sets_on_sides_and_of_staggered_maps_come_back_as_they_were(basin):
    project, sheet, *_ = basin
    ways = sheet.add_set("edge", ["path"], name="Ways")
    ways.mark(1, 0, {"N": "path", "S": "path"})
    for grid, tile in (("square", (16, 16)), ("staggered", (16, 32))):
        map_ = project.add_map(grid, (8, 9), tile, grid=grid)
        layer = map_.add_ground("Ways", ways)
        before = layer.terrain()
        assert set(before) == {"terrain", "west"}
        rng = np.random.default_rng(4)
        for each in before.values():
            each[2:6, 2:6] = rng.integers(0, 2, (4, 4))
        layer.lay_terrain(before["terrain"], before["west"])
        after = layer.terrain()
        assert all((after[name] == before[name]).all() for name in before)
        things = map_.add_tiles("Things")
        cells = rng.integers(-1, 1, map_.size)
        things.lay_tiles(cells, [sheet.tile(0, 0)])
        assert (things.tiles()[0] == cells).all()
        with pytest.raises(KnitError, match="has west too"):
            layer.lay_terrain(before["terrain"])


def test_what_is_known_of_tiles_is_said_and_taken_back(basin):
    project, sheet, ground, *_ = basin
    sheet.set_weight([(0, 0), sheet.tile(0, 1)], 3)
    sheet.set_name((0, 0), "deep")
    sheet.tag([(0, 0)], "wet")
    sheet.only_inside((0, 0))
    sheet.leave_out((0, 2))
    for name, value in (("toll", 3), ("slow", 0.5), ("hard", True), ("words", "keep off")):
        sheet.set_property((0, 0), name, value)
    fact = sheet.facts(0, 0)
    assert (fact.weight, fact.name, fact.tags, fact.inner) == (3.0, "deep", ("wet",), True)
    assert [each.typed for each in fact.properties] == [3, 0.5, True, "keep off"]
    assert sheet.facts(0, 2).left_out
    assert sheet.facts(0, 1).weight == 3.0
    sheet.set_property((0, 0), "toll", None)
    sheet.untag((0, 0), "wet")
    assert len(sheet.facts(0, 0).properties) == 3
    while project.undo() != "Weight of 2 tiles":
        pass
    assert sheet.facts(0, 0).weight == 1.0
    marks = ground.marks
    assert marks.shape == (*sheet.grid, 9)
    assert set(marks[0, 0, :8].tolist()) == {0, 1}
    marks[2, 2] = marks[0, 4]
    ground.set_marks(marks)
    assert (ground.marks == marks).all()
    with pytest.raises(KnitError, match="name terrain 9: “Ground” has 2"):
        ground.set_marks(np.full_like(marks, 9))


def test_sets_are_found_in_art_that_nobody_marked_and_missing_tiles_are_made(folder):
    project = api.new()
    sheet = project.add_sheet("pans.png")
    told = []
    found = sheet.likely_sets(progress=told.append)
    assert told
    assert found
    kit = sheet.make_set(found[0])
    assert kit.kind == found[0].kind.value
    with pytest.raises(KnitError, match="look for sets again"):
        sheet.make_set(found[0])
    ground = sheet.add_set("corner", ["brine", "crust"], name="Small")
    ground.mark(0, 0, "brine")
    ground.mark(0, 4, "crust")
    ground.mark(1, 4, {"NW": "brine", "NE": "crust", "SE": "crust", "SW": "crust"})
    before = len(ground.coverage().missing)
    made = ground.make_missing(turn=True)
    assert made.grid[0] * made.grid[1] > 0
    assert len(ground.coverage().missing) < before
    assert len(project.sheets) == 2


def test_recipes_are_built_by_names_looked_at_and_stopped(basin):
    project, _, _, map_, floor = basin
    noise = map_.step("noise ground", "Floor", scale=4, shares={"brine": 1, "crust": 1})
    assert noise == NoiseStep(floor.layer.number, 4.0, shares=(("brine", 1.0), ("crust", 1.0)))
    map_.set_recipe(noise, seed=3)
    before, steps = floor.layer.terrain.copy(), len(project.doc.history.names)
    first, second = map_.look(seed=3), map_.look(seed=4)
    assert (first.pixels != second.pixels).any()
    assert (floor.layer.terrain == before).all()
    assert len(project.doc.history.names) == steps

    def stop(part):
        raise api.Cancelled("enough")

    with pytest.raises(api.Cancelled):
        map_.grow(progress=stop)
    assert (floor.layer.terrain == before).all()
    growth = map_.grow()
    assert (map_.picture().pixels == first.pixels).all(), "a look is what growing gives"
    assert growth.steps[0].layer is floor.layer
    assert sum(laid for _, _, laid in growth.steps[0].shares) == pytest.approx(1)
    map_.write_recipe("coast.recipe.json")
    other = project.add_map("Other", (6, 6), (16, 16))
    with pytest.raises(KnitError):
        other.step("noise ground", floor)
    other.add_ground("Floor", project.sheets[0].sets[0], fill="brine")
    other.read_recipe("coast.recipe.json")
    assert other.recipe.steps[0].shares == noise.shares
    for words, settings in (("has no “odd”", {"odd": 1}), ("scale is", {"scale": "wide"}),
                            ("form is", {"form": "flat"})):  # fmt: skip
        with pytest.raises(KnitError, match=words):
            map_.step("noise ground", "Floor", **settings)
    with pytest.raises(KnitError, match="is no kind of step: give one of noise ground"):
        map_.step("noise", "Floor")


def test_rules_go_from_one_project_to_another(basin, tmp_path):
    _, _, ground, *_ = basin
    spots = (Spot(0, 1, Ask(AskKind.TERRAIN, "crust")),)
    ground.add_rule(NeighbourRule(1, spots, "shore"))
    ground.write_rules(tmp_path / "shore.rules.json")
    other = api.new().add_sheet("pans.png").add_set("corner", ["brine", "crust"])
    other.read_rules(tmp_path / "shore.rules.json")
    assert [each.name for each in other.rules.rules] == ["shore"]


def test_mixes_markers_and_layers_are_as_in_the_window(basin, tmp_path):
    project, sheet, _, map_, _ = basin
    mix = project.add_mix("Pools", {sheet.tile(0, 0): 3, sheet.tile(0, 1): 1}, falls="in clumps")
    assert project.mix("Pools") == mix
    things = map_.add_tiles("Things")
    things.lay_box(mix, (0, 0), map_.size)
    cells, tiles = things.tiles()
    assert sorted({each.col for each in tiles}) == [0, 1]
    assert (cells >= 0).all()
    with pytest.raises(KnitError, match="has no “odd”: it has border"):
        project.add_mix("Odd", [sheet.tile(0, 0)], odd=1)
    places = map_.add_markers("Places")
    first = places.add_marker("door", [(40, 60)], properties={"map": "Basin"})
    places.add_marker("camera", [(0, 0), (60, 40)])
    places.add_marker("shoal", [(0, 0), (60, 40), (9, 50)], name="low")
    assert [each.shape.value for each in places.markers] == ["point", "box", "polygon"]
    places.remove_marker(first)
    assert len(places.markers) == 2
    tint = map_.add_tint("Evening")
    tint.paint(TintInHand("#884400", 60), (2, 2), size=3)
    tint.set(name="Dusk", opacity=0.4, offset=(2, -1), lift=3, to=0, visible=False)
    layer = map_.layer("Dusk").layer
    assert (layer.opacity, layer.offset, layer.height, layer.visible) == (0.4, (-1, 2), 3, False)
    assert map_.layers[0].name == "Dusk"
    assert project.undo() == "Change “Evening”"
    assert map_.layers[-1].name == "Evening"
    places.set(locked=True)
    with pytest.raises(KnitError, match="is locked"):
        places.add_marker("door", [(1, 1)])
    map_.resize(above=2, right=-1)
    assert map_.size == (12, 11)
    map_.set_property("song", "tide")
    assert map_.map.properties[0].typed == "tide"
    map_.remove_layer("Evening")
    other = project.add_map("Other", (4, 4), (16, 16))
    other.add_tiles("T")
    written = project.ship(tmp_path / "out", ["png"], maps=["Other"])
    assert [each.name for each in written] == ["other.png"]


def test_a_map_comes_back_from_its_picture(basin, tmp_path):
    project, sheet, ground, map_, floor = basin
    floor.paint(ground.terrain("crust"), (4, 4), size=4)
    map_.picture().save(tmp_path / "seen.png")
    again = project.map_from_picture(tmp_path / "seen.png", "Seen", (16, 16), sheets=[sheet.name])
    assert again.size == map_.size
    assert (again.picture().pixels == map_.picture().pixels).all()
    fresh = api.new().map_from_picture(tmp_path / "seen.png", "Seen", (16, 16), sets=False)
    assert (fresh.picture().pixels == map_.picture().pixels).all()


def test_what_a_door_holds_is_read_at_a_glance(basin):
    project, sheet, ground, map_, floor = basin
    assert repr(sheet).startswith("<sheet “pans”: ")
    assert repr(ground) == "<corner set “Ground”: brine, crust>"
    assert repr(map_) == "<map “Basin”: 10 × 12 cells, 1 layers>"
    assert repr(floor) == "<ground layer “Floor” of “Basin”>"
    assert repr(project) == "<project “Untitled”: 1 sheets, 1 maps>"
    assert sorted(dir(api)) == sorted(api.__all__)
    both = api.side_by_side([map_.picture(level=1), map_.picture(level=1)], columns=2, gap=3)
    assert both.pixels.shape == (80, 2 * 96 + 3, 4)
