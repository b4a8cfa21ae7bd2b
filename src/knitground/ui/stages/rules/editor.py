"""The editor of the chosen neighbour rule, and what it has in common with that of the others."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QLabel, QWidget

from knitground.core.base.tongue import say
from knitground.core.edit.hand import MixInHand, PatchInHand, TileInHand, TilesInHand
from knitground.core.edit.rulehome import RuleHome
from knitground.core.model.mix import MixEntry
from knitground.core.model.rules import (
    OFF,
    OTHER,
    SAME,
    Ask,
    AskKind,
    NeighbourRule,
    Result,
    ResultKind,
    Spot,
    Ways,
)
from knitground.core.model.tile import TileRef
from knitground.core.rules.places import Place
from knitground.ui.common.form import Choice, Form
from knitground.ui.common.widgets import button, column, row
from knitground.ui.session import Session
from knitground.ui.stages.rules.pictures import Pictures, ask_words
from knitground.ui.stages.rules.resultrow import Palette, ResultRow, ask_icon
from knitground.ui.stages.rules.stencilpad import StencilPad


class RuleEditor(QWidget):
    """What the editors of both kinds of rules have; what is made of a rule is handed on."""

    changed = Signal(object, str, object)
    """The rule as it is to be, the step's name, and the key of the gesture."""
    kind = say("Rule")
    words: Mapping[str, str] = {
        "name": say("Rename"),
        "group": say("Group of"),
        "on": say("Switch"),
        "ways": say("Ways of"),
        "chance": say("Chance of"),
    }
    """How a step is called, by what it sets."""

    def __init__(self, session: Session, pictures: Pictures) -> None:
        super().__init__()
        self.session, self.pictures = session, pictures
        self.home: RuleHome | None = None
        self.rule: Any = None
        self.gesture: object = None
        """The key of the stroke on a pad that goes on."""
        self.palette_ = Palette()
        self.form = Form(self)
        self.form.typed.connect(self._set)
        self.name = self.form.line("name", empty=say("name"))
        self.group = self.form.line(
            "group",
            say("Rules with the same group stand together under its name"),
            empty=say("group"),
            wide=80,
        )
        self.on = self.form.check(
            "on", say("on"), say("Switch the rule on or off (Space in the list)")
        )
        self.ways = self.form.choice(
            "ways",
            say("In which ways its cells are looked for"),
            [(say(each.value), each) for each in Ways],
            letters=8,
        )
        self.chance = self.form.whole(
            "chance", 0, 100, say("Part of the fitting places that the rule takes"), times=100,
            suffix=" %",
        )  # fmt: skip

    def begin(self) -> None:
        """A stroke on a pad begins."""
        self.gesture = object()

    def _set(self, of: str, value: object, key: object) -> None:
        self.change(self.words[of], key, **{of: value})

    def change(self, what: str, key: object = None, **fields: object) -> None:
        """Hand on the rule with other values."""
        if self.rule is None:
            return
        new = replace(self.rule, **fields)
        if new != self.rule:
            self.changed.emit(new, f"{what} {new.name or f'{self.kind} {new.number}'}", key)


