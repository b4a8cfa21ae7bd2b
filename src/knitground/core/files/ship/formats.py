"""What a game reads: the JSON of a shipped map."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, ConfigDict

from knitground.core.model.limits import Coordinate, Degrees, HexColour, Scale, TileSide


class _Part(BaseModel):
    model_config = ConfigDict(
        extra="forbid", allow_inf_nan=False, use_attribute_docstrings=True,
        json_schema_serialization_defaults_required=True,
    )  # fmt: skip


class ShipTileset(_Part):
    """A tileset: its picture (beside this file), and how it is cut.

    `size`, of the picture, `tile`, `begins` and `pitch` are pixels across and down: a tile's size,
    where the first one begins, and from one to the next. `grid`: tiles across and down. On a sheet
    that was put together of the tiles shown they have any size: the legend tells where each is.
    `relief`: a picture as large as `picture` that tells which way its pixels face.
    """

    name: str
    """Its name in the project."""
    picture: str
    """File of its picture, beside this one."""
    size: tuple[int, int]
    """Pixels of the picture, across and down."""
    tile: tuple[int, int]
    """Pixels of a tile, across and down."""
    grid: tuple[int, int]
    """Tiles across and down."""
    begins: tuple[int, int]
    """Pixels right and down to where the first tile begins."""
    pitch: tuple[int, int]
    """Pixels from one tile to the next, across and down."""
    see_through: list[tuple[int, int, int]]
    """Colours (red, green, blue) that are see-through, taken out of the picture already."""
    relief: str | None = None
    """File of a picture as large that tells which way its pixels face; null without one."""


class ShipFrame(_Part):
    """A picture of an animation: where it is on a tileset's image, and for how long it shows."""

    tileset: int
    """Place in `tilesets`, from 0."""
    x: int
    """Left of it on the picture."""
    y: int
    """Top of it on the picture."""
    width: int
    """Of it, in pixels."""
    height: int
    """Of it, in pixels."""
    ms: int
    """Thousandths of a second for which it shows."""


class ShipShape(_Part):
    """A collision shape or another area of a tile, turned as the tile is.

    `points`: pixels from the upper left of the tile's picture, of a box and of what is round the
    upper left and lower right of its frame.
    """

    kind: str
    """What it is to a game: a kind of the project, such as “solid”."""
    form: Literal["box", "polygon", "round"]
    """How the points are meant."""
    points: list[tuple[float, float]]
    """x and y in pixels from the upper left of the tile's picture, turned as the tile is."""


class ShipTile(_Part):
    """Tile n of the legend: where its picture is, and where it begins from its cell's upper left.

    `turn`: quarter turns clockwise, + 4 mirrored left to right first. `properties` are of the kinds
    that they were given. `apart`: its frames begin at another one in each cell: the
    ((row × 73856093 xor column × 19349663) × 2654435761 of 32 bits, / 65536)-th, counted round.
    """

    tileset: int
    """Place in `tilesets`, from 0."""
    tile: int
    """Number of the tile on its sheet, row by row from 0."""
    x: int
    """Left of its picture on the sheet."""
    y: int
    """Top of its picture on the sheet."""
    width: int
    """Pixels of its picture before it is turned."""
    height: int
    """Pixels of its picture before it is turned."""
    offset_x: int
    """Pixels from its cell's left to its picture's."""
    offset_y: int
    """Pixels from its cell's top to its picture's."""
    frames: list[ShipFrame]
    """Pictures that it shows in turn, over and over; none if it stands still."""
    turn: int
    """Quarter turns clockwise, + 4 mirrored left to right first."""
    name: str
    """Given by the artist, or empty."""
    tags: list[str]
    """Words given by the artist."""
    properties: dict[str, str | int | float | bool]
    """What a game should know, as text, number or yes and no."""
    shapes: list[ShipShape] = []
    """Collision shapes and other areas."""
    apart: bool = False
    """Whether its frames begin at another one in each cell."""


