"""Which cells a mix takes: a part of them, as dense as a tint, off or near what lies beneath."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.errors import EditError
from knitground.core.base.hashing import cell_numbers, mix_one
from knitground.core.base.tongue import quoted, say
from knitground.core.base.window import Box
from knitground.core.chance.fall import laid_cells
from knitground.core.grow.distance import far_from
from knitground.core.model.layers import Cells, GroundLayer, Layer, TintLayer
from knitground.core.model.limits import FULL_TINT
from knitground.core.model.map import Map, as_laid
from knitground.core.model.mix import Fall
from knitground.core.model.project import Project
from knitground.core.rules.board import terrain_slots

Mask = NDArray[np.bool_]


def _own_terrain(ground: GroundLayer) -> NDArray[Any]:
    return ground.terrain


@dataclass(frozen=True, eq=False)
class Lie:
    """A map as a mix finds it: what its layers hold now, or will once earlier steps have run."""

    project: Project
    map: Map
    now: Callable[[Layer, Box], Cells] | None = None
    terrain: Callable[[GroundLayer], NDArray[Any]] = _own_terrain

    def cells(self, layer: Layer, box: Box) -> Cells:
        """Copy the cells of a layer in a box."""
        return (self.now or as_laid(self.map))(layer, box)


def taken_cells(
    lie: Lie,
    fall: Fall,
    number: int,
    box: Box,
    seed: int,
    density: float = 1.0,
    on: int = 0,
) -> Mask:
    """Tell which cells of a box a mix takes: (h, w).

    Parameters
    ----------
    number : of the layer on which it falls
    density : part of the cells, besides that of the mix itself
    on : number of the ground layer at whose borders it looks; 0 is the next one beneath

    Raises
    ------
    EditError
        What it keeps off, or the tint that it follows, is not on the map.
    """
    map_ = lie.map
    inner = box if map_.wrap else box.clipped(map_.height, map_.width)
    if inner != box:
        out = np.zeros((box.height, box.width), np.bool_)
        top, left = inner.top - box.top, inner.left - box.left
        part = (slice(top, top + inner.height), slice(left, left + inner.width))
        if not inner.is_empty:
            out[part] = taken_cells(lie, fall, number, inner, seed, density, on)
        return out
    rows, cols = box.rows(map_.height), box.cols(map_.width)
    torus = map_.lattice.torus
    out = laid_cells(density * fall.density, fall, rows, cols, seed, number, torus)
    if fall.tint:
        strong = lie.cells(_tint(lie, fall.tint), box)
        out &= by_chance(tint_strength(strong), rows, cols, seed, number)
    if fall.border:
        out &= _keeps(lie, fall, number, box, on)
    return out


def check_taking(lie: Lie, fall: Fall, number: int) -> None:
    """Refuse to follow a tint, or to keep off a layer or a terrain, that the map does not have.

    Raises
    ------
    EditError
        It is not there.
    """
    if fall.tint:
        _tint(lie, fall.tint)
    if fall.border and fall.of:
        _shown(lie, fall.of, number, Box(0, 0, 1, 1), 0)


def by_chance(
    parts: NDArray[np.float32], rows: NDArray[Any], cols: NDArray[Any], seed: int, layer: int
) -> Mask:
    """Tell where a tile may lie as far as conditions hold: in part is by chance."""
    numbers = cell_numbers(rows, cols, mix_one(seed, 3), layer) >> np.uint32(8)
    return np.asarray(numbers < parts * (1 << 24))


def tint_strength(cells: Cells) -> NDArray[np.float32]:
    """How strong the colours of a tint layer are: 0 is none, 1 is full."""
    return ((cells.astype(np.int64) >> 24 & 127) / FULL_TINT).astype(np.float32)


def _tint(lie: Lie, name: str) -> TintLayer:
    map_ = lie.map
    tints = [each for each in map_.layers if isinstance(each, TintLayer)]
    found = next((each for each in tints if each.name == name), None)
    if found is None or found.cells.shape != (map_.height, map_.width):
        have = ", ".join(quoted(each.name) for each in tints) or say("none")
        raise EditError(
            say(
                "as dense as tint “{name}”: map “{name2}” has no tint layer of that name for "
                "its cells (it has {have}): add one, or choose another",
                name=name,
                name2=map_.name,
                have=have,
            )
        )
    return found


def _keeps(lie: Lie, fall: Fall, number: int, box: Box, on: int) -> Mask:
    """Tell which cells keep so far off something, or lie so near to it."""
    reach = abs(fall.border) + 1
    map_ = lie.map
    wide = Box(box.top - reach, box.left - reach, box.bottom + reach, box.right + reach)
    if not map_.wrap:
        wide = wide.clipped(map_.height, map_.width)
    shown = _shown(lie, fall.of, number, wide, on)
    if shown is None:
        return np.ones((box.height, box.width), np.bool_)
    far = far_from(shown, reach, wrap=False)
    top, left = box.top - wide.top, box.left - wide.left
    near = far[top : top + box.height, left : left + box.width]
    return np.asarray(near > fall.border if fall.border > 0 else near <= -fall.border)


def _shown(lie: Lie, name: str, number: int, wide: Box, on: int) -> Mask | None:
    """Tell where lies what the mix keeps off: borders, a terrain, or the tiles of a layer."""
    map_ = lie.map
    if not name:
        chosen = map_.layer_numbered(on) if on else None
        ground = chosen if isinstance(chosen, GroundLayer) else ground_beneath(map_, number)
        if ground is None or ground.cells.shape != (map_.height, map_.width):
            return None
        slots = terrain_slots(map_, ground, wide, lie.terrain(ground))
        return np.asarray((slots != slots[0]).any(axis=0))
    layer = next((each for each in map_.layers if each.name == name and each.number != number),
                 None)  # fmt: skip
    if layer is not None and layer.cells.shape == (map_.height, map_.width):
        if isinstance(layer, GroundLayer):
            slots = terrain_slots(map_, layer, wide, lie.terrain(layer))
            return np.asarray((slots > 0).any(axis=0))
        return np.asarray(lie.cells(layer, wide) != 0)
    beneath = ground_beneath(map_, number)
    grounds = [each for each in map_.layers if isinstance(each, GroundLayer)]
    for ground in sorted(grounds, key=lambda each: each is not beneath):
        found = lie.project.set_of(ground.tileset, ground.set_name)
        mark = found[1].number_of(name) if found else 0
        if mark:
            slots = terrain_slots(map_, ground, wide, lie.terrain(ground))
            return np.asarray((slots == mark).any(axis=0))
    raise EditError(
        say(
            "it keeps off or near “{name}”: map “{name2}” has no layer and no terrain of "
            "that name; choose another at the mix",
            name=name,
            name2=map_.name,
        )
    )


def ground_beneath(map_: Map, number: int) -> GroundLayer | None:
    """Find the ground layer next beneath a layer; the first of all if none is."""
    at = next((n for n, each in enumerate(map_.layers) if each.number == number), 0)
    beneath = [each for each in map_.layers[:at] if isinstance(each, GroundLayer)]
    every = [each for each in map_.layers if isinstance(each, GroundLayer)]
    return beneath[-1] if beneath else next(iter(every), None)
