"""What a game reads: the JSON of a shipped map."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, ConfigDict

from knitground.core.model.limits import Coordinate, Degrees, HexColour, Scale, TileSide


class _Part(BaseModel):
    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)


class ShipTileset(_Part):
    """A tileset: its picture (beside this file), and how it is cut.

    `size`, of the picture, `tile`, `begins` and `pitch` are pixels across and down: a tile's size,
    where the first one begins, and from one to the next. `grid`: tiles across and down. On a sheet
    that was put together of the tiles shown they have any size: the legend tells where each is.
    `relief`: a picture as large as `picture` that tells which way its pixels face.
    """

    name: str
    picture: str
    size: tuple[int, int]
    tile: tuple[int, int]
    grid: tuple[int, int]
    begins: tuple[int, int]
    pitch: tuple[int, int]
    see_through: list[tuple[int, int, int]]
    relief: str | None = None


class ShipFrame(_Part):
    """A picture of an animation: where it is on a tileset's image, and for how long it shows."""

    tileset: int
    x: int
    y: int
    width: int
    height: int
    ms: int


class ShipShape(_Part):
    """A collision shape or another area of a tile, turned as the tile is.

    `points`: pixels from the upper left of the tile's picture, of a box and of what is round the
    upper left and lower right of its frame.
    """

    kind: str
    form: Literal["box", "polygon", "round"]
    points: list[tuple[float, float]]


class ShipTile(_Part):
    """Tile n of the legend: where its picture is, and where it begins from its cell's upper left.

    `turn`: quarter turns clockwise, + 4 mirrored left to right first. `properties` are of the kinds
    that they were given. `apart`: its frames begin at another one in each cell: the
    ((row × 73856093 xor column × 19349663) × 2654435761 of 32 bits, / 65536)-th, counted round.
    """

    tileset: int
    tile: int
    x: int
    y: int
    width: int
    height: int
    offset_x: int
    offset_y: int
    frames: list[ShipFrame]
    turn: int
    name: str
    tags: list[str]
    properties: dict[str, str | int | float | bool]
    shapes: list[ShipShape] = []
    apart: bool = False


class ShipColour(_Part):
    """A colour of a tint; `strength` 0 to 1: beneath × (1 - strength + strength × colour)."""

    red: int
    green: int
    blue: int
    strength: float


class ShipMarker(_Part):
    """A point, an area or a free picture; x and y in pixels of the map.

    A picture stands with its lower middle on its point. `turn`: degrees clockwise round the middle
    of an area, or of a picture. `tile` is a place of the legend.
    """

    shape: Literal["point", "box", "polygon", "picture"]
    name: str
    kind: str
    points: list[tuple[Coordinate, Coordinate]]
    turn: Degrees
    scale: Scale
    tile: int | None
    properties: dict[str, str | int | float | bool]


class ShipLayer(_Part):
    """A layer; `cells` are rows of places in the legend: 0 is empty, its first tile is 1.

    `offset_x` and `offset_y`: pixels by which it is drawn further right and down, its height over
    the ground taken off already. `height`: pixels above the ground, to sort depth by. A layer of
    tiles may have cells of another size, `cell`, than the map's. Of a tint `cells` name its
    `colours`, the first is 1; of markers there are none.

    Neighbouring layers that are `interleaved` are drawn together, line after line: of squares row
    by row, of diamonds in the order that the map's `drawn_from` tells, in each line the back layer
    first.

    The rectangle round cell (row, column) begins at `first` + row · `row_step` + column ·
    `column_step`, x and y in pixels, rounded down; where the row is odd further by `odd_row`, where
    the column is odd further by `odd_column`: these are not 0 on staggered maps only.
    """

    name: str
    kind: Literal["tiles", "ground", "grown", "tint", "markers"]
    visible: bool
    opacity: float
    offset_x: int
    offset_y: int
    height: int
    interleaved: bool
    cell: tuple[int, int]
    first: tuple[float, float]
    row_step: tuple[float, float]
    column_step: tuple[float, float]
    odd_row: tuple[float, float] = (0, 0)
    odd_column: tuple[float, float] = (0, 0)
    cells: list[list[int]]
    colours: list[ShipColour] = []
    markers: list[ShipMarker] = []


