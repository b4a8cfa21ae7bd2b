"""What a click lays on a layer: one object for each kind of layer, in one registry."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.errors import EditError
from knitground.core.base.tongue import say
from knitground.core.base.window import Box, index, read
from knitground.core.chance.fall import check_fall
from knitground.core.edit.desk import Desk, Pointer
from knitground.core.edit.flood import Region
from knitground.core.edit.hand import (
    Hand,
    MarkerInHand,
    MixInHand,
    PatchInHand,
    TerrainInHand,
    TileInHand,
    TilesInHand,
    TintInHand,
)
from knitground.core.edit.handlay import hand_values, mix_mask
from knitground.core.edit.laying import (
    Plan,
    plan_cells,
    plan_terrain,
    plan_terrain_dabs,
    plan_unpin,
    united,
)
from knitground.core.edit.tint import Weights, blended, soft_weights, tint_value
from knitground.core.grow.taking import Lie, check_taking
from knitground.core.model.layers import (
    GroundLayer,
    GrownLayer,
    Layer,
    MarkerLayer,
    PinnedLayer,
    TileLayer,
    TintLayer,
)
from knitground.core.model.map import Map
from knitground.core.model.standing import standing_of

Mask = NDArray[np.bool_]
Anchor = tuple[int, int] | None


class Cover:
    """How much of its colour a stroke has laid in each cell, so that dabs do not add up."""

    def __init__(self, map_: Map) -> None:
        self._laid = np.zeros((map_.height, map_.width), np.float32)
        self._map = map_

    def more(self, box: Box, weights: Weights) -> Weights:
        """Note what a dab lays in a box; returns how much of what is left it has to lay."""
        at = index(box, self._map.height, self._map.width)
        before: Weights = self._laid[at].copy()
        after = np.maximum(before, weights)
        self._laid[at] = after
        left = 1 - before
        more = np.zeros_like(left)
        np.divide(after - before, left, out=more, where=left > 0)
        return more


class LayerPlans:
    """Plans for a kind of layer; here for one of tiles that are laid by hand."""

    def refusal(self, desk: Desk, layer: Layer) -> str | None:
        """Say why what is in hand can not be laid on the layer, and the cure."""
        hand = desk.hand
        if isinstance(hand, MarkerInHand):
            return say(
                "{holds} — markers go on a marker layer: choose one below", holds=_holds(layer)
            )
        if isinstance(hand, TintInHand):
            return say(
                "{holds} — colours go on a tint layer: choose one below", holds=_holds(layer)
            )
        if hand is None:
            return say("nothing in hand — take a terrain, a tile or a mix at the left")
        if isinstance(hand, TerrainInHand):
            return self.terrain_refusal(layer, hand)
        return _mix_refusal(desk, layer, hand) if isinstance(hand, MixInHand) else None

    def terrain_refusal(self, layer: Layer, _hand: TerrainInHand) -> str | None:
        """Say why terrain can not be laid on it."""
        return say(
            "{holds} — terrain goes on a ground layer: choose one below", holds=_holds(layer)
        )

    def dab(
        self, desk: Desk, map_: Map, layer: Layer, region: Region, anchor: Anchor,
        _cover: Cover | None,
    ) -> Plan | None:  # fmt: skip
        """Plan one dab of Paint or Erase."""
        if desk.tool == "erase":
            return self.erase(desk, map_, layer, region)
        return self.lay(desk, map_, layer, region, say("Paint"), anchor)

    def next_dab(
        self, desk: Desk, map_: Map, layer: Layer, region: Region, anchor: Anchor,
        cover: Cover | None,
    ) -> Plan | None:  # fmt: skip
        """Plan a dab of a stroke that did not begin by releasing pins."""
        return self.dab(desk, map_, layer, region, anchor, cover)

    def dabs(
        self, desk: Desk, map_: Map, layer: Layer, regions: Sequence[Region], anchor: Anchor,
        cover: Cover | None, pins: bool | None,
    ) -> Iterator[Plan]:  # fmt: skip
        """Plan dabs that follow each other, each plan on what the one before it has left.

        Parameters
        ----------
        pins : whether the stroke began by releasing pins, as of `plan_dab`
        """
        if len(regions) > 1 and self.unites(desk, map_, layer, regions):
            regions = [Region(*united([(each.box, each.mask) for each in regions]))]
        dab = self.dab if pins is not False else self.next_dab
        for region in regions:
            if pins and not self.releases(map_, layer, region):
                continue
            plan = dab(desk, map_, layer, region, anchor, cover)
            if plan is not None:
                yield plan

    def unites(self, desk: Desk, _map: Map, _layer: Layer, _regions: Sequence[Region]) -> bool:
        """Whether dabs that follow each other lay what one dab lays that covers all of them."""
        return not (isinstance(desk.hand, MixInHand) and desk.hand.mix.has_patches)

    def lay(
        self, desk: Desk, map_: Map, layer: Layer, region: Region, verb: str, anchor: Anchor
    ) -> Plan | None:
        """Plan laying what is in hand on a region of cells (vertices, for a terrain)."""
        hand = desk.hand
        if not isinstance(hand, TilesInHand):
            return None
        if isinstance(hand, MixInHand) and map_.wrap and map_.lattice.torus is None:
            # Where rows and columns do not go round, a cell draws its tile where it is kept.
            box, _, mask = map_.lattice.brought(region.box, region.mask, region.mask)
            region = Region(box, mask, region.complete)
        mask = region.mask
        dealt = None if desk.tool == "paint" else region.mask
        if isinstance(hand, MixInHand):
            mask = mask & mix_mask(desk, map_, layer, hand.mix, region.box)
            dealt = None if dealt is None else mask
        values = hand_values(desk, hand, map_, layer, region.box, anchor, dealt, mask)
        if isinstance(hand, PatchInHand) or (isinstance(hand, MixInHand) and hand.mix.has_patches):
            mask = mask & (values > 0)
        return plan_cells(map_, layer, region.box, values, mask, f"{verb} {hand.title}")

    def releases(self, _map: Map, _layer: Layer, _region: Region) -> bool:
        """Whether erasing a region would release pins, and nothing else."""
        return False

    def erase(
        self, _desk: Desk, map_: Map, layer: Layer, region: Region, *, selected: bool = False
    ) -> Plan | None:
        """Plan erasing a region; the step is named by what is selected if that is it."""
        blank = np.zeros(region.mask.shape, np.int32)
        name = say("Erase selection") if selected else say("Erase tiles")
        return plan_cells(map_, layer, region.box, blank, region.mask, name)

    def erase_cells(self, desk: Desk, map_: Map, layer: Layer, region: Region) -> Plan | None:
        """Plan emptying the selected cells."""
        return self.erase(desk, map_, layer, region, selected=True)

    def picked(self, desk: Desk, map_: Map, layer: Layer, at: Pointer) -> Hand | None:
        """Give what lies at a place on the map, to be taken in hand."""
        tile = map_.legend.tile(_value(desk, map_, layer, at))
        owner = desk.project.tileset_named(tile.tileset) if tile else None
        if tile is None or owner is None:
            return None
        return TileInHand(tile, owner.number(tile.row, tile.col))


def _value(desk: Desk, map_: Map, layer: Layer, at: Pointer) -> int:
    row, col = at.cell(map_)
    return int(desk.doc.cells(map_, layer, Box(row, col, row + 1, col + 1))[0, 0])


def _holds(layer: Layer) -> str:
    return say("{name} holds {kind}", name=layer.name, kind=say(layer.kind))


class GrownPlans(LayerPlans):
    """On a grown layer what is laid becomes pins; erasing releases those first."""

    def releases(self, map_: Map, layer: Layer, region: Region) -> bool:
        """Whether there are pins."""
        assert isinstance(layer, GrownLayer)
        return pins_to_release(map_, layer, region.box, region.mask)

    def next_dab(
        self, desk: Desk, map_: Map, layer: Layer, region: Region, anchor: Anchor,
        cover: Cover | None,
    ) -> Plan | None:  # fmt: skip
        """Plan a dab that empties pinned cells too: they would grow anew beside emptied ones."""
        if desk.tool == "erase":
            return super().erase(desk, map_, layer, region)
        return self.dab(desk, map_, layer, region, anchor, cover)

    def erase(
        self, desk: Desk, map_: Map, layer: Layer, region: Region, *, selected: bool = False
    ) -> Plan | None:
        """Plan releasing pins; where there are none, emptying cells, which pins them."""
        assert isinstance(layer, GrownLayer)
        if self.releases(map_, layer, region):
            name = say("Release pins of selection") if selected else say("Release pins")
            return plan_unpin(desk.doc, map_, layer, region.box, region.mask, name)
        return super().erase(desk, map_, layer, region, selected=selected)


class GroundPlans(LayerPlans):
    """On a ground layer terrain is laid, and tiles as pins; erasing releases those first."""

    def releases(self, map_: Map, layer: Layer, region: Region) -> bool:
        """Whether there are pins on or between the places."""
        assert isinstance(layer, GroundLayer)
        cells, _ = standing_of(layer.kind_of_set).under(region.box, region.mask)
        return bool(map_.lattice.read(layer.pinned, cells).any())

    def dabs(
        self, desk: Desk, map_: Map, layer: Layer, regions: Sequence[Region], anchor: Anchor,
        cover: Cover | None, pins: bool | None,
    ) -> Iterator[Plan]:  # fmt: skip
        """Plan dabs of terrain as one; where pins are released meanwhile each looks again."""
        assert isinstance(layer, GroundLayer)
        erases, hand = desk.tool == "erase", desk.hand
        dabs = [(each.box, each.mask) for each in regions]
        terrain = erases or isinstance(hand, TerrainInHand)
        released = erases and any(self.releases(map_, layer, each) for each in regions)
        if len(dabs) > 1 and terrain and not (pins or released):
            value, name = 0, say("Erase terrain")
            if not erases and isinstance(hand, TerrainInHand):
                value, name = hand.value, say("Paint {title}", title=hand.title)
            yield plan_terrain_dabs(desk.doc, map_, layer, dabs, value, name)
        else:
            yield from super().dabs(desk, map_, layer, regions, anchor, cover, pins)

    def unites(self, desk: Desk, map_: Map, layer: Layer, regions: Sequence[Region]) -> bool:
        """Not where some erase terrain and others release pins."""
        return desk.tool != "erase" and super().unites(desk, map_, layer, regions)

    def terrain_refusal(self, layer: Layer, hand: TerrainInHand) -> str | None:
        """Terrain has to be of the layer's own set."""
        assert isinstance(layer, GroundLayer)
        if (layer.tileset, layer.set_name) == (hand.tileset, hand.set_name):
            return None
        return say(
            "{name} is knitted from “{set_name}”, not from “{set_name2}”",
            name=layer.name,
            set_name=layer.set_name,
            set_name2=hand.set_name,
        )

    def lay(
        self, desk: Desk, map_: Map, layer: Layer, region: Region, verb: str, anchor: Anchor
    ) -> Plan | None:
        """Plan laying terrain, or tiles as pins."""
        hand = desk.hand
        if isinstance(hand, TerrainInHand) and isinstance(layer, GroundLayer):
            name, box, mask = f"{verb} {hand.title}", region.box, region.mask
            return plan_terrain(desk.doc, map_, layer, box, mask, hand.value, name)
        return super().lay(desk, map_, layer, region, verb, anchor)

    def erase(
        self, desk: Desk, map_: Map, layer: Layer, region: Region, *, selected: bool = False
    ) -> Plan | None:
        """Plan releasing pins; where there are none, taking away the terrain beneath."""
        assert isinstance(layer, GroundLayer)
        box, mask = region.box, region.mask
        if self.releases(map_, layer, region):
            cells, every = standing_of(layer.kind_of_set).under(box, mask)
            return plan_unpin(desk.doc, map_, layer, cells, every, say("Release pins"))
        return plan_terrain(desk.doc, map_, layer, box, mask, 0, say("Erase terrain"))

    def erase_cells(self, desk: Desk, map_: Map, layer: Layer, region: Region) -> Plan | None:
        """Plan releasing the pins of cells, or taking away the terrain round them."""
        assert isinstance(layer, GroundLayer)
        box, mask = region.box, region.mask
        if pins_to_release(map_, layer, box, mask):
            return plan_unpin(desk.doc, map_, layer, box, mask, say("Release pins of selection"))
        box, mask = standing_of(layer.kind_of_set).on_cells(box, mask)
        return plan_terrain(desk.doc, map_, layer, box, mask, 0, say("Erase terrain of selection"))

    def picked(self, desk: Desk, map_: Map, layer: Layer, at: Pointer) -> Hand | None:
        """Give the nearest terrain, or the tile of a pin."""
        assert isinstance(layer, GroundLayer)
        if layer.pinned[at.cell(map_)]:
            return super().picked(desk, map_, layer, at)
        found = desk.project.set_of(layer.tileset, layer.set_name)
        standing = standing_of(layer.kind_of_set)
        mark = standing.value_at(layer.terrain, map_.lattice, at.x, at.y)
        if found is None or not 0 < mark <= len(found[1].terrains):
            return None
        return TerrainInHand(found[0].name, found[1].name, mark, found[1].name_of(mark))


