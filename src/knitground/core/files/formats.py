"""The project's own files as models: `docs/schema/` is written from these."""

from __future__ import annotations

from typing import Annotated, Final, Literal

from pydantic import BaseModel, ConfigDict, Field

VERSION: Final = 1
PROJECT_FORMAT: Final = "knitground/project"
TILESET_FORMAT: Final = "knitground/tileset"
MAP_FORMAT: Final = "knitground/map"

Side = Annotated[int, Field(ge=0, le=16_384)]
TileSide = Annotated[int, Field(ge=1, le=16_384)]
Channel = Annotated[int, Field(ge=0, le=255)]
Name = Annotated[str, Field(min_length=1, max_length=200)]
FileName = Annotated[str, Field(min_length=1, max_length=1024)]
Weight = Annotated[float, Field(ge=0, le=1e6, allow_inf_nan=False)]
Place = Annotated[int, Field(ge=0, le=16_384)]
Shift = Annotated[int, Field(ge=-16_384, le=16_384)]
Coordinate = Annotated[float, Field(ge=-4e6, le=4e6, allow_inf_nan=False)]


class _Part(BaseModel):
    model_config = ConfigDict(extra="forbid")


class TileFile(_Part):
    """A tile: row and column on its sheet; turn 0–7 (quarter turns clockwise, + 4 mirrored)."""

    tileset: Name
    row: Place
    col: Place
    turn: Annotated[int, Field(ge=0, le=7)] = 0


class MixEntryFile(TileFile):
    """A tile of a mix, with its weight."""

    weight: Weight = 1.0


class MixFile(_Part):
    """A named list of tiles with weights."""

    name: Name
    entries: Annotated[list[MixEntryFile], Field(max_length=65_536)] = []


class PatchFile(_Part):
    """A patch kept in the tray: rows of the same length; 0 is a hole, n the n-th of `tiles`."""

    name: Name
    tiles: Annotated[list[TileFile], Field(max_length=65_536)]
    rows: Annotated[list[Annotated[list[int], Field(min_length=1, max_length=65_536)]],
                    Field(min_length=1, max_length=65_536)]  # fmt: skip


class ProjectFile(_Part):
    """`project.knit.json`: names the other files, which lie inside the same folder."""

    format: Literal["knitground/project"] = PROJECT_FORMAT
    version: Literal[1] = VERSION
    name: Name
    tilesets: list[FileName] = []
    maps: list[FileName] = []
    mixes: list[MixFile] = []
    tray: Annotated[list[PatchFile], Field(max_length=4096)] = []


class SlicingFile(_Part):
    """How a sheet is cut, in pixels."""

    tile_width: TileSide
    tile_height: TileSide
    margin_x: Side = 0
    margin_y: Side = 0
    spacing_x: Side = 0
    spacing_y: Side = 0
    start_x: Side = 0
    start_y: Side = 0
    see_through: Annotated[list[tuple[Channel, Channel, Channel]], Field(max_length=64)] = []
    tolerance: Annotated[int, Field(ge=0, le=765)] = 0
    area: tuple[Side, Side, TileSide, TileSide] | None = None
    pieces: Annotated[list[tuple[Side, Side, TileSide, TileSide]], Field(max_length=16_384)] = []


class TileAnchorFile(_Part):
    """Where a tile stands on its cell's lower middle: pixels from its left and top."""

    row: Place
    col: Place
    x: Annotated[int, Field(ge=-16_384, le=32_768)]
    y: Annotated[int, Field(ge=-16_384, le=32_768)]


class TileLabelFile(_Part):
    """Name of a single tile."""

    row: Place
    col: Place
    label: Name


class TileTagsFile(_Part):
    """Words by which a tile is found."""

    row: Place
    col: Place
    tags: Annotated[list[Name], Field(min_length=1, max_length=64)]


class FrameFile(_Part):
    """A picture of an animation, and how long it shows in milliseconds."""

    row: Place
    col: Place
    ms: Annotated[int, Field(ge=1, le=600_000)]


