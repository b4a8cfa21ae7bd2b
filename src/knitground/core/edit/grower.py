"""Remembers what a recipe grows on a layer, for pins that are released one after another.

To tell what lies under a single pin the whole recipe may have to run: a stroke that releases many
would run it for each.
"""

from __future__ import annotations

from dataclasses import dataclass
from weakref import WeakKeyDictionary

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.progress import Progress, no_progress
from knitground.core.base.window import Box, read
from knitground.core.edit.changed import Changed, What
from knitground.core.grow.runner import grown_cells, needs_whole_run
from knitground.core.model.layers import Cells, GrownLayer
from knitground.core.model.map import Map
from knitground.core.model.project import Project


@dataclass(frozen=True, eq=False)
class _Made:
    """What a recipe makes of a layer, and the pins that there were when it ran."""

    cells: Cells
    pins: NDArray[np.bool_]


class Grower:
    """What recipes grow on the layers of a project, as long as nothing that they read changes."""

    def __init__(self, project: Project) -> None:
        self._project = project
        self._made: WeakKeyDictionary[GrownLayer, _Made] = WeakKeyDictionary()

    def follow(self, change: Changed) -> None:
        """Forget what a change may have made different.

        Pins that are released, or come back, on the layer itself leave it as it is; nothing else
        lays cells there but the recipe.
        """
        for layer, made in list(self._made.items()):
            own = change.what is What.CELLS and change.layer is layer and change.box is not None
            if not own or _has_new_pins(layer, made, change.box):
                del self._made[layer]

    def is_ready(self, map_: Map, layer: GrownLayer) -> bool:
        """Whether parts of a layer can be told without running the whole recipe."""
        return layer in self._made or not needs_whole_run(self._project, map_, layer)

    def grow(self, map_: Map, layer: GrownLayer, progress: Progress = no_progress) -> Cells:
        """Work out what the recipe makes of a layer, (h, w), without changing anything.

        Raises
        ------
        Cancelled
            From `progress`.
        """
        return grown_cells(self._project, map_, layer, map_.lattice.whole, progress)

    def keep(self, layer: GrownLayer, cells: Cells) -> None:
        """Remember what the recipe makes of a layer as all is now."""
        self._made[layer] = _Made(cells, layer.pinned.copy())

    def cells(self, map_: Map, layer: GrownLayer, box: Box) -> Cells:
        """Give what the recipe grows in a box of a layer, which may reach over a wrapping border.

        Empty if no step makes the layer.
        """
        if self.is_ready(map_, layer) and layer not in self._made:
            return grown_cells(self._project, map_, layer, box)
        if layer not in self._made:
            self.keep(layer, self.grow(map_, layer))
        return map_.lattice.read(self._made[layer].cells, box)


def _has_new_pins(layer: GrownLayer, made: _Made, box: Box | None) -> bool:
    assert box is not None
    if layer.pinned.shape != made.pins.shape:  # it is being resized: more is to follow
        return True
    return bool((read(layer.pinned, box) & ~read(made.pins, box)).any())
