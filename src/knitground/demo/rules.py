"""The demo's rules: tiles by what lies round them, and drafts that become finished dykes."""

from __future__ import annotations

from itertools import product

from knitground.core.knit.ring import RING_BITS
from knitground.core.model.mix import MixEntry
from knitground.core.model.rules import (
    OTHER,
    SAME,
    Ask,
    AskKind,
    BlockCell,
    LaidCell,
    NeighbourRule,
    Outcome,
    Result,
    RewriteRule,
    Rule,
    RuleList,
    Spot,
    Ways,
)
from knitground.core.model.terrain import SetKind, Slot
from knitground.core.model.tile import TileRef
from knitground.core.model.tileset import Tileset
from knitground.core.rules.places import base_places, places_of

LIST = "Finish dykes"
_SIDES = {Slot.N: (-1, 1), Slot.E: (1, 3), Slot.S: (3, 1), Slot.W: (1, -1)}


def pans_rules(tileset: Tileset) -> RuleList:
    """Say which plain tiles lie far from every border, and which beside one."""
    rules: list[Rule] = []
    for number, (name, words, plain) in enumerate(
        (("brine", "Open brine", (1, 2)), ("clay", "Wide clay", (0, 3))), 1
    ):
        kit = tileset.sets[0]
        mark = kit.number_of(name)
        marks = kit.marks_within(tileset.rows, tileset.columns)
        tiles = [
            (row, col)
            for row in range(tileset.rows) for col in range(tileset.columns)
            if all(marks[row, col, slot] == mark for slot in kit.kind.slots)
        ]  # fmt: skip
        spots = tuple(Spot(y, x, SAME) for y, x in places_of(SetKind.CORNER, 1))
        shown = tuple(
            MixEntry(TileRef(tileset.name, *tiles[n]), weight)
            for n, weight in zip(plain, (3.0, 1.0))
        )
        about = Ask(AskKind.TERRAIN, name)
        rules.append(NeighbourRule(number, spots, words, Result(tiles=shown), about))
    return RuleList("", tuple(rules))


def causeway_rules(tileset: Tileset, worn: tuple[int, int]) -> RuleList:
    """Let every third plank of a straight run be a worn one."""
    about = Ask(AskKind.TERRAIN, "planks")
    north, west, south, east = base_places(SetKind.EDGE)
    spots = (
        Spot(*north, OTHER), Spot(*west, SAME), Spot(*east, SAME), Spot(*south, OTHER),
    )  # fmt: skip
    rule = NeighbourRule(
        1, spots, "Worn planks", Result(tiles=(MixEntry(TileRef(tileset.name, *worn)),)), about,
        every=(1, 3, 0, 0),
    )  # fmt: skip
    return RuleList("", (rule,))


def finish_rules(tileset: Tileset, drafts: dict[str, TileRef]) -> RuleList:
    """Turn draft walls and gates into dykes, with planks where a gate is."""
    kit = next(each for each in tileset.sets if each.kind is SetKind.RING)
    marks = kit.marks_within(tileset.rows, tileset.columns)
    tile_of = {
        tuple(bool(marks[row, col, slot]) for slot in RING_BITS): TileRef(tileset.name, row, col)
        for row in range(tileset.rows) for col in range(tileset.columns)
        if marks[row, col, Slot.MIDDLE]
    }  # fmt: skip
    planks = next(each for each in tileset.sets if each.kind is SetKind.EDGE)
    shown = planks.marks_within(tileset.rows, tileset.columns)
    wall = Ask(AskKind.TILES, tiles=(drafts["wall"], drafts["corner"]))

    def dyke(*sides: Slot) -> TileRef:
        return tile_of[tuple(slot in sides for slot in RING_BITS)]

    def plank(*sides: Slot) -> TileRef:
        wanted = [slot in sides for slot in planks.kind.slots]
        return next(
            TileRef(tileset.name, row, col)
            for row in range(tileset.rows) for col in range(tileset.columns)
            if [bool(shown[row, col, slot]) for slot in planks.kind.slots] == wanted
        )  # fmt: skip

    gate = Ask(AskKind.TILES, tiles=(drafts["gate"],))
    rules: list[Rule] = [
        _gate(1, "Gate north–south", wall, gate, (0, 1), plank(Slot.N, Slot.S)),
        _gate(2, "Gate west–east", wall, gate, (1, 0), plank(Slot.W, Slot.E)),
    ]
    for joined in product((True, False), repeat=4):
        sides = [slot for slot, on in zip(_SIDES, joined) if on]
        spots = tuple(
            Spot(y, x, SAME if slot in sides else OTHER) for slot, (y, x) in _SIDES.items()
        )
        names = "".join(slot.name for slot in sides) or "alone"
        rules.append(
            NeighbourRule(
                len(rules) + 1, spots, f"Dyke {names}",
                Result(tiles=(MixEntry(dyke(*sides)),)), wall, group="Dykes",
            )
        )  # fmt: skip
    return RuleList(LIST, tuple(rules))


def _gate(
    number: int, name: str, wall: Ask, gate: Ask, way: tuple[int, int], tile: TileRef
) -> RewriteRule:
    """A gate between two cells of wall, which stay."""
    down, across = way
    block = (
        BlockCell(-down, -across, "", wall),
        BlockCell(0, 0, "", gate),
        BlockCell(down, across, "", wall),
    )
    return RewriteRule(
        number, block, name, (Outcome((LaidCell(0, 0, "", tile),)),), Ways.AS_DRAWN, overlap=True
    )
