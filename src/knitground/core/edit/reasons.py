"""Why a cell shows its tile."""

from __future__ import annotations

from knitground.core.base.window import Box
from knitground.core.edit.document import Document
from knitground.core.knit.explain import Why, explain
from knitground.core.model.layers import GroundLayer
from knitground.core.model.map import Map


def why_cell(doc: Document, map_: Map, layer: GroundLayer, row: int, col: int) -> Why | None:
    """Explain a cell of a ground layer; None if it is off the map, or the layer's set is gone."""
    found = doc.project.set_of(layer.tileset, layer.set_name)
    if found is None or not map_.lattice.holds(row, col):
        return None
    cell = Box(row, col, row + 1, col + 1)
    doc.cells(map_, layer, cell)
    knitter = doc.knitter
    table, graph = knitter.table(map_, layer), knitter.graph(map_, layer)
    return explain(table, map_, layer, found[1], cell, graph)
