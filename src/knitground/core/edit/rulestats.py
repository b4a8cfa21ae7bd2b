"""What rules do on the maps: where each fires, and what nobody takes."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.errors import KnitError
from knitground.core.base.progress import Progress, no_progress
from knitground.core.base.tongue import say
from knitground.core.base.window import Box
from knitground.core.edit.rulehome import RuleHome
from knitground.core.grow.rewriting import live_rules
from knitground.core.knit.bridge import build_graph
from knitground.core.knit.coverage import cover
from knitground.core.knit.keys import Key
from knitground.core.knit.knit import knit_box, rule_window
from knitground.core.knit.layer import layer_table, set_table
from knitground.core.knit.missing import gap_keys
from knitground.core.model.layers import GroundLayer, Layer
from knitground.core.model.map import Map
from knitground.core.model.recipe import RewriteStep
from knitground.core.rules.analyse import RuleReport, analyse_rules
from knitground.core.rules.apply import forms_in
from knitground.core.rules.rewriterun import CHANCE, DONE, EARLIER, OVERLAP
from knitground.core.rules.ruletable import RuleTable
from knitground.core.rules.table import compile_rules, stock_of

_BAND = 256
STATE_WORDS = {
    DONE: "replaced", CHANCE: say("left by chance"), EARLIER: say("an earlier rule took its cells"),
    OVERLAP: say("overlaps another place of its own"),
}  # fmt: skip


@dataclass(eq=False)
class Fired:
    """Where a rule fired on a map, row by row, and of rewrite rules what became of each place."""

    layer: Layer
    rows: NDArray[np.intp]
    cols: NDArray[np.intp]
    states: NDArray[np.int8] | None = None

    @property
    def count(self) -> int:
        """Cells that it took."""
        return len(self.rows) if self.states is None else int((self.states == DONE).sum())

    def state_words(self) -> str:
        """Say what became of the places where it was found and did nothing."""
        if self.states is None:
            return ""
        counts = [(state, int((self.states == state).sum())) for state in STATE_WORDS]
        return ", ".join(f"{n}: {STATE_WORDS[s]}" for s, n in counts if n and s != DONE)


@dataclass(eq=False)
class RuleStats:
    """Where each rule of a list fired on a map, by number, and what can not be used and why."""

    fired: dict[int, Fired] = field(default_factory=dict)
    problems: dict[int, str] = field(default_factory=dict)
    used: bool = False
    """Whether the map uses the list at all."""
    loops: bool = False
    """Whether rewriting came back to an earlier state instead of coming to rest."""


def rule_stats(home: RuleHome, map_: Map, progress: Progress = no_progress) -> RuleStats:
    """Find where the rules of a list fire on a map. Reads the map only."""
    return _set_stats(home, map_, progress) if home.kit is not None else _list_stats(home, map_)


def layers_with(home: RuleHome, map_: Map) -> list[GroundLayer]:
    """List the ground layers of a map that are knitted from the set of a list."""
    if home.kit is None or home.tileset is None:
        return []
    return [
        layer for layer in map_.layers
        if isinstance(layer, GroundLayer) and layer.tileset == home.tileset.name
        and layer.set_name == home.kit.name
    ]  # fmt: skip


def _set_stats(home: RuleHome, map_: Map, progress: Progress) -> RuleStats:
    stats = RuleStats()
    layers = layers_with(home, map_)
    stats.used = bool(layers)
    for layer in layers:
        table = layer_table(home.project, map_, layer)
        if table.rules is None:
            continue
        rules = table.rules
        stats.problems |= rules.problems
        planes = []
        for top in range(0, map_.height, _BAND):
            progress(top / map_.height)
            box = Box(top, 0, min(map_.height, top + _BAND), map_.width)
            window = rule_window(table, layer, box, map_.wrap)
            forms = forms_in(rules, window, layer.seed, layer.number)
            if not rules.first:
                # After the marks rules take only what those leave.
                bare = replace(table, rules=None)
                marked = knit_box(bare, layer, box, keep_pins=False, wrap=map_.wrap)
                forms[marked != -1] = 0
            forms[layer.pinned[box.top : box.bottom]] = 0
            planes.append(forms)
        of_form = np.array([0, *(rules.rules[form.rule].number for form in rules.forms)])
        numbers = of_form[np.concatenate(planes)]
        for number in np.unique(numbers[numbers > 0]).tolist():
            rows, cols = np.nonzero(numbers == number)
            if number not in stats.fired or stats.fired[number].count < len(rows):
                stats.fired[number] = Fired(layer, rows, cols)
    return stats


def _list_stats(home: RuleHome, map_: Map) -> RuleStats:
    stats = RuleStats()
    for place, step in enumerate(map_.recipe.steps):
        if not isinstance(step, RewriteStep) or step.rules != home.name:
            continue
        stats.used = True
        try:
            live = live_rules(home.project, map_, step, place)
            done = live.run(Box(0, 0, map_.height, map_.width))
        except KnitError as error:
            stats.problems.setdefault(0, str(error))
            continue
        stats.problems |= live.problems
        stats.loops |= done.loops
        layer = map_.layer_numbered(step.layer)
        assert layer is not None
        for number, (rows, cols, states) in done.found.items():
            stats.fired[number] = Fired(layer, rows, cols, states)
    return stats


# Analysis of a terrain set


def set_report(home: RuleHome) -> tuple[RuleReport, RuleTable]:
    """Analyse the rules of a terrain set."""
    assert home.kit is not None
    assert home.tileset is not None
    table, map_ = set_table(home.project, home.tileset, home.kit)
    rules = compile_rules(home.rules, home.kit, stock_of(home.project, map_))
    marked = [] if rules.first else list(table.variants)
    return analyse_rules(rules, marked), rules


@dataclass(frozen=True)
class Situation:
    """A situation that no rule and no mark takes.

    `cells` counts those of the project's maps that show it; `map`, `row`, `col` is one of them.
    """

    key: Key
    cells: int = 0
    map: Map | None = None
    row: int = 0
    col: int = 0


@dataclass(frozen=True)
class Situations:
    """What nobody takes, most frequent on the maps first; and how many a set can be asked for."""

    untaken: tuple[Situation, ...]
    had: int
    wanted: int


def find_untaken(
    home: RuleHome, maps: Sequence[Map], progress: Progress = no_progress
) -> Situations:
    """List the situations that neither rules nor marks of a set take. Knits what it looks at."""
    assert home.kit is not None
    assert home.tileset is not None
    found: dict[Key, Situation] = {}
    for n, map_ in enumerate(maps):
        for layer in layers_with(home, map_):
            progress(n / len(maps))
            table = layer_table(home.project, map_, layer)
            for key, count, row, col in gap_keys(table, layer, map_.wrap):
                before = found.get(key)
                if before is None:
                    found[key] = Situation(key, count, map_, row, col)
                else:
                    more = before.cells + count
                    found[key] = Situation(key, more, before.map, before.row, before.col)
    table, _ = set_table(home.project, home.tileset, home.kit)
    covered = cover(table, home.kit, build_graph(table))
    never = [Situation(each.key) for each in covered.missing if each.key not in found]
    ordered = sorted(found.values(), key=lambda each: (-each.cells, each.key))
    return Situations((*ordered, *never), covered.had, len(covered.pairs))
