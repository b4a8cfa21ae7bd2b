"""Edits of a map's size: grown and cut on any side; what would be lost is counted first."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.errors import EditError
from knitground.core.base.tongue import say
from knitground.core.edit.atoms import Atom, SetField
from knitground.core.edit.changed import Changed, What
from knitground.core.edit.document import Edit
from knitground.core.edit.maps import check_size, check_wraps
from knitground.core.model.conditions import Area
from knitground.core.model.lattice import Grid, Lattice, Point, Staggered
from knitground.core.model.layers import (
    GroundLayer,
    Layer,
    MarkerLayer,
    TileLayer,
)
from knitground.core.model.map import Map, grid_of
from knitground.core.model.marker import Marker
from knitground.core.model.project import Project, free_name
from knitground.core.model.standing import close_seam, standing_of


@dataclass(frozen=True)
class Margins:
    """Cells that a map gains on each side; less than 0: that it loses."""

    top: int = 0
    left: int = 0
    bottom: int = 0
    right: int = 0


def resize_map(map_: Map, margins: Margins) -> Edit:
    """Grow or cut a map; what is new is empty.

    Raises
    ------
    EditError
        The map would have a side of 0 or over 65 535 cells, or too many cells in all.
    """
    check_resized(map_, margins)
    height, width = counted_after(map_, margins)
    if (height, width) == map_.lattice.counted and margins.top == margins.left == 0:
        return Edit(say("Resize map"), ())
    after, own = _resized(map_, margins)
    changed = Changed(What.SIZE, map_)
    atoms: list[Atom] = [
        SetField(map_, "height", after.rows, changed),
        SetField(map_, "width", after.columns, changed),
    ]
    if isinstance(after, Staggered):
        atoms.append(SetField(map_, "grid", replace(map_.grid, stagger=after.stagger), changed))
    for layer in map_.layers:
        if layer.own_cell is not None:
            atoms += _own_grid_atoms(map_, layer, layer.own_cell, margins, changed)
        else:
            atoms += _layer_atoms(map_, layer, own, after, changed)
        if isinstance(layer, MarkerLayer):
            moved = tuple(each for each, cut in _markers_moved(map_, layer, margins) if not cut)
            atoms.append(SetField(layer, "markers", moved, changed))
    return Edit(
        say("Resize “{name}” to {width} × {height}", name=map_.name, width=width, height=height),
        tuple(atoms),
    )


def check_resized(map_: Map, margins: Margins) -> None:
    """Refuse a size that a map can not have.

    Raises
    ------
    EditError
        It has a side of 0 or over 65 535 cells, too many cells in all, or could not wrap any more.
    """
    check_size(*counted_after(map_, margins))
    after, _ = _resized(map_, margins)
    check_size(after.rows, after.columns)
    if map_.wrap and isinstance(after, Staggered):
        check_wraps(replace(map_.grid, stagger=after.stagger), map_.name)


def one_more(grid: Grid) -> Margins:
    """Give the row or column more with which a staggered grid meets itself where it wraps."""
    by_columns = grid.stagger is not None and grid.stagger.by_columns
    return Margins(0, 0, 0, 1) if by_columns else Margins(0, 0, 1, 0)


def _layer_atoms(
    map_: Map, layer: Layer, margins: Margins, after: Lattice, changed: Changed
) -> list[Atom]:
    """Resize the arrays of a layer, by rows and columns of these; what does not exist is empty."""
    atoms: list[Atom] = []
    for name in layer.arrays:
        old: NDArray[Any] = getattr(layer, name)
        if name == "terrain" and isinstance(layer, GroundLayer):
            old = standing_of(layer.kind_of_set).own(layer.terrain, map_.lattice)
        new = _moved(old, margins)
        there = after.exists
        if isinstance(layer, GroundLayer) and there is not None and new.shape != there.shape:
            there = standing_of(layer.kind_of_set).shown(after)
        if there is not None:
            new = np.where(there, new, np.zeros((), new.dtype))
        if name in ("terrain", "painted"):
            close_seam(new, after)
        atoms.append(SetField(layer, name, new, changed))
    if isinstance(layer, TileLayer) and layer.laid:
        size = layer.cells.shape
        laid = tuple(
            replace(each, area=Area.of(0, 0, _moved(each.area.mask(*size), margins)))
            for each in layer.laid
        )
        atoms.append(SetField(layer, "laid", laid, changed))
    return atoms


def _own_grid_atoms(
    map_: Map, layer: Layer, cell: tuple[int, int], margins: Margins, changed: Changed
) -> list[Atom]:
    """Resize a layer with cells of its own; what is left of a cell goes to its offset."""
    across, down = (int(each) for each in _moved_by(map_, margins))
    above, left = -(-down // cell[0]), -(-across // cell[1])
    high, wide = layer.cells.shape
    after = _resized(map_, margins)[0].divided(*cell)
    own = Margins(above, left, after.rows - high - above, after.columns - wide - left)
    new = _moved(layer.cells, own)
    offset = (layer.offset[0] + across - left * cell[1], layer.offset[1] + down - above * cell[0])
    return [
        SetField(layer, "cells", new, changed),
        SetField(layer, "offset", offset, changed),
    ]


def counted_after(map_: Map, margins: Margins) -> tuple[int, int]:
    """Tell how many rows and columns, as people count them, a map has afterwards."""
    rows, columns = map_.lattice.counted
    return rows + margins.top + margins.bottom, columns + margins.left + margins.right


def _resized(map_: Map, margins: Margins) -> tuple[Lattice, Margins]:
    """Give the lattice afterwards, and what arrays gain on each side."""
    after, own = map_.lattice.grown(margins.top, margins.left, margins.bottom, margins.right)
    return after, Margins(*own)


def _moved_by(map_: Map, margins: Margins) -> Point:
    """Tell by how many pixels what lies on the map is further right and down afterwards."""
    after, own = _resized(map_, margins)
    x, y = after.place(own.top, own.left)
    was_x, was_y = map_.lattice.place(0, 0)
    return x - was_x, y - was_y


def _markers_moved(map_: Map, layer: MarkerLayer, margins: Margins) -> list[tuple[Marker, bool]]:
    """Move markers along with the map's upper left; tell of each whether it is off the map then."""
    width, height = _resized(map_, margins)[0].extent
    right, down = _moved_by(map_, margins)
    out = []
    for each in layer.markers:
        points = tuple((x + right, y + down) for x, y in each.points)
        inside = any(0 <= x <= width and 0 <= y <= height for x, y in points)
        out.append((replace(each, points=points), not inside))
    return out


