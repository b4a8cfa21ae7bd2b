"""From a list of neighbour rules to what applying them looks up.

A rule is compiled once for each way in which it is tried: a *form*, which is a number of needs. A
need asks that a place shows one of some values, or the same as another place, or another than it.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.errors import EditError
from knitground.core.base.tongue import say
from knitground.core.chance.draw import MIX_SLOTS, VARIANT_SLOTS, slot_table
from knitground.core.chance.fall import check_fall
from knitground.core.model.layers import GAP
from knitground.core.model.map import Map
from knitground.core.model.mix import Fall, FallWay, Mix
from knitground.core.model.patch import Patch, turn_tile
from knitground.core.model.project import Project
from knitground.core.model.rules import (
    Ask,
    AskKind,
    NeighbourRule,
    ResultKind,
    Rule,
    RuleList,
    Spot,
    Ways,
)
from knitground.core.model.terrain import SetKind, Terrain, TerrainSet
from knitground.core.model.tile import TileRef
from knitground.core.rules.places import (
    MIDDLE,
    Place,
    fits_kind,
    reach_of,
    stencil_ways,
)
from knitground.core.rules.ruletable import FallenMix, Form, Need, RuleTable, quick_codes

LEAVE = -2
"""Stands for “leave as it is” among the cells that rules give."""


@dataclass(frozen=True)
class Stock:
    """Where results are looked up: places of the legend, tiles that are there, mixes by name."""

    place: Callable[[TileRef], int]
    has: Callable[[TileRef], bool] = lambda _: True
    mix: Callable[[str], Mix | None] = lambda _: None


def stock_of(project: Project, map_: Map) -> Stock:
    """Look results up in a project, places in a map's legend."""

    def has(tile: TileRef) -> bool:
        owner = project.tileset_named(tile.tileset)
        return owner is not None and owner.has(tile.row, tile.col)

    def mix(name: str) -> Mix | None:
        return next((each for each in project.mixes if each.name == name), None)

    return Stock(map_.legend.place, has, mix)


def compile_rules(listed: RuleList, kit: TerrainSet, stock: Stock) -> RuleTable:
    """Compile a terrain set's rules. Those that can not be used are left out, and why is told.

    Parameters
    ----------
    listed : the rules, in order
    kit : the set, whose kind and terrains they speak of
    stock : where results are looked up
    """
    rules: list[NeighbourRule] = []
    forms: list[Form] = []
    layout = _Layout(stock)
    problems: dict[int, str] = {}
    for rule in listed.rules:
        try:
            made = forms_of(rule, kit, len(rules))
            assert isinstance(rule, NeighbourRule)
            words = layout.add(rule, [form.turn for form in made] if rule.on else [])
        except EditError as error:
            problems[rule.number] = str(error)
            continue
        if words:
            problems[rule.number] = words
        rules.append(rule)
        if rule.on:
            forms += made
    default = listed.default
    count = max(1, len(kit.terrains))
    table = RuleTable(
        kit.kind,
        count,
        tuple(rules),
        listed.first,
        stock.place(default) if default is not None and stock.has(default) else 0,
        tuple(forms),
        max(kit.kind.margin, reach_of(n.place for form in forms for n in form.needs)),
        *layout.tables(),
        layout.patches,
        layout.mixes,
        None,
        problems,
        layout.falls,
    )
    quick = quick_codes(table)
    if quick is not None:
        object.__setattr__(table, "quick", quick)
    return table


def forms_of(rule: Rule, kit: TerrainSet, index: int = 0) -> list[Form]:
    """Give the forms of a rule of a terrain set, one for each of its ways.

    Raises
    ------
    EditError
        It asks for what the set has not, for a place outside its stencil, or it can never fit.
    """
    if not isinstance(rule, NeighbourRule):
        raise EditError(
            say("a terrain set has no layers to rewrite: move the rule to a list of its own")
        )
    found = _ways_of(rule.stencil, rule.subject, rule.ways, kit.name, kit.kind, kit.terrains)
    return [Form(index, turn, needs, nothing) for turn, needs, nothing in found]


