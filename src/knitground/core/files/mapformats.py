"""File models of maps: layers, markers, recipes."""

from __future__ import annotations

from typing import Annotated, Any, Final, Literal

from pydantic import (
    Field,
    PrivateAttr,
)

from knitground.core.files.formats import FilePart, TileFile
from knitground.core.files.recipeformats import RecipeFile
from knitground.core.model.laid import LaidMix
from knitground.core.model.lattice import Corner, GridKind
from knitground.core.model.limits import (
    FULL_TINT,
    MAX_CORNERS,
    MAX_LAYERS,
    MAX_MARKERS,
    CellSide,
    Coordinate,
    Degrees,
    HexColour,
    MarkerNumber,
    Name,
    Number,
    Part,
    Scale,
    Seed,
    Shift,
    Strength,
    TileSide,
    Word,
)
from knitground.core.model.properties import Property

MAP_VERSION: Final = 6


MAP_FORMAT: Final = "knitground/map"


MAX_BLOCK_ROWS: Final = 65_536


class RowsFile(FilePart):
    """Cells as rows of numbers: for grids of up to 65 536 places."""

    rows: list[list[int]]


class PackedFile(FilePart):
    """Cells packed: little-endian numbers, in blocks of rows, each zlib and then base64."""

    packed: Literal["int32", "uint8"]
    block_rows: Annotated[int, Field(ge=1, le=MAX_BLOCK_ROWS)]
    blocks: list[str]
    _wanted: range | None = PrivateAttr(default=None)

    def want(self, rows: range | None) -> None:
        """Let only blocks with some of these rows be unpacked, until None: all of them."""
        self._wanted = rows

    def is_wanted(self, place: int) -> bool:
        """Whether a block is to be unpacked; the cells of others are 0."""
        rows, top = self._wanted, place * self.block_rows
        return rows is None or (top < rows.stop and rows.start < top + self.block_rows)


CellsFile = RowsFile | PackedFile


class PinFile(FilePart):
    """Pins as a list of [row, column, place in the legend]; place 0 pins an empty cell."""

    pins: list[tuple[int, int, int]]


class _LayerFile(FilePart):
    name: Name
    number: Number
    visible: bool = True
    locked: bool = False
    opacity: Part = 1.0
    offset: tuple[Shift, Shift] = (0, 0)
    height: Shift = 0
    interleaved: bool = False


class _LegendFile(_LayerFile):
    legend: Annotated[list[TileFile], Field(max_length=1_048_576)] = []


class TileLayerFile(_LegendFile):
    """A layer of tiles: 0 is empty, n the n-th tile of the legend.

    `cell` is the height and width in pixels of the layer's own cells, if they are not the map's.
    `laid` are fills with mixes that can be laid anew.
    """

    kind: Literal["tiles"] = "tiles"
    cell: tuple[TileSide, TileSide] | None = None
    laid: Annotated[list[LaidMix], Field(max_length=64)] = []
    cells: CellsFile


class GrownLayerFile(_LegendFile):
    """A layer that a recipe makes: its cells as they are, and which of them were laid by hand."""

    kind: Literal["grown"] = "grown"
    cells: CellsFile
    pins: PinFile | PackedFile = PinFile(pins=[])


class ColourFile(FilePart):
    """A colour of a tint: how strongly it is multiplied, 1 to 127."""

    colour: HexColour
    strength: Strength = FULL_TINT


class TintLayerFile(_LayerFile):
    """A layer of colours multiplied over what lies beneath: 0 is none, n the n-th of `colours`."""

    kind: Literal["tint"] = "tint"
    colours: Annotated[list[ColourFile], Field(max_length=1_048_576)] = []
    cells: CellsFile


class MarkerFile(FilePart):
    """A point, an area or a free picture; `points` are x, y in pixels of the map.

    `turn`: degrees clockwise.
    """

    number: MarkerNumber
    shape: Literal["point", "box", "polygon", "picture"]
    points: Annotated[
        list[tuple[Coordinate, Coordinate]], Field(min_length=1, max_length=MAX_CORNERS)
    ]
    name: Word = ""
    kind: Word = ""
    properties: Annotated[list[Property], Field(max_length=256)] = []
    turn: Degrees = 0.0
    scale: Scale = 1.0
    tile: TileFile | None = None


