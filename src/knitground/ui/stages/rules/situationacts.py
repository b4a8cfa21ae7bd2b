"""From rules to the map and back: their cells, situations nobody takes, cells copied as rules."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

from knitground.core.base.window import Box
from knitground.core.edit.hand import TileInHand
from knitground.core.edit.ruledrafts import stencil_from_cell
from knitground.core.edit.rulehome import rule_words
from knitground.core.edit.rulestats import (
    STATE_WORDS,
    Situation,
    layers_with,
)
from knitground.core.knit.knit import wide_window
from knitground.core.model.layers import GroundLayer
from knitground.core.model.map import Map
from knitground.core.model.mix import MixEntry
from knitground.core.model.rules import (
    NeighbourRule,
    Result,
)
from knitground.core.rules.places import places_of
from knitground.ui.stages.rules.guests import CellPicker, RuleCells, Teacher
from knitground.ui.stages.rules.pictures import rule_of_key
from knitground.ui.stages.rules.sheetdialog import SheetDialog

if TYPE_CHECKING:
    from knitground.ui.stages.rules.bench import RulesBench


class SituationActs:
    """Acts on what rules meet on the map."""

    def __init__(self, bench: RulesBench) -> None:
        self.bench = bench

    def step(self, number: int, by: int) -> None:
        """Show the next, or last, cell of the map that a rule took."""
        fired = self.bench.counter.stats.fired.get(number)
        if fired is None or not len(fired.rows):
            return
        last = self.bench.steps.get(number, -1 if by > 0 else 0)
        at = self.bench.steps[number] = (last + by) % len(fired.rows)
        row_, col = int(fired.rows[at]), int(fired.cols[at])
        self.bench.session.choose_layer(fired.layer)
        self.bench.session.cell_wanted.emit(row_, col)
        became = f" — {STATE_WORDS[int(fired.states[at])]}" if fired.states is not None else ""
        self.bench.session.note(
            f"Cell {at + 1} of {len(fired.rows)}: column {col}, row {row_}{became}"
        )

    def mark_cells(self) -> None:
        if isinstance(self.bench.session.guest, Teacher | CellPicker):
            return
        fired = self.bench.counter.stats.fired.get(self.bench.list.number)
        map_ = self.bench.session.map
        shows = self.bench.mark.isChecked() and self.bench.isVisible() and map_ is not None
        guest = RuleCells(map_, fired) if shows and fired is not None and map_ else None
        if guest is not None or self.bench.session.guest is not None:
            self.bench.session.invite(guest)

    def go_to_situation(self, found: Situation) -> None:
        if found.map is not None:
            self.bench.session.choose_map(found.map)
            self.bench.session.cell_wanted.emit(found.row, found.col)

    def rule_of_situation(self) -> None:
        """Make a rule for the chosen situation, with the tile in hand."""
        found, home = self.bench.situations.situation, self.bench.home
        if found is None or home is None:
            return
        hand = self.bench.session.hand
        tiles = (MixEntry(hand.tile),) if isinstance(hand, TileInHand) else ()
        rule = replace(rule_of_key(home, found.key), result=Result(tiles=tiles), name="Situation")
        self.bench.rule_acts.add_rule(lambda _: rule)
        if not tiles:
            self.bench.session.note("The rule has no tile yet: take one in hand, then “+ in hand”")

    def tile_of_situation(self) -> None:
        """Go to Terrains and offer to make the set's missing tiles."""
        if (
            self.bench.home is not None
            and self.bench.home.kit is not None
            and self.bench.home.tileset is not None
        ):
            self.bench.session.missing_wanted.emit(self.bench.home.tileset, self.bench.home.kit)

    def ask_cell(self) -> None:
        """Copy the stencil from the next cell that is clicked on the map."""
        self.bench.session.invite(CellPicker(self.bench.session, self._copy_cell))

    def _copy_cell(self, map_: Map, cell: tuple[int, int]) -> None:
        home, rule = self.bench.home, self.bench.list.rule
        layers = layers_with(home, map_) if home else []
        if home is None or home.kit is None or not isinstance(rule, NeighbourRule) or not layers:
            self.bench.session.warn(
                "No layer of this map is knitted from the set whose rules these are"
            )
            return
        layer = self.bench.session.layer if self.bench.session.layer in layers else layers[0]
        assert isinstance(layer, GroundLayer)
        reach = self.bench.editor.pad.reach
        box = Box(cell[0], cell[1], cell[0] + 1, cell[1] + 1)
        window = wide_window(layer, box, map_.wrap, max(1, reach))
        values = {place: int(window.values(place)[0, 0])
                  for place in places_of(home.kit.kind, reach)
                  if not window.off(place)[0, 0]}  # fmt: skip
        made = stencil_from_cell(home.kit, values)
        new = replace(rule, stencil=made.stencil, subject=made.subject)
        self.bench.put_rules(new, f"Stencil of {rule_words(rule)} from a cell", None)

    def ask_sheet_tile(self) -> None:
        """Choose tiles for the result on the sheet."""
        first = self.bench.home.tileset if self.bench.home else None
        words = "A click adds the tile to the rule's result."
        SheetDialog(self.bench.session, self.bench, words, self.bench.editor.add_tile, first).show()