@lru_cache(maxsize=16_384)
def _ways_of(
    stencil: tuple[Spot, ...],
    about: Ask | None,
    ways: Ways,
    name: str,
    kind: SetKind,
    terrains: tuple[Terrain, ...],
) -> tuple[tuple[int, tuple[Need, ...], bool], ...]:
    """Give turn and needs of each way of a stencil; kept, for a list is compiled at each change."""
    rule, kit = (
        NeighbourRule(0, stencil, subject=about, ways=ways),
        TerrainSet(name, kind, terrains),
    )
    seen: set[Place] = set()
    for y, x, _ in rule.stencil:
        if not fits_kind(kit.kind, (y, x)):
            raise EditError(
                say(
                    "place ({y}, {x}) is outside the stencil of a set of {value}s: clear it",
                    y=y,
                    x=x,
                    value=say(kit.kind.value),
                )
            )
        if (y, x) in seen:
            raise EditError(say("place ({y}, {x}) is asked twice: clear one of the two", y=y, x=x))
        seen.add((y, x))
    subject = _subject(rule, kit)
    return tuple(
        (turn, _needs(spots, subject, kit), subject == 0) for turn, spots in stencil_ways(rule)
    )


def _subject(rule: NeighbourRule, kit: TerrainSet) -> int | None:
    if rule.subject is None:
        return None
    if rule.subject.kind is not AskKind.TERRAIN:
        raise EditError(say("it is about tiles, but stands in a terrain set: give it a terrain"))
    return _number(kit, rule.subject)


def _number(kit: TerrainSet, ask: Ask) -> int:
    number = kit.number_of(ask.name)
    if ask.name and not number:
        raise EditError(
            say(
                "it asks for terrain “{name}”, which set “{name2}” has not: choose another",
                name=ask.name,
                name2=kit.name,
            )
        )
    return number


def _needs(spots: tuple[Spot, ...], subject: int | None, kit: TerrainSet) -> tuple[Need, ...]:
    count = len(kit.terrains)
    every = (1 << (count + 2)) - 1  # nothing, the terrains, and numbers that the set has not
    some = every & ~1
    ring = kit.kind is SetKind.RING
    model: Place | None = None
    if subject is None:
        same = [(y, x) for y, x, ask in spots if ask.kind is AskKind.SAME]
        model = MIDDLE if ring else min(same, default=None)
    needs: list[Need] = []
    if ring:
        needs.append(Need(MIDDLE, some if subject is None else 1 << subject))
    for y, x, ask in sorted(spots, key=lambda spot: spot[:2]):
        needs.append(_need((y, x), ask, subject, model, kit, every))
    if model is not None and not ring:
        needs.append(Need(model, some))
    out = [need for need in needs if need.mask or need.like or need.unlike or need.off]
    _check_possible(out)
    return tuple(out)


def _need(
    place: Place, ask: Ask, subject: int | None, model: Place | None, kit: TerrainSet, every: int
) -> Need:
    if ask.kind is AskKind.OFF:
        return Need(place, off=True)
    if ask.kind is AskKind.TERRAIN:
        return Need(place, 1 << _number(kit, ask))
    if ask.kind not in (AskKind.SAME, AskKind.OTHER):
        raise EditError(
            say(
                "place {place} asks for {value}, but a terrain set has terrains: ask for one "
                "of those",
                place=place,
                value=say(ask.kind.value),
            )
        )
    same = ask.kind is AskKind.SAME
    if subject is not None:
        return Need(place, 1 << subject if same else every & ~(1 << subject))
    if model is None:
        raise EditError(
            say(
                "“other” has nothing to differ from: give the rule a terrain, or mark a "
                "place “same”"
            )
        )
    if place == model:
        if not same:
            raise EditError(
                say("place {place} is the rule's own and can not be other: clear it", place=place)
            )
        return Need(place)  # it is like itself
    return Need(place, like=model) if same else Need(place, unlike=model)


def _check_possible(needs: Sequence[Need]) -> None:
    """Refuse what can never fit: the masks of a place, and of places that are to be alike."""
    masks: dict[Place, int] = {}
    for need in needs:
        if need.off:
            y, x = need.place
            if 0 <= y <= 2 and 0 <= x <= 2:
                raise EditError(
                    say("place {place} is never off the map: clear it", place=need.place)
                )
        if not need.mask:
            continue
        left = masks.get(need.place, need.mask) & need.mask
        if not left:
            raise EditError(
                say(
                    "place {place} is to show two things at once, so the rule never fits: clear "
                    "it, or give the rule another terrain",
                    place=need.place,
                )
            )
        masks[need.place] = left


