"""Selections: which cells of a map are chosen, and what can be done with them."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.errors import EditError
from knitground.core.base.tongue import say
from knitground.core.base.window import Box, read
from knitground.core.edit.document import Document, Edit
from knitground.core.edit.laying import Plan, plan_cells, plan_unpin
from knitground.core.model.layers import Cells, GroundLayer, Layer, PinnedLayer
from knitground.core.model.map import Map, grid_of
from knitground.core.model.patch import Patch, turn_tile
from knitground.core.model.standing import standing_of
from knitground.core.model.turns import is_mirrored, turned_array

Mask = NDArray[np.bool_]


@dataclass(frozen=True, eq=False)
class Selection:
    """Chosen cells: `mask` (h, w) inside `box`, which lies on the map."""

    box: Box
    mask: Mask

    @property
    def count(self) -> int:
        """How many cells are chosen."""
        return int(self.mask.sum())

    def holds(self, row: int, col: int) -> bool:
        """Whether a cell is chosen."""
        r, c = row - self.box.top, col - self.box.left
        inside = 0 <= r < self.mask.shape[0] and 0 <= c < self.mask.shape[1]
        return inside and bool(self.mask[r, c])


def on_map(map_: Map, box: Box, mask: Mask) -> Selection | None:
    """Give the selection of those cells of a mask that the map has; `box` lies on its array."""
    there = map_.lattice.part(box)
    return trimmed(box, mask if there is None else mask & there)


def trimmed(box: Box, mask: Mask) -> Selection | None:
    """Give the selection of a mask, its box as small as it can be; None if nothing is chosen."""
    rows, cols = np.flatnonzero(mask.any(axis=1)), np.flatnonzero(mask.any(axis=0))
    if not rows.size:
        return None
    top, bottom, left, right = (int(v) for v in (rows[0], rows[-1] + 1, cols[0], cols[-1] + 1))
    inner = Box(box.top + top, box.left + left, box.top + bottom, box.left + right)
    return Selection(inner, mask[top:bottom, left:right].copy())


def combined(old: Selection | None, new: Selection | None, how: str) -> Selection | None:
    """Put two selections together.

    Parameters
    ----------
    how : “new” takes the second alone, “add” both, “less” the first without the second
    """
    if how == "new" or old is None:
        return new if how != "less" else None
    if new is None:
        return old
    box = old.box.joined(new.box)
    mask = np.zeros((box.height, box.width), np.bool_)
    for each, value in ((old, True), (new, how == "add")):
        top, left = each.box.top - box.top, each.box.left - box.left
        part = mask[top : top + each.box.height, left : left + each.box.width]
        part[each.mask] = value
    return trimmed(box, mask)


def select_box(map_: Map, box: Box, mask: Mask | None = None) -> Selection | None:
    """Choose a rectangle, or the cells of a mask (h, w) in it, as far as they lie on the map."""
    inner = box.clipped(map_.height, map_.width)
    if inner.is_empty:
        return None
    every = np.ones((box.height, box.width), np.bool_) if mask is None else mask
    return on_map(map_, inner, _part(every, box, inner))


def select_outline(map_: Map, points: list[tuple[float, float]]) -> Selection | None:
    """Choose the cells whose middle lies inside a closed line.

    Parameters
    ----------
    points : rows and columns, in cells, of the line's corners

    Notes
    -----
    Even-odd rule: a cell is inside if a ray to the right crosses the line an odd number of times.
    """
    if len(points) < 3:
        return None
    rows, cols = [row for row, _ in points], [col for _, col in points]
    box = Box(int(min(rows)), int(min(cols)), int(max(rows)) + 1, int(max(cols)) + 1)
    box = box.clipped(map_.height, map_.width)
    if box.is_empty:
        return None
    y = (np.arange(box.top, box.bottom) + 0.5)[:, None]
    x = (np.arange(box.left, box.right) + 0.5)[None, :]
    mask = np.zeros((box.height, box.width), np.bool_)
    for (r0, c0), (r1, c1) in zip(points, [*points[1:], points[0]]):
        if r0 == r1:
            continue
        crosses = (y >= min(r0, r1)) & (y < max(r0, r1))
        mask ^= crosses & (x < c0 + (y - r0) * (c1 - c0) / (r1 - r0))
    return on_map(map_, box, mask)


def select_like(doc: Document, map_: Map, layer: Layer, row: int, col: int) -> Selection | None:
    """Choose all cells of a layer that show the same tile as one."""
    whole = Box(0, 0, map_.height, map_.width)
    cells = doc.cells(map_, layer, whole)
    return on_map(map_, whole, cells == cells[row, col])


def select_ground(map_: Map, layer: Layer, row: int, col: int) -> Selection | None:
    """Choose all cells of a ground layer that ask for the same terrain as one.

    On another layer: all cells that hold the same.
    """
    whole = Box(0, 0, map_.height, map_.width)
    values = layer.cells
    if isinstance(layer, GroundLayer):
        values = standing_of(layer.kind_of_set).same(layer.terrain).astype(np.int64)
    return on_map(map_, whole, values == values[row, col])


def chosen_cells(doc: Document, map_: Map, layer: Layer, chosen: Selection) -> Cells:
    """Read the chosen cells of a layer: (rows, cols) of its box, 0 where none is chosen or laid."""
    return np.where(chosen.mask, np.maximum(doc.cells(map_, layer, chosen.box), 0), 0)


def patch_of(doc: Document, map_: Map, layer: Layer, chosen: Selection) -> Patch | None:
    """Take the chosen cells of a layer as a patch; None if they are empty."""
    cells = chosen_cells(doc, map_, layer, chosen)
    tiles = {place: map_.legend.tile(place) for place in np.unique(cells).tolist()}
    rows = tuple(tuple(map(tiles.__getitem__, line)) for line in cells.tolist())
    return Patch(layer.name, rows) if any(tile for row in rows for tile in row) else None


def plan_move(
    doc: Document, map_: Map, layer: Layer, chosen: Selection, down: int, across: int
) -> Plan:
    """Plan moving the chosen cells of a tile layer; what falls off the map is lost.

    On a layer that is made the tiles are laid as pins, and what is beneath stays as it is.
    """
    box = chosen.box
    target = Box(box.top + down, box.left + across, box.bottom + down, box.right + across)
    wide = box.joined(target)
    values = np.zeros((wide.height, wide.width), np.int32)
    mask = np.zeros(values.shape, np.bool_)
    cells = doc.cells(map_, layer, box)
    top, left = box.top - wide.top, box.left - wide.left
    if not isinstance(layer, PinnedLayer):
        mask[top : top + box.height, left : left + box.width] |= chosen.mask
    top, left = target.top - wide.top, target.left - wide.left
    part = (slice(top, top + box.height), slice(left, left + box.width))
    laid = chosen.mask & (cells > 0)
    values[part][laid] = cells[laid]
    mask[part] |= laid
    return plan_cells(map_, layer, wide, values, mask, say("Move selection"))


def plan_turn(
    doc: Document, map_: Map, layer: Layer, chosen: Selection, by: int
) -> tuple[Plan, Selection | None]:
    """Plan turning or mirroring the chosen cells round their middle, tiles and all.

    Parameters
    ----------
    by : quarter turns clockwise, with 4 mirrored left to right first

    Returns
    -------
    the plan, and what is chosen then; what falls off the map is lost. On a layer that is made the
    turned tiles are laid as pins, and what was there stays
    """
    cells = doc.cells(map_, layer, chosen.box)
    cells[~chosen.mask] = 0
    mirrors, (by, tiles_by) = is_mirrored(by), map_.lattice.turn(by)
    if layer.holds_tiles and tiles_by:
        for place in np.unique(cells[cells > 0]).tolist():
            tile = map_.legend.tile(place)
            if tile is not None:
                # Negative for now: a turned tile may be one that is there unturned too.
                cells[cells == place] = -map_.legend.place(turn_tile(tile, tiles_by))
        cells = np.abs(cells)
    new, mask = turned_array(cells, by), turned_array(chosen.mask, by)
    box = chosen.box
    top = box.top + (box.height - new.shape[0]) // 2
    left = box.left + (box.width - new.shape[1]) // 2
    target = Box(top, left, top + new.shape[0], left + new.shape[1])
    wide = box.joined(target)
    values = np.zeros((wide.height, wide.width), np.int32)
    covered = np.zeros(values.shape, np.bool_)
    if not isinstance(layer, PinnedLayer):
        _part(covered, wide, box)[:] |= chosen.mask
    laid = mask & (new > 0)
    _part(values, wide, target)[laid] = new[laid]
    _part(covered, wide, target)[:] |= laid
    name = say("Mirror selection") if mirrors else say("Turn selection")
    inner = target.clipped(map_.height, map_.width)
    rows = slice(inner.top - target.top, inner.bottom - target.top)
    kept = mask[rows, inner.left - target.left : inner.right - target.left]
    return plan_cells(map_, layer, wide, values, covered, name), on_map(map_, inner, kept)


def _part(array: NDArray[Any], outer: Box, inner: Box) -> NDArray[Any]:
    """Give the part of an array over a box that lies over another box inside that."""
    top, left = inner.top - outer.top, inner.left - outer.left
    return array[top : top + inner.height, left : left + inner.width]


def to_layer(doc: Document, map_: Map, source: Layer, target: Layer, chosen: Selection) -> Edit:
    """Move what was laid by hand on the chosen cells to another layer.

    From a layer that is made its pins are moved, and what it makes there shows again; on such a
    layer they become pins.

    Raises
    ------
    EditError
        A layer holds no tiles, or has cells of another size, or is locked; or nothing was laid
        there by hand.
    """
    grid = grid_of(map_, source)
    for layer in (source, target):
        if not layer.holds_tiles:
            raise EditError(
                say(
                    "“{name}” holds {kind}, no tiles: choose another layer",
                    name=layer.name,
                    kind=say(layer.kind),
                )
            )
        if layer.locked:
            raise EditError(say("“{name}” is locked: unlock it first", name=layer.name))
    if not same_cells(map_, source, target):
        raise EditError(
            say(
                "“{name}” has cells of another size than “{name2}”",
                name=target.name,
                name2=source.name,
            )
        )
    cells = doc.cells(map_, source, chosen.box)
    mask = chosen.mask & (cells > 0)
    if isinstance(source, PinnedLayer):
        mask &= read(source.pinned, chosen.box)
    if not mask.any():
        raise EditError(
            say("nothing was laid on “{name}” there: select cells with tiles", name=source.name)
        )
    name = say("Move {number} cells to “{name}”", number=int(mask.sum()), name=target.name)
    if isinstance(source, PinnedLayer):
        taken = plan_unpin(doc, map_, source, chosen.box, mask, name)
    else:
        taken = plan_cells(grid, source, chosen.box, np.zeros_like(cells), mask, name)
    laid = plan_cells(grid, target, chosen.box, cells, mask, name)
    return Edit(name, (*taken.edit.atoms, *laid.edit.atoms))


def same_cells(map_: Map, one: Layer, two: Layer) -> bool:
    """Tell whether two layers of a map have cells of the same size."""
    first, second = grid_of(map_, one), grid_of(map_, two)
    return first.lattice.cell_size == second.lattice.cell_size
