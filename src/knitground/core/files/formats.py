"""The project's own files as models: `docs/schema/` is written from these."""

from __future__ import annotations

from typing import Annotated, Any, Final, Literal, Union, get_args, get_type_hints

from pydantic import (
    BaseModel,
    ConfigDict,
    Discriminator,
    Field,
    PlainSerializer,
    SerializerFunctionWrapHandler,
    Tag,
    TypeAdapter,
    model_serializer,
)

from knitground.core.model.laid import LaidMix
from knitground.core.model.limits import (
    FULL_TINT,
    MAX_CORNERS,
    MAX_FRAMES,
    MAX_LAYERS,
    MAX_MARKERS,
    MAX_PARTS,
    MAX_PIECES,
    MAX_STEPS,
    MAX_TERRAINS,
    MAX_TRAY,
    AnchorPx,
    ApartSteps,
    BorderCells,
    Cells,
    CellSide,
    Channel,
    ClumpCells,
    Coordinate,
    Degrees,
    FileName,
    HexColour,
    Letter,
    MarkerNumber,
    Milliseconds,
    Name,
    Number,
    Octaves,
    OwnClump,
    Part,
    Passes,
    Place,
    Scale,
    Seed,
    Shift,
    Side,
    Strength,
    TileSide,
    Tolerance,
    Turn,
    Weight,
    Word,
)
from knitground.core.model.properties import Property
from knitground.core.model.recipe import NEW_STEPS, Condition, NoiseForm, Stretch, Turned
from knitground.core.model.rules import RuleList
from knitground.core.model.shapes import FIRST_KINDS, ShapeKinds, TileShape

PROJECT_VERSION: Final = 3
MAP_VERSION: Final = 3
TILESET_VERSION: Final = 4
RULES_VERSION: Final = 1
PROJECT_FORMAT: Final = "knitground/project"
TILESET_FORMAT: Final = "knitground/tileset"
MAP_FORMAT: Final = "knitground/map"
RULES_FORMAT: Final = "knitground/rules"
RECIPE_FORMAT: Final = "knitground/recipe"
RECIPE_VERSION: Final = 1


class _Part(BaseModel):
    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)


class TileFile(_Part):
    """A tile: row and column on its sheet; turn 0–7 (quarter turns clockwise, + 4 mirrored)."""

    tileset: Name
    row: Place
    col: Place
    turn: Turn = 0


class PatchFile(_Part):
    """A patch: rows of the same length; 0 is a hole, n the n-th of `tiles`."""

    name: Name
    tiles: Annotated[list[TileFile], Field(max_length=65_536)]
    rows: Annotated[list[Annotated[list[int], Field(min_length=1, max_length=65_536)]],
                    Field(min_length=1, max_length=65_536)]  # fmt: skip


class MixEntryFile(TileFile):
    """A tile of a mix, with its weight; with a patch that is laid, and the tile shows for it."""

    weight: Weight = 1.0
    patch: PatchFile | None = None
    size: OwnClump = 0.0

    @model_serializer(mode="wrap")
    def _sparse(self, handler: SerializerFunctionWrapHandler) -> dict[str, Any]:
        whole: dict[str, Any] = handler(self)
        return {
            name: value for name, value in whole.items() if name not in ("patch", "size") or value
        }


class MixFile(_Part):
    """A named list of tiles with weights, how they fall, and how large their clumps are."""

    name: Name
    entries: Annotated[list[MixEntryFile], Field(max_length=65_536)] = []
    way: Literal["each by itself", "in exact shares", "never side by side", "in clumps"] = (
        "each by itself"
    )
    size: ClumpCells = 5.0
    steps: ApartSteps = 1
    border: BorderCells = 0
    of: Word = ""
    density: Part = 1.0
    tint: Word = ""

    @model_serializer(mode="wrap")
    def _sparse(self, handler: SerializerFunctionWrapHandler) -> dict[str, Any]:
        whole: dict[str, Any] = handler(self)
        plain = {"of": "", "density": 1.0, "tint": ""}
        return {
            name: value
            for name, value in whole.items()
            if name not in plain or value != plain[name]
        }


def _sparse_rules(rules: RuleList) -> dict[str, Any]:
    """Write of rules only what is not as it is by itself: most of what a rule can say is not."""
    value: dict[str, Any] = _RULES.dump_python(rules, mode="json", exclude_defaults=True)
    return value


