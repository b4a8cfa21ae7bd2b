"""From a tool, what is in hand and a place on the map to the plan of what a click lays."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.tongue import say
from knitground.core.base.window import Box
from knitground.core.edit.desk import Desk, Pointer
from knitground.core.edit.flood import Region, flood_in
from knitground.core.edit.hand import (
    PatchInHand,
    TerrainInHand,
)
from knitground.core.edit.layerplans import Cover, plans_of
from knitground.core.edit.laying import Plan, plan_sides, plan_sides_along, plan_unpin
from knitground.core.edit.tint import disc
from knitground.core.knit.sides import SideMask
from knitground.core.model.lattice import Lattice
from knitground.core.model.layers import (
    GroundLayer,
    Layer,
    MarkerLayer,
    PinnedLayer,
)
from knitground.core.model.map import Map
from knitground.core.model.standing import Standing, standing_of

Among = Callable[[Box], NDArray[np.bool_] | None]
"""Tells which places of a box there are, None for all."""
_DABS = 64
"""So many dabs of a jump are laid at a time: the box round them stays small."""
EYE_KEYS, LOCK_KEYS = "I", "J"
"""Keys that show or hide the chosen layer, and lock or unlock it: named in refusals."""


def outside(map_: Map, at: Pointer) -> bool:
    """Tell whether a place lies off a map that does not wrap."""
    return not map_.wrap and not map_.lattice.holds(*at.cell(map_))


def refusal(desk: Desk, at: Pointer | None) -> str | None:
    """Say why a click would do nothing, and the cure; None if it would."""
    map_, layer = desk.map, desk.layer
    if map_ is None:
        return say("no map yet — Ctrl+N makes one")
    if layer is None:
        return say("no layer yet — add one below")
    if desk.tool in ("pick", "select"):
        return None
    if layer.locked:
        return say(
            "{name} is locked — {lock_keys} unlocks it", name=layer.name, lock_keys=LOCK_KEYS
        )
    if not layer.visible:
        return say("{name} is hidden — {eye_keys} shows it", name=layer.name, eye_keys=EYE_KEYS)
    if at is not None and outside(map_, at):
        rows, columns = map_.lattice.counted
        return say(
            "outside the map of {columns} × {rows} cells — a click offers to grow it",
            columns=columns,
            rows=rows,
        )
    if desk.tool == "fill" and isinstance(layer, MarkerLayer):
        return say(
            "{name} holds markers — Fill lays none: take Paint, Line or Box", name=layer.name
        )
    if desk.tool == "fill" and desk.options.fill_by == "selection" and desk.selection is None:
        return say(
            "nothing is selected — take Select (S) and drag, or let Fill go by what lies there"
        )
    if desk.tool == "erase":
        return None
    return plans_of(layer).refusal(desk, layer)


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


def plan_dab(
    desk: Desk,
    at: Pointer,
    anchor: tuple[int, int] | None = None,
    cover: Cover | None = None,
    *,
    pins: bool | None = None,
) -> Plan | None:
    """Plan one dab of Paint or Erase; None where it is refused.

    `anchor` is where the stroke's patch begins, so that dabs of one stroke fit together; `cover`
    what the stroke has laid so far, with a soft brush. `pins` tells whether a stroke of Erase began
    by releasing pins: then it releases nothing else, or its next dab would erase what has just been
    released; and one that began by emptying cells of a grown layer goes on to empty them. None is
    for a dab alone.
    """
    map_, layer = desk.grid, desk.layer
    if refusal(desk, at) is not None or map_ is None or layer is None:
        return None
    if desk.draws_path:
        return plan_path(desk, at.side(map_))
    region = Region(*brush(desk, map_, at))
    if anchor is None and cover is None:  # it depends on the state and the place alone
        key = (desk.state, region.box, pins)
        known = desk.doc.planned
        if known is None or known[0] != key:
            plan = _dab(desk, map_, layer, region, None, None, pins)
            desk.doc.planned = known = (key, plan)
        found = known[1]
        assert found is None or isinstance(found, Plan)
        return found
    return _dab(desk, map_, layer, region, anchor, cover, pins)


def plan_dabs(
    desk: Desk,
    ats: Sequence[Pointer],
    anchor: tuple[int, int] | None = None,
    cover: Cover | None = None,
    *,
    pins: bool | None = None,
) -> Iterator[Plan]:
    """Plan the dabs of a stroke along a way: few plans, each to be applied before the next is made.

    What comes of them is what comes of the same dabs one by one; for the rest see `plan_dab`.
    """
    map_, layer = desk.grid, desk.layer
    if map_ is None or layer is None:
        return
    regions = [Region(*brush(desk, map_, at)) for at in ats if refusal(desk, at) is None]
    for n in range(0, len(regions), _DABS):
        some = regions[n : n + _DABS]
        yield from plans_of(layer).dabs(desk, map_, layer, some, anchor, cover, pins)


def _dab(
    desk: Desk,
    map_: Map,
    layer: Layer,
    region: Region,
    anchor: tuple[int, int] | None,
    cover: Cover | None,
    pins: bool | None,
) -> Plan | None:
    return next(plans_of(layer).dabs(desk, map_, layer, [region], anchor, cover, pins), None)


def releases_pins(desk: Desk, at: Pointer) -> bool:
    """Whether a dab of Erase would release pins."""
    map_, layer = desk.grid, desk.layer
    if desk.tool != "erase" or desk.draws_path or map_ is None or layer is None:
        return False
    return plans_of(layer).releases(map_, layer, Region(*brush(desk, map_, at)))


def plan_path(desk: Desk, sides: SideMask) -> Plan | None:
    """Plan laying the terrain in hand on sides of cells, or erasing what is there."""
    map_, layer, hand = desk.map, desk.layer, desk.hand
    if map_ is None or not isinstance(layer, GroundLayer):
        return None
    if desk.tool == "erase":
        cells = Box(sides[0].top, sides[0].left, sides[0].bottom - 1, sides[0].right - 1)
        if map_.lattice.read(layer.pinned, cells).any():
            every = np.ones((cells.height, cells.width), np.bool_)
            return plan_unpin(desk.doc, map_, layer, cells, every, say("Release pins"))
        return plan_sides(desk.doc, map_, layer, sides, 0, say("Erase terrain"))
    if not isinstance(hand, TerrainInHand):
        return None
    return plan_sides(
        desk.doc, map_, layer, sides, hand.value, say("Paint {title}", title=hand.title)
    )


def plan_way(desk: Desk, steps: Sequence[SideMask]) -> Iterator[Plan]:
    """Plan a path step by step: few plans, each to be applied before the next is made.

    What comes of them is what comes of a `plan_path` for each step.
    """
    map_, layer, hand = desk.map, desk.layer, desk.hand
    if map_ is None or not isinstance(layer, GroundLayer):
        return
    erases = desk.tool == "erase"
    if erases and layer.pinned.any():  # a step over pins releases them first
        for each in steps:
            plan = plan_path(desk, each)
            if plan is not None:
                yield plan
    elif erases or isinstance(hand, TerrainInHand):
        value, name = 0, say("Erase terrain")
        if not erases and isinstance(hand, TerrainInHand):
            value, name = hand.value, say("Paint {title}", title=hand.title)
        for n in range(0, len(steps), _DABS):
            some = steps[n : n + _DABS]
            yield plan_sides_along(desk.doc, map_, layer, some, value, name)


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
    plan = plan_region(desk, region, say("Fill"), anchor)
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
    lattice = map_.lattice
    grid: NDArray[Any] = layer.cells
    row, col = lattice.nearest(*at.cell(map_))

    def tiles(box: Box) -> NDArray[Any]:
        return desk.doc.cells(map_, layer, box)

    def ground(box: Box) -> NDArray[Any]:
        assert isinstance(layer, GroundLayer)
        part = layer.terrain[box.top : box.bottom + 1, box.left : box.right + 1]
        return standing_of(layer.kind_of_set).same(part)

    values = ground if isinstance(layer, GroundLayer) and not by_tile else tiles
    among: Among = lattice.part
    if not cells and desk.lays_terrain and isinstance(layer, GroundLayer):
        standing = standing_of(layer.kind_of_set)
        if by_tile:
            found = _like(
                tiles, lattice, grid.shape, (row, col), limit, among,
                everywhere=desk.options.fill_all,
            )  # fmt: skip
            return Region(*standing.on_cells(found.box, found.mask), found.complete)
        vertex = at.vertex(map_)
        if lattice.wrap:  # each place once: it goes with the cell below it
            grid, (row, col) = layer.terrain[:-1, :-1], lattice.nearest(*vertex)
        else:
            grid = layer.terrain
            row, col = (min(max(n, 0), size - 1) for n, size in zip(vertex, grid.shape))
            among = lambda box: _touched(map_, standing, box)  # noqa: E731
        values = lambda box: grid[box.top : box.bottom, box.left : box.right]  # noqa: E731
    everywhere = desk.options.fill_all and desk.tool == "fill"
    return _like(values, lattice, grid.shape, (row, col), limit, among, everywhere=everywhere)


def _touched(map_: Map, standing: Standing, box: Box) -> NDArray[np.bool_] | None:
    """Tell which places of terrain in a box lie on or round cells that there are; None: all."""
    there = map_.lattice.part(box.grown(1))
    if there is None:
        return None
    around, mask = standing.on_cells(box.grown(1), there)
    top, left = box.top - around.top, box.left - around.left
    return mask[top : top + box.height, left : left + box.width]


def _like(
    values: Callable[[Box], NDArray[Any]],
    lattice: Lattice,
    shape: tuple[int, ...],
    at: tuple[int, int],
    limit: int | None,
    among: Among,
    *,
    everywhere: bool,
) -> Region:
    """Find the places that hold what one holds: those connected to it, or all there are."""
    size, (row, col) = (shape[0], shape[1]), at
    if not everywhere:
        straight = lattice.torus is not None
        return flood_in(values, size, row, col, straight, limit, among, lattice.meeting())
    box = Box(0, 0, *size)
    if limit is not None:
        half = limit // 2
        box = Box(row - half, col - half, row + half + 1, col + half + 1).clipped(*size)
    part = values(box)
    mask, there = part == part[row - box.top, col - box.left], among(box)
    mask = mask if there is None else mask & there
    return Region(box, mask, (box.height, box.width) == size)


def plan_selected(desk: Desk) -> Plan | None:
    """Plan laying what is in hand on the selected cells; None where it is refused."""
    chosen, layer = desk.selection, desk.layer
    if chosen is None or layer is None or layer.locked or not layer.visible:
        return None
    if plans_of(layer).refusal(desk, layer) is not None:
        return None
    box, mask = chosen.box, chosen.mask
    if isinstance(desk.hand, TerrainInHand) and desk.set_kind is not None:
        box, mask = standing_of(desk.set_kind).on_cells(box, mask)
    anchor = (0, 0) if desk.options.pattern_on_map else (box.top, box.left)
    return plan_region(desk, Region(box, mask), say("Fill selection with"), anchor)


def erase_selected(desk: Desk) -> Plan | None:
    """Plan emptying the selected cells: pins first, then terrain; or the tiles of a tile layer."""
    chosen, layer, map_ = desk.selection, desk.layer, desk.grid
    if chosen is None or layer is None or map_ is None or layer.locked or not layer.visible:
        return None
    return plans_of(layer).erase_cells(desk, map_, layer, Region(chosen.box, chosen.mask))


def has_pins(desk: Desk, at: Pointer | None = None) -> bool:
    """Whether cells of the selection, or else the cell at a place, are pinned."""
    map_, layer, cells = desk.map, desk.layer, _chosen_cells(desk, at)
    if map_ is None or not isinstance(layer, PinnedLayer) or cells is None:
        return False
    box, mask = cells
    return bool((map_.lattice.read(layer.pinned, box) & mask).any())


def release_pins(desk: Desk, at: Pointer | None) -> Plan | None:
    """Plan releasing the pins of the selection, or of a cell; None if there are none."""
    map_, layer, cells = desk.map, desk.layer, _chosen_cells(desk, at)
    if map_ is None or not isinstance(layer, PinnedLayer) or layer.locked or cells is None:
        return None
    plan = plan_unpin(desk.doc, map_, layer, *cells, say("Release pins"))
    return plan if plan.changes_anything else None


def _chosen_cells(desk: Desk, at: Pointer | None) -> tuple[Box, NDArray[np.bool_]] | None:
    if desk.selection is not None:
        return desk.selection.box, desk.selection.mask
    if at is None or desk.map is None:
        return None
    row, col = at.cell(desk.map)
    return Box(row, col, row + 1, col + 1), np.ones((1, 1), np.bool_)


def plan_region(
    desk: Desk, region: Region, verb: str, anchor: tuple[int, int] | None = None
) -> Plan | None:
    """Plan laying what is in hand on a region: vertices for a terrain, else cells.

    A patch repeats over the region from `anchor` on, a row and a column; by default from the
    region's own corner for Paint, and as the map's session setting says for all else.
    """
    map_, layer = desk.grid, desk.layer
    if map_ is None or layer is None:
        return None
    return plans_of(layer).lay(desk, map_, layer, region, verb, anchor)
