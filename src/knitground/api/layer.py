"""Layers: painting, arrays in and out, markers, reasons."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from itertools import pairwise
from typing import Any, cast, get_args

import numpy as np
from numpy.typing import NDArray

from knitground.api.checks import (
    Pair,
    check_kind,
    name_of,
    number,
    numbers_in,
    pair,
    short,
    text,
    whole,
)
from knitground.api.sheet import property_of
from knitground.core.base.errors import EditError
from knitground.core.base.window import Box
from knitground.core.edit.desk import FILL_BY, MAX_BRUSH, Desk, Pointer, ToolOptions
from knitground.core.edit.document import Document, Edit
from knitground.core.edit.flood import Region
from knitground.core.edit.hand import Hand, MixInHand, TerrainInHand, TileInHand
from knitground.core.edit.layers import (
    fade_layer,
    interleave_layer,
    lock_layer,
    move_layer,
    place_layer,
    rename_layer,
    reseed_layer,
    show_layer,
)
from knitground.core.edit.laying import Plan, plan_cells
from knitground.core.edit.maps import put_terrain
from knitground.core.edit.markers import add_markers, delete_markers
from knitground.core.edit.planning import plan_dab, plan_fill, plan_path, plan_region, refusal
from knitground.core.edit.reasons import why_cell
from knitground.core.files.layer_io import terrain_from_grids, terrain_grids
from knitground.core.knit.explain import Why
from knitground.core.knit.sides import sides_along
from knitground.core.model.layers import GroundLayer, Layer, MarkerLayer
from knitground.core.model.limits import MAX_SHIFT, MAX_SIDE
from knitground.core.model.map import Map, grid_of
from knitground.core.model.marker import Marker, Shape
from knitground.core.model.standing import standing_of
from knitground.core.model.tile import TileRef

EMPTY, GAP = -1, -2
"""In arrays of tiles: a cell without a tile, and one that no tile fits."""


class LayerDoor:
    """A layer to paint on, with what the tools of the window do."""

    def __init__(self, doc: Document, map_: Map, layer: Layer) -> None:
        self.doc = doc
        self.map = map_
        self.layer = layer

    def __repr__(self) -> str:
        return f"<{self.kind} layer “{self.name}” of “{self.map.name}”>"

    @property
    def name(self) -> str:
        """Its name."""
        return self.layer.name

    @property
    def kind(self) -> str:
        """What it holds: ground, tiles, grown, tint or markers."""
        return self.layer.kind

    @property
    def size(self) -> Pair:
        """Rows and columns of its cells."""
        rows, columns = grid_of(self.map, self.layer).lattice.counted
        return rows, columns

    @property
    def terrains(self) -> list[str]:
        """Names of the terrains of a ground layer's set; the n-th is n + 1 in `terrain`."""
        found = None
        if isinstance(self.layer, GroundLayer):
            found = self.doc.project.set_of(self.layer.tileset, self.layer.set_name)
        return [each.name for each in found[1].terrains] if found else []

    def set(
        self, *, name: str | None = None, visible: bool | None = None, locked: bool | None = None,
        opacity: float | None = None, offset: Pair | None = None, lift: int | None = None,
        interleaved: bool | None = None, seed: int | None = None, to: int | None = None,
    ) -> None:  # fmt: skip
        """Change what is given, in one step.

        Parameters
        ----------
        opacity : 0 to 1
        offset : pixels down and to the right by which it lies off
        lift : pixels by which it is raised, as a storey is
        interleaved : whether it is sorted by depth with others that are
        seed : of a ground layer: which of its variants are drawn
        to : place among the layers, 0 is the back one
        """
        map_, layer, edits = self.map, self.layer, list[Edit]()
        with self.doc.stroke(f"Change “{self.name}”"):
            if name is not None:
                edits.append(rename_layer(map_, layer, name_of(name, "layer"), self.doc.project))
            if visible is not None:
                edits.append(show_layer(map_, layer, bool(visible)))
            if locked is not None:
                edits.append(lock_layer(map_, layer, bool(locked)))
            if opacity is not None:
                edits.append(fade_layer(map_, layer, number(opacity, "the opacity", 0, 1)))
            if offset is not None or lift is not None:
                down, across = layer.offset[1], layer.offset[0]
                if offset is not None:
                    down, across = pair(offset, "the offset", least=-MAX_SHIFT, most=MAX_SHIFT)
                up = layer.height
                if lift is not None:
                    up = whole(lift, "the lift", -MAX_SHIFT, MAX_SHIFT)
                edits.append(place_layer(map_, layer, (across, down), up))
            if interleaved is not None:
                edits.append(interleave_layer(map_, layer, bool(interleaved)))
            if seed is not None:
                if not isinstance(layer, GroundLayer):
                    raise EditError(f"“{self.name}” is not knitted: only ground layers have a seed")
                edits.append(reseed_layer(map_, layer, whole(seed, "the seed", 0, 2**31 - 1)))
            if to is not None:
                place = whole(to, "the place among the layers", 0, len(map_.layers) - 1)
                edits.append(move_layer(map_, layer, place))
            for each in edits:
                self.doc.apply(each)

    # Painting

    def paint(self, hand: Hand, at: Pair, size: int = 1, *, round_: bool = False) -> None:
        """Lay what is in hand as one dab of the brush.

        Parameters
        ----------
        hand : what `sheet.tile`, `set.terrain` or `project.mix` gives, or a colour of a tint
        at : a vertex for terrain of a corner set ((0, 0) is the map's upper left corner), a cell
            for all else
        size : cells, or vertices, across
        """
        size = whole(size, "the size of the brush", 1, MAX_BRUSH)
        options = ToolOptions(terrain_size=size, tile_size=size, round_brush=bool(round_))
        desk = self._desk("paint", _hand(hand), options)
        self._do(desk, at, plan_dab(desk, self._pointer(desk, at)))

    def erase(self, at: Pair, size: int = 1) -> None:
        """Empty what lies under one dab of the brush."""
        size = whole(size, "the size of the brush", 1, MAX_BRUSH)
        desk = self._desk("erase", None, ToolOptions(terrain_size=size, tile_size=size))
        self._do(desk, at, plan_dab(desk, self._pointer(desk, at)))

    def path(self, hand: TerrainInHand, cells: Sequence[Pair]) -> None:
        """Lay a path of an edge set from cell to cell, each a neighbour of the one before."""
        desk = self._desk("paint", _hand(hand), ToolOptions())
        if isinstance(cells, str) or not isinstance(cells, Sequence) or not cells:
            raise EditError(f"{short(cells)} is no way: give a list of (row, column)")
        way = [self._on_array(self._cell(each)) for each in cells]
        for ((row, col), one), ((next_row, next_col), other) in pairwise(zip(cells, way)):
            if abs(one[0] - other[0]) + abs(one[1] - other[1]) != 1:
                raise EditError(
                    f"row {next_row}, column {next_col} is no neighbour of row {row}, column "
                    f"{col}: give each cell of the way"
                )
        self._do(desk, cells[0], plan_path(desk, sides_along(way)))

    def fill(self, hand: Hand, at: Pair, *, by: str = "same terrain") -> None:
        """Fill what is connected with a place, by “same terrain” or “same tile”."""
        if by not in FILL_BY[:2]:
            raise EditError(f"{short(by)} is nothing to fill by: give {' or '.join(FILL_BY[:2])}")
        desk = self._desk("fill", _hand(hand), ToolOptions(fill_by=by))
        found = plan_fill(desk, self._pointer(desk, at))
        self._do(desk, at, found[0] if found else None)

    def lay_box(self, hand: Hand, at: Pair, size: Pair) -> None:
        """Lay what is in hand on a box of (height, width) cells; terrain on all their vertices."""
        desk = self._desk("box", _hand(hand), ToolOptions())
        self._whole_box(at, size)
        lattice = grid_of(self.map, self.layer).lattice
        box, mask = lattice.box_named(at[0], at[1], at[0] + size[0], at[1] + size[1])
        every = np.ones((box.height, box.width), np.bool_) if mask is None else mask
        if desk.lays_terrain and desk.set_kind is not None:
            box, every = standing_of(desk.set_kind).on_cells(box, every)
        self._do(desk, at, plan_region(desk, Region(box, every), "Box"))

    # Arrays

    def tiles(self) -> tuple[NDArray[np.int32], list[TileRef]]:
        """Give all cells at once.

        Returns
        -------
        (rows, columns) int32, places in the list that follows; -1 is empty, -2 a gap
        the tiles, each once
        """
        grid, legend = grid_of(self.map, self.layer), self.map.legend
        if not self.layer.holds_tiles:
            raise EditError(f"“{self.name}” holds no tiles: it is a {self.kind} layer")
        cells = grid.lattice.unfolded(
            self.doc.cells(self.map, self.layer, Box(0, 0, grid.height, grid.width))
        )
        used = [place for place in np.unique(cells).tolist() if legend.tile(place) is not None]
        numbers = {place: n for n, place in enumerate(used)}
        out = np.where(cells < 0, GAP, EMPTY).astype(np.int32)
        for place, n in numbers.items():
            out[cells == place] = n
        return out, [cast("TileRef", legend.tile(place)) for place in used]

    def lay_tiles(self, places: Any, tiles: Sequence[TileInHand | TileRef],
                  at: Pair = (0, 0)) -> None:  # fmt: skip
        """Lay many cells at once, as if by hand; on layers that are made they become pins.

        Parameters
        ----------
        places : (rows, columns), places in `tiles`; -1 empties a cell, -2 leaves it as it is
        at : the cell of their upper left
        """
        if isinstance(tiles, str) or not isinstance(tiles, Sequence):
            raise EditError(f"{short(tiles)} is no list of tiles: give one like [sheet.tile(0, 0)]")
        refs = [each.tile if isinstance(each, TileInHand) else each for each in tiles]
        for each in refs:
            check_kind(each, (TileRef,), "a tile", "sheet.tile(0, 0)")
            owner = self.doc.project.tileset_named(each.tileset)
            if owner is None or not owner.has(each.row, each.col):
                raise EditError(f"there is no tile in row {each.row}, column {each.col} of sheet "
                                f"{short(each.tileset)}")  # fmt: skip
        wanted = numbers_in(places, "the cells", None, GAP, len(refs) - 1)
        if not self.layer.holds_tiles:
            raise EditError(f"“{self.name}” holds no tiles: it is a {self.kind} layer")
        self._may_change()
        self._whole_box(at, cast("Pair", wanted.shape))
        grid = grid_of(self.map, self.layer)
        if wanted.shape != grid.lattice.counted and grid.lattice.exists is not None:
            raise EditError(f"of a staggered map all cells are laid at once: give "
                            f"{grid.lattice.counted}")  # fmt: skip
        legend = self.map.legend
        values = np.array([*(legend.place(each) for each in refs), 0, 0], np.int32)[wanted]
        mask = wanted != GAP
        box = Box(at[0], at[1], at[0] + wanted.shape[0], at[1] + wanted.shape[1])
        if grid.lattice.exists is not None:
            values, mask = grid.lattice.folded(values), grid.lattice.folded(mask)
            box = Box(0, 0, grid.height, grid.width)
        self.doc.apply(plan_cells(grid, self.layer, box, values, mask, "Lay tiles").edit)

    def terrain(self) -> dict[str, NDArray[Any]]:
        """Give what terrain lies where; 0 is nothing, n the n-th of `terrains`.

        Returns
        -------
        “terrain”: (rows + 1, columns + 1) vertices of a corner set, (rows, columns) cells of a ring
        set, of an edge set the sides north of cells (rows + 1, columns), and with it “west”: those
        west of them (rows, columns + 1). Copies
        """
        layer = self._ground()
        grids = terrain_grids(self.map, layer)
        return {name: grid.copy() for name, grid in zip(("terrain", "west"), grids)}

    def lay_terrain(self, terrain: Any, west: Any = None) -> None:
        """Lay terrain everywhere at once, of shapes and numbers as `terrain()` gives them.

        Nothing is bridged: where terrains meet for which there is no tile, there are gaps.
        """
        layer = self._ground()
        self._may_change()
        now = self.terrain()
        given = {"terrain": terrain} if west is None else {"terrain": terrain, "west": west}
        if set(given) != set(now):
            lacks = "west too" if "west" in now else "no west"
            raise EditError(f"terrain of a set of kind {layer.kind_of_set.value} has {lacks}")
        most = len(self.terrains)
        grids = {
            name: numbers_in(each, f"the numbers of “{name}”", now[name].shape, 0, most)
            for name, each in given.items()
        }
        made = terrain_from_grids(self.map, layer.kind_of_set, grids)
        self.doc.apply(put_terrain(self.map, layer, made))

    # Markers

    @property
    def markers(self) -> tuple[Marker, ...]:
        """The markers of a marker layer; points are (x, y) in pixels of the map."""
        return self.layer.markers if isinstance(self.layer, MarkerLayer) else ()

    def add_marker(
        self, kind: str, points: Sequence[tuple[float, float]], *, name: str = "",
        properties: Mapping[str, str | float | bool] | None = None,
    ) -> int:  # fmt: skip
        """Add a point, a box (of two corners) or an area (of three or more); gives its number.

        Parameters
        ----------
        points : (x, y) in pixels of the map
        properties : what a game should know, by name
        """
        layer = self._marked()
        self._may_change()
        text(kind, "the kind")
        if isinstance(points, str) or not isinstance(points, Sequence) or not points:
            raise EditError(f"{short(points)} are no points: give one like [(40, 60)]")
        corners = []
        for each in points:
            if not isinstance(each, Sequence) or isinstance(each, str | bytes) or len(each) != 2:
                raise EditError(f"{short(each)} is no point: give (x, y)")
            corners.append((number(each[0], "x", -1e6, 1e6), number(each[1], "y", -1e6, 1e6)))
        shape = {1: Shape.POINT, 2: Shape.BOX}.get(len(corners), Shape.POLYGON)
        check_kind(properties, (Mapping, type(None)), "properties by name", "{'toll': 3}")
        own = tuple(property_of(each, value) for each, value in (properties or {}).items())
        made = Marker(1, shape, tuple(corners), text(name, "the name"), kind, own)
        edit, numbers = add_markers(self.map, layer, [made])
        self.doc.apply(edit)
        return next(iter(numbers))

    def remove_marker(self, marker: int) -> None:
        """Take a marker away, by its number."""
        layer = self._marked()
        self._may_change()
        known = [each.number for each in layer.markers]
        if marker not in known:
            raise EditError(f"“{self.name}” has no marker {short(marker)}: it has {known[:20]}")
        self.doc.apply(delete_markers(self.map, layer, [marker]))

    # Reasons

    def tile_at(self, row: int, col: int) -> TileRef | None:
        """Give the tile in a cell; None if it is empty or a gap."""
        row, col = self._on_array(self._cell((row, col)))
        cells = self.doc.cells(self.map, self.layer, Box(row, col, row + 1, col + 1))
        return self.map.legend.tile(int(cells[0, 0]))

    def find(self, tile: TileInHand | TileRef) -> list[Pair]:
        """List the cells that hold a tile, row by row."""
        ref = tile.tile if isinstance(tile, TileInHand) else tile
        check_kind(ref, (TileRef,), "a tile", "what tile_at gives")
        grid, place = grid_of(self.map, self.layer), self.map.legend.place_of(ref)
        cells = self.doc.cells(self.map, self.layer, Box(0, 0, grid.height, grid.width))
        found = np.argwhere(grid.lattice.unfolded(cells) == (place or -9))
        return [(row, col) for row, col in found.tolist()]

    def explain(self, row: int, col: int) -> Why:
        """Tell what chose the tile of a cell: what it asks for, candidates and the number drawn."""
        row, col = self._on_array(self._cell((row, col)))
        if not isinstance(self.layer, GroundLayer):
            raise EditError(f"“{self.name}” is not knitted: only ground layers have a reason")
        why = why_cell(self.doc, self.map, self.layer, row, col)
        if why is None:
            raise EditError(
                f"row {row}, column {col} is off the map, or the set of “{self.name}” is gone"
            )
        return why

    def _ground(self) -> GroundLayer:
        if not isinstance(self.layer, GroundLayer):
            raise EditError(
                f"“{self.name}” is a {self.kind} layer: only ground layers have terrain"
            )
        return self.layer

    def _marked(self) -> MarkerLayer:
        if not isinstance(self.layer, MarkerLayer):
            raise EditError(f"“{self.name}” is a {self.kind} layer: add one for markers")
        return self.layer

    def _may_change(self) -> None:
        if self.layer.locked:
            raise EditError(f"“{self.name}” is locked: layer.set(locked=False) unlocks it")

    def _desk(self, tool: str, hand: Hand | None, options: ToolOptions) -> Desk:
        if isinstance(hand, MixInHand) and hand.mix not in self.doc.project.mixes:
            raise EditError(f"the project has no mix “{hand.name}”")
        return Desk(self.doc, self.map, self.layer, tool, hand, options)

    def _cell(self, at: Pair, more: int = 0) -> Pair:
        """See to it that a place is a cell of the layer, or with 1 more a vertex; wraps if it does.

        Raises
        ------
        EditError
            It is none.
        """
        grid = grid_of(self.map, self.layer)
        most = MAX_SIDE if grid.wrap else 0
        row, col = pair(at, "a place", least=-MAX_SIDE, most=MAX_SIDE)
        high, wide = grid.lattice.counted
        if more:
            high, wide = grid.lattice.unfolded_shape(more)
        if not most and not (0 <= row < high and 0 <= col < wide):
            raise EditError(
                f"row {row}, column {col} is off “{self.map.name}”: give rows 0 to {high - 1} "
                f"and columns 0 to {wide - 1}"
            )
        return (row % high, col % wide) if most and not more else (row, col)

    def _on_array(self, at: Pair) -> Pair:
        """Give the row and column of the array that a cell is kept at."""
        return grid_of(self.map, self.layer).lattice.cell_named(*at)

    def _whole_box(self, at: Pair, size: Pair) -> None:
        """See to it that a box lies on the map."""
        row, col = self._cell(at)
        high, wide = pair(size, "the size of a box", least=1, most=MAX_SIDE)
        rows, columns = grid_of(self.map, self.layer).lattice.counted
        wraps = self.map.wrap
        if (
            high > rows
            or wide > columns
            or (not wraps and (row + high > rows or col + wide > columns))
        ):
            raise EditError(
                f"a box of {high} × {wide} cells at row {row}, column {col} reaches beyond the "
                f"{rows} × {columns} of “{self.map.name}”: give a smaller one"
            )

    def _pointer(self, desk: Desk, at: Pair) -> Pointer:
        """Where the pointer would be: on a vertex, or in the middle of a cell."""
        at = self._cell(at, more=int(desk.lays_terrain))
        lattice = (desk.grid or self.map).lattice
        if desk.lays_terrain:
            return Pointer(*lattice.place(*lattice.corner_named(*at)))
        return Pointer(*lattice.middle(*lattice.cell_named(*at)))

    def _do(self, desk: Desk, at: Pair, plan: Plan | None) -> None:
        if plan is None:
            why = refusal(desk, self._pointer(desk, at)) or "this layer does not take it"
            raise EditError(f"“{self.name}”, row {at[0]}, column {at[1]}: {why}")
        self.doc.apply(plan.edit)


def _hand(hand: Hand) -> Hand:
    check_kind(hand, get_args(Hand), "anything to lay", "sheet.tile(0, 0) or set.terrain('grass')")
    return hand
