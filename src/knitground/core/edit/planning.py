"""From a tool, what is in hand and a place on the map to the plan of what a click lays."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.errors import EditError
from knitground.core.base.window import Box, index, read
from knitground.core.chance.fall import check_fall
from knitground.core.edit.desk import Desk, Pointer
from knitground.core.edit.flood import Region, flood_in, same_ground
from knitground.core.edit.hand import (
    MarkerInHand,
    MixInHand,
    PatchInHand,
    TerrainInHand,
    TileInHand,
    TintInHand,
)
from knitground.core.edit.laying import Plan, plan_cells, plan_sides, plan_terrain, plan_unpin
from knitground.core.edit.tint import Weights, blended, disc, soft_weights, tint_value
from knitground.core.grow.patchwork import mix_cells
from knitground.core.grow.taking import Lie, check_taking, taken_cells
from knitground.core.knit.sides import SideMask
from knitground.core.model.layers import (
    Cells,
    GroundLayer,
    GrownLayer,
    Layer,
    MarkerLayer,
    PinnedLayer,
    TintLayer,
)
from knitground.core.model.map import Map
from knitground.core.model.mix import Mix
from knitground.core.model.terrain import SetKind

EYE_KEYS, LOCK_KEYS = "I", "J"
"""Keys that show or hide the chosen layer, and lock or unlock it: named in refusals."""


def outside(map_: Map, at: Pointer) -> bool:
    """Tell whether a place lies off a map that does not wrap."""
    row, col = at.cell(map_)
    return not map_.wrap and not (0 <= row < map_.height and 0 <= col < map_.width)


def refusal(desk: Desk, at: Pointer | None) -> str | None:
    """Say why a click would do nothing, and the cure; None if it would."""
    map_, layer = desk.map, desk.layer
    if map_ is None:
        return "no map yet — Ctrl+N makes one"
    if layer is None:
        return "no layer yet — add one below"
    if desk.tool in ("pick", "select"):
        return None
    if layer.locked:
        return f"{layer.name} is locked — {LOCK_KEYS} unlocks it"
    if not layer.visible:
        return f"{layer.name} is hidden — {EYE_KEYS} shows it"
    if at is not None and outside(map_, at):
        return f"outside the map of {map_.width} × {map_.height} cells — a click offers to grow it"
    if desk.tool == "fill" and isinstance(layer, MarkerLayer):
        return f"{layer.name} holds markers — Fill lays none: take Paint, Line or Box"
    if desk.tool == "fill" and desk.options.fill_by == "selection" and desk.selection is None:
        return "nothing is selected — take Select (S) and drag, or let Fill go by what lies there"
    if desk.tool == "erase":
        return None
    return _hand_refusal(desk, layer)


def _hand_refusal(desk: Desk, layer: Layer) -> str | None:
    hand = desk.hand
    if isinstance(layer, MarkerLayer):
        if isinstance(hand, MarkerInHand | TileInHand):
            return None
        return f"{layer.name} holds markers — take a kind of marker or a tile in hand at the left"
    if isinstance(layer, TintLayer) and not isinstance(hand, TintInHand):
        return f"{layer.name} holds colours — take a colour in hand at the left"
    if isinstance(hand, MarkerInHand):
        return f"{layer.name} holds {layer.kind} — markers go on a marker layer: choose one below"
    if isinstance(hand, TintInHand) and not isinstance(layer, TintLayer):
        return f"{layer.name} holds {layer.kind} — colours go on a tint layer: choose one below"
    if hand is None:
        return "nothing in hand — take a terrain, a tile or a mix at the left"
    if isinstance(hand, TerrainInHand):
        if not isinstance(layer, GroundLayer):
            what = f"{layer.name} holds {layer.kind}"
            return f"{what} — terrain goes on a ground layer: choose one below"
        if (layer.tileset, layer.set_name) != (hand.tileset, hand.set_name):
            return f"{layer.name} is knitted from “{layer.set_name}”, not from “{hand.set_name}”"
    return _mix_refusal(desk, layer, hand) if isinstance(hand, MixInHand) else None


def _mix_refusal(desk: Desk, layer: Layer, hand: MixInHand) -> str | None:
    if sum(hand.mix.weights) <= 0:
        return f"mix “{hand.name}” is empty — give it tiles with a weight over 0"
    try:
        single = (each.weight for each in hand.mix.entries if each.patch is None)
        weights = tuple(each for each in single if each > 0)
        if weights:
            check_fall(weights, hand.mix.fall)
        if desk.grid is not None:
            check_taking(Lie(desk.project, desk.grid), hand.mix.fall, layer.number)
    except EditError as error:
        return f"mix “{hand.name}”: {error}"
    return None


def brush(desk: Desk, map_: Map, at: Pointer) -> tuple[Box, NDArray[np.bool_]]:
    """Give the vertices or cells that the brush covers, as a box and a mask."""
    size = desk.size
    row, col = at.cell(map_)
    if isinstance(desk.hand, PatchInHand) and desk.tool == "paint":
        patch = desk.hand.patch
        top, left = row - (patch.height - 1) // 2, col - (patch.width - 1) // 2
        return Box(top, left, top + patch.height, left + patch.width), np.ones(
            (patch.height, patch.width), np.bool_
        )
    if desk.lays_terrain:
        if size % 2:
            row, col = at.vertex(map_)
        top, left = row - (size - 1) // 2, col - (size - 1) // 2
    elif size % 2:
        top, left = row - size // 2, col - size // 2
    else:
        row, col = at.vertex(map_)
        top, left = row - size // 2, col - size // 2
    mask = (
        disc(size) if desk.options.round_brush or desk.is_soft else np.ones((size, size), np.bool_)
    )
    return Box(top, left, top + size, left + size), mask


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


def plan_dab(
    desk: Desk,
    at: Pointer,
    anchor: tuple[int, int] | None = None,
    cover: Cover | None = None,
) -> Plan | None:
    """Plan one dab of Paint or Erase; None where it is refused.

    `anchor` is where the stroke's patch begins, so that dabs of one stroke fit together; `cover`
    what the stroke has laid so far, with a soft brush.
    """
    map_, layer = desk.grid, desk.layer
    if refusal(desk, at) is not None or map_ is None or isinstance(layer, MarkerLayer):
        return None
    if desk.draws_path:
        return plan_path(desk, at.side(map_))
    box, mask = brush(desk, map_, at)
    if isinstance(layer, TintLayer):
        verb = "Erase colour" if desk.tool == "erase" else "Paint"
        weights = soft_weights(desk.size) if desk.is_soft else None
        return plan_tint(desk, layer, Region(box, mask), verb, weights, cover)
    if desk.tool == "erase":
        return _plan_erase(desk, map_, box, mask)
    return plan_region(desk, Region(box, mask), "Paint", anchor)


def plan_tint(
    desk: Desk,
    layer: TintLayer,
    region: Region,
    verb: str,
    weights: Weights | None = None,
    cover: Cover | None = None,
) -> Plan | None:
    """Plan laying the colour in hand on a region, or taking colour away with Erase."""
    map_, hand = desk.map, desk.hand
    erases = desk.tool == "erase"
    if map_ is None or not (erases or isinstance(hand, TintInHand)):
        return None
    value = 0
    name = verb
    if not erases and isinstance(hand, TintInHand):
        value, name = tint_value(hand.colour, hand.strength), f"{verb} {hand.title}"
    mask = region.mask
    if weights is None:
        return plan_cells(map_, layer, region.box, np.full(mask.shape, value, np.int32), mask, name)
    box = region.box.fitted(map_.height, map_.width, map_.wrap)
    if box.is_empty:
        return None
    if box.height < region.box.height or box.width < region.box.width:
        rows = np.arange(box.top, box.bottom) - region.box.top
        cols = np.arange(box.left, box.right) - region.box.left
        weights = weights[np.ix_(rows % weights.shape[0], cols % weights.shape[1])]
    if cover is not None:
        weights = cover.more(box, weights)
    values = blended(read(layer.cells, box), value, weights)
    return plan_cells(map_, layer, box, values, weights > 0, name)


def plan_path(desk: Desk, sides: SideMask) -> Plan | None:
    """Plan laying the terrain in hand on sides of cells, or erasing what is there."""
    map_, layer, hand = desk.map, desk.layer, desk.hand
    if map_ is None or not isinstance(layer, GroundLayer):
        return None
    if desk.tool == "erase":
        cells = Box(sides[0].top, sides[0].left, sides[0].bottom - 1, sides[0].right - 1)
        fitted = cells.fitted(map_.height, map_.width, map_.wrap)
        if not fitted.is_empty and read(layer.pinned, fitted).any():
            every = np.ones((cells.height, cells.width), np.bool_)
            return plan_unpin(desk.doc, map_, layer, cells, every, "Release pins")
        return plan_sides(desk.doc, map_, layer, sides, 0, "Erase terrain")
    if not isinstance(hand, TerrainInHand):
        return None
    return plan_sides(desk.doc, map_, layer, sides, hand.value, f"Paint {hand.title}")


def plan_fill(desk: Desk, at: Pointer, limit: int | None = None) -> tuple[Plan, Region] | None:
    """Plan a fill from a place: connected ground, or connected cells that hold the same.

    As the session says, by terrain or by tile, on all such cells, or on the selection.
    """
    map_, layer = desk.grid, desk.layer
    if map_ is None or layer is None or refusal(desk, at) is not None:
        return None
    anchor = (0, 0) if desk.options.pattern_on_map else at.cell(map_)
    if desk.options.fill_by == "selection":
        if desk.selection is None:
            return None
        region = Region(desk.selection.box, desk.selection.mask)
        found = plan_selected(desk)
        return (found, region) if found else None
    region = fill_region(desk, map_, layer, at, limit)
    plan = plan_region(desk, region, "Fill", anchor)
    return (plan, region) if plan else None


def fill_region(
    desk: Desk,
    map_: Map,
    layer: Layer,
    at: Pointer,
    limit: int | None,
    *,
    cells: bool = False,
) -> Region:
    """Find what a fill covers: vertices for a terrain in hand, else (or if asked for) cells."""
    by_tile = desk.options.fill_by == "same tile" and desk.tool == "fill"
    size = (map_.height, map_.width)
    row, col = _inside(*at.cell(map_), size, map_.wrap)

    def tiles(box: Box) -> NDArray[Any]:
        return desk.doc.cells(map_, layer, box)

    def ground(box: Box) -> NDArray[Any]:
        assert isinstance(layer, GroundLayer)
        part = layer.terrain[box.top : box.bottom + 1, box.left : box.right + 1]
        return same_ground(part, layer.kind_of_set)

    values = ground if isinstance(layer, GroundLayer) and not by_tile else tiles
    if not cells and desk.lays_terrain and isinstance(layer, GroundLayer):
        if by_tile:
            found = _like(tiles, size, row, col, map_.wrap, limit, everywhere=desk.options.fill_all)
            return Region(*_corners(found.box, found.mask), found.complete)
        grid = layer.terrain[:-1, :-1] if map_.wrap else layer.terrain
        row, col = _inside(*at.vertex(map_), grid.shape, map_.wrap)
        size = (grid.shape[0], grid.shape[1])
        values = lambda box: grid[box.top : box.bottom, box.left : box.right]  # noqa: E731
    everywhere = desk.options.fill_all and desk.tool == "fill"
    return _like(values, size, row, col, map_.wrap, limit, everywhere=everywhere)


def _like(
    values: Callable[[Box], NDArray[Any]],
    size: tuple[int, int],
    row: int,
    col: int,
    wrap: bool,
    limit: int | None,
    *,
    everywhere: bool,
) -> Region:
    """Find the places that hold what one holds: those connected to it, or all there are."""
    if not everywhere:
        return flood_in(values, size, row, col, wrap, limit)
    box = Box(0, 0, *size)
    if limit is not None:
        half = limit // 2
        box = Box(row - half, col - half, row + half + 1, col + half + 1).clipped(*size)
    part = values(box)
    mask = part == part[row - box.top, col - box.left]
    return Region(box, mask, (box.height, box.width) == size)


def _corners(box: Box, mask: NDArray[np.bool_]) -> tuple[Box, NDArray[np.bool_]]:
    """Give the vertices round cells, as a box and a mask."""
    wide = np.pad(mask, ((0, 1), (0, 1)))
    wide = wide | np.roll(wide, 1, 0) | np.roll(wide, 1, 1) | np.roll(wide, (1, 1), (0, 1))
    return Box(box.top, box.left, box.bottom + 1, box.right + 1), wide


def _inside(row: int, col: int, size: tuple[int, ...], wrap: bool) -> tuple[int, int]:
    if wrap:
        return row % size[0], col % size[1]
    return min(max(row, 0), size[0] - 1), min(max(col, 0), size[1] - 1)


def plan_selected(desk: Desk) -> Plan | None:
    """Plan laying what is in hand on the selected cells; None where it is refused."""
    chosen, layer = desk.selection, desk.layer
    if chosen is None or layer is None or layer.locked or not layer.visible:
        return None
    if isinstance(layer, MarkerLayer):
        return None
    if _hand_refusal(desk, layer) is not None:
        return None
    box, mask = chosen.box, chosen.mask
    if isinstance(desk.hand, TerrainInHand) and desk.set_kind is SetKind.CORNER:
        box, mask = _corners(box, mask)
    anchor = (0, 0) if desk.options.pattern_on_map else (box.top, box.left)
    return plan_region(desk, Region(box, mask), "Fill selection with", anchor)


def erase_selected(desk: Desk) -> Plan | None:
    """Plan emptying the selected cells: pins first, then terrain; or the tiles of a tile layer."""
    chosen, layer, map_ = desk.selection, desk.layer, desk.grid
    if chosen is None or layer is None or map_ is None or layer.locked or not layer.visible:
        return None
    if isinstance(layer, MarkerLayer):
        return None
    box, mask = chosen.box, chosen.mask
    if isinstance(layer, PinnedLayer) and _pins_to_release(map_, layer, box, mask):
        return plan_unpin(desk.doc, map_, layer, box, mask, "Release pins of selection")
    if not isinstance(layer, GroundLayer):
        return plan_cells(map_, layer, box, np.zeros(mask.shape, np.int32), mask, "Erase selection")
    if layer.kind_of_set is SetKind.CORNER:
        box, mask = _corners(box, mask)
    return plan_terrain(desk.doc, map_, layer, box, mask, 0, "Erase terrain of selection")


def _pins_to_release(map_: Map, layer: PinnedLayer, box: Box, mask: NDArray[np.bool_]) -> bool:
    """Tell whether erasing would release pins: of a grown layer those of empty cells do not count.

    There an erased cell is itself a pin, and a stroke must not undo what it has just done.
    """
    if not map_.wrap:
        inner = box.clipped(map_.height, map_.width)
        top, left = inner.top - box.top, inner.left - box.left
        box, mask = inner, mask[top : top + inner.height, left : left + inner.width]
    if box.is_empty:
        return False
    pins = read(layer.pinned, box) & mask
    if not isinstance(layer, GroundLayer):
        pins &= read(layer.cells, box) != 0
    return bool(pins.any())


def release_pins(desk: Desk, at: Pointer | None) -> Plan | None:
    """Plan releasing the pins of the selection, or of a cell; None if there are none."""
    map_, layer, chosen = desk.map, desk.layer, desk.selection
    if map_ is None or not isinstance(layer, PinnedLayer) or layer.locked:
        return None
    if chosen is not None:
        box, mask = chosen.box, chosen.mask
    elif at is not None:
        row, col = at.cell(map_)
        box, mask = Box(row, col, row + 1, col + 1), np.ones((1, 1), np.bool_)
    else:
        return None
    plan = plan_unpin(desk.doc, map_, layer, box, mask, "Release pins")
    return plan if plan.changes_anything else None


def plan_region(
    desk: Desk, region: Region, verb: str, anchor: tuple[int, int] | None = None
) -> Plan | None:
    """Plan laying what is in hand on a region: vertices for a terrain, else cells.

    A patch repeats over the region from `anchor` on, a row and a column; by default from the
    region's own corner for Paint, and as the map's session setting says for all else.
    """
    map_, layer, hand = desk.grid, desk.layer, desk.hand
    if map_ is None or layer is None or hand is None or isinstance(hand, MarkerInHand):
        return None
    if isinstance(layer, TintLayer):
        return plan_tint(desk, layer, region, verb)
    if isinstance(hand, TintInHand):
        return None
    name = f"{verb} {hand.title}"
    if isinstance(hand, TerrainInHand):
        if not isinstance(layer, GroundLayer):
            return None
        box, mask = region.box, region.mask
        return plan_terrain(desk.doc, map_, layer, box, mask, hand.value, name)
    mask = region.mask
    dealt = None if desk.tool == "paint" else region.mask
    if isinstance(hand, MixInHand):
        mask = mask & mix_mask(desk, map_, layer, hand.mix, region.box)
        dealt = None if dealt is None else mask
    values = hand_values(desk, hand, map_, layer, region.box, anchor, dealt, mask)
    if isinstance(hand, PatchInHand) or (isinstance(hand, MixInHand) and hand.mix.has_patches):
        mask = mask & (values > 0)
    return plan_cells(map_, layer, region.box, values, mask, name)


def hand_values(
    desk: Desk,
    hand: TileInHand | MixInHand | PatchInHand,
    map_: Map,
    layer: Layer,
    box: Box,
    anchor: tuple[int, int] | None = None,
    dealt: NDArray[np.bool_] | None = None,
    mask: NDArray[np.bool_] | None = None,
) -> Cells:
    """Give what is in hand lays in every cell of a box: places of the map's legend, 0 for holes.

    `anchor` is where a patch that repeats begins; by default the box's own corner. `dealt` are the
    cells among which a mix that falls in exact shares is dealt; a brush deals in blocks of the map.
    `mask` are the cells that are to be laid: patches of a mix lie in them as a whole.
    """
    if isinstance(hand, PatchInHand):
        patch = hand.patch
        places = np.array(
            [[map_.legend.place(t) if t else 0 for t in row] for row in patch.rows], np.int32
        )
        top, left = anchor if anchor is not None else (box.top, box.left)
        rows = (np.arange(box.top, box.bottom) - top) % patch.height
        cols = (np.arange(box.left, box.right) - left) % patch.width
        return places[np.ix_(rows, cols)]
    if isinstance(hand, TileInHand):
        return np.full((box.height, box.width), map_.legend.place(hand.tile), np.int32)
    every = np.ones((box.height, box.width), np.bool_) if mask is None else mask
    current = None
    if hand.mix.has_patches and not isinstance(layer, GroundLayer):
        current = layer.cells
    seed = desk.options.seed
    return mix_cells(map_, hand.mix, layer.number, box, seed, every, dealt, current)


def mix_mask(desk: Desk, map_: Map, layer: Layer, mix: Mix, box: Box) -> NDArray[np.bool_]:
    """Give the cells of a box that a mix takes, as it is set to: all of them, or some."""
    lie = Lie(desk.project, map_, lambda each, part: desk.doc.cells(map_.of or map_, each, part))
    return taken_cells(lie, mix.fall, layer.number, box, desk.options.seed)


def _plan_erase(desk: Desk, map_: Map, box: Box, mask: NDArray[np.bool_]) -> Plan:
    """Plan erasing: pins first, then the terrain beneath them; or the tiles of a tile layer."""
    layer = desk.layer
    assert layer is not None
    if isinstance(layer, GrownLayer) and _pins_to_release(map_, layer, box, mask):
        return plan_unpin(desk.doc, map_, layer, box, mask, "Release pins")
    if not isinstance(layer, GroundLayer):
        return plan_cells(map_, layer, box, np.zeros(mask.shape, np.int32), mask, "Erase tiles")
    if layer.kind_of_set is not SetKind.CORNER:
        return _plan_erase_cells(desk, map_, layer, box, mask)
    cells = Box(
        box.top, box.left, max(box.top + 1, box.bottom - 1), max(box.left + 1, box.right - 1)
    )
    fitted = cells.fitted(map_.height, map_.width, map_.wrap)
    if not fitted.is_empty and read(layer.pinned, fitted).any():
        every = np.ones((cells.height, cells.width), np.bool_)
        return plan_unpin(desk.doc, map_, layer, cells, every, "Release pins")
    return plan_terrain(desk.doc, map_, layer, box, mask, 0, "Erase terrain")


def _plan_erase_cells(
    desk: Desk, map_: Map, layer: GroundLayer, box: Box, mask: NDArray[np.bool_]
) -> Plan:
    """Plan erasing on a ring or edge set, whose terrain goes by cells."""
    fitted = box.fitted(map_.height, map_.width, map_.wrap)
    if not fitted.is_empty and read(layer.pinned, fitted).any():
        return plan_unpin(desk.doc, map_, layer, box, mask, "Release pins")
    return plan_terrain(desk.doc, map_, layer, box, mask, 0, "Erase terrain")
