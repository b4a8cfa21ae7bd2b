"""Many tiles at once: weights and what they mean, names, tags, properties, animations, choosing."""

import json
from dataclasses import replace

import numpy as np
import pytest
from tests.maps import small_project

from knitground.core.base.errors import EditError
from knitground.core.base.window import Box
from knitground.core.edit.frames import move_blocks, stand_still, time_frames
from knitground.core.edit.properties import (
    check_property,
    shared_properties,
    with_property,
    without_property,
)
from knitground.core.edit.tiles import (
    add_tag,
    choose_tiles,
    name_tiles,
    put_property,
    remove_property,
    remove_tag,
    scale_weights,
    set_weights,
    share_together,
    tile_shares,
    variant_groups,
)
from knitground.core.files.ship.ship import ship
from knitground.core.model.properties import Property, PropertyKind, checked_value
from knitground.core.model.tile import TileRef
from knitground.core.model.tileset import PLAIN, Frame


@pytest.fixture
def made():
    doc, map_, ground, _ = small_project((20, 24), copies=3)
    doc.ensure_all(map_)
    return doc, map_, ground, doc.project.tilesets[0]


def test_tiles_with_the_same_marks_are_one_group(made):
    doc, _, _, tileset = made
    groups = variant_groups(doc.project, tileset)
    kit = tileset.sets[0]
    assert sum(len(group) for group in groups) == sum(
        bool(kit.marks[row, col].any()) for row, col in np.ndindex(kit.marks.shape[:2])
    )
    for group in groups:
        assert len({kit.marks[at].tobytes() for at in group}) == 1


def test_a_share_of_twenty_percent_is_that_and_the_map_follows(made):
    doc, map_, ground, tileset = made
    group = next(
        g
        for g in variant_groups(doc.project, tileset)
        if all(tileset.sets[0].marks[at][[1, 3, 5, 7]].tolist() == [2] * 4 for at in g)
    )
    one = min(group)
    doc.apply(share_together(doc.project, tileset, [one], 0.2))
    share = tile_shares(doc.project, tileset, map_)[one]
    assert share.share == pytest.approx(0.2)
    assert share.variants == 3
    assert share.of == 20 * 24  # the whole map is crust
    assert share.cells == 96
    cells = doc.cells(map_, ground, Box(0, 0, 20, 24))
    laid = [map_.legend.tile(int(place)) for place in cells.ravel()]
    part = sum((t.row, t.col) == one for t in laid) / cells.size
    assert 0.12 < part < 0.28
    doc.undo()
    assert tile_shares(doc.project, tileset, map_)[one].share == pytest.approx(1 / 3)


def test_two_together_keep_their_own_relation(made):
    doc, _, _, tileset = made
    group = sorted(next(iter(variant_groups(doc.project, tileset))))
    doc.apply(set_weights(tileset, group[:1], 3))
    doc.apply(share_together(doc.project, tileset, group[:2], 0.5))
    one, two, three = (tileset.fact(*at).weight for at in group)
    assert one == pytest.approx(3 * two)
    assert one + two == pytest.approx(three)


@pytest.mark.parametrize(
    ("build", "words"),
    [
        (lambda d, t: share_together(d.project, t, [(0, 0)], 1.0), "leaves nothing"),
        (lambda d, t: share_together(d.project, t, [(0, 0), (0, 1), (0, 2)], 0.5), "no variants"),
        (lambda d, t: set_weights(t, [(0, 0)], -1), "out of bounds"),
        (lambda d, t: set_weights(t, [(0, 0)], float("nan")), "out of bounds"),
        (lambda d, t: scale_weights(t, [(0, 0)], 0), "out of bounds"),
        (lambda d, t: add_tag(t, [(0, 0)], "  "), "needs a word"),
        (lambda d, t: put_property(t, [(0, 0)], Property(" ")), "needs a name"),
        (lambda d, t: move_blocks(t, Box(0, 0, 1, 4), 3, below=False, ms=100), "would end in"),
        (lambda d, t: move_blocks(t, Box(0, 0, 1, 1), 1, below=False, ms=100), "2 to 256"),
        (lambda d, t: move_blocks(t, Box(0, 0, 1, 1), 2, below=False, ms=0), "0 ms is out"),
        (lambda d, t: time_frames(t, [(0, 0)], 0), "0 ms is out"),
    ],
)
def test_what_can_not_be_is_refused_with_the_cure(made, build, words):
    doc, _, _, tileset = made
    facts = tileset.facts
    with pytest.raises(EditError, match=words):
        doc.apply(build(doc, tileset))
    assert tileset.facts is facts


