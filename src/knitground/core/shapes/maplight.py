"""All that lights a map: its lamps, its ambient light, what blocks light, and relief."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import cached_property

import numpy as np

from knitground.core.base.window import Box
from knitground.core.model.lattice import Rect
from knitground.core.model.layers import Cells, Holds, Layer
from knitground.core.model.map import Map
from knitground.core.model.project import Project
from knitground.core.render.atlas import Atlas
from knitground.core.render.compose import tint_factors
from knitground.core.render.relief import facing, has_relief, relief_project
from knitground.core.render.stack import draw_map, stack_of
from knitground.core.shapes.light import (
    DUSK,
    Field,
    Lamp,
    Light,
    ambient_layer_of,
    ambient_of,
    blocked_by,
    lamps_of,
)


def drawn_layers(map_: Map) -> list[Layer]:
    """List the layers that are drawn where the map is lit: visible, and not light themselves."""
    light = ambient_layer_of(map_)
    return [each for each in map_.layers if each.visible and each is not light]


class MapLight:
    """Tells how much light falls on parts of a map; lamps are looked for anew each time.

    Parameters
    ----------
    cells_of : gives the cells of a layer in a box of its own grid
    step : pixels of the map to a place of the field
    """

    def __init__(
        self, project: Project, map_: Map, cells_of: Callable[[Layer, Box], Cells], step: int = 1
    ) -> None:
        self._project, self.map, self._cells_of, self.step = project, map_, cells_of, step
        relief = self._relief if has_relief(project) else None
        self._light = Light(blocked_by(project, map_, cells_of), step, relief)

    @property
    def is_on(self) -> bool:
        """Whether the map is lit otherwise than by day."""
        return ambient_of(self.map) is not None

    def forget(self, rect: Rect | None = None) -> None:
        """Work out anew what lamps reach that shine into a rectangle, or all."""
        self._light.forget(rect)

    def field(self, rect: Rect, ms: int = 0, lamps: Sequence[Lamp] | None = None) -> Field:
        """Give how much light falls on a rectangle: (height, width, 3) of its places, 0 and more.

        Parameters
        ----------
        rect : pixels of the map, on whole places
        lamps : by default those of the map
        """
        layer = ambient_layer_of(self.map)
        ambient = (ambient_of(self.map) or DUSK) if layer is None else self._tinted(layer, rect)
        return self._light.field(lamps_of(self.map) if lamps is None else lamps, ambient, rect, ms)

    def _tinted(self, layer: Layer, rect: Rect) -> Field:
        """Give what a tint multiplies the places of a rectangle by."""
        lattice, step = self.map.lattice, self.step
        down, across = layer.shift
        xs = rect.x - across + (np.arange(-(-rect.width // step)) + 0.5) * step
        ys = rect.y - down + (np.arange(-(-rect.height // step)) + 0.5) * step
        seen = Rect(rect.x - across, rect.y - down, len(xs) * step, len(ys) * step)
        box = lattice.cells_in(seen)
        if not self.map.wrap:
            box = box.clipped(self.map.height, self.map.width)
        if box.is_empty:
            return np.ones((len(ys), len(xs), 3), np.float32)
        packed = tint_factors(self._cells_of(layer, box), layer.opacity)
        factors = np.stack([packed >> np.uint32(n) & np.uint32(255) for n in (16, 8, 0)], axis=-1)
        factors = factors.astype(np.float32) / 255
        if lattice.slanted:
            rows, cols = lattice.cells_at(xs[None], ys[:, None])
        else:  # of squares a row of places lies in one row of cells
            rows, cols = lattice.cells_at(np.zeros_like(ys), ys)[0], \
                lattice.cells_at(xs, np.zeros_like(xs))[1]  # fmt: skip
            rows, cols = rows[:, None], cols[None]
        rows, cols = np.broadcast_arrays(rows - box.top, cols - box.left)
        inside = (rows >= 0) & (rows < factors.shape[0]) & (cols >= 0) & (cols < factors.shape[1])
        out = np.ones((len(ys), len(xs), 3), np.float32)
        out[inside] = factors[rows[inside], cols[inside]]
        return out

    @cached_property
    def _atlas(self) -> Atlas:
        return Atlas(relief_project(self._project), self.map)

    def _relief(self, rect: Rect) -> Field:
        out = np.zeros((int(rect.height), int(rect.width), 3), np.float32)
        out[..., 2] = 1
        seen = rect
        if not self.map.wrap or self.map.lattice.slanted:
            seen = rect.shared(Rect(0, 0, *self.map.lattice.extent))
        if seen.is_empty:
            return out
        layers = [each for each in drawn_layers(self.map) if each.holds is not Holds.COLOURS]
        stack = stack_of(self.map, self._atlas, seen, 0, self._cells_of, layers)
        top, left = int(seen.y - rect.y), int(seen.x - rect.x)
        out[top : top + int(seen.height), left : left + int(seen.width)] = facing(
            draw_map(self.map, self._atlas, stack)
        )
        return out