class MarkerLayerFile(_LayerFile):
    """A layer of markers, the hindmost first."""

    kind: Literal["markers"] = "markers"
    markers: Annotated[list[MarkerFile], Field(max_length=MAX_MARKERS)] = []


class GroundLayerFile(_LegendFile):
    """A layer of terrain and its pins.

    `terrain` of a corner set stands on vertices, (height + 1) × (width + 1) numbers; of a ring set
    on cells, height × width; of an edge set on the sides north of cells, (height + 1) × width, and
    `west` on the sides west of cells, height × (width + 1). `painted` is 1 where terrain was
    painted by hand since the recipe's steps made it: (height + 1) × (width + 1) numbers, the last
    row and column of which are used where terrain stands on vertices.
    """

    kind: Literal["ground"] = "ground"
    tileset: Word
    set: Word
    seed: Seed = 1
    set_kind: Literal["corner", "edge", "ring"] = "corner"
    terrain: CellsFile
    west: CellsFile | None = None
    painted: PackedFile | None = None
    pins: PinFile | PackedFile = PinFile(pins=[])


LayerFile = Annotated[
    TileLayerFile | GroundLayerFile | GrownLayerFile | TintLayerFile | MarkerLayerFile,
    Field(discriminator="kind"),
]


class MapFile(FilePart):
    """`*.map.json`: a map; its layers, the back one first.

    `grid`: upright cells; diamonds: rows run down to the left, columns down to the right, and
    `tile_height` and `tile_width` are those of the rectangle round one; or staggered: diamonds in
    rows and columns as on upright cells, where every other row is `shifted` half a cell to the
    right, or every other column half a cell down, beginning with the first or the second. What
    stands on corners of cells (`terrain`, `west`, `painted`) has two rows and one column more there
    (one row and two columns where columns are shifted), each with the upper corner of the cell that
    is, or would be, there. `drawn_from` is the corner whose cells are drawn first. Cells of areas
    are counted as `grid` “diamond” counts them, from the first one that the map's outline meets.
    """

    format: Literal["knitground/map"] = MAP_FORMAT
    version: Literal[6] = MAP_VERSION
    name: Name
    height: CellSide
    width: CellSide
    tile_height: TileSide
    tile_width: TileSide
    grid: GridKind = GridKind.SQUARE
    drawn_from: Corner = Corner.TOP
    shifted: Literal["rows", "columns"] = "rows"
    first_shifted: bool = False
    wrap: bool = False
    background: HexColour | None = None
    screen: tuple[TileSide, TileSide] = (320, 180)
    properties: Annotated[list[Property], Field(max_length=256)] = []
    recipe: RecipeFile = RecipeFile()
    layers: Annotated[list[LayerFile], Field(max_length=MAX_LAYERS)] = []

    @staticmethod
    def migrated(data: dict[str, Any]) -> dict[str, Any]:
        """Bring a file of version 1 up to date.

        It had no rewrite steps, and the properties of its markers were pairs of texts. Version 2
        knew three kinds of steps, version 3 did not tell what is painted, version 4 no grid and no
        layers that are sorted by depth, version 5 no staggered maps and no corner to draw from.
        """
        if data.get("version") != 1:
            old = data.get("version") in (2, 3, 4, 5)
            return data | {"version": MAP_VERSION} if old else data
        layers = data.get("layers", [])
        if isinstance(layers, list):
            layers = [_with_named_values(each) for each in layers]
        return data | {"version": MAP_VERSION, "layers": layers}


def _with_named_values(layer: Any) -> Any:
    """Write the pairs of the markers of a layer as properties; what is odd is left as it is."""
    markers = layer.get("markers") if isinstance(layer, dict) else None
    if not isinstance(markers, list):
        return layer
    return layer | {"markers": [_with_properties(each) for each in markers]}


def _with_properties(marker: Any) -> Any:
    pairs = marker.get("properties") if isinstance(marker, dict) else None
    if not isinstance(pairs, list):
        return marker
    found = [
        {"name": each[0] or "property", "value": each[1]}
        if isinstance(each, list) and len(each) == 2
        else each
        for each in pairs
    ]
    return marker | {"properties": found}