class TintPlans(LayerPlans):
    """On a tint layer colours are laid, softly or not."""

    def refusal(self, desk: Desk, layer: Layer) -> str | None:
        """Only a colour can be laid."""
        if isinstance(desk.hand, TintInHand):
            return None
        return say("{name} holds colours — take a colour in hand at the left", name=layer.name)

    def dab(
        self, desk: Desk, map_: Map, layer: Layer, region: Region, _anchor: Anchor,
        cover: Cover | None,
    ) -> Plan | None:  # fmt: skip
        """Plan a dab, with a soft brush less towards its rim."""
        verb = say("Erase colour") if desk.tool == "erase" else say("Paint")
        weights = soft_weights(desk.size) if desk.is_soft else None
        return plan_tint(desk, map_, layer, region, verb, weights, cover)

    def unites(self, desk: Desk, _map: Map, _layer: Layer, _regions: Sequence[Region]) -> bool:
        """Not softly: each dab blends with what the one before it has left."""
        return not desk.is_soft

    def lay(
        self, desk: Desk, map_: Map, layer: Layer, region: Region, verb: str, _anchor: Anchor
    ) -> Plan | None:
        """Plan laying the colour in hand."""
        return plan_tint(desk, map_, layer, region, verb)

    def picked(self, desk: Desk, map_: Map, layer: Layer, at: Pointer) -> Hand | None:
        """Give the colour there."""
        value = _value(desk, map_, layer, at)
        return TintInHand(f"#{value & 0xFFFFFF:06x}", value >> 24) if value else None


