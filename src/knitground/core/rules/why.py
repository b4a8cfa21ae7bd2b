"""Why a rule took a cell, or at which places it failed."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from knitground.core.model.terrain import SetKind
from knitground.core.rules.apply import Window, on_its_rows, taken_by_chance
from knitground.core.rules.places import Place, base_places
from knitground.core.rules.ruletable import Form, RuleTable


@dataclass(frozen=True)
class RuleWhy:
    """How one rule stands to a cell.

    Parameters
    ----------
    number, name : of the rule
    place : in its list, from 1
    turn : the way that fits, or that comes nearest
    failed : places (half cells from the cell's upper left corner) that do not show what it asks
    left_by : “chance” or “every” if all places fit and that kept it from the cell
    took : whether it is the one that took the cell
    """

    number: int
    name: str
    place: int
    turn: int
    failed: tuple[Place, ...]
    left_by: str = ""
    took: bool = False

    @property
    def fits(self) -> bool:
        """Whether it would take the cell if none did before."""
        return not self.failed and not self.left_by


def explain_rules(table: RuleTable, cell: Window, seed: int, layer: int) -> list[RuleWhy]:
    """Tell of each rule that is on whether it fits a cell, in order; the first that does took it.

    Parameters
    ----------
    cell : a window of one cell
    """
    out: list[RuleWhy] = []
    taken = False
    for place, rule in enumerate(table.rules):
        ways = [form for form in table.forms if form.rule == place]
        if not ways:
            continue
        tried = [(failing(table, form, cell), form.turn) for form in ways]
        failed, turn = min(tried, key=lambda each: len(each[0]))
        left_by = ""
        if not failed and not on_its_rows(rule, cell.rows, cell.cols)[0, 0]:
            left_by = "every"
        elif not failed and not taken_by_chance(rule, cell.rows, cell.cols, seed, layer)[0, 0]:
            left_by = "chance"
        took = not failed and not left_by and not taken
        taken |= took
        out.append(RuleWhy(rule.number, rule.name, place + 1, turn, failed, left_by, took))
    return out


def failing(table: RuleTable, form: Form, cell: Window) -> tuple[Place, ...]:
    """List the places of a form that a cell does not fit, each once."""
    out: list[Place] = []
    for need in form.needs:
        own = int(cell.values(need.place)[0, 0])
        if need.off:
            fits = bool(cell.off(need.place)[0, 0])
        elif need.like:
            fits = own == int(cell.values(need.like)[0, 0])
        elif need.unlike:
            fits = own != int(cell.values(need.unlike)[0, 0])
        else:
            fits = bool(need.mask >> min(own, table.count + 1) & 1)
        if not fits and need.place not in out:
            out.append(need.place)
    if not out and not form.on_nothing and not _shows_any(table, cell):
        out.append((1, 1))
    return tuple(out)


def _shows_any(table: RuleTable, cell: Window) -> bool:
    places = base_places(table.kind)
    shown = places[:1] if table.kind is SetKind.RING else places
    return bool(np.any([cell.values(place)[0, 0] for place in shown]))