_RULES: TypeAdapter[RuleList] = TypeAdapter(RuleList)
RuleListFile = Annotated[RuleList, PlainSerializer(_sparse_rules)]


class RulesFile(_Part):
    """`*.rules.json`: a list of rules by itself, to be copied between projects."""

    format: Literal["knitground/rules"] = RULES_FORMAT
    version: Literal[1] = RULES_VERSION
    rules: RuleListFile


class ProjectFile(_Part):
    """`project.knit.json`: names the other files, which lie inside the same folder."""

    format: Literal["knitground/project"] = PROJECT_FORMAT
    version: Literal[3] = PROJECT_VERSION
    name: Name
    tilesets: Annotated[list[FileName], Field(max_length=MAX_PARTS)] = []
    maps: Annotated[list[FileName], Field(max_length=MAX_PARTS)] = []
    mixes: Annotated[list[MixFile], Field(max_length=MAX_PARTS)] = []
    rule_lists: Annotated[list[RuleListFile], Field(max_length=MAX_PARTS)] = []
    shape_kinds: ShapeKinds = FIRST_KINDS
    tray: Annotated[list[PatchFile], Field(max_length=MAX_TRAY)] = []

    @staticmethod
    def migrated(data: dict[str, Any]) -> dict[str, Any]:
        """Bring a file of version 1, which had no rule lists, or 2, without shapes, up to date."""
        return data | {"version": PROJECT_VERSION} if data.get("version") in (1, 2) else data


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
    tolerance: Tolerance = 0
    area: tuple[Side, Side, TileSide, TileSide] | None = None
    pieces: Annotated[
        list[tuple[Side, Side, TileSide, TileSide]], Field(max_length=MAX_PIECES)
    ] = []


class FrameFile(_Part):
    """A picture of an animation, how long it shows, and its tileset if that is another one."""

    row: Place
    col: Place
    ms: Milliseconds
    tileset: Word = ""


def _sparse_property(each: Property) -> dict[str, Any]:
    value: dict[str, Any] = _PROPERTY.dump_python(each, mode="json", exclude_defaults=True)
    return value


_PROPERTY: TypeAdapter[Property] = TypeAdapter(Property)
PropertyFile = Annotated[Property, PlainSerializer(_sparse_property)]


class TagDefaultFile(_Part):
    """Properties that all tiles with a tag have; with an empty tag, all tiles."""

    tag: Word
    properties: Annotated[list[PropertyFile], Field(max_length=256)] = []


class TileFactsFile(_Part):
    """What is known of one tile; what is left out is as for any other tile.

    `anchor`: what of it stands on its cell's lower middle, pixels from its left and top. `inner`:
    knitted only where all eight neighbours ask for the same. `left_out`: neither offered nor
    knitted. `shapes`: corners in pixels from the tile's upper left. `apart`: its frames begin at
    another one in each cell.
    """

    row: Place
    col: Place
    weight: Weight = 1.0
    name: Word = ""
    tags: Annotated[list[Name], Field(max_length=64)] = []
    anchor: tuple[AnchorPx, AnchorPx] | None = None
    frames: Annotated[list[FrameFile], Field(max_length=MAX_FRAMES)] = []
    properties: Annotated[list[PropertyFile], Field(max_length=256)] = []
    inner: bool = False
    left_out: bool = False
    shapes: Annotated[list[TileShape], Field(max_length=64)] = []
    apart: bool = False

    @model_serializer(mode="wrap")
    def _sparse(self, handler: SerializerFunctionWrapHandler) -> dict[str, Any]:
        """Write only what is not as for any other tile: most tiles have one fact or two."""
        fields = type(self).model_fields
        whole = handler(self)
        return {
            name: value
            for name, value in whole.items()
            if name in ("row", "col") or getattr(self, name) != fields[name].default
        }


class TerrainFile(_Part):
    """One terrain of a set."""

    name: Name
    colour: HexColour
    letter: Letter
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
    """A terrain set, the marks of its tiles, and its rules."""

    name: Name
    kind: Literal["corner", "edge", "ring"] = "corner"
    terrains: Annotated[list[TerrainFile], Field(max_length=MAX_TERRAINS)] = []
    marks: list[TileMarksFile] = []
    rules: RuleListFile = RuleList()


