"""Fills with mixes that a layer remembers: noted when they are laid, laid anew later."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from knitground.core.base.errors import EditError
from knitground.core.base.tongue import say
from knitground.core.base.window import Box
from knitground.core.edit.atoms import SetField
from knitground.core.edit.changed import Changed, What
from knitground.core.edit.desk import Desk, Pointer
from knitground.core.edit.document import Edit
from knitground.core.edit.flood import Region
from knitground.core.edit.hand import MixInHand, TilesInHand
from knitground.core.edit.handlay import hand_values, mix_mask
from knitground.core.edit.laying import Plan, plan_cells
from knitground.core.edit.planning import plan_region, refusal
from knitground.core.model.conditions import Area
from knitground.core.model.laid import MAX_LAID, LaidMix
from knitground.core.model.layers import TileLayer
from knitground.core.model.mix import Mix
from knitground.core.model.tile import TileRef


def mix_tiles(mix: Mix) -> tuple[TileRef, ...]:
    """List all tiles that a mix may lay."""
    found: dict[TileRef, None] = {}
    for entry in mix.entries:
        if entry.patch is None:
            found[entry.tile] = None
        else:
            found.update({tile: None for row in entry.patch.rows for tile in row if tile})
    return tuple(found)[:4096]


def with_laid(desk: Desk, plan: Plan, region: Region) -> Edit:
    """Let a fill be remembered by its layer, if it lays a mix on a layer of tiles."""
    hand, layer, map_ = desk.hand, plan.layer, desk.grid
    if not isinstance(hand, MixInHand) or not isinstance(layer, TileLayer) or map_ is None:
        return plan.edit
    if desk.doc.project.mixes and hand.name not in [each.name for each in desk.doc.project.mixes]:
        return plan.edit
    mask = map_.lattice.marked(region.box, region.mask)
    new = LaidMix(hand.name, Area.of(0, 0, mask), desk.options.seed, mix_tiles(hand.mix))
    laid = (*layer.laid, new)[-MAX_LAID:]
    changed = Changed(What.LAYERS, map_, layer)
    return Edit(plan.edit.name, (*plan.edit.atoms, SetField(layer, "laid", laid, changed)))


def laid_at(layer: TileLayer, row: int, col: int) -> LaidMix | None:
    """Find the last fill that took in a cell."""
    at = Box(row, col, row + 1, col + 1)
    return laid_in(layer, Region(at, np.ones((1, 1), np.bool_)))


def laid_in(layer: TileLayer, region: Region) -> LaidMix | None:
    """Find the last fill that took in a cell of a region; what lies off the layer is left out."""
    size = layer.cells.shape
    box = region.box.clipped(size[0], size[1])
    if box.is_empty:
        return None
    top, left = box.top - region.box.top, box.left - region.box.left
    asked = region.mask[top : top + box.height, left : left + box.width]
    part = (slice(box.top, box.bottom), slice(box.left, box.right))
    return next((each for each in reversed(layer.laid)
                 if (each.area.mask(*size)[part] & asked).any()), None)  # fmt: skip


def plan_replace(desk: Desk, at: Pointer) -> tuple[Plan, Region]:
    """Plan laying what is in hand on all cells that hold the tile of one.

    They are looked for in the selection, or on the whole map if nothing is selected.

    Raises
    ------
    EditError
        Nothing can be laid there, or the cell is empty.
    """
    desk = replace(desk, tool="fill", options=replace(desk.options, fill_by="same tile"))
    why, map_, layer = refusal(desk, at), desk.grid, desk.layer
    if why is not None or map_ is None or layer is None:
        raise EditError(say("nothing replaced: {why}", why=why))
    if not layer.holds_tiles or not isinstance(desk.hand, TilesInHand):
        raise EditError(
            say("nothing replaced: take a tile, a patch or a mix in hand, on a tile layer")
        )
    row, col = at.cell(map_)
    row, col = row % map_.height, col % map_.width
    chosen = desk.selection
    box = chosen.box if chosen else Box(0, 0, map_.height, map_.width)
    cells = desk.doc.cells(map_, layer, box)
    place = int(desk.doc.cells(map_, layer, Box(row, col, row + 1, col + 1))[0, 0])
    if place <= 0:
        raise EditError(say("nothing replaced: no tile lies under the pointer; point at one"))
    region = Region(box, (cells == place) & (chosen.mask if chosen else True))
    plan = plan_region(desk, region, say("Replace by"), (0, 0))
    if plan is None or not region.mask.any():
        raise EditError(say("nothing replaced: that tile does not lie in the selection"))
    return plan, region


def plan_again(desk: Desk, laid: LaidMix, seed: int | None = None) -> Plan:
    """Plan laying a fill anew with the mix as it is now; what was laid there by hand stays.

    Parameters
    ----------
    seed : another one than it was laid with

    Raises
    ------
    EditError
        The mix is gone, or nothing of the fill lies there any more.
    """
    map_, layer = desk.grid, desk.layer
    mix = next((each for each in desk.doc.project.mixes if each.name == laid.mix), None)
    if mix is None:
        raise EditError(
            say("mix “{mix}”, with which this was filled, is not there: undo its end", mix=laid.mix)
        )
    assert isinstance(layer, TileLayer)
    assert map_ is not None
    mask = laid.area.mask(*layer.cells.shape)
    known = [map_.legend.place(tile) for tile in (*laid.tiles, *mix_tiles(mix))]
    mask &= np.isin(layer.cells, [0, *known])
    rows, cols = np.nonzero(mask)
    if not rows.size:
        raise EditError(say("nothing of the fill with “{mix}” lies there any more", mix=laid.mix))
    box = Box(int(rows.min()), int(cols.min()), int(rows.max()) + 1, int(cols.max()) + 1)
    part = mask[box.top : box.bottom, box.left : box.right]
    seed = laid.seed if seed is None else seed
    hand = MixInHand(mix.name, mix)
    options = replace(desk.options, seed=seed)
    again = replace(desk, hand=hand, options=options)
    taken = part & mix_mask(again, map_, layer, mix, box)
    values = np.where(taken, hand_values(again, hand, map_, layer, box, None, taken, taken), 0)
    plan = plan_cells(map_, layer, box, values, part, say("Lay “{name}” anew", name=mix.name))
    new = replace(laid, seed=seed, tiles=mix_tiles(mix))
    every = tuple(new if each is laid else each for each in layer.laid)
    if every == layer.laid:
        return plan
    atom = SetField(layer, "laid", every, Changed(What.LAYERS, map_, layer))
    return replace(plan, edit=Edit(plan.edit.name, (*plan.edit.atoms, atom)))
