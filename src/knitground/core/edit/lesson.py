"""A lesson: cells with the wrong tile and the right one, from which a rule is proposed."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.window import Box
from knitground.core.edit.document import Document, Edit
from knitground.core.edit.laying import Plan
from knitground.core.edit.rules import RuleHome
from knitground.core.knit.knit import knit_box, rule_window, wide_window
from knitground.core.knit.layer import layer_table
from knitground.core.model.layers import GAP, Cells, GroundLayer
from knitground.core.model.map import Map
from knitground.core.model.mix import MixEntry
from knitground.core.model.rules import NeighbourRule, Result, RuleList
from knitground.core.model.tile import TileRef
from knitground.core.rules.apply import forms_in
from knitground.core.rules.places import RINGS
from knitground.core.rules.teach import teach_rule

_AROUND = 96
"""Cells round the examples that are looked at: others far away are not compared."""
Cell = tuple[int, int]


@dataclass(frozen=True, eq=False)
class Proposal:
    """A rule that would teach what was shown.

    Parameters
    ----------
    rules : the whole list with the new rule in its place
    number, place : of the new rule, and where it stands in the list, from 1
    box, cells, changed : the cells looked at, what they would show, and which would change
    not_told : cells that must stay as they are and could not be told apart
    """

    rules: RuleList
    number: int
    place: int
    box: Box
    cells: Cells
    changed: NDArray[np.bool_]
    not_told: int

    @property
    def rule(self) -> NeighbourRule:
        """The new rule."""
        found = self.rules.rules[self.place - 1]
        assert isinstance(found, NeighbourRule)
        return found


@dataclass(eq=False)
class Lesson:
    """What has been shown so far, on one ground layer of one map.

    `wrong` are cells that should show `tile`; `right` those that were said to stay as they are.
    """

    doc: Document
    map: Map
    layer: GroundLayer
    home: RuleHome
    tile: TileRef | None = None
    wrong: list[Cell] = field(default_factory=list)
    right: list[Cell] = field(default_factory=list)

    def show_wrong(self, cell: Cell) -> None:
        """Show a cell that should have the tile; shown again it is none of the examples."""
        self._toggle(cell, self.wrong, self.right)

    def show_right(self, cell: Cell) -> None:
        """Show a cell that is to stay as it is; shown again it is not held any more."""
        self._toggle(cell, self.right, self.wrong)

    def _toggle(self, cell: Cell, into: list[Cell], out_of: list[Cell]) -> None:
        if cell in out_of:
            out_of.remove(cell)
        if cell in into:
            into.remove(cell)
        else:
            into.append(cell)

    def propose(self) -> Proposal | None:
        """Propose the least rule for what was shown; None while a tile or a cell is missing.

        Cells that show the same tiles as the examples do now may change too; all that show another
        one are taken to be right, and stay.
        """
        if self.tile is None or not self.wrong or self.home.kit is None:
            return None
        kit, map_, layer = self.home.kit, self.map, self.layer
        box = self._box()
        shown = self.doc.cells(map_, layer, box)
        wanted = self._mask(box, self.wrong)
        is_wrong = np.isin(shown, np.unique(shown[wanted]))
        place = map_.legend.place(self.tile)
        other = ~is_wrong & (shown != place) & (shown != 0) & ~layer.pinned[_part(box)]
        other |= self._mask(box, self.right)
        cells = wide_window(layer, box, map_.wrap, RINGS[kit.kind][-1])
        taught = teach_rule(kit, cells, wanted, other & ~wanted)
        number = self.home.rules.free_number()
        rule = NeighbourRule(
            number, taught.stencil, "Taught", Result(tiles=(MixEntry(self.tile),)), taught.subject
        )
        rules, at = self._with(rule, box, wanted)
        new = self._knitted(rules, box)
        new = np.where(layer.pinned[_part(box)], shown, new)
        return Proposal(rules, number, at + 1, box, new, new != shown, taught.not_told)

    def plan(self, proposal: Proposal) -> Plan:
        """Give the proposal as a plan, so that it is drawn as the ghost of any other change."""
        return Plan(self.edit(proposal), self.layer, proposal.box, proposal.cells)

    def edit(self, proposal: Proposal) -> Edit:
        """Give the edit that takes the proposal."""
        return self.home.put(proposal.rules, "Teach a rule")

    def _box(self) -> Box:
        rows = [row for row, _ in (*self.wrong, *self.right)]
        cols = [col for _, col in (*self.wrong, *self.right)]
        box = Box(min(rows), min(cols), max(rows) + 1, max(cols) + 1).grown(_AROUND)
        return box.clipped(self.map.height, self.map.width)

    def _mask(self, box: Box, cells: Iterable[Cell]) -> NDArray[np.bool_]:
        out = np.zeros((box.height, box.width), np.bool_)
        for row, col in cells:
            out[row - box.top, col - box.left] = True
        return out

    def _with(
        self, rule: NeighbourRule, box: Box, wanted: NDArray[np.bool_]
    ) -> tuple[RuleList, int]:
        """Put the rule above those that take the examples now, and before marks if need be."""
        listed, layer = self.home.rules, self.layer
        table = layer_table(self.doc.project, self.map, layer)
        at = len(listed.rules)
        if table.rules is not None:
            window = rule_window(table, layer, box, self.map.wrap)
            forms = forms_in(table.rules, window, layer.seed, layer.number)[wanted]
            takers = {table.rules.rules[table.rules.forms[f - 1].rule].number for f in forms if f}
            places = [n for n, each in enumerate(listed.rules) if each.number in takers]
            at = min(places, default=at)
        rules = (*listed.rules[:at], rule, *listed.rules[at:])
        marked = self.doc.cells(self.map, layer, box)[wanted]
        first = listed.first or bool((marked != GAP).any())
        return replace(listed, rules=rules, first=first), at

    def _knitted(self, rules: RuleList, box: Box) -> Cells:
        """Knit with other rules, to see what would come of them."""
        table = layer_table(self.doc.project, self.map, self.layer, rules)
        return knit_box(table, self.layer, box, wrap=self.map.wrap)


def _part(box: Box) -> tuple[slice, slice]:
    return slice(box.top, box.bottom), slice(box.left, box.right)
