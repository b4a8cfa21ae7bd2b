"""A lesson: cells with the wrong tile and the right one, from which a rule is proposed."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Iterable
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.errors import EditError
from knitground.core.base.tongue import say
from knitground.core.base.window import Box, read
from knitground.core.edit.document import Document, Edit
from knitground.core.edit.laying import Plan
from knitground.core.edit.rulehome import RuleHome
from knitground.core.edit.rulestats import layers_with
from knitground.core.grow.rewriting import LiveRules
from knitground.core.knit.knit import knit_box, rule_window, wide_window
from knitground.core.knit.layer import layer_table
from knitground.core.model.lattice import Cell
from knitground.core.model.layers import GAP, Cells, GroundLayer, GrownLayer, Layer, PinnedLayer
from knitground.core.model.map import Map
from knitground.core.model.mix import MixEntry
from knitground.core.model.rules import Ask, AskKind, NeighbourRule, Result, RuleList, Spot
from knitground.core.model.terrain import SetKind, Terrain, TerrainSet
from knitground.core.model.tile import TileRef
from knitground.core.rules.apply import Window, forms_in
from knitground.core.rules.places import REACHES
from knitground.core.rules.rewrite import apply_rewrite
from knitground.core.rules.rewriterun import DONE
from knitground.core.rules.rewritetable import compile_rewrite
from knitground.core.rules.table import LEAVE, stock_of
from knitground.core.rules.teach import teach_rule

_AROUND = 96
"""Cells round the examples that are looked at: others far away are not compared."""


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
class Lesson(ABC):
    """What has been shown so far, on one layer of one map.

    `wrong` are cells that should show `tile`; `right` those that were said to stay as they are.
    """

    doc: Document
    map: Map
    layer: PinnedLayer
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

        Raises
        ------
        EditError
            The examples can not be of one rule.
        """
        if self.tile is None or not self.wrong:
            return None
        map_, layer, box = self.map, self.layer, self._box()
        shown = self.doc.cells(map_, layer, box)
        wanted = self._mask(box, self.wrong)
        is_wrong = np.isin(shown, np.unique(shown[wanted]))
        place = map_.legend.place(self.tile)
        pinned = read(layer.pinned, box)
        other = ~is_wrong & (shown != place) & (shown != 0) & ~pinned
        other |= self._mask(box, self.right)
        stencil, subject, untold = self._stencil(box, wanted, other & ~wanted)
        number = self.home.rules.free_number()
        rule = NeighbourRule(
            number, stencil, say("Taught"), Result(tiles=(MixEntry(self.tile),)), subject
        )
        takers = self._takers(box, wanted)
        listed = self.home.rules
        places = [n for n, each in enumerate(listed.rules) if each.number in takers]
        at = min(places, default=len(listed.rules))
        # Where marks give the wrong tile, the rules have to come before them.
        first = listed.first or bool((shown[wanted] != GAP).any())
        rules = replace(listed, rules=(*listed.rules[:at], rule, *listed.rules[at:]), first=first)
        new = np.where(pinned, shown, self._made(rules, box))
        return Proposal(rules, number, at + 1, box, new, new != shown, untold)

    def plan(self, proposal: Proposal) -> Plan:
        """Give the proposal as a plan, so that it is drawn as the ghost of any other change."""
        return Plan(self.edit(proposal), self.layer, proposal.box, proposal.cells)

    def edit(self, proposal: Proposal) -> Edit:
        """Give the edit that takes the proposal."""
        return self.home.put(proposal.rules, say("Teach a rule"))

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

    @abstractmethod
    def _stencil(
        self, box: Box, wanted: NDArray[np.bool_], other: NDArray[np.bool_]
    ) -> tuple[tuple[Spot, ...], Ask | None, int]:
        """Find the least stencil, what it is about, and how many cells it can not tell apart."""

    @abstractmethod
    def _takers(self, box: Box, wanted: NDArray[np.bool_]) -> set[int]:
        """Give the numbers of the rules that take the examples now."""

    @abstractmethod
    def _made(self, rules: RuleList, box: Box) -> Cells:
        """Give what a box would show with other rules, pins apart."""


