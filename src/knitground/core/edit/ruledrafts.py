"""Rules made of what is there: marks, cells of the map, a mix for plain cells."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from knitground.core.base.errors import EditError
from knitground.core.base.tongue import say
from knitground.core.edit.document import Edit
from knitground.core.edit.rulehome import RuleHome, change_rule
from knitground.core.model.mix import MixEntry
from knitground.core.model.rules import (
    SAME,
    Ask,
    AskKind,
    NeighbourRule,
    Result,
    ResultKind,
    Rule,
    Spot,
    Ways,
)
from knitground.core.model.terrain import ANY, SetKind, TerrainSet
from knitground.core.model.tile import TileRef
from knitground.core.rules.places import MIDDLE, base_places


def rules_from_marks(kit: TerrainSet, tiles: Sequence[tuple[TileRef, Sequence[int]]]) -> list[Rule]:
    """Say the marks of tiles as rules, one for each group of tiles with the same marks.

    Parameters
    ----------
    tiles : tiles and their nine marks each
    """
    groups: dict[tuple[int, ...], list[TileRef]] = {}
    for tile, marks in tiles:
        groups.setdefault(tuple(int(each) for each in marks), []).append(tile)
    out: list[Rule] = []
    for marks, group in groups.items():
        stencil, subject = stencil_of_marks(kit, marks)
        shown = tuple(MixEntry(tile) for tile in group)
        name = _name_of(kit, marks)
        out.append(NeighbourRule(0, stencil, name, Result(tiles=shown), subject))
    return out


def stencil_of_marks(kit: TerrainSet, marks: Sequence[int]) -> tuple[tuple[Spot, ...], Ask | None]:
    """Say a tile's marks as a stencil: what it would take to stand there by a rule."""
    places = base_places(kit.kind)
    if kit.kind is not SetKind.RING:
        spots = [
            Spot(y, x, Ask(AskKind.TERRAIN, kit.name_of(marks[slot]) if marks[slot] else ""))
            for slot, (y, x) in zip(kit.kind.slots, places)
            if marks[slot] != ANY
        ]
        return tuple(spots), None
    middle = marks[kit.kind.slots[0]]
    spots = []
    for slot, (y, x) in zip(kit.kind.slots[1:], places[1:]):
        if marks[slot] == ANY:
            continue
        same = marks[slot] == middle
        if not same and slot % 2 and not _both_sides(marks, slot, middle):
            continue  # a corner counts only where both its sides do
        spots.append(Spot(y, x, SAME if same else Ask(AskKind.OTHER)))
    return tuple(spots), Ask(AskKind.TERRAIN, kit.name_of(middle)) if middle else None


def set_plain_mix(home: RuleHome, mark: int, mix: str) -> Edit:
    """Draw the cells that show one terrain all over from a mix, by a rule at the end of the list.

    Parameters
    ----------
    home : of a terrain set
    mark : the terrain
    mix : “” for the set's own tiles again
    """
    assert home.kit is not None
    name = home.kit.name_of(mark)
    old = plain_rule(home, mark)
    if not mix:
        others = tuple(each for each in home.rules.rules if each is not old)
        return home.put(
            replace(home.rules, rules=others), say("Plain {name} from the set", name=name)
        )
    if not home.rules.first:
        raise EditError(
            say(
                "the marks of “{name}” come before its rules, and a mix for plain {name2} is "
                "a rule: tick “rules before marks” on stage Rules first",
                name=home.kit.name,
                name2=name,
            )
        )
    result = Result(ResultKind.MIX, mix=mix)
    what = say("Plain {name} from mix “{mix}”", name=name, mix=mix)
    if old is not None:
        return change_rule(home, old.number, replace(old, result=result, on=True), what)
    stencil, subject = stencil_of_marks(home.kit, [mark] * 9)
    rule = NeighbourRule(
        home.rules.free_number(), stencil, say("Plain {name}", name=name), result, subject
    )
    return home.put(replace(home.rules, rules=(*home.rules.rules, rule)), what)


def plain_rule(home: RuleHome, mark: int) -> NeighbourRule | None:
    """Find the rule that fills plain cells of a terrain from a mix."""
    assert home.kit is not None
    form = stencil_of_marks(home.kit, [mark] * 9)
    for rule in home.rules.rules:
        if not isinstance(rule, NeighbourRule) or rule.result.kind is not ResultKind.MIX:
            continue
        plain = rule.ways is Ways.AS_DRAWN and rule.chance == 1 and rule.every[:2] == (1, 1)
        if plain and (rule.stencil, rule.subject) == form:
            return rule
    return None


def _both_sides(marks: Sequence[int], slot: int, middle: int) -> bool:
    return marks[(slot - 1) % 8] == middle and marks[(slot + 1) % 8] == middle


def _name_of(kit: TerrainSet, marks: Sequence[int]) -> str:
    shown = [kit.name_of(marks[slot]) for slot in kit.kind.slots if marks[slot] not in (0, ANY)]
    return ", ".join(dict.fromkeys(shown))[:60]


def stencil_from_cell(kit: TerrainSet, values: dict[tuple[int, int], int]) -> NeighbourRule:
    """Make a rule of what lies round a cell: values of its places, by place."""
    own = values.get(MIDDLE, 0)
    spots = []
    for (y, x), value in sorted(values.items()):
        if kit.kind is SetKind.RING:
            if (y, x) != MIDDLE:
                spots.append(Spot(y, x, SAME if value == own else Ask(AskKind.OTHER)))
        else:
            spots.append(Spot(y, x, Ask(AskKind.TERRAIN, kit.name_of(value) if value else "")))
    subject = None
    if kit.kind is SetKind.RING and own:
        subject = Ask(AskKind.TERRAIN, kit.name_of(own))
    return NeighbourRule(0, tuple(spots), subject=subject)


def new_rule(home: RuleHome, result: Result) -> Rule:
    """Make a rule that asks nothing yet, with a result."""
    ways = Ways.TURNED if home.kit is None else Ways.AS_DRAWN
    return NeighbourRule(0, (), result=result, ways=ways)