class TilesetFile(_Part):
    """`*.tiles.json`: a sheet, its slicing, and what is known of its tiles."""

    format: Literal["knitground/tileset"] = TILESET_FORMAT
    version: Literal[4] = TILESET_VERSION
    name: Name
    sheet: FileName
    width: TileSide
    height: TileSide
    slicing: SlicingFile
    facts: Annotated[list[TileFactsFile], Field(max_length=16_777_216)] = []
    order: Annotated[list[tuple[Place, Place]], Field(max_length=1_048_576)] = []
    defaults: Annotated[list[TagDefaultFile], Field(max_length=1024)] = []
    sets: list[TerrainSetFile] = []

    @staticmethod
    def migrated(data: dict[str, Any]) -> dict[str, Any]:
        """Bring a file of version 1, which had a list for each kind of fact, up to date.

        Version 2 had no rules, version 3 no shapes and no defaults.
        """
        if data.get("version") != 1:
            old = data.get("version") in (2, 3)
            return data | {"version": TILESET_VERSION} if old else data
        lists = {name: data.get(name, []) for name in _OLD_FACTS}
        facts: dict[tuple[Any, Any], dict[str, Any]] = {}
        for name, entries in lists.items():
            for each in entries if isinstance(entries, list) else []:
                _join_old_fact(facts, name, each)
        kept = {name: value for name, value in data.items() if name not in _OLD_FACTS}
        return kept | {"version": TILESET_VERSION, "facts": list(facts.values())}


_OLD_FACTS = ("weights", "left_out", "inner", "anchors", "labels", "tags", "frames")


def _join_old_fact(facts: dict[tuple[Any, Any], dict[str, Any]], name: str, each: Any) -> None:
    """Add an entry of a list of version 1; what is odd about it is found when it is checked."""
    if isinstance(each, list) and len(each) == 2:
        each = {"row": each[0], "col": each[1], name: True}
    if not isinstance(each, dict):
        facts[name, id(each)] = {"row": each}
        return
    new = {key: value for key, value in each.items() if key not in ("label", "x", "y")}
    if "label" in each:
        new["name"] = each["label"]
    if name == "anchors":
        new["anchor"] = [each.get("x"), each.get("y")]
    at = (str(each.get("row")), str(each.get("col")))
    facts.setdefault(at, {}).update(new)


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
    number: Number
    visible: bool = True
    locked: bool = False
    opacity: Part = 1.0
    offset: tuple[Shift, Shift] = (0, 0)
    height: Shift = 0


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


class ColourFile(_Part):
    """A colour of a tint: how strongly it is multiplied, 1 to 127."""

    colour: HexColour
    strength: Strength = FULL_TINT


class TintLayerFile(_LayerFile):
    """A layer of colours multiplied over what lies beneath: 0 is none, n the n-th of `colours`."""

    kind: Literal["tint"] = "tint"
    colours: Annotated[list[ColourFile], Field(max_length=1_048_576)] = []
    cells: CellsFile


