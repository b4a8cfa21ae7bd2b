"""Why this tile? — what chose the tile of a cell, in data and in words."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from knitground.core.base.hashing import cell_numbers
from knitground.core.base.tongue import quoted, say
from knitground.core.base.window import Box
from knitground.core.chance.draw import VARIANT_SLOTS, shares
from knitground.core.knit.bridge import TerrainGraph
from knitground.core.knit.keys import Key
from knitground.core.knit.knit import codes_in, rule_window, terrain_of, without_rim
from knitground.core.knit.table import KnitTable
from knitground.core.model.layers import EMPTY, GAP, GroundLayer
from knitground.core.model.map import Map
from knitground.core.model.terrain import SetKind, TerrainSet
from knitground.core.model.tile import TileRef
from knitground.core.rules.apply import Window, forms_in
from knitground.core.rules.ruletable import RuleTable
from knitground.core.rules.why import RuleWhy, explain_rules


@dataclass(frozen=True)
class Candidate:
    """A tile that fits a cell, its weight, and the part of such cells that it takes."""

    tile: TileRef
    weight: float
    share: float
    chosen: bool


@dataclass(frozen=True)
class Why:
    """What chose the tile of a knitted cell.

    `slots` names the places that the set reads, `shown` the terrain at each; `number` is the
    cell's draw, 0 to 255. `bridge` is the way of terrains that a gap would need, if there is one.
    """

    row: int
    col: int
    slots: tuple[str, ...]
    shown: tuple[str, ...]
    candidates: tuple[Candidate, ...]
    number: int
    seed: int
    pinned: bool
    gap: bool
    inside: bool = False
    bridge: tuple[str, ...] = ()
    rules: tuple[RuleWhy, ...] = ()
    """How each rule of the set stands to the cell, in order; one of them may have taken it."""
    by_default: bool = False

    @property
    def rule(self) -> RuleWhy | None:
        """The rule that took the cell."""
        return next((each for each in self.rules if each.took), None)

    def sentence(self) -> str:
        """Say it in one line for a person."""
        around = " · ".join(f"{slot} {name}" for slot, name in zip(self.slots, self.shown))
        if self.rule is not None and not self.pinned:
            rest = sum(each.fits for each in self.rules) - 1
            more = say("; {rest} further down would fit as well", rest=rest) if rest else ""
            name = quoted(self.rule.name) if self.rule.name else say("without a name")
            return say(
                "{around}: rule {place}, {name}, took it{more}",
                around=around,
                place=self.rule.place,
                name=name,
                more=more,
            )
        if self.by_default:
            return say(
                "{around}: no rule and no mark takes it, so the default tile lies here",
                around=around,
            )
        way = (
            say(" · a bridge would go {words}", words=" → ".join(self.bridge))
            if self.bridge
            else ""
        )
        if self.pinned:
            return say("pinned by hand; beneath it: {around}", around=around)
        if self.gap:
            return say("gap: no tile with a weight shows {around}{way}", around=around, way=way)
        if not self.candidates:
            return say("empty: no terrain there")
        if len(self.candidates) == 1:
            return say("{around}: the only tile with these marks", around=around)
        chosen = next((each for each in self.candidates if each.chosen), None)
        part = f"{chosen.share:.0%}" if chosen else "0 %"
        return say(
            "{around}: drawn from {count} variants (number {number} of 256, share "
            "{part}, seed {seed})",
            around=around,
            count=len(self.candidates),
            number=self.number,
            part=part,
            seed=self.seed,
        )


def explain(
    table: KnitTable,
    map_: Map,
    layer: GroundLayer,
    kit: TerrainSet,
    cell: Box,
    graph: TerrainGraph | None = None,
) -> Why:
    """Tell what chose the tile of one cell.

    Parameters
    ----------
    table : the look-up table of `kit` for this map's legend
    cell : a box of one cell, inside the map
    graph : of the same set, to name the bridge that a gap would need
    """
    row, col = cell.top, cell.left
    ground = terrain_of(table, layer, cell, map_.wrap)
    ground = without_rim(ground, table.margin - table.mark_margin)
    codes = codes_in(table, ground)
    code = int(codes[codes.shape[0] // 2, codes.shape[1] // 2])
    inside = table.inside is not None and bool((codes == code).all())
    middle = np.array([codes.shape[0] // 2])
    key = table.keys.keys_at(table, ground, middle, middle)[0]
    slots, shown = table.keys.told(kit, key)
    number = int(
        cell_numbers(np.array([row]), np.array([col]), layer.seed, layer.number)[0, 0] >> 24
    )
    place = int(layer.cells[row, col])
    found = table.candidates(key, inside)
    parts = shares([weight for _, weight in found])
    candidates = tuple(
        Candidate(tile, weight, part, place == at)
        for (at, weight), part in zip(found, parts)
        if (tile := map_.legend.tile(at)) is not None
    )
    gap = place == GAP and not candidates and place != EMPTY
    bridge = _bridge(kit, graph, key) if gap and graph is not None else ()
    pinned = bool(layer.pinned[row, col])
    rules: tuple[RuleWhy, ...] = ()
    by_default = False
    if table.rules is not None:
        window = rule_window(table, layer, cell, map_.wrap)
        rules = tuple(explain_rules(table.rules, window, layer.seed, layer.number))
        if not table.rules.first and candidates:
            rules = tuple(replace(each, took=False) for each in rules)  # the marks come first
        took = any(each.took for each in rules)
        if took:
            candidates = _by_rule(table.rules, window, map_, layer, place)
        default = table.rules.default
        by_default = bool(default) and place == default and not took and not candidates
    return Why(
        row, col, slots, shown, candidates, number, layer.seed, pinned, gap, inside, bridge, rules,
        by_default,
    )  # fmt: skip


def _by_rule(
    rules: RuleTable, window: Window, map_: Map, layer: GroundLayer, place: int
) -> tuple[Candidate, ...]:
    """List what the rule that took a cell draws from."""
    form = int(forms_in(rules, window, layer.seed, layer.number)[0, 0])
    if not form:
        return ()
    weights = {each.tile[:3]: each.weight
               for each in rules.rules[rules.forms[form - 1].rule].result.tiles}  # fmt: skip
    return tuple(
        Candidate(tile, weights.get(tile[:3], 1.0), count / VARIANT_SLOTS, place == at)
        for at, count in rules.variants(form)
        if (tile := map_.legend.tile(at)) is not None
    )


def _bridge(kit: TerrainSet, graph: TerrainGraph, key: Key) -> tuple[str, ...]:
    """Name the way between the two terrains of a key that are farthest apart."""
    kinds = sorted(set(key) - {0})
    if kit.kind is not SetKind.CORNER or max(kinds, default=0) >= graph.apart.shape[0]:
        return ()
    ways = [graph.way(a, b) for a in kinds for b in kinds if a < b]
    longest = max(ways, key=len, default=[])
    return tuple(kit.name_of(mark) for mark in longest) if len(longest) > 2 else ()