def _moved(old: NDArray[Any], margins: Margins) -> NDArray[Any]:
    """Copy an array into one with so many rows and columns more on each side."""
    high, wide = old.shape
    shape = (high + margins.top + margins.bottom, wide + margins.left + margins.right)
    out = np.zeros(shape, old.dtype)
    top, left = max(0, -margins.top), max(0, -margins.left)
    bottom, right = min(high, high + margins.bottom), min(wide, wide + margins.right)
    if top < bottom and left < right:
        part = old[top:bottom, left:right]
        row, col = top + margins.top, left + margins.left
        out[row : row + part.shape[0], col : col + part.shape[1]] = part
    return out


def cut_content(map_: Map, margins: Margins) -> dict[str, int]:
    """Count, by layer, what a resize would cut off: cells laid or with terrain, and markers."""
    rows, columns = map_.lattice.counted
    stays = np.zeros((rows, columns), np.bool_)
    top, left = max(0, -margins.top), max(0, -margins.left)
    bottom, right = rows + min(0, margins.bottom), columns + min(0, margins.right)
    if top < bottom and left < right:
        stays[top:bottom, left:right] = True
    kept = map_.lattice.folded(stays)
    lost = {}
    for layer in map_.layers:
        if isinstance(layer, MarkerLayer):
            count = sum(cut for _, cut in _markers_moved(map_, layer, margins))
        else:
            count = _cells_cut(map_, layer, kept)
        if count:
            lost[layer.name] = count
    return lost