class MarkerFile(_Part):
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
    `west` on the sides west of cells, height × (width + 1).
    """

    kind: Literal["ground"] = "ground"
    tileset: Word
    set: Word
    seed: Seed = 1
    set_kind: Literal["corner", "edge", "ring"] = "corner"
    terrain: CellsFile
    west: CellsFile | None = None
    pins: PinFile | PackedFile = PinFile(pins=[])


class ShareFile(_Part):
    """Asked-for part of a terrain."""

    terrain: Word
    share: Weight


class _StepPart(_Part):
    """What all steps have; what is as it is by itself is not written."""

    name: Word = ""
    active: bool = True
    salt: Number | None = None
    where: Annotated[list[Condition], Field(max_length=16)] = []

    @model_serializer(mode="wrap")
    def _sparse(self, handler: SerializerFunctionWrapHandler) -> dict[str, Any]:
        whole = handler(self)
        plain = {"name": "", "active": True, "salt": None, "where": [], "form": "plain",
                 "stretch": 1.0, "turn": 0.0}  # fmt: skip
        out = {name: value for name, value in whole.items() if plain.get(name, ...) != value}
        if "where" in out:
            out["where"] = [_sparse_condition(each) for each in self.where]
        return out


_CONDITION: TypeAdapter[Condition] = TypeAdapter(Condition)


def _sparse_condition(each: Condition) -> dict[str, Any]:
    value: dict[str, Any] = _CONDITION.dump_python(each, mode="json", exclude_defaults=True)
    return value


class NoiseStepFile(_StepPart):
    """Recipe step: noise ground. A share of terrain "" is nothing, in ring and edge sets."""

    step: Literal["noise ground"] = "noise ground"
    layer: Number
    scale: Cells = 16.0
    octaves: Octaves = 4
    shares: Annotated[list[ShareFile], Field(max_length=256)] = []
    form: NoiseForm = NoiseForm.PLAIN
    stretch: Stretch = 1.0
    turn: Turned = 0.0


class MixStepFile(_StepPart):
    """Recipe step: mix fill. `on` is the number of the ground layer that says where, 0 for none."""

    step: Literal["mix fill"] = "mix fill"
    layer: Number
    mix: Name
    density: Part = 0.2
    on: Number = 0
    terrains: Annotated[list[Name], Field(max_length=64)] = []
    place: Literal["inside", "where they meet"] = "inside"


class RewriteStepFile(_StepPart):
    """Recipe step: rewrite. `source` is the number of the layer that the rules read."""

    step: Literal["rewrite"] = "rewrite"
    layer: Number
    rules: Name
    source: Number
    passes: Passes = 1
    copies: bool = False


def _sparse_step(each: Any) -> dict[str, Any]:
    kind = type(each)
    value: dict[str, Any] = TypeAdapter(kind).dump_python(each, mode="json", exclude_defaults=True)
    return {"step": each.step, **value}


_FILES = {"noise ground": NoiseStepFile, "mix fill": MixStepFile, "rewrite": RewriteStepFile}


def _kind_of_step(value: Any) -> str:
    name = value.get("step") if isinstance(value, dict) else getattr(value, "step", None)
    return name if isinstance(name, str) and name in _KNOWN else "unknown"


_NEW = {get_args(get_type_hints(each)["step"])[0]: each for each in NEW_STEPS}
_KNOWN = {*_FILES, *_NEW}


class UnknownStepFile(BaseModel):
    """Recipe step of a kind that this version does not know: it is kept as it is."""

    model_config = ConfigDict(extra="allow", allow_inf_nan=False)

    step: Annotated[Name, Field(json_schema_extra={"not": {"enum": sorted(_KNOWN)}})]
    layer: Number = 0
    name: Word = ""
    active: bool = True


_TAGGED: Any = Union[  # noqa: UP007 - made of a list
    tuple(
        [Annotated[each, Tag(name)] for name, each in _FILES.items()]
        + [Annotated[each, PlainSerializer(_sparse_step), Tag(name)] for name, each in _NEW.items()]
        + [Annotated[UnknownStepFile, Tag("unknown")]]
    )
]  # fmt: skip
StepFile = Annotated[_TAGGED, Discriminator(_kind_of_step)]


class RecipeFile(_Part):
    """Steps and the seed they start from."""

    seed: Seed = 1
    steps: Annotated[list[StepFile], Field(max_length=MAX_STEPS)] = []


class LayerName(_Part):
    """The name of a layer that a recipe works on, and its kind."""

    number: Number
    kind: Literal["tiles", "ground", "grown", "tint", "markers"]
    name: Name


class KeptRecipeFile(_Part):
    """`*.recipe.json`: a recipe by itself; its layers are found again by kind and name."""

    format: Literal["knitground/recipe"] = RECIPE_FORMAT
    version: Literal[1] = RECIPE_VERSION
    recipe: RecipeFile
    layers: Annotated[list[LayerName], Field(max_length=MAX_LAYERS)] = []


LayerFile = Annotated[
    TileLayerFile | GroundLayerFile | GrownLayerFile | TintLayerFile | MarkerLayerFile,
    Field(discriminator="kind"),
]


class MapFile(_Part):
    """`*.map.json`: a map; its layers, the back one first."""

    format: Literal["knitground/map"] = MAP_FORMAT
    version: Literal[3] = MAP_VERSION
    name: Name
    height: CellSide
    width: CellSide
    tile_height: TileSide
    tile_width: TileSide
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
        knew three kinds of steps.
        """
        if data.get("version") != 1:
            return data | {"version": MAP_VERSION} if data.get("version") == 2 else data
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