class MarkerPlans(LayerPlans):
    """Markers are laid by tools of their own: cells hold none."""

    def refusal(self, desk: Desk, layer: Layer) -> str | None:
        """Only kinds of markers, and tiles as free pictures."""
        if isinstance(desk.hand, MarkerInHand | TileInHand):
            return None
        return say(
            "{name} holds markers — take a kind of marker or a tile in hand at the left",
            name=layer.name,
        )

    def dab(
        self, _desk: Desk, _map: Map, _layer: Layer, _region: Region, _anchor: Anchor,
        _cover: Cover | None,
    ) -> Plan | None:  # fmt: skip
        """Plan nothing."""
        return None

    def lay(
        self, _desk: Desk, _map: Map, _layer: Layer, _region: Region, _verb: str, _anchor: Anchor
    ) -> Plan | None:
        """Plan nothing."""
        return None

    def erase_cells(self, _desk: Desk, _map: Map, _layer: Layer, _region: Region) -> Plan | None:
        """Plan nothing."""
        return None

    def picked(self, _desk: Desk, _map: Map, _layer: Layer, _at: Pointer) -> Hand | None:
        """Markers are chosen, not picked."""
        return None


_PLANS: dict[type[Layer], LayerPlans] = {
    TileLayer: LayerPlans(), GrownLayer: GrownPlans(), GroundLayer: GroundPlans(),
    TintLayer: TintPlans(), MarkerLayer: MarkerPlans(),
}  # fmt: skip


