"""The desk: all that decides what a click lays, as it is at one moment.

A gesture works on the desk that it began with, whatever is chosen meanwhile; a script sets its own.
"""

from __future__ import annotations

from dataclasses import dataclass, field

from knitground.core.base.tongue import later
from knitground.core.base.window import Box
from knitground.core.edit.document import Document
from knitground.core.edit.hand import Hand, TerrainInHand
from knitground.core.edit.selecting import Selection
from knitground.core.knit.sides import SideMask, sides_along
from knitground.core.model.layers import GroundLayer, Layer, TileLayer, TintLayer
from knitground.core.model.map import Map, grid_of
from knitground.core.model.project import Project
from knitground.core.model.terrain import SetKind

MAX_BRUSH = 64
FILL_BY = (later("same terrain"), later("same tile"), later("selection"))
PICK_FROM = (
    later("this layer, else the front"),
    later("this layer"),
    later("all layers"),
)
SNAPS = (later("cell"), later("half cell"), later("pixel"))
SELECT_WAYS = (
    later("box"),
    later("lasso"),
    later("same tile"),
    later("same terrain"),
    later("region"),
)


@dataclass(frozen=True)
class Pointer:
    """A place on the map in pixels of the map at full size; y down, x right."""

    x: float
    y: float

    def cell(self, map_: Map) -> tuple[int, int]:
        """Row and column of the cell; may lie outside the map."""
        return map_.lattice.cell_at(self.x, self.y)

    def side(self, map_: Map) -> SideMask:
        """Give the side of a cell that lies nearest."""
        nearest = map_.lattice.sides_near(self.x, self.y)[0][1]
        return sides_along(sorted([self.cell(map_), nearest]))

    def vertex(self, map_: Map) -> tuple[int, int]:
        """Row and column of the nearest vertex; may lie outside the map."""
        return map_.lattice.vertex_at(self.x, self.y)


def places_along(map_: Map, start: Pointer, end: Pointer) -> list[Pointer]:
    """List the places on the way from one place to another at which a brush lays something else.

    The first is not among them. However a way is parted, all its places together are the same.
    """
    out = []
    seen = (start.cell(map_), start.vertex(map_))
    for x, y in map_.lattice.way((start.x, start.y), (end.x, end.y)):
        here = Pointer(x, y)
        place = (here.cell(map_), here.vertex(map_))
        if place != seen:
            out.append(here)
            seen = place
    return out


@dataclass(frozen=True)
class ToolOptions:
    """What the tools are set to.

    Parameters
    ----------
    terrain_size, tile_size : side of the brush in vertices, for terrain on them, and in cells
    outline : whether Box lays its rim only
    round_brush, soft_brush : the brush's shape; soft counts on tint layers
    fill_by, fill_all : what Fill goes by, and whether it takes all such cells of the map
    pick_from, snap, select_way : one of `PICK_FROM`, `SNAPS`, `SELECT_WAYS`
    pattern_on_map : whether patches repeat from the map's corner, or from where a drag began
    seed : of random draws
    pen_size : whether a pen that is pressed less lays with a smaller brush
    """

    terrain_size: int = 2
    tile_size: int = 1
    outline: bool = False
    round_brush: bool = False
    soft_brush: bool = True
    fill_by: str = FILL_BY[0]
    fill_all: bool = False
    pick_from: str = PICK_FROM[0]
    snap: str = SNAPS[0]
    select_way: str = SELECT_WAYS[0]
    pattern_on_map: bool = True
    seed: int = 1
    pen_size: bool = False


@dataclass(frozen=True, eq=False)
class Desk:
    """The map and layer that are worked on, the tool, what is in hand, what is selected.

    `pressure` is that of a pen, 0 to 1; 1 for all else.
    """

    doc: Document
    map: Map | None = None
    layer: Layer | None = None
    tool: str = "paint"
    hand: Hand | None = None
    options: ToolOptions = field(default_factory=ToolOptions)
    selection: Selection | None = None
    markers: frozenset[int] = frozenset()
    pressure: float = 1.0

    @property
    def project(self) -> Project:
        """The open project."""
        return self.doc.project

    @property
    def grid(self) -> Map | None:
        """The map as the chosen layer's cells divide it (`grid_of`)."""
        return grid_of(self.map, self.layer) if self.map is not None else None

    @property
    def set_kind(self) -> SetKind | None:
        """Kind of the set whose terrain the next click lays or erases; None if it does not."""
        if not isinstance(self.layer, GroundLayer):
            return None
        lays = self.tool == "erase" or isinstance(self.hand, TerrainInHand)
        return self.layer.kind_of_set if lays else None

    @property
    def lays_terrain(self) -> bool:
        """Whether the brush works on vertices."""
        if not isinstance(self.layer, GroundLayer):
            plain = isinstance(self.layer, TileLayer | None)
            return plain and self.tool != "erase" and isinstance(self.hand, TerrainInHand)
        return self.set_kind is SetKind.CORNER

    @property
    def draws_path(self) -> bool:
        """Whether a drag draws a path over the sides of cells."""
        return self.set_kind is SetKind.EDGE and self.options.tile_size == 1

    @property
    def size(self) -> int:
        """Side of the brush: vertices for terrain, cells for all else."""
        side = self.options.terrain_size if self.lays_terrain else self.options.tile_size
        return max(1, round(side * self.pressure)) if self.options.pen_size else side

    @property
    def is_soft(self) -> bool:
        """Whether the brush lays less towards its rim."""
        return (
            isinstance(self.layer, TintLayer)
            and self.options.soft_brush
            and self.tool in ("paint", "erase")
        )

    @property
    def state(self) -> tuple[object, ...]:
        """All that a plan depends on besides the place, to be compared."""
        return (
            self.doc.revision, id(self.doc), id(self.map), id(self.layer), self.tool, self.hand,
            self.options, id(self.selection), self.pressure,
        )  # fmt: skip


def between(map_: Map, start: Pointer, end: Pointer) -> Box:
    """Give the box of cells between two places, both included."""
    (row, col), (to_row, to_col) = start.cell(map_), end.cell(map_)
    return Box(min(row, to_row), min(col, to_col), max(row, to_row) + 1, max(col, to_col) + 1)
