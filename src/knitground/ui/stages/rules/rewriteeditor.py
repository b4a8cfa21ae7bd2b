"""The editor of the chosen rewrite rule: what it looks for, and what it writes."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QLabel

from knitground.core.base.tongue import say
from knitground.core.edit.hand import TileInHand
from knitground.core.edit.rulehome import RuleHome
from knitground.core.model.layers import GroundLayer
from knitground.core.model.limits import MAX_WEIGHT
from knitground.core.model.rules import (
    OFF,
    Ask,
    AskKind,
    BlockCell,
    LaidCell,
    Outcome,
    RewriteRule,
)
from knitground.core.model.tile import TileRef
from knitground.core.rules.places import Place
from knitground.ui.common.commands import with_key
from knitground.ui.common.form import Check, Choice, number_box
from knitground.ui.common.widgets import button, column, row
from knitground.ui.session import Session
from knitground.ui.stages.rules.blockpictures import block_bounds, block_layers
from knitground.ui.stages.rules.editor import RuleEditor, list_asks
from knitground.ui.stages.rules.pictures import Pictures
from knitground.ui.stages.rules.stencilpad import BlockPad

OWN = say("its own layer")


class RewriteEditor(RuleEditor):
    """Edits a rewrite rule: what it looks for, and what it writes."""

    sheets_asked = Signal()
    """A tile of the sheets is wanted in hand."""
    kind = say("Rewrite")
    words: Mapping[str, str] = {
        **RuleEditor.words,
        "turns_tiles": say("Turning of"), "overlap": say("Overlap of"),
    }  # fmt: skip

    def __init__(self, session: Session, pictures: Pictures) -> None:
        super().__init__(session, pictures)
        self.rule: RewriteRule | None = None
        self.reads, self.writes = (BlockPad(pictures, writes=w) for w in (False, True))
        for pad in (self.reads, self.writes):
            pad.started.connect(self.begin)
        self.reads.painted.connect(self._paint_reads)
        self.writes.painted.connect(self._paint_writes)
        self.exact = Check(
            say("as turned"),
            say("Tiles fit only if they are turned as shown; else however they lie"),
        )
        self.layers = Choice(say("The layer whose cells both pads show"), letters=10)
        self.layers.chosen.connect(lambda _: self._show_pads())
        self.outcomes = Choice(say("Which of the blocks that it may write is shown"), letters=4)
        self.outcomes.chosen.connect(self._choose_outcome)
        self.weight = number_box(
            0,
            MAX_WEIGHT,
            say("Weight of this block among those that it may write"),
            prefix=say("weight "),
        )
        self.weight.valueChanged.connect(self._weigh)
        self.turns = self.form.check(
            "turns_tiles", say("tiles too"), say("Turn and mirror the tiles with the block")
        )
        self.overlap = self.form.check(
            "overlap", say("overlap"),
            say("Places may overlap; else each cell is written once at most, and no block is cut"),
        )  # fmt: skip
        self._lay_out()

    def _lay_out(self) -> None:
        look = button(say("Selected"), self.read_selection,
                      say("Look for what is selected on the map"))  # fmt: skip
        write = button(say("Selected"), self.write_selection,
                       say("Write what is selected on the map"))  # fmt: skip
        more = button(
            say("+ block"), self.add_outcome, say("Another block that it may write instead")
        )
        smaller = button("−", lambda: self._resize(-1), say("Smaller pads"))
        larger = button("+", lambda: self._resize(1), say("Larger pads"))
        for each in (smaller, larger):
            each.setFixedWidth(28)
        left = column(
            QLabel(say("Look for")),
            self.reads,
            row(look, smaller, larger, 1, spacing=4),
            1,
            spacing=4,
        )
        right = column(
            row(QLabel(say("becomes")), self.outcomes, self.weight, 1, spacing=4), self.writes,
            row(write, more, 1, spacing=4), 1, spacing=4,
        )  # fmt: skip
        sheet = button(say("Sheet…"), self.sheets_asked.emit,
                       say("Take a tile in hand, to look for or to write"))  # fmt: skip
        middle = column(QLabel(say("Paint")), self.palette_, self.exact, 1, sheet, spacing=4)
        below = row(self.ways, self.turns, self.overlap, self.chance, 1, spacing=6)
        head = row(self.name, QLabel(say("shows")), self.layers, self.group, self.on, spacing=6)
        self.setLayout(column(head, row(left, middle, right, 1, spacing=8), below, 1, spacing=4))

    # Showing

    @property
    def layer(self) -> str:
        """The layer that the pads show, “” for the list's own."""
        return str(self.layers.value or "")

    def show_rule(self, home: RuleHome, rule: RewriteRule) -> None:
        """Show a rule as it is."""
        if self.rule is None or rule.number != self.rule.number:
            top, left, bottom, right = block_bounds(rule)
            reach = max(1, -top, -left, bottom - 1, right - 1)
            self.reads.reach = self.writes.reach = min(6, reach)
            self.writes.outcome = 0
        self.home, self.rule = home, rule
        self._show_layers(rule)
        count = max(1, len(rule.outcomes))
        self.writes.outcome = min(self.writes.outcome, count - 1)
        self.outcomes.offer(
            [(say("{n} of {count}", n=n + 1, count=count), n) for n in range(count)]
        )
        self.outcomes.show_value(self.writes.outcome)
        shown = rule.outcomes[self.writes.outcome] if rule.outcomes else Outcome()
        self.weight.show_value(shown.weight)
        self.weight.setVisible(count > 1)
        self.form.show(rule)
        self._show_pads()

    def _show_layers(self, rule: RewriteRule) -> None:
        chosen = self.layer
        names = block_layers(rule)
        map_ = self.session.map
        names += [each.name for each in (map_.layers if map_ else []) if each.name not in names]
        self.layers.offer([(name or OWN, name) for name in names])
        self.layers.show_value(chosen if chosen in names else names[0])

    def _show_pads(self) -> None:
        if self.home is None or self.rule is None:
            return
        for pad in (self.reads, self.writes):
            pad.show_rule(self.home, self.rule, self.layer)
        self.palette_.show_asks(self.asks(), self.home, self.pictures, None)

    def asks(self) -> list[Ask | None]:
        """List what can be painted: what the layer's cells can be asked."""
        map_ = self.session.map
        layer = next((e for e in (map_.layers if map_ else []) if e.name == self.layer), None)
        asks: list[Ask | None] = [*list_asks(self.session), None, OFF]
        if isinstance(layer, GroundLayer):
            found = self.session.project.set_of(layer.tileset, layer.set_name)
            if found is not None:
                asks += [Ask(AskKind.TERRAIN, each.name) for each in found[1].terrains[:24]]
        return asks

    def _resize(self, by: int) -> None:
        reach = min(6, max(1, self.reads.reach + by))
        self.reads.reach = self.writes.reach = reach
        self._show_pads()

    # Changing

    def _paint_reads(self, places: list[Place], clears: bool) -> None:
        if self.rule is None:
            return
        layer = self.layer
        block = {(e.row, e.col, e.layer): e for e in self.rule.block}
        for row_, col in places:
            block.pop((row_, col, layer), None)
            ask = None if clears else self.palette_.ask
            if ask is not None:
                ask = replace(ask, any_turn=not self.exact.isChecked())
                block[row_, col, layer] = BlockCell(row_, col, layer, ask)
        self.change(say("Block of"), self.gesture, block=tuple(block[at] for at in sorted(block)))

    def _paint_writes(self, places: list[Place], clears: bool) -> None:
        tile: TileRef | None = None
        ask, hand = self.palette_.ask, self.session.hand
        if not clears and (ask is None or ask.kind is not AskKind.EMPTY):
            if not isinstance(hand, TileInHand):
                self.session.warn(say("What to write is painted with a tile: take one in hand"))
                return
            tile = hand.tile
        cells: dict[Place, TileRef | None] = {} if clears else dict.fromkeys(places, tile)
        self._write(cells, places, self.gesture)

    def _write(
        self, cells: dict[Place, TileRef | None], gone: list[Place], key: object = None
    ) -> None:
        if self.rule is None:
            return
        outcomes = list(self.rule.outcomes) or [Outcome()]
        at = min(self.writes.outcome, len(outcomes) - 1)
        layer = self.layer
        laid = {(c.row, c.col, c.layer): c for c in outcomes[at].cells}
        for row_, col in gone:
            laid.pop((row_, col, layer), None)
        for (row_, col), tile in cells.items():
            laid[row_, col, layer] = LaidCell(row_, col, layer, tile)
        outcomes[at] = replace(outcomes[at], cells=tuple(laid[k] for k in sorted(laid)))
        self.change(say("Result of"), key, outcomes=tuple(outcomes))

    def _choose_outcome(self, place: int) -> None:
        self.writes.outcome = place
        if self.home is not None and self.rule is not None:
            self.show_rule(self.home, self.rule)

    def add_outcome(self) -> None:
        """Add another block that the rule may write instead."""
        if self.rule is not None:
            outcomes = (*(self.rule.outcomes or (Outcome(),)), Outcome())
            self.writes.outcome = len(outcomes) - 1
            self.change(say("Result of"), outcomes=outcomes)

    def _weigh(self, value: float) -> None:
        if self.rule is not None and self.writes.outcome < len(self.rule.outcomes):
            outcomes = list(self.rule.outcomes)
            at = self.writes.outcome
            outcomes[at] = replace(outcomes[at], weight=value)
            self.change(say("Weight in"), self.weight, outcomes=tuple(outcomes))

    def selected_cells(self) -> dict[Place, TileRef | None] | None:
        """Give the tiles that are selected on the map, by place from the selection's middle."""
        chosen, map_, layer = self.session.selection, self.session.map, self.session.layer
        if chosen is None or map_ is None or layer is None or not layer.holds_tiles:
            self.session.warn(
                say(
                    "Nothing is selected: take {with_key}, drag over a block of tiles",
                    with_key=with_key("Select"),
                )
            )
            return None
        box = chosen.box
        if box.height > 13 or box.width > 13:
            self.session.warn(
                say(
                    "The selection is {width} × {height} cells, a block 13 × 13 at most: select "
                    "less",
                    width=box.width,
                    height=box.height,
                )
            )
            return None
        cells = self.session.doc.cells(map_, layer, box)
        middle = ((box.height - 1) // 2, (box.width - 1) // 2)
        out: dict[Place, TileRef | None] = {}
        for row_ in range(box.height):
            for col in range(box.width):
                if chosen.mask[row_, col]:
                    tile = map_.legend.tile(int(cells[row_, col]))
                    out[row_ - middle[0], col - middle[1]] = tile
        reach = max(max(abs(r), abs(c)) for r, c in out)
        self.reads.reach = self.writes.reach = min(6, max(1, self.reads.reach, reach))
        return out

    def read_selection(self) -> None:
        """Look for what is selected on the map, on the layer that the pads show."""
        cells = self.selected_cells()
        if cells is None or self.rule is None:
            return
        layer = self.layer
        kept = [each for each in self.rule.block if each.layer != layer]
        found = [
            BlockCell(*at, layer,
                      Ask(AskKind.TILES, tiles=(tile,), any_turn=not self.exact.isChecked())
                      if tile
                      else Ask(AskKind.EMPTY))
            for at, tile in sorted(cells.items())
        ]  # fmt: skip
        self.change(say("Block of"), block=(*kept, *found))

    def write_selection(self) -> None:
        """Write what is selected on the map, on the layer that the pads show."""
        cells = self.selected_cells()
        if cells is not None:
            self._write(cells, self.writes.places())