class TileFramesFile(_Part):
    """Animation of a tile: the tiles that it shows in turn."""

    row: Place
    col: Place
    frames: Annotated[list[FrameFile], Field(min_length=1, max_length=4096)]


class TileWeightFile(_Part):
    """Weight of a tile among its variants."""

    row: Place
    col: Place
    weight: Weight


class TerrainFile(_Part):
    """One terrain of a set."""

    name: Name
    colour: Annotated[str, Field(pattern=r"^#[0-9a-fA-F]{6}$")]
    letter: Annotated[str, Field(min_length=1, max_length=1)]
    picture: tuple[Place, Place] | None = None


class TileMarksFile(_Part):
    """Marks of one tile, slots N NE E SE S SW W NW, then the middle if there are nine numbers.

    0 is nothing, n the n-th terrain, 254 anything. `tileset` names another one than the set's own.
    """

    row: Place
    col: Place
    tileset: Name | None = None
    marks: Annotated[list[Annotated[int, Field(ge=0, le=254)]], Field(min_length=8, max_length=9)]


class TerrainSetFile(_Part):
    """A terrain set and the marks of its tiles."""

    name: Name
    kind: Literal["corner", "edge", "ring"] = "corner"
    terrains: Annotated[list[TerrainFile], Field(max_length=64)] = []
    marks: list[TileMarksFile] = []


class TilesetFile(_Part):
    """`*.tiles.json`: a sheet, its slicing, and what is known of its tiles."""

    format: Literal["knitground/tileset"] = TILESET_FORMAT
    version: Literal[1] = VERSION
    name: Name
    sheet: FileName
    width: TileSide
    height: TileSide
    slicing: SlicingFile
    weights: list[TileWeightFile] = []
    left_out: list[tuple[Place, Place]] = []
    inner: list[tuple[Place, Place]] = []
    anchors: list[TileAnchorFile] = []
    labels: list[TileLabelFile] = []
    tags: list[TileTagsFile] = []
    order: Annotated[list[tuple[Place, Place]], Field(max_length=1_048_576)] = []
    frames: list[TileFramesFile] = []
    sets: list[TerrainSetFile] = []


class RowsFile(_Part):
    """Cells as rows of numbers: for grids of up to 65 536 places."""

    rows: list[list[int]]


class PackedFile(_Part):
    """Cells packed: little-endian numbers, in blocks of rows, each zlib and then base64."""

    packed: Literal["int32", "uint8"]
    block_rows: Annotated[int, Field(ge=1, le=65_536)]
    blocks: list[str]


CellsFile = RowsFile | PackedFile


class PinFile(_Part):
    """Pins as a list of [row, column, place in the legend]; place 0 pins an empty cell."""

    pins: list[tuple[int, int, int]]


class _LayerFile(_Part):
    name: Name
    number: Annotated[int, Field(ge=0, le=2**31 - 1)]
    visible: bool = True
    locked: bool = False
    opacity: Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)] = 1.0
    offset: tuple[Shift, Shift] = (0, 0)
    height: Shift = 0


class _LegendFile(_LayerFile):
    legend: Annotated[list[TileFile], Field(max_length=1_048_576)] = []


class TileLayerFile(_LegendFile):
    """A layer of tiles: 0 is empty, n the n-th tile of the legend.

    `cell` is the height and width in pixels of the layer's own cells, if they are not the map's.
    """

    kind: Literal["tiles"] = "tiles"
    cell: tuple[TileSide, TileSide] | None = None
    cells: CellsFile


class GrownLayerFile(_LegendFile):
    """A layer that a recipe makes: its cells as they are, and which of them were laid by hand."""

    kind: Literal["grown"] = "grown"
    cells: CellsFile
    pins: PinFile | PackedFile = PinFile(pins=[])


class ColourFile(_Part):
    """A colour of a tint: how strongly it is multiplied, 1 to 127."""

    colour: Annotated[str, Field(pattern=r"^#[0-9a-fA-F]{6}$")]
    strength: Annotated[int, Field(ge=1, le=127)] = 127


