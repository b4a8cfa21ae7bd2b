"""Pick: take in hand what lies under the pointer."""

from __future__ import annotations

import numpy as np

from knitground.core.base.window import Box
from knitground.core.edit.desk import PICK_FROM, Desk, Pointer
from knitground.core.edit.hand import Hand, PatchInHand, TerrainInHand, TileInHand, TintInHand
from knitground.core.edit.selecting import same_cells
from knitground.core.model.layers import (
    EMPTY,
    Cells,
    GroundLayer,
    Layer,
    MarkerLayer,
    TintLayer,
)
from knitground.core.model.map import Map, grid_of
from knitground.core.model.patch import Patch
from knitground.core.model.terrain import SetKind
from knitground.ui.mapside.tools.tool import Tool
from knitground.ui.session import Session


def hand_at(desk: Desk, map_: Map, layer: Layer, at: Pointer) -> Hand | None:
    """Give what lies at a place of a layer: a pinned or laid tile, else the nearest terrain."""
    row, col = at.cell(map_)
    if not (0 <= row < map_.height and 0 <= col < map_.width):
        return None
    if isinstance(layer, MarkerLayer):
        return None
    place = int(desk.doc.cells(map_, layer, Box(row, col, row + 1, col + 1))[0, 0])
    if isinstance(layer, TintLayer):
        return TintInHand(f"#{place & 0xFFFFFF:06x}", place >> 24) if place else None
    if isinstance(layer, GroundLayer) and not layer.pinned[row, col]:
        found = desk.project.set_of(layer.tileset, layer.set_name)
        value = terrain_at(map_, layer, at)
        if found is None or value == EMPTY or value > len(found[1].terrains):
            return None
        return TerrainInHand(found[0].name, found[1].name, value, found[1].name_of(value))
    tile = map_.legend.tile(place)
    owner = desk.project.tileset_named(tile.tileset) if tile else None
    if tile is None or owner is None:
        return None
    return TileInHand(tile, owner.number(tile.row, tile.col))


def terrain_at(map_: Map, layer: GroundLayer, at: Pointer) -> int:
    """Give the terrain at a place: of the nearest vertex, the cell, or the nearest side."""
    if layer.kind_of_set is SetKind.CORNER:
        return int(layer.terrain[at.vertex(map_)])
    row, col = at.cell(map_)
    if layer.kind_of_set is SetKind.RING:
        return int(layer.terrain[row, col])
    here = layer.terrain
    down, across = at.y / map_.tile_height - row, at.x / map_.tile_width - col
    sides = [
        (down, int(here[row, col] & 255)), (1 - down, int(here[row + 1, col] & 255)),
        (across, int(here[row, col] >> 8)), (1 - across, int(here[row, col + 1] >> 8)),
    ]  # fmt: skip
    return next((value for _, value in sorted(sides) if value), 0)


MOST_PATCH_CELLS = 65_536


class Pick(Tool):
    """Takes in hand what lies there on the chosen layer, else on the front layer that has any."""

    key, name, shortcut, icon = "pick", "Pick", "K", "mdi6.hand-back-right-outline"
    tip = "Pick: take in hand what lies under the pointer, or drag over a block (right button too)"

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
        (row, col), (to_row, to_col) = self._from.cell(map_), self._to.cell(map_)
        box = Box(min(row, to_row), min(col, to_col), max(row, to_row) + 1, max(col, to_col) + 1)
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
        area = area.fitted(map_.height, map_.width, map_.wrap)
        if area.is_empty:
            self.session.note("Nothing to pick there: it lies outside the map")
            return
        if area.height * area.width > MOST_PATCH_CELLS:
            self.session.warn(
                f"{area.width} × {area.height} cells are too many for a patch of at most "
                f"{MOST_PATCH_CELLS}: pick less at a time"
            )
            return
        if isinstance(layer, TintLayer):
            self.session.note(
                "A patch holds tiles: pick one cell of a tint, or choose another layer"
            )
            return
        cells = self._block(map_, layer, area)
        rows = tuple(tuple(map_.legend.tile(int(p)) for p in line) for line in cells)
        if not any(tile for row in rows for tile in row):
            self.session.note(f"Nothing to pick there: “{layer.name}” is empty")
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
            hand = hand_at(self.desk, grid_of(map_, layer), layer, seen_from(at, chosen, layer))
            if hand is not None:
                self.session.take(hand)
                self.session.choose_layer(layer)
                return
        where = "on this layer" if way == PICK_FROM[1] else "on every layer"
        self.session.note(f"Nothing to pick there: the cell is empty {where}")


def seen_from(at: Pointer, layer: Layer | None, other: Layer) -> Pointer:
    """Give the place on another layer that a place on a layer lies over."""
    down, across = layer.shift if layer is not None else (0, 0)
    other_down, other_across = other.shift
    return Pointer(at.x + across - other_across, at.y + down - other_down)
