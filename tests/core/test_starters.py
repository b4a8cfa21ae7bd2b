"""What an empty stage offers: recipes and rules to begin with, made of the sets at hand."""

from dataclasses import replace

import numpy as np
import pytest
from tests.maps import small_project, snapshot

from knitground.core.base.errors import GrowError, KnitError
from knitground.core.base.window import Box
from knitground.core.edit.document import Document
from knitground.core.edit.maps import add_map, put_mix, set_recipe
from knitground.core.edit.rules import add_rule, homes
from knitground.core.edit.rulestarters import rule_picture, rule_starters
from knitground.core.edit.starters import (
    Starter,
    kept_starter,
    starter_picture,
    starter_recipe,
    starters,
    take_starter,
    why_none,
)
from knitground.core.files.recipefile import read_recipe, write_recipe
from knitground.core.grow.runner import run_recipe
from knitground.core.knit.knit import knit_box
from knitground.core.knit.layer import layer_table
from knitground.core.model.layers import GroundLayer
from knitground.core.model.map import Map
from knitground.core.model.mix import Mix, MixEntry
from knitground.core.model.recipe import NoiseStep, Recipe
from knitground.core.model.rules import ResultKind
from knitground.core.model.terrain import SetKind
from knitground.core.model.tile import TileRef

ALL = {(row, col) for row in range(9) for col in range(9)}
THIRD = {(row, col) for row in (0, 3, 6) for col in (0, 3, 6)}
RIM = {(r, c) for r in range(9) for c in range(9) if {r, c} & {0, 8}}
EXPECTED = {
    # Wide (what lies beyond the border is as within it), every third, at the border.
    SetKind.CORNER: (ALL, THIRD, RIM),
    SetKind.RING: (ALL, THIRD, RIM),
    SetKind.EDGE: (None, set(), {(4, 0), (4, 8)}),
}


def bare(map_):
    """A map of the demo's cells that has no layer yet."""
    return Map("Bare", 30, 40, map_.cell_height, map_.cell_width)


def test_each_recipe_to_begin_with_runs_and_looks_different(demo):
    map_ = bare(demo.maps[0])
    offered = starters(demo, map_)
    titles = [each.title for each in offered]
    assert len(titles) >= 7
    assert len(set(titles)) == len(titles)
    before = snapshot(demo)
    seen = set()
    for each in offered:
        pixels = starter_picture(demo, map_, each, 3, (100, 150))
        assert len(np.unique(pixels)) > 4, each.title
        seen.add(pixels.tobytes())
        again = starter_picture(demo, map_, each, 3, (100, 150))
        assert (again == pixels).all()
    assert len(seen) == len(offered)
    assert snapshot(demo) == before
    assert not map_.layers  # looking adds nothing


def test_a_recipe_to_begin_with_brings_its_layers_and_is_what_was_shown(demo):
    doc = Document(demo)
    doc.apply(add_map(demo, bare(demo.maps[0])))
    map_ = demo.maps[-1]
    for offer in starters(demo, map_):
        before = snapshot(demo)
        doc.apply(take_starter(map_, offer, 5))
        assert [each.name for each in map_.layers] == [each.name for each in offer.layers]
        numbers = [each.number for each in map_.layers]
        assert len(set(numbers)) == len(numbers)
        assert map_.recipe == starter_recipe(map_, offer, 5)
        grown = run_recipe(demo, map_)  # no step is passed over: it would raise
        assert {each.layer.number for each in grown} <= set(numbers)
        with pytest.raises(KnitError, match="has a recipe of"):
            take_starter(map_, offer, 5)
        doc.undo()
        assert snapshot(demo) == before


def test_only_what_the_sets_allow_is_offered():
    doc, map_, *_ = small_project((20, 20))
    project = doc.project
    titles = {each.title for each in starters(project, map_)}
    assert "Islands" in titles
    assert not any("ways" in each for each in titles)  # there is no edge set
    assert not any(each.startswith("Scattered") for each in titles)  # nor a mix
    kit = project.tilesets[0].sets[0]
    plain = (kit.marks[..., list(SetKind.CORNER.slots)] == 2).all(axis=-1)
    kept = kit.marks.copy()
    kit.marks[plain] = 0
    kit.marks[(kit.marks[..., list(SetKind.CORNER.slots)] == 1).all(axis=-1)] = 0
    assert starters(project, map_) == []
    one, two = (each.name for each in kit.terrains[:2])
    assert f"“{one}” and “{two}” of the set “{kit.name}” have no tile" in why_none(project, map_)
    kit.marks = kept
    project.tilesets[0].sets = []
    assert starters(project, map_) == []
    assert "Make such a set" in why_none(project, map_)


def test_only_things_that_stand_on_a_ground_are_scattered(demo):
    doc = Document(demo)
    solid = next(each for each in demo.mixes if each.name == "salt flat")
    demo.mixes = [solid]
    assert not any(
        each.title.startswith("Scattered") for each in starters(demo, bare(demo.maps[0]))
    )
    loose = Mix("reeds", (MixEntry(TileRef("props", 0, 2)),))
    doc.apply(put_mix(demo, loose))
    titles = [each.title for each in starters(demo, bare(demo.maps[0]))]
    assert titles[-1] == "Scattered reeds"