class ShipColour(_Part):
    """A colour of a tint; `strength` 0 to 1: beneath × (1 - strength + strength × colour)."""

    red: int
    """0 to 255."""
    green: int
    """0 to 255."""
    blue: int
    """0 to 255."""
    strength: float
    """0 to 1."""


class ShipMarker(_Part):
    """A point, an area or a free picture; x and y in pixels of the map.

    A picture stands with its lower middle on its point. `turn`: degrees clockwise round the middle
    of an area, or of a picture. `tile` is a place of the legend.
    """

    shape: Literal["point", "box", "polygon", "picture"]
    """What it is on the map."""
    name: str
    """Given by the artist, or empty."""
    kind: str
    """What a game takes it for, such as “spawn point”, “door”, “lamp”."""
    points: list[tuple[Coordinate, Coordinate]]
    """x and y in pixels of the map: two corners of a box, all of an area."""
    turn: Degrees
    """Degrees clockwise."""
    scale: Scale
    """Of a picture: how many times its size."""
    tile: int | None
    """Of a picture: its tile's place in the legend, the first is 1."""
    properties: dict[str, str | int | float | bool]
    """What a game should know."""


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
    """Unlike that of any other layer of the map."""
    kind: Literal["tiles", "ground", "grown", "tint", "markers"]
    """What it holds."""
    visible: bool
    """Whether it is drawn; the others are shipped all the same."""
    opacity: float
    """0 to 1: it is composed as a whole, and then faded."""
    offset_x: int
    """Pixels by which it is drawn further right."""
    offset_y: int
    """Pixels by which it is drawn further down, its height taken off already."""
    height: int
    """Pixels above the ground, to sort depth by."""
    interleaved: bool
    """Whether it is drawn together with its neighbours, line after line."""
    cell: tuple[int, int]
    """Pixels of its cells, across and down."""
    first: tuple[float, float]
    """x and y at which the rectangle round cell (0, 0) begins."""
    row_step: tuple[float, float]
    """x and y from one row to the next."""
    column_step: tuple[float, float]
    """x and y from one column to the next."""
    odd_row: tuple[float, float] = (0, 0)
    """x and y by which odd rows lie further."""
    odd_column: tuple[float, float] = (0, 0)
    """x and y by which odd columns lie further."""
    cells: list[list[int]]
    """Rows of places in the legend: 0 is empty, its first tile is 1, -1 is a gap."""
    colours: list[ShipColour] = []
    """Of a tint: what its cells name, the first is 1."""
    markers: list[ShipMarker] = []
    """Of a layer of markers, the hindmost first."""


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
    """Name of the layer."""
    names: list[str]
    """What 1, 2, 3 … stand for."""
    kind: Literal["corner", "edge", "ring"]
    """Where terrain stands."""
    vertices: list[list[int]] | None = None
    """Of a corner set."""
    cells: list[list[int]] | None = None
    """Of a ring set."""
    north: list[list[int]] | None = None
    """Of an edge set: the sides north of cells."""
    west: list[list[int]] | None = None
    """Of an edge set: the sides west of cells."""


class ShipChunk(_Part):
    """A file of its own with a part of the cells, and the row and column of its first ones."""

    file: str
    """Name of the file, beside this one."""
    row: int
    """Of its first cells."""
    column: int
    """Of its first cells."""


class ChunkLayer(_Part):
    """The cells of a layer in a chunk, as `ShipLayer` has them."""

    name: str
    """Of the layer."""
    cells: list[list[int]]
    """Rows of places in the map's legend."""


