"""The project's own files as models: `docs/schema/` is written from these."""

from __future__ import annotations

from dataclasses import dataclass, fields
from typing import Annotated, Any, ClassVar, Final, Literal

from pydantic import (
    BaseModel,
    ConfigDict,
    Field,
    PlainSerializer,
    SerializerFunctionWrapHandler,
    TypeAdapter,
    model_serializer,
)

from knitground.core.model.excuse import Excuses
from knitground.core.model.limits import (
    MAX_PARTS,
    MAX_SIDE_PX,
    MAX_TERRAINS,
    MAX_TRAY,
    ApartSteps,
    BorderCells,
    ClumpCells,
    FileName,
    Index,
    Name,
    OwnClump,
    Part,
    TileSide,
    Turn,
    Weight,
    Word,
)
from knitground.core.model.profile import Profiles
from knitground.core.model.properties import Property, TagDefault
from knitground.core.model.rules import RuleList
from knitground.core.model.shapes import FIRST_KINDS, ShapeKinds
from knitground.core.model.slicing import Slicing
from knitground.core.model.terrain import Terrain
from knitground.core.model.tileset import At, TileFacts

PROJECT_VERSION: Final = 5
TILESET_VERSION: Final = 5
RULES_VERSION: Final = 1
PROJECT_FORMAT: Final = "knitground/project"
TILESET_FORMAT: Final = "knitground/tileset"
RULES_FORMAT: Final = "knitground/rules"


class FilePart(BaseModel):
    """What all parts of our files have in common: nothing more than they say, and real numbers."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)


class TileFile(FilePart):
    """A tile: row and column on its sheet; turn 0–7 (quarter turns clockwise, + 4 mirrored)."""

    tileset: Name
    row: Index
    col: Index
    turn: Turn = 0


class PatchFile(FilePart):
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


class MixFile(FilePart):
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


class RulesFile(FilePart):
    """`*.rules.json`: a list of rules by itself, to be copied between projects."""

    format: Literal["knitground/rules"] = RULES_FORMAT
    version: Literal[1] = RULES_VERSION
    rules: RuleListFile


class ProjectFile(FilePart):
    """`project.knit.json`: names the other files, which lie inside the same folder."""

    format: Literal["knitground/project"] = PROJECT_FORMAT
    version: Literal[5] = PROJECT_VERSION
    name: Name
    tilesets: Annotated[list[FileName], Field(max_length=MAX_PARTS)] = []
    maps: Annotated[list[FileName], Field(max_length=MAX_PARTS)] = []
    mixes: Annotated[list[MixFile], Field(max_length=MAX_PARTS)] = []
    rule_lists: Annotated[list[RuleListFile], Field(max_length=MAX_PARTS)] = []
    shape_kinds: ShapeKinds = FIRST_KINDS
    tray: Annotated[list[PatchFile], Field(max_length=MAX_TRAY)] = []
    excused: Excuses = ()
    profiles: Profiles = ()

    @staticmethod
    def migrated(data: dict[str, Any]) -> dict[str, Any]:
        """Bring a file up to date: of version 1, which had no rule lists, or 2, without shapes.

        Version 3 knew nothing of findings that are no fault, 4 nothing of profiles.
        """
        return data | {"version": PROJECT_VERSION} if data.get("version") in (1, 2, 3, 4) else data


def _sparse_property(each: Property) -> dict[str, Any]:
    value: dict[str, Any] = _PROPERTY.dump_python(each, mode="json", exclude_defaults=True)
    return value


_PROPERTY: TypeAdapter[Property] = TypeAdapter(Property)


def _sparse_default(each: TagDefault) -> dict[str, Any]:
    return {"tag": each.tag, "properties": [_sparse_property(one) for one in each.properties]}


TagDefaultFile = Annotated[TagDefault, PlainSerializer(_sparse_default)]


@dataclass(frozen=True, kw_only=True)
class PlacedFacts(TileFacts):
    """What is known of one tile; what is left out is as for any other tile.

    `anchor`: what of it stands on its cell's lower middle, pixels from its left and top. `inner`:
    knitted only where all eight neighbours ask for the same. `left_out`: neither offered nor
    knitted. `shapes`: corners in pixels from the tile's upper left. `apart`: its frames begin at
    another one in each cell.
    """

    __pydantic_config__: ClassVar[dict[str, object]] = {"extra": "forbid", "allow_inf_nan": False}

    row: Index
    col: Index

    @property
    def at(self) -> At:
        """Row and column of the tile on its sheet."""
        return self.row, self.col

    @property
    def facts(self) -> TileFacts:
        """What is known, without the place."""
        return TileFacts(**{name: getattr(self, name) for name in _FACTS})


_FACTS = {each.name: each.default for each in fields(TileFacts)}
_PLACED: TypeAdapter[PlacedFacts] = TypeAdapter(PlacedFacts)


def _sparse_facts(each: PlacedFacts) -> dict[str, Any]:
    """Write only what is not as for any other tile: most tiles have one fact or two."""
    whole = _PLACED.dump_python(each, mode="json")
    told = [name for name, plain in _FACTS.items() if getattr(each, name) != plain]
    out = {name: whole[name] for name in ("row", "col", *told)}
    if each.properties:
        out["properties"] = [_sparse_property(one) for one in each.properties]
    return out


FactsFile = Annotated[PlacedFacts, PlainSerializer(_sparse_facts)]


class TileMarksFile(FilePart):
    """Marks of one tile, slots N NE E SE S SW W NW, then the middle if there are nine numbers.

    0 is nothing, n the n-th terrain, 254 anything. `tileset` names another one than the set's own.
    """

    row: Index
    col: Index
    tileset: Name | None = None
    marks: Annotated[list[Annotated[int, Field(ge=0, le=254)]], Field(min_length=8, max_length=9)]


class TerrainSetFile(FilePart):
    """A terrain set, the marks of its tiles, and its rules."""

    name: Name
    kind: Literal["corner", "edge", "ring"] = "corner"
    terrains: Annotated[list[Terrain], Field(max_length=MAX_TERRAINS)] = []
    marks: list[TileMarksFile] = []
    rules: RuleListFile = RuleList()


PrintRow = Annotated[str, Field(max_length=1_048_576, pattern="^([0-9a-f]{4})*$")]
"""What the tiles of a row look like, four letters each: `core.slicing.prints`."""


class TilesetFile(FilePart):
    """`*.tiles.json`: a sheet, its slicing, and what is known of its tiles."""

    format: Literal["knitground/tileset"] = TILESET_FORMAT
    version: Literal[5] = TILESET_VERSION
    name: Name
    sheet: FileName
    width: TileSide
    height: TileSide
    slicing: Slicing
    facts: Annotated[list[FactsFile], Field(max_length=16_777_216)] = []
    order: Annotated[list[tuple[Index, Index]], Field(max_length=1_048_576)] = []
    defaults: Annotated[list[TagDefaultFile], Field(max_length=1024)] = []
    sets: list[TerrainSetFile] = []
    prints: Annotated[list[PrintRow], Field(max_length=MAX_SIDE_PX)] = []

    @staticmethod
    def migrated(data: dict[str, Any]) -> dict[str, Any]:
        """Bring a file of version 1, which had a list for each kind of fact, up to date.

        Version 2 had no rules, version 3 no shapes and no defaults, version 4 no prints.
        """
        if data.get("version") != 1:
            old = data.get("version") in (2, 3, 4)
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