def test_water_is_known_by_its_colour_and_what_lies_most_stays(demo):
    map_ = bare(demo.maps[0])
    hints = {each.title: each.hint for each in starters(demo, map_)}
    assert hints["Islands"].endswith("in brine")
    layer = map_.new_ground_layer("g", "pans", "Pans")
    clay = demo.set_of("pans", "Pans")[1].number_of("clay")
    layer.terrain[:] = clay
    layer.terrain[0, 0] = clay + 1
    map_.layers.append(layer)
    offered = starters(demo, map_)
    assert offered[0].title.startswith("clay")
    assert not offered[0].layers or layer not in offered[0].layers
    assert offered[0].steps[0].layer == layer.number


def test_a_recipe_that_was_kept_begins_another_map(demo, tmp_path):
    map_ = demo.maps[0]
    write_recipe(map_, tmp_path / "x.recipe.json")
    recipe, names = read_recipe(tmp_path / "x.recipe.json")
    other = bare(map_)
    assert kept_starter(other, "x", recipe, names) is None  # a ground is missing
    grounds = {(each.kind, each.name): each for each in map_.layers}
    for number in {step.layer for step in recipe.steps}:
        kind, name = names[number]
        if kind == GroundLayer.kind:
            old = grounds[kind, name]
            other.layers.append(
                other.new_ground_layer(name, old.tileset, old.set_name, old.kind_of_set)
            )
    found = kept_starter(other, "x", recipe, names)
    assert found is not None
    assert len(found.steps) == len(recipe.steps)
    for step, old in zip(found.steps, recipe.steps):
        made = [*other.layers, *found.layers]
        at = next(each for each in made if each.number == step.layer)
        assert (at.kind, at.name) == names[old.layer]


def test_of_a_very_large_map_a_part_is_grown_for_the_picture(demo):
    small, large = bare(demo.maps[0]), bare(demo.maps[0])
    small.height, small.width, large.height, large.width = 512, 512, 3000, 2800
    ground = large.new_ground_layer("g", "pans", "Pans")
    large.layers.append(ground)
    offer = next(each for each in starters(demo, large) if each.title == "Islands")
    assert offer.layers == ()
    pixels = starter_picture(demo, large, offer, 3, (100, 150))
    assert (
        pixels.shape
        == starter_picture(
            demo,
            small,
            next(e for e in starters(demo, small) if e.title == "Islands"),
            3,
            (100, 150),
        ).shape
    )
    assert ground.cells.shape == (3000, 2800)
    assert not ground.terrain.any()


def test_a_step_that_can_not_run_leaves_no_picture(demo):
    map_ = bare(demo.maps[0])
    offer = Starter("bad", "", (NoiseStep(77, shares=(("salt", 1.0),)),))
    with pytest.raises(GrowError):
        starter_picture(demo, map_, offer, 1, (50, 50))


@pytest.mark.parametrize("set_name", ["Pans", "Causeways", "Dykes", "Floor", "Walls"])
def test_example_rules_take_cells_of_the_sets_own_ground(demo, set_name):
    home = next(each for each in homes(demo) if each.kit is not None and each.kit.name == set_name)
    doc = Document(demo)
    doc.apply(home.put(replace(home.rules, rules=()), "none"))
    offered = rule_starters(home)
    assert len(offered) == 3
    pictures = {rule_picture(home, each.rule).tobytes() for each in offered}
    assert len(pictures) == 3  # each lays its tile elsewhere
    kit, owner = home.kit, home.tileset
    map_ = Map("m", 9, 9, owner.slicing.tile_height, owner.slicing.tile_width)
    layer = map_.new_ground_layer("g", owner.name, kit.name, kit.kind)
    mark = next(n for n in range(1, len(kit.terrains) + 1) if kit.name_of(n) in offered[0].hint)
    layer.terrain[:] = mark
    if kit.kind is SetKind.EDGE:  # a way along row 4, from border to border
        layer.terrain[:] = 0
        layer.terrain[4] = mark << 8
    for each, cells in zip(offered, EXPECTED[kit.kind]):
        assert each.rule.result.kind is ResultKind.TILES
        doc.apply(add_rule(home, each.rule))
        found = knit_box(layer_table(demo, map_, layer), layer, Box(0, 0, 9, 9))
        doc.undo()
        number = map_.legend.place_of(each.rule.result.tiles[0].tile)
        took = {tuple(at) for at in np.argwhere(found == number).tolist()}
        if cells is None:  # by chance
            assert took
            assert took < {(4, col) for col in range(9)}
        else:
            assert took == cells, each.title


def test_no_rule_is_offered_for_a_list_or_a_set_without_plain_tiles(demo):
    lists = [each for each in homes(demo) if each.kit is None]
    assert lists
    assert rule_starters(lists[0]) == []
    home = homes(small_project((8, 8))[0].project)[0]
    home.kit.marks[:] = 0
    assert rule_starters(home) == []


def test_taking_one_is_one_step_and_an_empty_recipe_stays_as_it_was(demo):
    map_ = demo.maps[0]
    doc = Document(demo)
    doc.apply(set_recipe(map_, Recipe(4)))
    before = snapshot(demo)
    offer = starters(demo, map_)[0]
    assert offer.layers == ()  # all that it needs is there
    doc.apply(take_starter(map_, offer, 9))
    assert map_.recipe.seed == 9
    doc.undo()
    assert snapshot(demo) == before
