"""What a click lays: planned first, so that the ghost and the result are the same thing."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.tongue import say
from knitground.core.base.window import Box, index, read, whole
from knitground.core.edit.atoms import Atom, PatchArray, PatchTerrain
from knitground.core.edit.changed import Changed, What
from knitground.core.edit.document import Document, Edit
from knitground.core.edit.knitter import Gives
from knitground.core.knit.bridge import Sides, build_bridges
from knitground.core.knit.keys import Ground
from knitground.core.knit.knit import cells_reached, knit_box, terrain_with
from knitground.core.knit.sides import SideMask, mend_sides, sides_of, with_sides
from knitground.core.model.lattice import Staggered
from knitground.core.model.layers import Cells, GroundLayer, GrownLayer, Layer, PinnedLayer
from knitground.core.model.map import Map
from knitground.core.model.standing import Homes, standing_of
from knitground.core.model.terrain import SetKind

Mask = NDArray[np.bool_]


@dataclass(frozen=True, eq=False)
class Plan:
    """An edit that is not done yet, and the cells that it will give.

    `cells` (h, w) is what the layer will hold in `box` (cells; may wrap). `bridged` counts the
    vertices that change without having been painted.
    """

    edit: Edit
    layer: Layer
    box: Box
    cells: Cells
    bridged: int = 0

    @property
    def changes_anything(self) -> bool:
        """Whether it would do anything at all."""
        return bool(self.edit.atoms)

    def within(self, box: Box) -> Plan:
        """Give it with those of its cells alone that lie in a box: to be looked at."""
        at = self.box.shared(box)
        if at == self.box:
            return self
        top, left = at.top - self.box.top, at.left - self.box.left
        cells = self.cells[top : top + at.height, left : left + at.width]
        return Plan(self.edit, self.layer, at, cells, self.bridged)


def _nothing(layer: Layer, name: str) -> Plan:
    return Plan(Edit(name, ()), layer, Box(0, 0, 0, 0), np.zeros((0, 0), np.int32))


Dab = tuple[Box, Mask]
"""What a brush covers: the places of a box at which the mask (h, w) is true."""


def united(dabs: Sequence[Dab]) -> Dab:
    """Give what several dabs cover."""
    box = dabs[0][0]
    for each, _ in dabs[1:]:
        box = box.joined(each)
    mask = np.zeros((box.height, box.width), np.bool_)
    for each, own in dabs:
        top, left = each.top - box.top, each.left - box.left
        mask[top : top + each.height, left : left + each.width] |= own
    return box, mask


def plan_terrain(
    doc: Document, map_: Map, layer: GroundLayer, box: Box, mask: Mask, value: int, name: str
) -> Plan:
    """Plan laying a terrain, bridges and re-knitted neighbours included.

    Parameters
    ----------
    box, mask : the places to paint: where `mask` (h, w) is true inside `box`; on a map that wraps,
        the box may reach over the border. Places are vertices of a corner set and cells of a ring
        set; of an edge set cells too, all four sides of which are painted
    value : mark of the terrain, 0 to take terrain away
    name : of the step
    """
    return plan_terrain_dabs(doc, map_, layer, [(box, mask)], value, name)


def plan_terrain_dabs(
    doc: Document, map_: Map, layer: GroundLayer, dabs: Sequence[Dab], value: int, name: str
) -> Plan:
    """Plan laying a terrain by dabs of a brush, as one plan: knitted once, where all of it is.

    Each dab is bridged on what those before it have left, so that what comes of a stroke does not
    depend on how many of its dabs come at a time.
    """
    if layer.kind_of_set is SetKind.EDGE:
        return plan_sides(doc, map_, layer, sides_of(*united(dabs)), value, name)
    lattice, standing = map_.lattice, standing_of(layer.kind_of_set)
    period = standing.places(lattice)
    shown = standing.shown(lattice) if not lattice.wrap else None
    if not lattice.wrap:
        dabs = [_clipped(*each, period) for each in dabs]
    if shown is not None:
        dabs = [(box, mask & read(shown, box)) for box, mask in dabs if not box.is_empty]
    dabs = [(box, mask) for box, mask in dabs if mask.any()]
    if not dabs:
        return _nothing(layer, name)
    if layer.kind_of_set is SetKind.RING:
        return _plan_cells_of_ring(doc, map_, layer, *united(dabs), value, name)
    graph = doc.knitter.graph(map_, layer)
    if value >= graph.apart.shape[0]:
        return _nothing(layer, name)
    near = graph.reach + 1
    homes = standing.homes(lattice)
    if homes is not None and lattice.wrap:
        return _plan_seen(doc, map_, layer, dabs, near, value, name)
    area = united(dabs)[0].grown(near).fitted(period[0], period[1], lattice.wrap)
    before = _ground(layer, period, area, homes)
    after = before.copy()
    painted, touched = np.zeros(before.shape, np.bool_), np.zeros(before.shape, np.bool_)
    table = doc.knitter.table(map_, layer)
    for box, mask in dabs:
        window = box.grown(near)
        if lattice.wrap:
            window = _whole_periods(window, period)
            own = _repeated(box, mask, window, period)
            sides = Sides()
        else:
            window = window.clipped(period[0], period[1])
            own = _within(box, mask, window)
            if homes is not None:  # what lies beyond the border is as the nearest place inside
                own = _at_home(own, window, homes)
            sides = Sides(
                window.top <= 0, window.left <= 0,
                window.bottom >= period[0], window.right >= period[1],
            )  # fmt: skip
        here = read(after, window.moved(-area.top, -area.left))
        made = build_bridges(table, graph, here, own, value, sides)
        if lattice.wrap:
            window, middle = _middle_period(window, period)
            made, own = made[middle], own[middle]
        at = index(window.moved(-area.top, -area.left), *after.shape)
        touched[at] |= after[at] != made
        after[at] = made
        painted[at] |= own
    if shown is not None:
        touched &= read(shown, area)
        painted |= ~read(shown, area)
    bridged = int(((before != after) & ~painted).sum())
    return _terrain_plan(doc, map_, layer, name, area, after, touched, bridged)


class _Seen:
    """The terrain of a map that wraps aslant, changed window by window as it is seen there.

    `after` is what becomes of it, (rows + 1, columns + 1); `touched` what was another terrain in
    between.
    """

    def __init__(self, map_: Map, layer: GroundLayer) -> None:
        homes = standing_of(layer.kind_of_set).homes(map_.lattice)
        assert homes is not None
        assert isinstance(map_.lattice, Staggered)
        self._lattice, self._homes = map_.lattice, homes
        self.before = layer.terrain
        self.after = layer.terrain.copy()
        self.touched = np.zeros(self.after.shape, np.bool_)
        every = self._lattice.exists
        assert every is not None
        self._there = every

    def window(self, box: Box, near: int, *masks: Mask) -> tuple[Box, list[Mask]]:
        """Give a window round a box in which no place is seen twice, and masks of the box in it.

        If there is no such window it is the whole array and so many places more on each side: of
        it only what lies on cells that there are is written.
        """
        window = box.grown(near)
        if self._shows_once(window):
            return window, [_within(box, each, window) for each in masks]
        window = whole(self.after).grown(near)
        return window, [self._repeated(box, each, window) for each in masks]

    def read(self, window: Box) -> Ground:
        """Copy what is seen in a window as it is by now."""
        return self._homes.read(self.after, window)

    def write(self, window: Box, made: Ground) -> None:
        """Lay what was made of a window."""
        at = self._homes.of(window)
        if not self._shows_once(window):
            there = self._on_cells(window)
            at, made = at[there], made[there]
        after, touched = self.after.reshape(-1), self.touched.reshape(-1)
        touched[at] |= after[at] != made
        after[at] = made

    def mask(self, window: Box, own: Mask) -> Mask:
        """Give a mask of a window as one of the array."""
        out = np.zeros(self.after.shape, np.bool_)
        out.reshape(-1)[self._homes.of(window)[own]] = True
        return out

    def _shows_once(self, window: Box) -> bool:
        return max(window.height, window.width) <= self._lattice.once

    def _repeated(self, box: Box, mask: Mask, window: Box) -> Mask:
        return np.asarray(self.mask(box, mask).reshape(-1)[self._homes.of(window)])

    def _on_cells(self, window: Box) -> Mask:
        out = np.zeros((window.height, window.width), np.bool_)
        top, left = -window.top, -window.left
        out[top : top + self._there.shape[0], left : left + self._there.shape[1]] = self._there
        return out


def _plan_seen(
    doc: Document, map_: Map, layer: GroundLayer, dabs: Sequence[Dab], near: int, value: int,
    name: str,
) -> Plan:  # fmt: skip
    """Plan dabs of a brush on a map that wraps aslant."""
    seen, painted = _Seen(map_, layer), np.zeros(layer.terrain.shape, np.bool_)
    table, graph = doc.knitter.table(map_, layer), doc.knitter.graph(map_, layer)
    for box, mask in dabs:
        window, (own,) = seen.window(box, near, mask)
        here = seen.read(window)
        seen.write(window, build_bridges(table, graph, here, own, value, Sides()))
        painted |= seen.mask(window, own)
    bridged = int(((seen.before != seen.after) & ~painted).sum())
    return _terrain_plan(
        doc, map_, layer, name, whole(seen.after), seen.after, seen.touched, bridged
    )


def _ground(layer: GroundLayer, period: tuple[int, ...], area: Box, homes: Homes | None) -> Ground:
    """Copy the terrain of an area, with what counts for places that the map has not."""
    if homes is None:
        return read(layer.terrain[: period[0], : period[1]], area)
    return homes.read(layer.terrain, area)


def _at_home(own: Mask, window: Box, homes: Homes) -> Mask:
    """Tell which places of a window are as one that is in the mask."""
    at = homes.of(window)
    down, across = np.divmod(at, homes.lattice.columns + 1)
    down, across = down - window.top, across - window.left
    among = (down >= 0) & (down < window.height) & (across >= 0) & (across < window.width)
    out = np.zeros_like(own)
    out[among] = own[down[among], across[among]]
    return out


def _within(box: Box, mask: Mask, window: Box) -> Mask:
    """Give what a dab covers in a window round it."""
    out = np.zeros((window.height, window.width), np.bool_)
    top, left = box.top - window.top, box.left - window.left
    out[top : top + box.height, left : left + box.width] = mask
    return out


def _repeated(box: Box, mask: Mask, window: Box, period: tuple[int, ...]) -> Mask:
    """Give what a dab covers in a window on a torus, as often as that shows it."""
    if window.height <= period[0] and window.width <= period[1]:
        return _within(box, mask, window)
    return read(_on_torus(box, mask, period), window)


def _clipped(box: Box, mask: Mask, size: tuple[int, int]) -> tuple[Box, Mask]:
    inner = box.clipped(*size)
    top, left = inner.top - box.top, inner.left - box.left
    return inner, mask[top : top + inner.height, left : left + inner.width]


def _plan_cells_of_ring(
    doc: Document, map_: Map, layer: GroundLayer, box: Box, mask: Mask, value: int, name: str
) -> Plan:
    """Plan laying a terrain on the cells of a ring set: it needs no bridges."""
    box, _, mask = map_.lattice.brought(box, mask, mask)
    before = map_.lattice.read(layer.terrain[: map_.height, : map_.width], box)
    after = np.where(mask, np.uint8(value), before)
    return _terrain_plan(doc, map_, layer, name, box, after, before != after, 0)


def plan_sides(
    doc: Document, map_: Map, layer: GroundLayer, sides: SideMask, value: int, name: str
) -> Plan:
    """Plan laying a terrain on sides of cells, for edge sets.

    Where a painted side meets other terrain that no tile shows with it, that gives way.
    """
    return plan_sides_along(doc, map_, layer, [sides], value, name)


def plan_sides_along(
    doc: Document, map_: Map, layer: GroundLayer, steps: Sequence[SideMask], value: int, name: str
) -> Plan:
    """Plan laying a terrain on sides step by step, as one plan: see `plan_terrain_dabs`."""
    if map_.wrap and map_.lattice.torus is None:
        return _plan_sides_seen(doc, map_, layer, steps, value, name)
    period = map_.lattice.torus or layer.terrain.shape
    steps = [_sides_there(map_, layer, sides) for sides in steps]
    parts = [each for sides in steps if (each := _around(sides, period, wrap=map_.wrap))]
    if not parts:
        return _nothing(layer, name)
    area = parts[0][0]
    for window, _, _ in parts[1:]:
        area = area.joined(window)
    area = area.fitted(period[0], period[1], map_.wrap)
    before = read(layer.terrain[: period[0], : period[1]], area)
    after, touched = before.copy(), np.zeros(before.shape, np.bool_)
    painted = np.zeros((2, *before.shape), np.bool_)
    table = doc.knitter.table(map_, layer)
    for window, north, west in parts:
        at = index(window.moved(-area.top, -area.left), *after.shape)
        here = np.array(after[at])
        torus = (map_.wrap and window.height >= period[0], map_.wrap and window.width >= period[1])
        made = mend_sides(table, here, with_sides(here, north, west, value), north, west, torus)
        touched[at] |= here != made
        after[at] = made
        painted[0][at] |= north
        painted[1][at] |= west
    differs = before ^ after
    bridged = int(
        ((differs & 255 > 0) & ~painted[0]).sum() + ((differs >> 8 > 0) & ~painted[1]).sum()
    )
    return _terrain_plan(doc, map_, layer, name, area, after, touched, bridged)


def _plan_sides_seen(
    doc: Document, map_: Map, layer: GroundLayer, steps: Sequence[SideMask], value: int, name: str
) -> Plan:
    """Plan sides on a map that wraps aslant."""
    seen, table = _Seen(map_, layer), doc.knitter.table(map_, layer)
    painted = np.zeros((2, *layer.terrain.shape), np.bool_)
    for box, *masks in steps:
        window, (north, west) = seen.window(box, 3, *masks)
        here = seen.read(window)
        laid = with_sides(here, north, west, value)
        seen.write(window, mend_sides(table, here, laid, north, west))
        painted |= np.stack([seen.mask(window, each) for each in (north, west)])
    differs = seen.before ^ seen.after
    bridged = int(
        ((differs & 255 > 0) & ~painted[0]).sum() + ((differs >> 8 > 0) & ~painted[1]).sum()
    )
    return _terrain_plan(
        doc, map_, layer, name, whole(seen.after), seen.after, seen.touched, bridged
    )


def _sides_there(map_: Map, layer: GroundLayer, sides: SideMask) -> SideMask:
    """Leave out sides of cells that the map has not."""
    box, north, west = sides
    there = map_.lattice.part(box.grown(1))
    if there is None:
        return sides
    here = there[1:-1, 1:-1]
    return box, north & (here | there[:-2, 1:-1]), west & (here | there[1:-1, :-2])


def _around(
    sides: SideMask, period: tuple[int, ...], *, wrap: bool
) -> tuple[Box, Mask, Mask] | None:
    """Give a window round sides that are painted, and which of its sides they are."""
    box, north, west = sides
    if wrap:
        north, west = (_on_torus(box, mask, period) for mask in (north, west))
        window = box.grown(3).fitted(period[0], period[1], True)
        north, west = read(north, window), read(west, window)
    else:
        _, north = _clipped(box, north, (period[0], period[1] - 1))
        _, west = _clipped(box, west, (period[0] - 1, period[1]))
        full = box.clipped(period[0], period[1])
        north, west = _padded(north, full), _padded(west, full)
        window = full.grown(3).clipped(period[0], period[1])
        around = ((full.top - window.top, window.bottom - full.bottom),
                  (full.left - window.left, window.right - full.right))  # fmt: skip
        north, west = np.pad(north, around), np.pad(west, around)
    if window.is_empty or not (north.any() or west.any()):
        return None
    return window, north, west


def _padded(mask: Mask, box: Box) -> Mask:
    return np.pad(mask, ((0, box.height - mask.shape[0]), (0, box.width - mask.shape[1])))


def _terrain_plan(
    doc: Document,
    map_: Map,
    layer: GroundLayer,
    name: str,
    window: Box,
    after: Ground,
    touched: Mask,
    bridged: int,
) -> Plan:
    if not touched.any():
        return _nothing(layer, name)
    rows, cols = np.flatnonzero(touched.any(axis=1)), np.flatnonzero(touched.any(axis=0))
    inner = Box(int(rows[0]), int(cols[0]), int(rows[-1]) + 1, int(cols[-1]) + 1)
    patch = after[inner.top : inner.bottom, inner.left : inner.right].copy()
    top, left = window.top, window.left
    at = Box(inner.top + top, inner.left + left, inner.bottom + top, inner.right + left)
    shown = standing_of(layer.kind_of_set).shown(map_.lattice)
    if shown is not None:
        patch[~read(shown, at)] = 0  # what counts there is what lies nearest
    changed = Changed(What.TERRAIN, map_, layer, at)
    own = touched[inner.top : inner.bottom, inner.left : inner.right]
    atom = PatchTerrain(layer, "terrain", at, patch, changed, lattice=map_.lattice, touched=own)
    table = doc.knitter.table(map_, layer)
    cells_box = map_.lattice.fitted(cells_reached(table, at))
    trial = terrain_with(table, layer, cells_box, map_.wrap, at, patch)
    cells = knit_box(table, layer, cells_box, trial, wrap=map_.wrap)
    gives = Gives(layer, cells_box, cells, doc.revision)
    return Plan(Edit(name, (atom,), gives), layer, cells_box, cells, bridged)


def _whole_periods(window: Box, period: tuple[int, ...]) -> Box:
    """Widen a window that is longer than the map to three whole periods, so distances wrap."""
    top, bottom, left, right = window.top, window.bottom, window.left, window.right
    if window.height >= period[0]:
        top, bottom = -period[0], 2 * period[0]
    if window.width >= period[1]:
        left, right = -period[1], 2 * period[1]
    return Box(top, left, bottom, right)


def _middle_period(window: Box, period: tuple[int, ...]) -> tuple[Box, tuple[slice, slice]]:
    """Give the middle one of three periods, and what cuts it out of the window."""
    rows = cols = slice(None)
    top, bottom, left, right = window.top, window.bottom, window.left, window.right
    if window.height > period[0]:
        rows, top, bottom = slice(period[0], 2 * period[0]), 0, period[0]
    if window.width > period[1]:
        cols, left, right = slice(period[1], 2 * period[1]), 0, period[1]
    return Box(top, left, bottom, right), (rows, cols)


def _on_torus(box: Box, mask: Mask, period: tuple[int, ...]) -> Mask:
    grid = np.zeros(period, np.bool_)
    rows, cols = np.nonzero(mask)
    grid[(rows + box.top) % period[0], (cols + box.left) % period[1]] = True
    return grid


def plan_cells(map_: Map, layer: Layer, box: Box, values: Cells, mask: Mask, name: str) -> Plan:
    """Plan laying tiles, or colours of a tint, by hand; on layers that are made they become pins.

    Parameters
    ----------
    map_ : or, for a layer with cells of its own, what `grid_of` gives
    box : cells; on a map that wraps it may reach over the border
    values : (h, w) places of the map's legend, or colours; 0 to empty a cell
    mask : (h, w) which cells of the box to lay
    """
    box, values, mask = map_.lattice.brought(box, values, mask)
    if box.is_empty or not mask.any():
        return _nothing(layer, name)
    before = read(layer.cells, box)
    after = np.where(mask, values, before).astype(np.int32)
    changed = Changed(What.CELLS, map_.of or map_, layer, box)
    atoms: list[Atom] = []
    if isinstance(layer, PinnedLayer):
        pins = read(layer.pinned, box)
        if (mask & ~pins).any():
            atoms.append(PatchArray(layer, "pinned", box, pins | mask, changed))
    if atoms or (before != after).any():
        atoms.append(PatchArray(layer, "cells", box, after, changed))
    return Plan(Edit(name, tuple(atoms)), layer, box, after)


def plan_unpin(
    doc: Document, map_: Map, layer: PinnedLayer, box: Box, mask: Mask, name: str
) -> Plan:
    """Plan releasing pins: the cells are knitted, or grown, again."""
    box, _, mask = map_.lattice.brought(box, mask, mask)
    if box.is_empty:
        return _nothing(layer, name)
    pins = read(layer.pinned, box)
    released = pins & mask
    if not released.any():
        return _nothing(layer, name)
    changed = Changed(What.CELLS, map_, layer, box)
    if isinstance(layer, GroundLayer):
        table = doc.knitter.table(map_, layer)
        made = knit_box(table, layer, box, keep_pins=False, wrap=map_.wrap)
    elif isinstance(layer, GrownLayer):
        made = doc.grower.cells(map_, layer, box)
    else:
        raise TypeError(say("nothing makes the cells of a layer of {kind}", kind=layer.kind))
    cells = np.where(released, made, read(layer.cells, box))
    atoms = (
        PatchArray(layer, "pinned", box, pins & ~mask, changed),
        PatchArray(layer, "cells", box, cells, changed),
    )
    return Plan(Edit(name, atoms), layer, box, cells)
