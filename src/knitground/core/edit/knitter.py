"""Keeps the cells of ground layers knitted, where and when somebody looks at them.

A large map is knitted in blocks: a change of marks makes all blocks stale, and a block is knitted
again when a view, an export or an idle moment asks for it. As part-knit equals whole-knit, it does
not matter in which order that happens.
"""

from __future__ import annotations

from collections.abc import Callable
from threading import RLock
from typing import NamedTuple
from weakref import WeakKeyDictionary

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.window import Box, index
from knitground.core.edit.changed import Changed, What
from knitground.core.knit.bridge import TerrainGraph, build_graph
from knitground.core.knit.knit import cells_reached, knit_box
from knitground.core.knit.layer import layer_table
from knitground.core.knit.table import KnitTable
from knitground.core.model.layers import GAP, Cells, GroundLayer, Layer
from knitground.core.model.map import Map
from knitground.core.model.project import Project
from knitground.core.model.rules import NeighbourRule

BLOCK = 128


class Gives(NamedTuple):
    """Cells (h, w) that an edit is known to give in a box of a layer, at a project's revision."""

    layer: Layer
    box: Box
    cells: Cells
    revision: int


class _State:
    """What is known of one layer: its table, its graph, its stale blocks, the gaps in each."""

    def __init__(self, layer: GroundLayer) -> None:
        height, width = layer.cells.shape
        shape = (-(-height // BLOCK), -(-width // BLOCK))
        self.table: KnitTable | None = None
        self.graph: TerrainGraph | None = None
        self.stale: NDArray[np.bool_] = np.ones(shape, np.bool_)
        self.gaps: NDArray[np.int32] = np.zeros(shape, np.int32)


class Knitter:
    """Tables and stale blocks of every ground layer of a project."""

    def __init__(self, project: Project) -> None:
        self._project = project
        self._states: WeakKeyDictionary[GroundLayer, _State] = WeakKeyDictionary()
        # Work beside the interface knits too; each takes it for a block at a time.
        self._lock = RLock()

    def table(self, map_: Map, layer: GroundLayer) -> KnitTable:
        """Return the layer's look-up table, worked out once until marks or weights change."""
        state = self._state(layer)
        with self._lock:
            if state.table is None:
                state.table = layer_table(self._project, map_, layer)
            return state.table

    def graph(self, map_: Map, layer: GroundLayer) -> TerrainGraph:
        """Return the layer's terrain graph, for bridging."""
        state = self._state(layer)
        if state.graph is None:
            state.graph = build_graph(self.table(map_, layer))
        return state.graph

    def ensure(self, map_: Map, layer: GroundLayer, box: Box) -> None:
        """Knit the stale blocks that a box of cells touches; the box may wrap."""
        state = self._state(layer)
        if not state.stale.any():
            return
        for piece in box.pieces(map_.height, map_.width):
            self._knit_blocks(map_, layer, state, _blocks(piece))

    def prepare(
        self, map_: Map, box_of: Callable[[Layer], Box], enough: Callable[[], bool]
    ) -> bool:
        """Knit what can be seen of a box of each layer, block by block until it is enough.

        Returns whether all of it was knitted before: who draws has another turn then. At least one
        block more is knitted after each call.
        """
        ready = True
        for layer in map_.layers:
            if not isinstance(layer, GroundLayer) or not layer.visible:
                continue
            stale = self._state(layer).stale
            for piece in box_of(layer).pieces(map_.height, map_.width):
                blocks = _blocks(piece)
                part = stale[blocks.top : blocks.bottom, blocks.left : blocks.right]
                for down, across in np.argwhere(part):
                    row, col = blocks.top + int(down), blocks.left + int(across)
                    one = Box(row, col, row + 1, col + 1)
                    self._knit_blocks(map_, layer, self._state(layer), one)
                    ready = False
                    if enough():
                        return False
        return ready

    def ensure_all(self, map_: Map) -> None:
        """Knit everything of a map."""
        for layer in map_.layers:
            if isinstance(layer, GroundLayer):
                self.ensure(map_, layer, Box(0, 0, map_.height, map_.width))

    def work_off(self, map_: Map, blocks: int = 16) -> bool:
        """Knit a few stale blocks, for idle moments; returns whether any are left."""
        for layer in map_.layers:
            if not isinstance(layer, GroundLayer):
                continue
            state = self._state(layer)
            for row, col in np.argwhere(state.stale)[:blocks]:
                self._knit_blocks(map_, layer, state, Box(row, col, row + 1, col + 1))
            if state.stale.any():
                return True
        return False

    def gaps(self, layer: GroundLayer) -> tuple[int, bool]:
        """Count gaps, and tell whether all of the layer has been knitted."""
        state = self._state(layer)
        return int(state.gaps.sum()), not bool(state.stale.any())

    def follow(self, change: Changed, gives: Gives | None = None) -> list[Changed]:
        """Do what a change asks of the knitting; returns the changes that come of it.

        Parameters
        ----------
        gives : cells that the change is known to give: they are taken over, not knitted again
        """
        if change.what in (What.TERRAIN, What.CELLS) and isinstance(change.layer, GroundLayer):
            return self._follow_cells(change, gives)
        if change.what in (What.MARKS, What.SLICING, What.TILESETS):
            name = change.tileset.name if change.tileset else None
            return self._all_stale(lambda layer: name is None or self._uses(layer, name))
        if change.what is What.MIXES:
            return self._all_stale(self._draws_from_mixes)
        if change.what is What.SIZE and change.map is not None:
            inside = change.map.layers
            return self._all_stale(lambda layer: layer in inside)
        if change.what is What.KNITTING:
            return self._all_stale(lambda layer: layer is change.layer)
        return []

    def _uses(self, layer: GroundLayer, tileset: str) -> bool:
        found = self._project.set_of(layer.tileset, layer.set_name)
        return layer.tileset == tileset or (found is not None and tileset in found[1].guests)

    def _draws_from_mixes(self, layer: GroundLayer) -> bool:
        found = self._project.set_of(layer.tileset, layer.set_name)
        rules = found[1].rules.rules if found else ()
        return any(isinstance(r, NeighbourRule) and r.result.mix for r in rules)

    def _follow_cells(self, change: Changed, gives: Gives | None) -> list[Changed]:
        layer, map_, box = change.layer, change.map, change.box
        assert isinstance(layer, GroundLayer)
        assert map_ is not None
        if box is None:
            return self._all_stale(lambda each: each is layer)
        if change.what is What.TERRAIN:
            box = cells_reached(self.table(map_, layer), box)
        box = box.fitted(map_.height, map_.width, map_.wrap)
        if gives is not None and gives.layer is layer and gives.box == box:
            self._take_over(map_, layer, gives)
        else:
            self._reknit(map_, layer, box)
        return [Changed(What.CELLS, map_, layer, box)] if change.what is What.TERRAIN else []

    def _take_over(self, map_: Map, layer: GroundLayer, gives: Gives) -> None:
        """Lay cells that were knitted for the plan: the same as knitting them now."""
        layer.cells[index(gives.box, map_.height, map_.width)] = gives.cells
        state = self._state(layer)
        for piece in gives.box.pieces(map_.height, map_.width):
            self._count(layer, state, _blocks(piece))

    def _reknit(self, map_: Map, layer: GroundLayer, box: Box) -> None:
        state = self._state(layer)
        table = self.table(map_, layer)
        for piece in box.pieces(map_.height, map_.width):
            if piece.height * piece.width > 4 * BLOCK * BLOCK:
                area = _blocks(piece)
                state.stale[area.top : area.bottom, area.left : area.right] = True
                continue
            layer.cells[index(piece, map_.height, map_.width)] = knit_box(
                table, layer, piece, wrap=map_.wrap
            )
            self._count(layer, state, _blocks(piece))

    def _all_stale(self, applies: Callable[[GroundLayer], bool]) -> list[Changed]:
        made = []
        for map_ in self._project.maps:
            for layer in map_.layers:
                if isinstance(layer, GroundLayer) and applies(layer):
                    self._states.pop(layer, None)
                    made.append(Changed(What.CELLS, map_, layer))
        return made

    def _knit_blocks(self, map_: Map, layer: GroundLayer, state: _State, blocks: Box) -> None:
        stale = state.stale[blocks.top : blocks.bottom, blocks.left : blocks.right]
        for row, col in np.argwhere(stale):
            with self._lock:
                self._knit_block(map_, layer, state, blocks, int(row), int(col))

    def _knit_block(
        self, map_: Map, layer: GroundLayer, state: _State, blocks: Box, row: int, col: int
    ) -> None:
        top, left = (row + blocks.top) * BLOCK, (col + blocks.left) * BLOCK
        place = (top // BLOCK, left // BLOCK)
        if not state.stale[place]:
            return  # somebody else has done it meanwhile
        box = Box(top, left, top + BLOCK, left + BLOCK).clipped(map_.height, map_.width)
        cells = knit_box(self.table(map_, layer), layer, box, wrap=map_.wrap)
        layer.cells[box.top : box.bottom, box.left : box.right] = cells
        state.stale[place] = False
        state.gaps[place] = np.count_nonzero(cells == GAP)

    def _count(self, layer: GroundLayer, state: _State, blocks: Box) -> None:
        for row in range(blocks.top, blocks.bottom):
            for col in range(blocks.left, blocks.right):
                top, left = row * BLOCK, col * BLOCK
                cells = layer.cells[top : top + BLOCK, left : left + BLOCK]
                state.gaps[row, col] = np.count_nonzero(cells == GAP)

    def _state(self, layer: GroundLayer) -> _State:
        state = self._states.get(layer)
        if state is None:
            state = self._states[layer] = _State(layer)
        return state


def _blocks(box: Box) -> Box:
    return Box(box.top // BLOCK, box.left // BLOCK, -(-box.bottom // BLOCK), -(-box.right // BLOCK))
