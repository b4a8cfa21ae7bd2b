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
from knitground.core.edit.stale import AT_ONCE, StaleBlocks
from knitground.core.knit.bridge import TerrainGraph, build_graph
from knitground.core.knit.knit import cells_reached, knit_box
from knitground.core.knit.layer import layer_table
from knitground.core.knit.table import KnitTable
from knitground.core.model.layers import GAP, Cells, GroundLayer, Layer
from knitground.core.model.map import Map
from knitground.core.model.project import Project
from knitground.core.model.rules import NeighbourRule


class Gives(NamedTuple):
    """Cells (h, w) that an edit is known to give in a box of a layer, at a project's revision."""

    layer: Layer
    box: Box
    cells: Cells
    revision: int


class _State:
    """What is known of one layer: its table, its graph, its stale blocks, the gaps in each."""

    def __init__(self, layer: GroundLayer) -> None:
        self.table: KnitTable | None = None
        self.graph: TerrainGraph | None = None
        self.stale = StaleBlocks(*layer.cells.shape)
        self.gaps: NDArray[np.int32] = np.zeros(self.stale.shape, np.int32)


class Knitter:
    """Tables and stale blocks of every ground layer of a project."""

    def __init__(self, project: Project) -> None:
        self._project = project
        self._states: WeakKeyDictionary[GroundLayer, _State] = WeakKeyDictionary()
        self._lock = RLock()  # work beside the interface knits too

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
        if not state.stale:
            return
        for piece in map_.lattice.pieces(box):
            for place in state.stale.within(piece):
                self._knit_block(map_, layer, state, place)

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
            state = self._state(layer)
            for piece in map_.lattice.pieces(box_of(layer)):
                for place in state.stale.within(piece):
                    self._knit_block(map_, layer, state, place)
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
            for place in state.stale.some(blocks):
                self._knit_block(map_, layer, state, place)
            if state.stale:
                return True
        return False

    def gaps(self, layer: GroundLayer) -> tuple[int, bool]:
        """Count gaps, and tell whether all of the layer has been knitted."""
        state = self._state(layer)
        return int(state.gaps.sum()), not state.stale

    def follow(self, change: Changed, gives: Gives | None = None) -> list[Changed]:
        """Do what a change asks of the knitting; returns the changes that come of it.

        Parameters
        ----------
        gives : cells that the change is known to give: they are taken over, not knitted again
        """
        if change.what in (What.TERRAIN, What.CELLS) and isinstance(change.layer, GroundLayer):
            return self._follow_cells(change, gives)
        if change.what in (What.MARKS, What.SLICING, What.TILESETS):
            return self._all_stale(lambda layer: self._may_show(layer, change))
        if change.what is What.MIXES:
            return self._all_stale(self._draws_from_mixes)
        if change.what is What.SIZE and change.map is not None:
            inside = change.map.layers
            return self._all_stale(lambda layer: layer in inside)
        if change.what is What.KNITTING:
            return self._all_stale(lambda layer: layer is change.layer)
        return []

    def _may_show(self, layer: GroundLayer, change: Changed) -> bool:
        """Whether a layer may be knitted of tiles about which something is different."""
        if change.tileset is None:
            return True
        name, found = change.tileset.name, self._project.set_of(layer.tileset, layer.set_name)
        if found is None:
            return layer.tileset == name
        kit = found[1]
        marks = kit.marks if layer.tileset == name else kit.guests.get(name)
        if change.tiles is None or kit.rules.rules or kit.rules.default is not None:
            return marks is not None
        return marks is not None and any(
            row < marks.shape[0] and col < marks.shape[1] and marks[row, col].any()
            for row, col in change.tiles
        )

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
        box = map_.lattice.fitted(box)
        if gives is not None and gives.layer is layer and gives.box == box:
            self._take_over(map_, layer, gives)
        else:
            self._reknit(map_, layer, box)
        return [Changed(What.CELLS, map_, layer, box)] if change.what is What.TERRAIN else []

    def _take_over(self, map_: Map, layer: GroundLayer, gives: Gives) -> None:
        """Lay cells that were knitted for the plan: the same as knitting them now."""
        layer.cells[index(gives.box, map_.height, map_.width)] = gives.cells
        state = self._state(layer)
        for piece in map_.lattice.pieces(gives.box):
            self._count(layer, state, piece)

    def _reknit(self, map_: Map, layer: GroundLayer, box: Box) -> None:
        state = self._state(layer)
        table = self.table(map_, layer)
        for piece in map_.lattice.pieces(box):
            if piece.height * piece.width > AT_ONCE:
                state.stale.touch(piece)
                continue
            layer.cells[index(piece, map_.height, map_.width)] = knit_box(
                table, layer, piece, wrap=map_.wrap
            )
            self._count(layer, state, piece)

    def _all_stale(self, applies: Callable[[GroundLayer], bool]) -> list[Changed]:
        made = []
        for map_ in self._project.maps:
            for layer in map_.layers:
                if isinstance(layer, GroundLayer) and applies(layer):
                    self._states.pop(layer, None)
                    made.append(Changed(What.CELLS, map_, layer))
        return made

    def _knit_block(
        self, map_: Map, layer: GroundLayer, state: _State, place: tuple[int, int]
    ) -> None:
        def knit(box: Box) -> None:
            cells = knit_box(self.table(map_, layer), layer, box, wrap=map_.wrap)
            layer.cells[box.top : box.bottom, box.left : box.right] = cells
            state.gaps[place] = np.count_nonzero(cells == GAP)

        state.stale.bring(place, knit)

    def _count(self, layer: GroundLayer, state: _State, piece: Box) -> None:
        for place in state.stale.touched(piece):
            box = state.stale.box(place)
            cells = layer.cells[box.top : box.bottom, box.left : box.right]
            state.gaps[place] = np.count_nonzero(cells == GAP)

    def _state(self, layer: GroundLayer) -> _State:
        state = self._states.get(layer)
        if state is None:
            state = self._states[layer] = _State(layer)
        return state
