"""Pick: take in hand what lies under the pointer."""

from __future__ import annotations

import numpy as np

from knitground.core.base.tongue import say
from knitground.core.base.window import Box
from knitground.core.edit.desk import PICK_FROM, Pointer, between
from knitground.core.edit.hand import PatchInHand
from knitground.core.edit.layerplans import plans_of
from knitground.core.edit.selecting import same_cells
from knitground.core.model.layers import (
    Cells,
    Holds,
    Layer,
)
from knitground.core.model.map import Map, grid_of
from knitground.core.model.patch import Patch
from knitground.ui.mapside.tools.tool import Tool
from knitground.ui.session import Session

MOST_PATCH_CELLS = 65_536


class Pick(Tool):
    """Takes in hand what lies there on the chosen layer, else on the front layer that has any."""

    key, name, shortcut, icon = "pick", "Pick", "K", "mdi6.hand-back-right-outline"
    tip = say(
        "Pick: take in hand what lies under the pointer, or drag over a block (right button too)"
    )

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self._from: Pointer | None = None
        self._to: Pointer | None = None

    @property
    def area(self) -> Box | None:
        """The block of cells that a drag has marked; None while it is a single one."""
        map_ = self.desk.grid
        if map_ is None or self._from is None or self._to is None:
            return None
        box = between(map_, self._from, self._to)
        return box if box.height * box.width > 1 else None

    def press(self, at: Pointer) -> bool:
        self._from = self._to = at
        return True

    def move(self, at: Pointer) -> None:
        self._to = at

    def release(self) -> None:
        area, at = self.area, self._from
        self._from = self._to = None
        if area is not None:
            self.take_block(area)
        elif at is not None:
            self.take_at(at)

    def cancel(self) -> None:
        self._from = self._to = None

    def take_block(self, area: Box) -> None:
        """Take a block of the chosen layer in hand as a patch."""
        map_, layer = self.desk.grid, self.desk.layer
        if map_ is None or layer is None:
            return
        if not map_.wrap or map_.lattice.torus is not None:  # else it is picked as it is seen
            area = map_.lattice.fitted(area)
        if area.is_empty:
            self.session.note(say("Nothing to pick there: it lies outside the map"))
            return
        if area.height * area.width > MOST_PATCH_CELLS:
            self.session.warn(
                say(
                    "{width} × {height} cells are too many for a patch of at most "
                    "{most_patch_cells}: pick less at a time",
                    width=area.width,
                    height=area.height,
                    most_patch_cells=MOST_PATCH_CELLS,
                )
            )
            return
        if layer.holds is Holds.COLOURS:
            self.session.note(
                say("A patch holds tiles: pick one cell of a tint, or choose another layer")
            )
            return
        cells = self._block(map_, layer, area)
        rows = tuple(tuple(map_.legend.tile(int(p)) for p in line) for line in cells)
        if not any(tile for row in rows for tile in row):
            self.session.note(say("Nothing to pick there: “{name}” is empty", name=layer.name))
            return
        self.session.take(PatchInHand(Patch(layer.name, rows)))
        self.session.choose_tool("paint")

    def _block(self, map_: Map, layer: Layer, area: Box) -> Cells:
        """Give the cells of a layer in a block, or the front tiles of all layers."""
        cells = self.session.doc.cells(map_, layer, area)
        if self.desk.options.pick_from != PICK_FROM[2]:
            return cells
        for each in map_.layers:
            same = same_cells(map_.of or map_, layer, each)
            if each.visible and each.holds_tiles and same:
                over = self.session.doc.cells(map_, each, area)
                cells = np.where(over > 0, over, cells)
        return cells

    def take_at(self, at: Pointer) -> None:
        """Take what lies at a place in hand."""
        map_, chosen = self.desk.map, self.desk.layer
        if map_ is None:
            return
        front = [layer for layer in reversed(map_.layers) if layer.visible and layer.holds_tiles]
        first = [chosen] if chosen else []
        way = self.desk.options.pick_from
        layers = {PICK_FROM[0]: [*first, *front], PICK_FROM[1]: first, PICK_FROM[2]: front}[way]
        for layer in layers:
            grid, there = grid_of(map_, layer), seen_from(at, chosen, layer)
            on_map = grid.lattice.holds(*there.cell(grid))
            hand = plans_of(layer).picked(self.desk, grid, layer, there) if on_map else None
            if hand is not None:
                self.session.take(hand)
                self.session.choose_layer(layer)
                return
        where = say("on this layer") if way == PICK_FROM[1] else say("on every layer")
        self.session.note(say("Nothing to pick there: the cell is empty {where}", where=where))


def seen_from(at: Pointer, layer: Layer | None, other: Layer) -> Pointer:
    """Give the place on another layer that a place on a layer lies over."""
    down, across = layer.shift if layer is not None else (0, 0)
    other_down, other_across = other.shift
    return Pointer(at.x + across - other_across, at.y + down - other_down)
