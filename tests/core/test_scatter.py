"""Tiles thinned out by chance, and mixes of what lies on a map."""

import numpy as np
import pytest
from tests.maps import small_project

from knitground.core.base.errors import EditError
from knitground.core.base.window import Box
from knitground.core.edit.laying import plan_cells, plan_terrain
from knitground.core.edit.scatter import mix_of_cells, plan_thin
from knitground.core.edit.selecting import Selection
from knitground.core.model.tile import TileRef


@pytest.fixture
def laid():
    """A map of 30 × 40 whose tile layer holds three tiles as 3 : 2 : 1, and a third of it none."""
    doc, _, ground, layer = small_project(size=(30, 40))
    map_ = doc.project.maps[0]
    places = [map_.legend.place(TileRef("sheet", 0, col)) for col in range(3)]
    rng = np.random.default_rng(4)
    layer.cells[:] = rng.permuted(np.repeat([0, *places], [400, 400, 267, 133])).reshape(30, 40)
    return doc, map_, ground, layer


def everything(map_):
    return Selection(Box(0, 0, map_.height, map_.width), np.ones((map_.height, map_.width), bool))


@pytest.mark.parametrize("share", [0.001, 0.3, 0.5, 1.0])
def test_a_share_of_the_tiles_goes_and_comes_back_by_undo(laid, share):
    doc, map_, _, layer = laid
    before = layer.cells.copy()
    plan, count = plan_thin(doc, map_, layer, everything(map_), share, 3)
    doc.apply(plan.edit)
    assert count == round(share * 800) == (before > 0).sum() - (layer.cells > 0).sum()
    assert (layer.cells == np.where(layer.cells, before, 0)).all()
    doc.undo()
    assert (layer.cells == before).all()


def test_what_goes_is_spread_over_tiles_rows_and_columns(laid):
    doc, map_, _, layer = laid
    plan, _ = plan_thin(doc, map_, layer, everything(map_), 0.5, 3)
    gone = (layer.cells > 0) & (plan.cells == 0)
    for place in np.unique(layer.cells[layer.cells > 0]):
        of = layer.cells == place
        assert abs(gone[of].mean() - 0.5) < 4 * 0.5 / np.sqrt(of.sum())
    for axis in (0, 1):
        wanted = (layer.cells > 0).sum(axis=axis) / 2
        off = (gone.sum(axis=axis) - wanted) ** 2 / np.maximum(wanted / 2, 1)
        assert off.sum() < len(wanted) + 5 * np.sqrt(2 * len(wanted))  # chi-square


def test_a_larger_share_takes_those_of_a_smaller_one_and_another_seed_others(laid):
    doc, map_, _, layer = laid

    def left(share, seed):
        return plan_thin(doc, map_, layer, everything(map_), share, seed)[0].cells > 0

    assert (left(0.5, 3) & ~left(0.3, 3)).sum() == 0
    assert (left(0.5, 3) == left(0.5, 3)).all()
    together = (~left(0.5, 3) & ~left(0.5, 4) & (layer.cells > 0)).sum()
    assert 150 < together < 250  # a quarter of 800: neighbouring seeds know nothing of each other


def test_only_selected_cells_are_thinned_out(laid):
    doc, map_, _, layer = laid
    mask = np.zeros((10, 12), bool)
    mask[2:8, 3:] = True
    chosen = Selection(Box(5, 6, 15, 18), mask)
    plan, count = plan_thin(doc, map_, layer, chosen, 1.0, 3)
    before = layer.cells.copy()
    doc.apply(plan.edit)
    changed = before != layer.cells
    assert changed.sum() == count == (before[7:13, 9:18] > 0).sum()
    changed[7:13, 9:18] = False
    assert not changed.any()


def test_a_grown_layer_keeps_what_was_taken_as_pins(laid):
    doc, map_, _, layer = laid
    grown = map_.new_grown_layer("Grown")
    grown.cells[:] = layer.cells
    map_.layers.append(grown)
    plan, count = plan_thin(doc, map_, grown, everything(map_), 0.25, 3)
    doc.apply(plan.edit)
    assert (grown.pinned & (grown.cells == 0)).sum() == grown.pinned.sum() == count == 200


def test_thinning_says_what_is_wrong(laid):
    doc, map_, ground, layer = laid
    chosen = everything(map_)
    for share in (0.0, -0.2, 1.5, float("nan")):
        with pytest.raises(EditError, match="out of bounds: give 1 to 100 %"):
            plan_thin(doc, map_, layer, chosen, share, 3)
    with pytest.raises(EditError, match="knitted from its terrain"):
        plan_thin(doc, map_, ground, chosen, 0.3, 3)
    with pytest.raises(EditError, match=r"0\.05 % of the 800 tiles there is none"):
        plan_thin(doc, map_, layer, chosen, 0.0005, 3)
    layer.cells[:] = 0
    with pytest.raises(EditError, match="0 tiles there is none"):
        plan_thin(doc, map_, layer, chosen, 1.0, 3)


def test_a_mix_weighs_as_many_as_lie_there(laid):
    doc, map_, _, layer = laid
    mix, count = mix_of_cells(doc, map_, layer, everything(map_), "All")
    assert [(each.tile.col, each.weight) for each in mix.entries] == [(0, 400), (1, 267), (2, 133)]
    assert count == 800
    turned = map_.legend.place(TileRef("sheet", 0, 0, 3))
    doc.apply(plan_cells(map_, layer, Box(0, 0, 1, 5), np.full((1, 5), turned, np.int32),
                         np.ones((1, 5), bool), "Lay").edit)  # fmt: skip
    mask = np.zeros((2, 5), bool)
    mask[0] = True
    mix, count = mix_of_cells(doc, map_, layer, Selection(Box(0, 0, 2, 5), mask), "Part")
    assert (count, [each.tile for each in mix.entries]) == (5, [TileRef("sheet", 0, 0, 3)])


def test_of_a_ground_layer_the_tiles_it_is_knitted_with_are_counted(laid):
    doc, map_, ground, _ = laid
    shown = doc.cells(map_, ground, Box(0, 0, 30, 40))
    assert (shown > 0).all()
    mix, count = mix_of_cells(doc, map_, ground, everything(map_), "Ground")
    assert count == (shown > 0).sum() == sum(mix.weights)
    void = plan_terrain(doc, map_, ground, Box(0, 0, 31, 41), np.ones((31, 41), bool), 0, "Erase")
    doc.apply(void.edit)
    with pytest.raises(EditError, match="no tile of “Ground” lies there: select cells with tiles"):
        mix_of_cells(doc, map_, ground, everything(map_), "None")
