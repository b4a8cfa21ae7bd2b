"""The door for scripts: what is refused raises a KnitError that says why, and changes nothing."""

import inspect
import random

import numpy as np
import pytest

from knitground import api
from knitground.core.base.errors import KnitError
from knitground.core.files.saving import save_project
from knitground.core.model.layers import GroundLayer
from knitground.core.model.recipe import NoiseStep, Recipe
from knitground.core.model.tile import TileRef
from tests.maps import small_project, snapshot
from tests.strangers import times

ODD = [
    None, True, -1, 0, 1, 3, 9, 10, 2.5, float("nan"), 10**30, "", "xx", "a\0b", "..", b"x",
    [], {}, (), (1,), (0, 0), (1, 2, 3), (9, 9), (10, 10), (-1, 0), (0.5, 1), ("a", 1), [1, 2],
    {"NW": "brine"}, {"XX": 1}, {1: 2}, "brine", "corner", "hex", object(), np.int64(2), TileRef,
    TileRef("sheet", 0, 0), TileRef("none", 0, 0), ["brine"], ["x", 1], [(0, 0), (0, 1)],
    [(0, 0), (5, 5)],
]  # fmt: skip


@pytest.fixture
def opened(tmp_path):
    doc, *_ = small_project((10, 10))
    save_project(doc.project, tmp_path / "p")
    return api.open(tmp_path / "p")


def doors(project):
    sheet = project.sheets[0]
    map_ = project.maps[0]
    return [project, sheet, sheet.sets[0], map_, *map_.layers]


CALLS = {
    "tile_at off": lambda p: p.maps[0].layers[1].tile_at(10, 10),
    "tile_at float": lambda p: p.maps[0].layers[1].tile_at(1.0, 1),
    "fill by": lambda p: p.maps[0].layers[1].fill(p.sheets[0].tile(0, 0), (0, 0), by="foo"),
    "box off": lambda p: p.maps[0].layers[1].lay_box(p.sheets[0].tile(0, 0), (8, 8), (3, 3)),
    "paint text": lambda p: p.maps[0].layers[1].paint(p.sheets[0].tile(0, 0), "xx"),
    "paint off": lambda p: p.maps[0].layers[1].paint(p.sheets[0].tile(0, 0), (10, 0)),
    "slice": lambda p: p.sheets[0].slice((18, 18)),
    "kind": lambda p: p.sheets[0].add_set("hex", ["a"]),
    "turn": lambda p: p.sheets[0].tile(0, 0, turn=9),
    "format": lambda p: p.ship("out", formats="pngx"),
    "over": lambda p: p.maps[0].grow(over="under"),
    "explain off": lambda p: p.maps[0].layers[0].explain(10, 0),
    "way": lambda p: p.maps[0].layers[0].path(p.sheets[0].tile(0, 0), [(0, 0), (5, 5)]),
}


@pytest.mark.parametrize("name", CALLS)
def test_what_scripts_get_wrong_is_told_and_changes_nothing(opened, name):
    before = snapshot(opened.project)
    with pytest.raises(KnitError) as caught:
        CALLS[name](opened)
    assert "\n" not in str(caught.value)
    assert ": " in str(caught.value)
    assert snapshot(opened.project) == before
    assert opened.undo() is None


def test_scripts_grow_over_what_is_painted_only_if_they_say_so(opened):
    map_ = opened.maps[0]
    ground = next(each for each in map_.layers if isinstance(each.layer, GroundLayer))
    _, kit = opened.project.set_of(ground.layer.tileset, ground.layer.set_name)
    names = tuple((each.name, 1.0) for each in kit.terrains)
    map_.grow(Recipe(1, (NoiseStep(ground.layer.number, 8.0, 2, names),)))
    mark = 3 - int(ground.layer.terrain[5, 5])
    ground.paint(opened.sheets[0].sets[0].terrain(kit.terrains[mark - 1].name), (5, 5))
    assert ground.layer.terrain[5, 5] == mark
    before = snapshot(opened.project)
    with pytest.raises(KnitError, match=r"cells since it was grown.*over='own'"):
        map_.grow(seed=5)
    assert snapshot(opened.project) == before
    map_.grow(seed=5, over="round")
    assert ground.layer.terrain[5, 5] == mark
    map_.grow(seed=6)


def test_one_format_may_be_given_by_its_name_alone(opened, tmp_path):
    assert [path.suffix for path in opened.ship(tmp_path / "out", "png")] == [".png"]


def test_any_argument_of_any_method_is_taken_or_refused_with_a_reason(
    opened, tmp_path, monkeypatch
):
    monkeypatch.chdir(tmp_path)
    rng = random.Random(3)
    refused = taken = 0
    calls = [
        (n, name)
        for n, door in enumerate(doors(opened))
        for name, _ in inspect.getmembers(door, callable)
        if not name.startswith("_") and (name != "step" or n)
    ]
    for turn in range(times(900, 40_000)):
        n, name = calls[turn % len(calls)]
        act = getattr(doors(opened)[n], name)
        wants = list(inspect.signature(act).parameters.values())
        wants = [each for each in wants if each.kind is not each.VAR_POSITIONAL]
        if any(each.kind is each.VAR_KEYWORD for each in wants):
            more = rng.sample(["scale", "shares", "size", "form", "where", "odd"], 2)
            named_more = {each: rng.choice(ODD) for each in more}
        else:
            named_more = {}
        wants = [each for each in wants if each.kind is not each.VAR_KEYWORD]
        args = [rng.choice(ODD) for each in wants if each.default is each.empty]
        named = {
            each.name: rng.choice(ODD)
            for each in wants
            if each.default is not each.empty and rng.random() < 0.4
        }
        if name in ("save", "ship"):  # never but into a folder of this test
            named.pop("folder", None)
            args[:1] = [rng.choice([tmp_path / "out", None, 3, "a\0b", b"x"])]
        try:
            act(*args, **named, **named_more)
            taken += 1
        except KnitError as error:
            refused += 1
            assert str(error)
            assert type(error) is not KnitError
            assert "went wrong in the program" not in str(error)
        if turn % 50 == 49:
            while opened.undo():
                pass
    assert refused > turn * 0.6
    assert taken > 50


def test_what_is_wrong_can_be_asked_for(demo_folder):
    found = api.open(demo_folder).proof(["snags"])
    assert found
    assert all(each.check == "snags" and each.words and each.places for each in found)
    with pytest.raises(api.KnitError, match="no check “nonsense”"):
        api.open(demo_folder).proof(["nonsense"])
    with pytest.raises(api.KnitError, match="a list of checks"):
        api.open(demo_folder).proof("snags")