class ShipTerrain(_Part):
    """Terrain of a ground layer: 0 is nothing, n the n-th of `names`.

    corner: `vertices`, (height + 1) rows of width + 1 numbers. ring: `cells`, height rows of width.
    edge: `north`, the sides north of cells, (height + 1) rows of width, and `west`, height rows of
    width + 1. North of a diamond is up and to the right, west up and to the left. Of a staggered
    map each has two rows and one column more than cells (one row and two columns where columns are
    shifted), for the upper corner of the cell that is or would be there: rows, or columns, that are
    not shifted are there those that are.
    """

    layer: str
    names: list[str]
    kind: Literal["corner", "edge", "ring"]
    vertices: list[list[int]] | None = None
    cells: list[list[int]] | None = None
    north: list[list[int]] | None = None
    west: list[list[int]] | None = None


class ShipChunk(_Part):
    """A file of its own with a part of the cells, and the row and column of its first ones."""

    file: str
    row: int
    column: int


class ChunkLayer(_Part):
    """The cells of a layer in a chunk, as `ShipLayer` has them."""

    name: str
    cells: list[list[int]]


class ChunkFile(_Part):
    """A part of the cells of a shipped map: `NAME-ROW-COL.cells.json`.

    `layers` are those of the map, all of them in their order; what a layer has in the map's own
    file has no cells here.
    """

    format: Literal["knitground/cells"] = "knitground/cells"
    version: Literal[1] = 1
    map: str
    row: int
    column: int
    layers: list[ChunkLayer]


class ShipFile(_Part):
    """A map for a game; layers from back to front.

    `screen`: pixels across and down that a player sees at a time.
    `grid`: cells across and down. `cell`: pixels across and down of one, or of the rectangle round
    it. `size`: pixels across and down of the whole map, with room for pictures over the uppermost
    diamonds. `form`: of the cells; staggered ones are diamonds in rows and columns like squares.

    Squares of a layer are drawn row by row from the top. Diamonds are drawn from the corner that is
    named by `drawn_from`, by where the rectangles round them begin: “top” the smallest y first,
    “bottom” the largest, “left” the smallest x, “right” the largest; of those of one x the smaller
    y first. What hangs over the border of a map that wraps comes in at the other side; beyond the
    outline of such a map of diamonds nothing is drawn.

    Where there are `chunks`, cells of layers on the map's own cells lie in those files: each has
    so many rows and columns as there are from its first ones to those of the next.
    """

    format: Literal["knitground/ship"] = "knitground/ship"
    version: Literal[2] = 2
    name: str
    form: Literal["square", "diamond", "staggered"] = "square"
    drawn_from: Literal["top", "right", "bottom", "left"] = "top"
    grid: tuple[int, int]
    cell: tuple[int, int]
    size: tuple[int, int]
    screen: tuple[TileSide, TileSide] = (320, 180)
    wrap: bool
    background: HexColour | None
    properties: dict[str, str | int | float | bool]
    gaps: int
    tilesets: list[ShipTileset]
    legend: list[ShipTile]
    layers: list[ShipLayer]
    terrain: list[ShipTerrain]
    chunks: list[ShipChunk] = []


class ShipPlace(_Part):
    """A rectangle of cells, rows and columns as they are counted, and what a step there costs."""

    row: int
    column: int
    rows: int
    columns: int
    cost: float


class ShipBeside(_Part):
    """Two places, by their numbers from 0, that lie side by side, and over how many cells."""

    places: tuple[int, int]
    sides: int


class ShipDoor(_Part):
    """A door that stands in a place, and the map that it leads to."""

    place: int
    name: str
    map: str


class WaysFile(_Part):
    """Where one can walk on a map: `NAME.ways.json`."""

    format: Literal["knitground/ways"] = "knitground/ways"
    version: Literal[1] = 1
    map: str
    places: list[ShipPlace]
    beside: list[ShipBeside]
    doors: list[ShipDoor]


class MarkerAlone(_Part):
    """A marker as `ShipMarker` has it, and the layer that it lies on; pictures have no tile."""

    layer: str
    name: str
    kind: str
    shape: Literal["point", "box", "polygon", "picture"]
    points: list[tuple[float, float]]
    turn: float
    properties: dict[str, str | int | float | bool]


class MarkersFile(_Part):
    """The markers of a map alone: `NAME.markers.json`."""

    format: Literal["knitground/markers"] = "knitground/markers"
    version: Literal[1] = 1
    map: str
    markers: list[MarkerAlone]