class SetLesson(Lesson):
    """A lesson on a ground layer: the rules are those of its terrain set."""

    layer: GroundLayer

    def _stencil(
        self, box: Box, wanted: NDArray[np.bool_], other: NDArray[np.bool_]
    ) -> tuple[tuple[Spot, ...], Ask | None, int]:
        assert self.home.kit is not None
        kit = self.home.kit
        cells = wide_window(self.layer, box, self.map.lattice, REACHES[kit.kind][-1])
        taught = teach_rule(kit, cells, wanted, other)
        return taught.stencil, taught.subject, taught.not_told

    def _takers(self, box: Box, wanted: NDArray[np.bool_]) -> set[int]:
        table = layer_table(self.doc.project, self.map, self.layer)
        if table.rules is None:
            return set()
        window = rule_window(table, self.layer, box, self.map.wrap)
        forms = forms_in(table.rules, window, self.layer.seed, self.layer.number)[wanted]
        return {table.rules.rules[table.rules.forms[f - 1].rule].number for f in forms if f}

    def _made(self, rules: RuleList, box: Box) -> Cells:
        table = layer_table(self.doc.project, self.map, self.layer, rules)
        return knit_box(table, self.layer, box, keep_pins=False, wrap=self.map.wrap)


class ListLesson(Lesson):
    """A lesson on a live layer: the rules are those of the list that it follows.

    What is told apart is where the same draft goes on: cells with the tiles that the examples have
    on the source are “same”, all others “other”.
    """

    layer: GrownLayer

    @property
    def _live(self) -> LiveRules:
        live = self.doc.rewriter.rules_of(self.map, self.layer)
        if live is None:
            raise EditError(
                say(
                    "“{name}” follows no rules any more: choose another layer", name=self.layer.name
                )
            )
        return live

    def _stencil(
        self, box: Box, wanted: NDArray[np.bool_], other: NDArray[np.bool_]
    ) -> tuple[tuple[Spot, ...], Ask | None, int]:
        board, more = self._live.board, REACHES[None][-1]
        wide = box.grown(more)
        wide = Box(wide.top, wide.left, wide.bottom + 1, wide.right + 1)
        source = board.cells("", wide)
        inner = source[more : more + box.height, more : more + box.width]
        tiles = {self.map.legend.tile(int(place)) for place in np.unique(inner[wanted])}
        drafts = tuple(sorted({tile._replace(turn=0) for tile in tiles if tile is not None}))
        if not drafts or None in tiles:
            raise EditError(say("an example has no draft beneath it: show cells where one lies"))
        subject = Ask(AskKind.TILES, tiles=drafts)
        near = board.tiles_fit([subject], source, board.off(wide))[0].astype(np.uint8)
        size = None if self.map.wrap else (self.map.height, self.map.width)
        rows, cols = np.arange(box.top, box.bottom), np.arange(box.left, box.right)
        cells = Window(SetKind.RING, near, more, rows, cols, size)
        kit = TerrainSet("drafts", SetKind.RING, (Terrain("draft", "#000000", "D"),))
        taught = teach_rule(kit, cells, wanted, other)
        return taught.stencil, subject, taught.not_told

    def _takers(self, box: Box, wanted: NDArray[np.bool_]) -> set[int]:
        done = self._live.run(box)
        out: set[int] = set()
        for number, (rows, cols, states) in done.found.items():
            here = (states == DONE) & wanted[rows - box.top, cols - box.left]
            if here.any():
                out.add(number)
        return out

    def _made(self, rules: RuleList, box: Box) -> Cells:
        live = self._live
        table = compile_rewrite(rules, live.board, stock_of(self.doc.project, self.map))
        made = apply_rewrite(table, live.board, box, live.seed, live.step.passes).cells[""]
        rest = live.board.cells("", box) if live.step.copies else np.zeros_like(made)
        return np.where(made == LEAVE, rest, made)


def lesson_on(doc: Document, map_: Map, layer: Layer, home: RuleHome) -> Lesson:
    """Begin a lesson on a layer, for the rules that it follows.

    Raises
    ------
    EditError
        The layer does not follow these rules.
    """
    if home.kit is not None and any(each is layer for each in layers_with(home, map_)):
        assert isinstance(layer, GroundLayer)
        return SetLesson(doc, map_, layer, home)
    live = doc.rewriter.rules_of(map_, layer)
    follows = live is not None and live.step.rules == home.name and live.layers.get("") is layer
    if home.kit is None and isinstance(layer, GrownLayer) and follows:
        return ListLesson(doc, map_, layer, home)
    raise EditError(
        say(
            "A lesson needs a layer that follows these rules: a ground layer of the set, or "
            "the layer "
            "that follows the list"
        )
    )
