"""What each verb prints with `--json`, for the published schemas.

Verbs build plain values; tests hold what they print to these models.
"""

from __future__ import annotations

import json
from typing import Any

from pydantic import BaseModel, ConfigDict, TypeAdapter


class _Said(BaseModel):
    model_config = ConfigDict(extra="forbid", use_attribute_docstrings=True)


class SaidGrid(_Said):
    """A likely grid; all numbers but the score are pixels, or counts of tiles."""

    tile_width: int
    tile_height: int
    margin_x: int
    margin_y: int
    spacing_x: int
    spacing_y: int
    columns: int
    rows: int
    score: float
    """How sure it is, 0 to 1."""
    reasons: list[str]
    """What the pixels show."""


class SaidArea(_Said):
    """An area of a sheet that has a grid of its own."""

    area: tuple[int, int, int, int]
    """Left, top, width and height, in pixels."""
    guess: SaidGrid | None
    """None where nothing regular lies."""


class SaidGrids(_Said):
    """What `grids --areas` prints."""

    guesses: list[SaidGrid]
    areas: list[SaidArea]


class SaidSet(_Said):
    """A likely terrain set."""

    kind: str
    """“corner”, “edge” or “ring”."""
    terrains: list[str]
    tiles: list[int]
    """Numbers of its tiles on the sheet, row by row from 0."""
    score: float
    combinations: int
    marks: list[dict[str, str]]
    """Of each tile the terrain at a slot: N, NE, E, SE, S, SW, W, NW."""


class SaidMark(_Said):
    """Guessed marks of a tile."""

    tile: int
    marks: dict[str, str]
    confidence: float


class SaidTile(_Said):
    """A tile of a sheet."""

    tileset: str
    tile: int


class SaidCombination(_Said):
    """A combination of marks."""

    shows: str
    terrains: list[str]
    tiles: list[SaidTile]


class SaidBeyond(_Said):
    """Combinations of more than two terrains."""

    wanted: int
    had: int


class SaidBridge(_Said):
    """By which terrains two that share no tile are joined; none: gaps come."""

    between: tuple[str, str]
    by: list[str]


class SaidCoverage(_Said):
    """Which combinations of marks a set has."""

    wanted: int
    had: int
    missing: list[SaidCombination]
    doubled: list[SaidCombination]
    beyond: SaidBeyond
    bridges: list[SaidBridge]


class SaidRule(_Said):
    """What a rule of a set does."""

    place: int
    """Its place in the list, from 1."""
    name: str
    on: bool
    takes: int
    """Situations that it takes."""
    could: int
    """Situations that it fits."""
    cells: int
    """Cells of all maps that it took."""
    hidden_by: list[int]
    """Places of rules that take all of its situations before it."""
    hidden_by_marks: bool
    problem: str
    never_fires: bool


class SaidUntaken(_Said):
    """A situation without a tile."""

    shows: str
    key: list[int]
    cells: int


class SaidRules(_Said):
    """What the rules of a set do."""

    rules: list[SaidRule]
    exact: bool
    """Whether all situations were looked at, else a part by chance."""
    first: bool
    """Whether rules come before the marks."""
    had: int
    wanted: int
    untaken: list[SaidUntaken]


class SaidMissing(_Said):
    """A combination that a map asks for and no tile has."""

    layer: str
    shows: str
    marks: list[str]
    cells: int


class SaidRuleCells(_Said):
    """How many cells of a map a rule took."""

    list: str
    place: int
    name: str
    cells: int
    problem: str


class SaidKnit(_Said):
    """What knitting a map gave."""

    cells: int
    gaps: int
    bridged: int
    """Vertices that were changed (`--bridge`)."""
    missing: list[SaidMissing]
    rules: list[SaidRuleCells]


class SaidShare(_Said):
    """How much of a terrain was asked for and laid, 0 to 1."""

    terrain: str
    asked: float
    laid: float