def _cells_cut(map_: Map, layer: Layer, kept: NDArray[np.bool_]) -> int:
    """Count a layer's cells that are not empty and have no cell of the map beneath that is kept."""
    filled = layer.filled()
    if layer.own_cell is not None:
        rows, cols = np.nonzero(filled)
        begins = grid_of(map_, layer).lattice.origins(rows, cols)
        down, across = map_.lattice.cells_at(begins[:, 1], begins[:, 0])
        down, across = np.minimum(down, map_.height - 1), np.minimum(across, map_.width - 1)
        return int((~kept[down, across]).sum())
    return int((filled & ~kept).sum())


def duplicate_map(project: Project, map_: Map) -> tuple[Edit, Map]:
    """Add a copy of a map to the project."""
    name = free_name(say("{name} copy", name=map_.name), [each.name for each in project.maps])
    made = map_.copy(name)
    changed = Changed(What.MAPS, made)
    maps = [*project.maps, made]
    return Edit(
        say("Duplicate map “{name}”", name=map_.name), (SetField(project, "maps", maps, changed),)
    ), made


def duplicate_layer(map_: Map, layer: Layer) -> tuple[Edit, Layer]:
    """Add a copy of a layer in front of it."""
    name = free_name(say("{name} copy", name=layer.name), [each.name for each in map_.layers])
    made = layer.copy(name, map_.free_number())
    layers = list(map_.layers)
    layers.insert(layers.index(layer) + 1, made)
    changed = Changed(What.LAYERS, map_)
    edit = Edit(
        say("Duplicate layer “{name}”", name=layer.name),
        (SetField(map_, "layers", layers, changed),),
    )
    return edit, made


def merge_down(map_: Map, layer: Layer) -> Edit:
    """Lay a tile layer's tiles on the tile layer behind it, and delete it.

    Raises
    ------
    EditError
        There is none behind it, one of them is not a tile layer, or the one behind is locked.
    """
    at = map_.layers.index(layer)
    if at == 0:
        raise EditError(
            say("“{name}” is the back layer: there is none to merge it into", name=layer.name)
        )
    below = map_.layers[at - 1]
    for each in (layer, below):
        if not isinstance(each, TileLayer):
            raise EditError(
                say(
                    "“{name}” is a layer of {kind}: only tile layers merge, a ground layer "
                    "remembers terrain and a grown one what its recipe makes",
                    name=each.name,
                    kind=each.kind,
                )
            )
    assert isinstance(layer, TileLayer)
    assert isinstance(below, TileLayer)
    if layer.cell != below.cell:
        raise EditError(
            say(
                "“{name}” has cells of another size than “{name2}”",
                name=layer.name,
                name2=below.name,
            )
        )
    if layer.shift != below.shift:
        raise EditError(
            say(
                "“{name}” is drawn {shift}, {shift2} px off and “{name2}” {shift3}, {shift4} "
                "px: give both the same offset first",
                name=layer.name,
                shift=layer.shift[1],
                shift2=layer.shift[0],
                name2=below.name,
                shift3=below.shift[1],
                shift4=below.shift[0],
            )
        )
    if below.locked:
        raise EditError(say("“{name}” is locked: unlock it first", name=below.name))
    merged = np.where(layer.cells != 0, layer.cells, below.cells)
    layers = [each for each in map_.layers if each is not layer]
    atoms: tuple[Atom, ...] = (
        SetField(below, "cells", merged, Changed(What.CELLS, map_, below)),
        SetField(map_, "layers", layers, Changed(What.LAYERS, map_)),
    )
    return Edit(say("Merge “{name}” into “{name2}”", name=layer.name, name2=below.name), atoms)


def show_only(map_: Map, layer: Layer) -> Edit:
    """Hide all other layers; if they are hidden already, show all."""
    others = [each for each in map_.layers if each is not layer]
    alone = layer.visible and not any(each.visible for each in others)
    changed = Changed(What.LAYERS, map_)
    atoms = tuple(
        SetField(each, "visible", alone or each is layer, changed)
        for each in map_.layers
        if each.visible != (alone or each is layer)
    )
    return Edit(
        say("Show all layers") if alone else say("Show only “{name}”", name=layer.name), atoms
    )
