"""Pick: take in hand what lies under the pointer."""

from __future__ import annotations

from knitground.core.base.window import Box
from knitground.core.model.layers import EMPTY, GroundLayer, Layer
from knitground.core.model.map import Map
from knitground.core.model.terrain import SetKind
from knitground.ui.hand import Hand, TerrainInHand, TileInHand
from knitground.ui.planning import Pointer
from knitground.ui.session import Session
from knitground.ui.tools.tool import Tool


def hand_at(session: Session, map_: Map, layer: Layer, at: Pointer) -> Hand | None:
    """Give what lies at a place of a layer: a pinned or laid tile, else the nearest terrain."""
    row, col = at.cell(map_)
    if not (0 <= row < map_.height and 0 <= col < map_.width):
        return None
    place = int(session.doc.cells(map_, layer, Box(row, col, row + 1, col + 1))[0, 0])
    if isinstance(layer, GroundLayer) and not layer.pinned[row, col]:
        found = session.project.set_of(layer.tileset, layer.set_name)
        value = terrain_at(map_, layer, at)
        if found is None or value == EMPTY or value > len(found[1].terrains):
            return None
        return TerrainInHand(found[0].name, found[1].name, value, found[1].name_of(value))
    tile = map_.legend.tile(place)
    owner = session.project.tileset_named(tile.tileset) if tile else None
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


class Pick(Tool):
    """Takes in hand what lies there on the chosen layer, else on the front layer that has any."""

    key, name, shortcut, icon = "pick", "Pick", "K", "mdi6.hand-back-right-outline"
    tip = "Pick: take in hand what lies under the pointer (also the right button)"

    def press(self, at: Pointer) -> bool:
        map_ = self.session.map
        if map_ is None:
            return False
        chosen = [self.session.layer] if self.session.layer else []
        others = [layer for layer in reversed(map_.layers) if layer.visible]
        for layer in [*chosen, *others]:
            hand = hand_at(self.session, map_, layer, at)
            if hand is not None:
                self.session.take(hand)
                self.session.choose_layer(layer)
                return False
        self.session.note("Nothing to pick there: the cell is empty on every layer")
        return False