class NeighbourEditor(RuleEditor):
    """Edits a neighbour rule: its stencil, what it lays, when."""

    cell_asked = Signal()
    """The stencil is to be copied from a cell of the map."""
    sheet_asked = Signal()
    """A tile is to be chosen on the sheet."""
    words: Mapping[str, str] = {
        **RuleEditor.words,
        "turns_result": say("Turning of"), "subject": say("What is meant by"),
    }  # fmt: skip

    def __init__(self, session: Session, pictures: Pictures) -> None:
        super().__init__(session, pictures)
        self.rule: NeighbourRule | None = None
        self.pad = StencilPad(pictures)
        self.pad.started.connect(self.begin)
        self.pad.painted.connect(self._paint)
        self.result = ResultRow(pictures)
        self.result.changed.connect(lambda new, key: self.change(say("Result of"), key, result=new))
        self.name.setMinimumWidth(120)
        self.subject = self.form.choice(
            "subject", say("Which cells the rule is about; “same” and “other” mean this")
        )
        self.subject.setMinimumWidth(120)
        self.turns = self.form.check(
            "turns_result", say("result too"), say("Turn and mirror the result with the stencil")
        )
        self.spacing = Form(self)
        hints = (say("Only every so many rows"), say("Only every so many columns"),
                 say("From this row on"), say("From this column on"))  # fmt: skip
        self.every = [
            self.spacing.whole(str(n), 1 if n < 2 else 0, 4096, hint, wide=46, bare=True)
            for n, hint in enumerate(hints)
        ]
        self.spacing.typed.connect(lambda _of, _value, key: self._space_out(key))
        self._lay_out()

    def _lay_out(self) -> None:
        smaller = button("−", lambda: self.pad.resize_by(-1), say("A smaller stencil"))
        larger = button("+", lambda: self.pad.resize_by(1), say("A larger stencil"))
        copy = button(say("From a cell…"), self.cell_asked.emit,
                      say("Copy the stencil from a cell: click it on the map"))  # fmt: skip
        for each in (smaller, larger):
            each.setFixedWidth(28)
        left = column(self.pad, row(smaller, larger, copy, 1, spacing=4), 1, spacing=4)
        hand = button(
            say("+ in hand"), self.add_hand, say("Lay the tile, patch or mix that is in hand")
        )
        sheet = button(say("Sheet…"), self.sheet_asked.emit, say("Choose tiles on the sheet"))
        others = (ResultKind.LEAVE, ResultKind.GAP, ResultKind.TILES)
        self.more = Choice(
            say("Leave the cell as it is, or make it a gap, instead of laying a tile"),
            [(say("or …"), None), *((say(each.value), each) for each in others)], letters=3,
        )  # fmt: skip
        self.more.chosen.connect(self._other_result)
        numbers = self.every
        right = column(
            self.result,
            row(hand, sheet, 1, spacing=4),
            row(self.ways, self.turns, 1, spacing=6),
            row(QLabel(say("Takes")), self.chance, self.more, 1, spacing=6),
            row(QLabel(say("Every")), numbers[1], QLabel("×"), numbers[0], 1, spacing=4),
            row(QLabel(say("from")), numbers[3], QLabel(","), numbers[2], 1, spacing=4),
            1,
            spacing=5,
        )  # fmt: skip
        top = row(self.name, self.subject, self.group, self.on, spacing=6)
        middle = row(left, column(self.palette_, 1), right, spacing=10)
        middle.setStretch(2, 1)
        self.setLayout(column(top, middle, 1, spacing=6))

    # Showing

    def show_rule(self, home: RuleHome, rule: NeighbourRule) -> None:
        """Show a rule as it is."""
        self.home, self.rule = home, rule
        self.pad.show_rule(home, rule)
        self._show_palette(home, rule)
        self._show_subjects(home, rule)
        self.form.show(rule)
        self.turns.setEnabled(rule.ways is not Ways.AS_DRAWN)
        self.spacing.show({str(n): value for n, value in enumerate(rule.every)})
        self.more.show_value(None)
        self.result.show_result(rule.result, lambda part: f"{part:.0%}")

    def asks(self) -> list[Ask | None]:
        """List what can be asked of a place."""
        home = self.home
        if home is None:
            return []
        asks: list[Ask | None] = [SAME, OTHER, None]
        if home.kit is not None:
            asks += [Ask(AskKind.TERRAIN, each.name) for each in home.kit.terrains[:24]]
            asks.append(Ask(AskKind.TERRAIN, ""))
        else:
            asks += list_asks(self.session)
        return [*asks, OFF]

    def _show_palette(self, home: RuleHome, rule: NeighbourRule) -> None:
        self.palette_.show_asks(self.asks(), home, self.pictures, rule.subject)

    def _show_subjects(self, home: RuleHome, rule: NeighbourRule) -> None:
        choices: list[Ask] = []
        if home.kit is not None:
            choices = [Ask(AskKind.TERRAIN, each.name) for each in home.kit.terrains]
            choices.append(Ask(AskKind.TERRAIN, ""))
        else:
            choices = [a for a in list_asks(self.session) if a.kind is not AskKind.NOT_TILES]
        if rule.subject is not None and rule.subject not in choices:
            choices.append(rule.subject)
        self.subject.offer(
            [
                (say("any terrain") if home.kit else say("any tile"), None),
                *(
                    (
                        say("on {ask_words}", ask_words=ask_words(ask)),
                        ask,
                        ask_icon(ask, home, self.pictures),
                    )
                    for ask in choices
                ),
            ]
        )

    # Changing

    def _paint(self, places: list[Place], clears: bool) -> None:
        if self.rule is None:
            return
        asked = {(y, x): ask for y, x, ask in self.rule.stencil}
        for place in places:
            asked.pop(place, None)
            ask = None if clears else self.palette_.ask
            if ask is not None:
                asked[place] = ask
        stencil = tuple(Spot(y, x, ask) for (y, x), ask in sorted(asked.items()))
        self.change(say("Stencil of"), self.gesture, stencil=stencil)

    def _space_out(self, key: object) -> None:
        self.change(say("Spacing of"), key, every=tuple(box.value() for box in self.every))

    def _other_result(self, kind: ResultKind | None) -> None:
        if self.rule is not None and kind is not None:
            self.change(say("Result of"), result=replace(self.rule.result, kind=kind))

    def add_hand(self) -> None:
        """Lay what is in hand: one tile more, or a patch or mix instead."""
        hand = self.session.hand
        if isinstance(hand, TileInHand):
            self.add_tile(hand.tile)
        elif isinstance(hand, PatchInHand):
            self.change(say("Result of"), result=Result(ResultKind.PATCH, patch=hand.patch))
        elif isinstance(hand, MixInHand):
            self.change(say("Result of"), result=Result(ResultKind.MIX, mix=hand.name))
        else:
            self.session.warn(
                say("Nothing to lay is in hand: take a tile, a patch or a mix, or use “Sheet…”")
            )

    def add_tile(self, tile: TileRef) -> None:
        """Lay one tile more."""
        if self.rule is None:
            return
        tiles = self.rule.result.tiles if self.rule.result.kind is ResultKind.TILES else ()
        if all(each.tile != tile for each in tiles):
            result = Result(ResultKind.TILES, (*tiles, MixEntry(tile)))
            self.change(say("Result of"), result=result)


def list_asks(session: Session) -> list[Ask]:
    """List what a place of a layer of tiles can be asked: what is in hand, tags, nothing."""
    asks: list[Ask] = []
    hand = session.hand
    tiles = hand.tiles if isinstance(hand, TilesInHand) else ()
    if tiles:
        asks += [Ask(AskKind.TILES, tiles=tiles[:64]), Ask(AskKind.NOT_TILES, tiles=tiles[:64])]
    tags = {tag for owner in session.project.tilesets for fact in owner.facts.values()
            for tag in fact.tags}  # fmt: skip
    asks += [Ask(AskKind.TAG, tag) for tag in sorted(tags)[:18]]
    asks.append(Ask(AskKind.EMPTY))
    return asks