def test_ten_thousand_tiles_are_one_step(made):
    doc, _, _, tileset = made
    every = [(r, c) for r in range(100) for c in range(100)]
    doc.apply(set_weights(tileset, every, 2))
    assert len(tileset.facts) == 10_000
    doc.undo()
    assert tileset.facts == {}


def test_names_and_tags(made):
    doc, _, _, tileset = made
    doc.apply(name_tiles(tileset, [(0, 1), (0, 0)], "reed"))
    assert [tileset.fact(0, n).name for n in (0, 1)] == ["reed 1", "reed 2"]
    doc.apply(name_tiles(tileset, [(0, 1)], "tall reed"))
    assert tileset.fact(0, 1).name == "tall reed"
    for tag in ("a", "b", "a"):
        doc.apply(add_tag(tileset, [(0, 0), (0, 1)], tag))
    assert tileset.fact(0, 0).tags == ("a", "b")
    doc.apply(remove_tag(tileset, [(0, 0)], "a"))
    assert (tileset.fact(0, 0).tags, tileset.fact(0, 1).tags) == (("b",), ("a", "b"))
    assert choose_tiles(doc.project, tileset, "with the same tags", [(0, 0)]) == [(0, 0), (0, 1)]


@pytest.mark.parametrize(
    ("kind", "text", "value"),
    [
        (PropertyKind.TEXT, " as it is", " as it is"),
        (PropertyKind.WHOLE, "-12", -12),
        (PropertyKind.NUMBER, "0.5", 0.5),
        (PropertyKind.YES_NO, "Yes", True),
        (PropertyKind.COLOUR, "#a0B0c0", "#a0B0c0"),
        (PropertyKind.FILE, "sounds/step.ogg", "sounds/step.ogg"),
        (PropertyKind.CHOICE, "wet", "wet"),
        (PropertyKind.WHOLE, "1.5", None),
        (PropertyKind.WHOLE, "9" * 5000, None),
        (PropertyKind.NUMBER, "inf", None),
        (PropertyKind.NUMBER, "five", None),
        (PropertyKind.YES_NO, "maybe", None),
        (PropertyKind.COLOUR, "red", None),
        (PropertyKind.FILE, "../secret", None),
        (PropertyKind.FILE, "/etc/passwd", None),
        (PropertyKind.CHOICE, "dry", None),
    ],
)
def test_properties_are_of_their_kind_or_refused(kind, text, value):
    each = Property("p", text, kind, ("wet",))
    if value is None:
        with pytest.raises(EditError, match="property “p” is"):
            checked_value(each)
        assert each.typed == text
    else:
        assert checked_value(each) == value == each.typed


def test_properties_of_many_are_shared_renamed_and_shipped(made, tmp_path):
    doc, map_, ground, tileset = made
    both = [(0, 0), (0, 1)]
    doc.apply(put_property(tileset, both, Property("depth", "2", PropertyKind.WHOLE)))
    doc.apply(put_property(tileset, [(0, 1)], Property("depth", "3", PropertyKind.WHOLE)))
    doc.apply(put_property(tileset, [(0, 0)], Property("wet", "yes", PropertyKind.YES_NO)))
    shown = {
        each.name: same
        for each, same in shared_properties(tileset.fact(*at).properties for at in both)
    }
    assert shown == {"depth": False, "wet": False}
    doc.apply(put_property(tileset, both, Property("metres", "4", PropertyKind.NUMBER), "depth"))
    assert [p.name for p in tileset.fact(0, 0).properties] == ["metres", "wet"]
    with pytest.raises(EditError, match="already"):
        put_property(tileset, both, Property("wet", "no", PropertyKind.YES_NO), "metres")
    tiles = doc.project.maps[0].layers[1]
    tiles.cells[0, 0] = map_.legend.place(TileRef("sheet", 0, 0))
    files = ship(doc.project, [map_], tmp_path, ("json",)).files
    shipped = json.loads(next(each for each in files if each.suffix == ".json").read_text())
    found = [each for each in shipped["legend"] if each["tile"] == 0]
    assert found[0]["properties"] == {"metres": 4.0, "wet": True}
    doc.apply(remove_property(tileset, both, "wet"))
    assert [p.name for p in tileset.fact(0, 0).properties] == ["metres"]
    assert ground.terrain.any()


