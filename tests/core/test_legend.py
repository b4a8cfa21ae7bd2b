"""A map's legend grows while other threads work with it: recipes, saving, what is counted."""

import numpy as np
import pytest

from knitground.core.edit.tiles import tile_shares
from knitground.core.edit.uses import count_uses
from knitground.core.files.layer_io import own_legend
from knitground.core.files.opening import open_project
from knitground.core.grow.runner import run_recipe
from knitground.core.knit.layer import knit_map
from knitground.core.model.map import Legend
from knitground.core.model.tile import TileRef


class Growing(Legend):
    """It grows whenever somebody has looked at it, as if another thread had just drawn."""

    def _grow(self):
        self.place(TileRef("pans", 0, 0, 0))
        for row in range(3):
            self.place(TileRef("strange", row, len(self._tiles)))

    def __len__(self):
        found = len(self._tiles)
        self._grow()
        return found

    @property
    def tiles(self):
        found = list(self._tiles)
        self._grow()
        return found

    @classmethod
    def instead_of(cls, legend):
        made = cls()
        for tile in legend.tiles[1:]:
            made.place(tile)
        return made


@pytest.fixture
def pair(demo_folder):
    """Two projects that are equal, of which one has legends that grow."""
    still, growing = (open_project(demo_folder).project for _ in range(2))
    for each in (still, growing):
        for map_ in each.maps:
            knit_map(each, map_)
    for map_ in growing.maps:
        map_.legend = Growing.instead_of(map_.legend)
    return still, growing


def test_what_is_saved_and_counted_is_the_same_while_the_legend_grows(pair):
    still, growing = pair
    for one, two in zip(still.maps, growing.maps):
        for a, b in zip(one.layers, two.layers):
            if a.holds_tiles:
                files, small = own_legend(one.legend, a.cells)
                others, same = own_legend(two.legend, b.cells)
                assert files == others
                assert np.array_equal(small, same)
                assert small.max() == len(files)
    for tileset in still.tilesets:
        assert count_uses(still, tileset.name) == count_uses(growing, tileset.name)
    one, two = (tile_shares(each, each.tilesets[0], each.maps[0]) for each in pair)
    assert one == two
    assert sum(each.cells for each in one.values()) > 0


def test_recipes_grow_the_same_while_the_legend_grows(pair):
    still, growing = pair
    for one, two in zip(still.maps, growing.maps):
        if not one.recipe.steps:
            continue
        for a, b in zip(run_recipe(still, one), run_recipe(growing, two)):
            shown = [[legend.tile(int(n)) for n in np.unique(made)] if holds else None
                     for legend, made, holds in ((one.legend, a.made, a.layer.holds_tiles),
                                                 (two.legend, b.made, b.layer.holds_tiles))
                     if isinstance(made, np.ndarray)]  # fmt: skip
            assert shown[:1] == shown[1:]