class ChunkFile(_Part):
    """A part of the cells of a shipped map: `NAME-ROW-COL.cells.json`.

    `layers` are those of the map, all of them in their order; what a layer has in the map's own
    file has no cells here.
    """

    format: Literal["knitground/cells"] = "knitground/cells"
    """What file it is."""
    version: Literal[1] = 1
    """Of the format."""
    map: str
    """Name of the map."""
    row: int
    """Of its first cells on the map."""
    column: int
    """Of its first cells on the map."""
    layers: list[ChunkLayer]
    """All layers of the map, from back to front."""


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
    """What file it is."""
    version: Literal[2] = 2
    """Of the format; what a newer one has more does not change what is here."""
    name: str
    """Of the map."""
    form: Literal["square", "diamond", "staggered"] = "square"
    """Of its cells."""
    drawn_from: Literal["top", "right", "bottom", "left"] = "top"
    """The corner from which diamonds are drawn."""
    grid: tuple[int, int]
    """Cells across and down."""
    cell: tuple[int, int]
    """Pixels of a cell, or of the rectangle round it, across and down."""
    size: tuple[int, int]
    """Pixels of the whole map, across and down."""
    screen: tuple[TileSide, TileSide] = (320, 180)
    """Pixels that a player sees at a time, across and down."""
    wrap: bool
    """Whether its right border meets its left, and its bottom its top."""
    background: HexColour | None
    """Colour #rrggbb behind all layers; null is see-through."""
    properties: dict[str, str | int | float | bool]
    """What a game should know of the map."""
    gaps: int
    """Cells that no tile fits: 0 unless somebody shipped them so."""
    tilesets: list[ShipTileset]
    """Pictures that tiles come from."""
    legend: list[ShipTile]
    """Tiles that cells name; the first is 1."""
    layers: list[ShipLayer]
    """From back to front."""
    terrain: list[ShipTerrain]
    """What the ground is, apart from its pictures."""
    chunks: list[ShipChunk] = []
    """Files that hold the cells; none if they are here."""


class ShipPlace(_Part):
    """A rectangle of cells, rows and columns as they are counted, and what a step there costs."""

    row: int
    """Of its upper left cell."""
    column: int
    """Of its upper left cell."""
    rows: int
    """Of cells."""
    columns: int
    """Of cells."""
    cost: float
    """Of a step there; 1 is usual."""


class ShipBeside(_Part):
    """Two places, by their numbers from 0, that lie side by side, and over how many cells."""

    places: tuple[int, int]
    """Numbers of the two, from 0."""
    sides: int
    """Over how many cells they touch."""


class ShipDoor(_Part):
    """A door that stands in a place, and the map that it leads to."""

    place: int
    """Number of the place that it stands in."""
    name: str
    """Of the door."""
    map: str
    """Name of the map that it leads to."""


class WaysFile(_Part):
    """Where one can walk on a map: `NAME.ways.json`."""

    format: Literal["knitground/ways"] = "knitground/ways"
    """What file it is."""
    version: Literal[1] = 1
    """Of the format."""
    map: str
    """Name of the map."""
    places: list[ShipPlace]
    """Rectangles on which one can walk."""
    beside: list[ShipBeside]
    """Which of them lie side by side."""
    doors: list[ShipDoor]
    """Ways to other maps."""


class MarkerAlone(_Part):
    """A marker as `ShipMarker` has it, and the layer that it lies on; pictures have no tile."""

    layer: str
    """Name of the layer that it lies on."""
    name: str
    """Given by the artist, or empty."""
    kind: str
    """What a game takes it for."""
    shape: Literal["point", "box", "polygon", "picture"]
    """What it is on the map."""
    points: list[tuple[float, float]]
    """x and y in pixels of the map."""
    turn: float
    """Degrees clockwise."""
    properties: dict[str, str | int | float | bool]
    """What a game should know."""


class MarkersFile(_Part):
    """The markers of a map alone: `NAME.markers.json`."""

    format: Literal["knitground/markers"] = "knitground/markers"
    """What file it is."""
    version: Literal[1] = 1
    """Of the format."""
    map: str
    """Name of the map."""
    markers: list[MarkerAlone]
    """All of them, layer by layer from the back."""