def test_a_block_moves_through_those_beside_it_in_one_act(made):
    doc, _, _, tileset = made
    doc.apply(move_blocks(tileset, Box(0, 0, 2, 2), 3, below=False, ms=90))
    assert tileset.fact(1, 1).frames == (Frame(1, 1, 90), Frame(1, 3, 90), Frame(1, 5, 90))
    assert tileset.fact(0, 2) is PLAIN
    assert choose_tiles(doc.project, tileset, "that move") == [(0, 0), (0, 1), (1, 0), (1, 1)]
    doc.apply(time_frames(tileset, [(0, 0)], 20))
    assert {each.ms for each in tileset.fact(0, 0).frames} == {20}
    doc.apply(stand_still(tileset, [(0, 0), (0, 1)]))
    assert not tileset.fact(0, 0).frames
    doc.undo()
    doc.undo()
    doc.undo()
    assert tileset.facts == {}


def test_tiles_are_chosen_by_what_they_are(made):
    doc, _, _, tileset = made
    group = next(iter(variant_groups(doc.project, tileset)))
    first = min(group)
    assert choose_tiles(doc.project, tileset, "with the same marks", [first]) == sorted(group)
    assert len(choose_tiles(doc.project, tileset, "all")) == tileset.count
    assert set(choose_tiles(doc.project, tileset, "not on any map")).isdisjoint(
        {(t.row, t.col) for t in doc.project.maps[0].legend.tiles if t and
         (doc.project.maps[0].layers[0].cells == doc.project.maps[0].legend.place(t)).any()}
    )  # fmt: skip
    tileset.picture[:8, :8] = tileset.picture[:8, 8:16]
    assert (0, 1) in choose_tiles(doc.project, tileset, "double")
    assert choose_tiles(doc.project, tileset, "with the same tags", [first]) == []


def test_each_keeps_its_own_value_under_a_new_name_or_kind_if_it_fits():
    own = [
        (Property("a", "12"), Property("b", "x")),
        (Property("a", "deep"),),
        (Property("b", "y"),),
    ]
    renamed = [with_property(each, Property("c", "12"), "a", keep=True) for each in own]
    assert [[(p.name, p.value) for p in each] for each in renamed] == [
        [("c", "12"), ("b", "x")], [("c", "deep")], [("b", "y")],
    ]  # fmt: skip
    whole = Property("a", "0", PropertyKind.WHOLE)
    assert [with_property(each, whole, "a", keep=True)[0] for each in own[:2]] == [
        replace(whole, value="12"), whole,
    ]  # fmt: skip
    choice = Property("a", "12", PropertyKind.CHOICE, ("12",))
    kept = with_property(own[1], choice, "a", keep=True)[0]
    assert (kept.value, kept.choices) == ("deep", ("12", "deep"))
    assert [without_property(each, "b") for each in own] == [own[0][:1], own[1], ()]
    assert shared_properties(own) == [(own[0][0], False), (own[0][1], False)]
    assert shared_properties(own[1:2] * 3) == [(own[1][0], True)]
    for new, old, words in (
        (Property(" "), "", "needs a name"),
        (Property("b"), "a", "“b” already"),
        (Property("a", "x", PropertyKind.NUMBER), "a", "no number"),
    ):
        with pytest.raises(EditError, match=words):
            check_property(new, old, ["a", "b"])