def plans_of(layer: Layer) -> LayerPlans:
    """Give the plans for a layer's kind."""
    return _PLANS[type(layer)]


def _mix_refusal(desk: Desk, layer: Layer, hand: MixInHand) -> str | None:
    if sum(hand.mix.weights) <= 0:
        return say("mix “{name}” is empty — give it tiles with a weight over 0", name=hand.name)
    try:
        single = (each.weight for each in hand.mix.entries if each.patch is None)
        weights = tuple(each for each in single if each > 0)
        if weights:
            check_fall(weights, hand.mix.fall)
        if desk.grid is not None:
            check_taking(Lie(desk.project, desk.grid), hand.mix.fall, layer.number)
    except EditError as error:
        return say("mix “{name}”: {error}", name=hand.name, error=error)
    return None


def plan_tint(
    desk: Desk,
    map_: Map,
    layer: Layer,
    region: Region,
    verb: str,
    weights: Weights | None = None,
    cover: Cover | None = None,
) -> Plan | None:
    """Plan laying the colour in hand on a region, or taking colour away with Erase."""
    hand = desk.hand
    erases = desk.tool == "erase"
    if not (erases or isinstance(hand, TintInHand)):
        return None
    value = 0
    name = verb
    if not erases and isinstance(hand, TintInHand):
        value, name = tint_value(hand.colour, hand.strength), f"{verb} {hand.title}"
    mask = region.mask
    if weights is None:
        return plan_cells(map_, layer, region.box, np.full(mask.shape, value, np.int32), mask, name)
    box, weights, _ = map_.lattice.brought(region.box, weights, weights > 0)
    if box.is_empty:
        return None
    if cover is not None:
        weights = cover.more(box, weights)
    values = blended(read(layer.cells, box), value, weights)
    return plan_cells(map_, layer, box, values, weights > 0, name)


def pins_to_release(map_: Map, layer: PinnedLayer, box: Box, mask: NDArray[np.bool_]) -> bool:
    """Tell whether erasing would release pins: of a grown layer those of empty cells do not count.

    There an erased cell is itself a pin, and a stroke must not undo what it has just done.
    """
    pins = map_.lattice.read(layer.pinned, box) & mask
    if not isinstance(layer, GroundLayer):
        pins &= map_.lattice.read(layer.cells, box) != 0
    return bool(pins.any())