class SaidStep(_Said):
    """What a step of a recipe did."""

    step: int
    """Its number, from 1."""
    kind: str
    layer: str
    seconds: float
    words: str
    shares: list[SaidShare]


class SaidGrow(_Said):
    """What a recipe did; with `--count` a list of files instead."""

    seed: int
    steps: list[SaidStep]
    skipped: list[str]
    """Why steps did not run."""
    without_plain_tile: list[str]
    """Terrains that were laid and have no plain tile."""


class SaidSetOf(_Said):
    """A terrain set of a sheet."""

    name: str
    kind: str
    terrains: list[str]


class SaidSheet(_Said):
    """A sheet and how it is cut, in pixels, across and down."""

    name: str
    file: str
    size: tuple[int, int]
    tile: tuple[int, int]
    margin: tuple[int, int]
    spacing: tuple[int, int]
    tiles: int
    sets: list[SaidSetOf]


class SaidLayer(_Said):
    """A layer, the back one of a map first."""

    name: str
    kind: str


class SaidMap(_Said):
    """A map and its recipe."""

    name: str
    size: tuple[int, int]
    """Columns and rows of its array of cells."""
    form: str
    layers: list[SaidLayer]
    seed: int
    steps: int


class SaidProject(_Said):
    """What a project holds."""

    name: str
    sheets: list[SaidSheet]
    maps: list[SaidMap]
    mixes: list[str]
    profiles: list[str]


class SaidFinding(_Said):
    """What a check found."""

    check: str
    group: str
    words: str
    map: str | None
    layer: str | None
    cells: list[tuple[int, int]]
    """Rows and columns as people count them."""
    count: int
    tile: tuple[str, int, int] | None
    """Sheet, row and column."""
    hurt: float
    """How much it hurts, 0 to 1."""
    key: str
    """By what it is excused."""


class SaidDifference(_Said):
    """What differs between two states of a project."""

    part: str
    name: str
    words: str
    layer: str | None
    count: int
    cells: list[tuple[int, int]]
    """The first 4096: rows and columns of the array."""
    tiles: list[tuple[str, int, int]]
    """Sheet, row and column."""


class SaidShip(_Said):
    """Files that a map ships."""

    files: list[str]
    fresh: list[str]
    """Those that were written, or would be (`--check`)."""
    left_over: list[str]
    """Those of shipments before that are not shipped any more."""


class SaidRelief(_Said):
    """The picture that was written."""

    file: str
    width: int
    height: int


class SaidFault(_Said):
    """What was wrong: a class of error, and the words that people are told."""

    kind: str
    words: str


class SaidRefusal(_Said):
    """What any verb prints where it is refused; exit code 2."""

    error: SaidFault


SAID: dict[str, Any] = {
    "coverage": SaidCoverage,
    "cut": list[str],
    "desktop": list[str],
    "diff": list[SaidDifference],
    "grids": list[SaidGrid] | SaidGrids,
    "grow": SaidGrow | list[str],
    "knit": SaidKnit,
    "list": SaidProject,
    "marks": list[SaidMark],
    "new": SaidProject,
    "proof": list[SaidFinding],
    "relief": SaidRelief,
    "rules": SaidRules,
    "sets": list[SaidSet],
    "ship": SaidShip,
    "refusal": SaidRefusal,
}
"""What each verb that has `--json` prints, and what all of them do where they are refused."""


def said_texts() -> dict[str, str]:
    """Give the text of each schema by its file name in `docs/schema/said`."""
    texts = {}
    for verb, kind in SAID.items():
        schema = TypeAdapter(kind).json_schema(mode="serialization")
        schema["$id"] = f"urn:knitground:said:{verb}"
        schema["$schema"] = "https://json-schema.org/draft/2020-12/schema"
        text = json.dumps(schema, indent=1, sort_keys=True, ensure_ascii=False)
        texts[f"{verb}.schema.json"] = text + "\n"
    return texts