class _Layout:
    """Lays out the results of the forms: slots to draw from, patches, mixes."""

    def __init__(self, stock: Stock) -> None:
        self._stock = stock
        self._blocks = [np.full(VARIANT_SLOTS, LEAVE, np.int32)]
        self._starts = [0]
        self.patches: dict[int, NDArray[np.int32]] = {}
        self.mixes: dict[int, NDArray[np.int32]] = {}
        self.falls: dict[int, FallenMix] = {}

    def tables(self) -> tuple[NDArray[np.int32], NDArray[np.int32]]:
        return np.concatenate(self._blocks), np.array(self._starts, np.int32)

    def add(self, rule: NeighbourRule, turns: Sequence[int]) -> str:
        """Lay out a rule's result for each of its ways; returns what of it is missing, in words."""
        result = rule.result
        if result.kind is ResultKind.PATCH:
            return self._add_patch(result.patch, rule, turns)
        if result.kind in (ResultKind.LEAVE, ResultKind.GAP):
            value = LEAVE if result.kind is ResultKind.LEAVE else GAP
            for _ in turns:
                self._add_block(np.full(VARIANT_SLOTS, value, np.int32))
            return ""
        entries, mix = result.tiles, None
        if result.kind is ResultKind.MIX:
            mix = self._stock.mix(result.mix)
            if mix is None:
                raise EditError(
                    say("its mix “{mix}” is gone: choose another result", mix=result.mix)
                )
            entries = tuple(each for each in mix.entries if each.patch is None)
            if not entries:
                raise EditError(
                    say(
                        "its mix “{name}” has nothing but patches, and a rule draws single cells: "
                        "give it another result",
                        name=mix.name,
                    )
                )
        there = [each for each in entries if each.weight > 0 and self._stock.has(each.tile)]
        if not there:
            lost = next((each.tile for each in entries if not self._stock.has(each.tile)), None)
            words = (
                say("its tile of “{tileset}” is gone", tileset=lost.tileset)
                if lost
                else say("it has no result")
            )
            raise EditError(say("{words}: give it a tile, or “leave as it is”", words=words))
        weights = [each.weight for each in there]
        fall, words = self._fall_of(mix, weights) if mix is not None else (None, "")
        for turn in turns:
            by = turn if rule.turns_result else 0
            places = [self._stock.place(turn_tile(each.tile, by)) for each in there]
            values = np.array(places, np.int32)
            if fall is not None:
                own = tuple(float(each.size) for each in there)
                self.falls[len(self._starts)] = FallenMix(values, tuple(weights), own, fall)
            if result.kind is ResultKind.MIX and len(values) > 16:
                self.mixes[len(self._starts)] = slot_table(values, weights, MIX_SLOTS)
                self._add_block(np.full(VARIANT_SLOTS, values[0], np.int32))
            elif len(values) == 1:
                self._add_block(np.full(VARIANT_SLOTS, values[0], np.int32))
            else:
                kept, weight = values[:VARIANT_SLOTS], weights[:VARIANT_SLOTS]
                self._add_block(slot_table(kept, weight, VARIANT_SLOTS))
        missing = sum(not self._stock.has(each.tile) for each in entries)
        return (
            say("{missing} of its tiles are gone: the others are laid", missing=missing)
            if missing
            else words
        )

    @staticmethod
    def _fall_of(mix: Mix, weights: Sequence[float]) -> tuple[Fall | None, str]:
        """How a mix falls, if not each cell by itself; and why it can not, in words."""
        if mix.fall.way is FallWay.ALONE or len(weights) < 2:
            return None, ""
        try:
            check_fall(tuple(weights), mix.fall)
        except EditError as error:
            return None, say("its mix falls each by itself here: {error}", error=error)
        return mix.fall, ""

    def _add_patch(self, patch: Patch | None, rule: NeighbourRule, turns: Sequence[int]) -> str:
        if patch is None or not any(tile for line in patch.rows for tile in line):
            raise EditError(say("its patch has no tile: give it another result"))
        lost = 0
        for turn in turns:
            turned = patch.turned(turn) if rule.turns_result else patch
            there = [[tile if tile and self._stock.has(tile) else None for tile in line]
                     for line in turned.rows]  # fmt: skip
            lost = sum(bool(tile) for line in turned.rows for tile in line)
            lost -= sum(bool(tile) for line in there for tile in line)
            self.patches[len(self._starts)] = np.array(
                [[self._stock.place(tile) if tile else LEAVE for tile in line] for line in there],
                np.int32,
            )
            self._add_block(np.full(VARIANT_SLOTS, LEAVE, np.int32))
        return (
            say("{lost} tiles of its patch are gone: the others are laid", lost=lost)
            if lost
            else ""
        )

    def _add_block(self, block: NDArray[np.int32]) -> None:
        self._starts.append(VARIANT_SLOTS * len(self._blocks))
        self._blocks.append(block)