class TintLayerFile(_LayerFile):
    """A layer of colours multiplied over what lies beneath: 0 is none, n the n-th of `colours`."""

    kind: Literal["tint"] = "tint"
    colours: Annotated[list[ColourFile], Field(max_length=1_048_576)] = []
    cells: CellsFile


class MarkerFile(_Part):
    """A point, an area or a free picture; `points` are x, y in pixels of the map.

    `turn`: degrees clockwise.
    """

    number: Annotated[int, Field(ge=1, le=2**31 - 1)]
    shape: Literal["point", "box", "polygon", "picture"]
    points: Annotated[list[tuple[Coordinate, Coordinate]], Field(min_length=1, max_length=1024)]
    name: Annotated[str, Field(max_length=200)] = ""
    kind: Annotated[str, Field(max_length=200)] = ""
    properties: Annotated[
        list[
            tuple[Annotated[str, Field(max_length=200)], Annotated[str, Field(max_length=10_000)]]
        ],
        Field(max_length=256),
    ] = []
    turn: Annotated[float, Field(ge=-360, le=360, allow_inf_nan=False)] = 0.0
    scale: Annotated[float, Field(ge=0.05, le=64, allow_inf_nan=False)] = 1.0
    tile: TileFile | None = None


class MarkerLayerFile(_LayerFile):
    """A layer of markers, the hindmost first."""

    kind: Literal["markers"] = "markers"
    markers: Annotated[list[MarkerFile], Field(max_length=16_384)] = []


class GroundLayerFile(_LegendFile):
    """A layer of terrain and its pins.

    `terrain` of a corner set stands on vertices, (height + 1) × (width + 1) numbers; of a ring set
    on cells, height × width; of an edge set on the sides north of cells, (height + 1) × width, and
    `west` on the sides west of cells, height × (width + 1).
    """

    kind: Literal["ground"] = "ground"
    tileset: str
    set: str
    seed: int = 1
    set_kind: Literal["corner", "edge", "ring"] = "corner"
    terrain: CellsFile
    west: CellsFile | None = None
    pins: PinFile | PackedFile = PinFile(pins=[])


class ShareFile(_Part):
    """Asked-for part of a terrain."""

    terrain: Name
    share: Annotated[float, Field(ge=0, le=1e6, allow_inf_nan=False)]


class NoiseStepFile(_Part):
    """Recipe step: noise ground."""

    step: Literal["noise ground"] = "noise ground"
    layer: int
    scale: Annotated[float, Field(ge=2, le=4096)] = 16.0
    octaves: Annotated[int, Field(ge=1, le=8)] = 4
    shares: list[ShareFile] = []


class MixStepFile(_Part):
    """Recipe step: mix fill. `on` is the number of the ground layer that says where, 0 for none."""

    step: Literal["mix fill"] = "mix fill"
    layer: int
    mix: Name
    density: Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)] = 0.2
    on: int = 0
    terrains: Annotated[list[Name], Field(max_length=64)] = []
    place: Literal["inside", "where they meet"] = "inside"


StepFile = Annotated[NoiseStepFile | MixStepFile, Field(discriminator="step")]


class RecipeFile(_Part):
    """Steps and the seed they start from."""

    seed: int = 1
    steps: Annotated[list[StepFile], Field(max_length=256)] = []


LayerFile = Annotated[
    TileLayerFile | GroundLayerFile | GrownLayerFile | TintLayerFile | MarkerLayerFile,
    Field(discriminator="kind"),
]


class MapFile(_Part):
    """`*.map.json`: a map; its layers, the back one first."""

    format: Literal["knitground/map"] = MAP_FORMAT
    version: Literal[1] = VERSION
    name: Name
    height: Annotated[int, Field(ge=1, le=65_535)]
    width: Annotated[int, Field(ge=1, le=65_535)]
    tile_height: TileSide
    tile_width: TileSide
    wrap: bool = False
    background: Annotated[str, Field(pattern=r"^#[0-9a-fA-F]{6}$")] | None = None
    screen: tuple[TileSide, TileSide] = (320, 180)
    recipe: RecipeFile = RecipeFile()
    layers: Annotated[list[LayerFile], Field(max_length=64)] = []
