"""The editor of the chosen neighbour rule: its stencil, what it lays, when."""

from __future__ import annotations

from dataclasses import replace

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QCheckBox, QComboBox, QLabel, QLineEdit, QWidget

from knitground.core.edit.hand import MixInHand, PatchInHand, TileInHand, TilesInHand
from knitground.core.edit.rulehome import RuleHome
from knitground.core.model.limits import MAX_NAME
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
    Rule,
    Spot,
    Ways,
)
from knitground.core.model.tile import TileRef
from knitground.core.rules.places import Place
from knitground.ui.common.numbers import WholeBox
from knitground.ui.common.widgets import button, column, row
from knitground.ui.session import Session
from knitground.ui.stages.rules.pictures import Pictures, ask_words
from knitground.ui.stages.rules.resultrow import Palette, ResultRow, ask_icon
from knitground.ui.stages.rules.stencilpad import StencilPad


class NeighbourEditor(QWidget):
    """Edits a neighbour rule; what it makes of it is handed on."""

    changed = Signal(object, str, object)
    """The rule as it is to be, the step's name, and the key of the gesture."""
    cell_asked = Signal()
    """The stencil is to be copied from a cell of the map."""
    sheet_asked = Signal()
    """A tile is to be chosen on the sheet."""

    def __init__(self, session: Session, pictures: Pictures) -> None:
        super().__init__()
        self.session = session
        self.home: RuleHome | None = None
        self.rule: NeighbourRule | None = None
        self._filling = False
        self._key: object = None
        self.pad = StencilPad(pictures)
        self.pad.started.connect(self._begin)
        self.pad.painted.connect(self._paint)
        self.palette_ = Palette()
        self.pictures = pictures
        self.result = ResultRow(pictures)
        self.result.changed.connect(lambda new, key: self._change("Result of", key, result=new))
        self._make_fields()
        self._lay_out()

    def _make_fields(self) -> None:
        self.name = QLineEdit()
        self.name.setMaxLength(MAX_NAME)
        self.name.setPlaceholderText("name")
        self.name.editingFinished.connect(self._rename)
        self.subject = QComboBox()
        self.subject.setMinimumWidth(120)
        self.name.setMinimumWidth(120)
        self.subject.setToolTip("Which cells the rule is about; “same” and “other” mean this")
        self.subject.activated.connect(self._choose_subject)
        self.ways = QComboBox()
        for way in Ways:
            self.ways.addItem(way.value)
        self.ways.setToolTip("In which ways the stencil is tried")
        self.ways.activated.connect(lambda n: self._change("Ways of", ways=list(Ways)[n]))
        self.turns = QCheckBox("result too")
        self.turns.setToolTip("Turn and mirror the result with the stencil")
        self.turns.clicked.connect(lambda on: self._change("Turning of", turns_result=on))
        self.chance = WholeBox()
        self.chance.setRange(0, 100)
        self.chance.setSuffix(" %")
        self.chance.setToolTip("Part of the fitting cells that the rule takes")
        self.chance.valueChanged.connect(
            lambda n: self._change("Chance of", self.chance, chance=n / 100)
        )
        self.every = [WholeBox() for _ in range(4)]
        hints = ("Only every so many rows", "Only every so many columns",
                 "From this row on", "From this column on")  # fmt: skip
        for n, (box, hint) in enumerate(zip(self.every, hints)):
            box.setRange(1 if n < 2 else 0, 4096)
            box.setToolTip(hint)
            box.setAccessibleName(hint)
            box.setFixedWidth(46)
            box.setButtonSymbols(WholeBox.ButtonSymbols.NoButtons)
            box.valueChanged.connect(lambda _, box=box: self._space_out(box))
        self.on = QCheckBox("on")
        self.on.setToolTip("Switch the rule on or off (Space in the list)")
        self.on.clicked.connect(lambda on: self._change("Switch", on=on))
        self.group = QLineEdit()
        self.group.setMaxLength(MAX_NAME)
        self.group.setPlaceholderText("group")
        self.group.setFixedWidth(80)
        self.group.setToolTip("Rules with the same group stand together under its name")
        self.group.editingFinished.connect(self._regroup)

    def _lay_out(self) -> None:
        smaller = button("−", lambda: self.pad.resize_by(-1), "A smaller stencil")
        larger = button("+", lambda: self.pad.resize_by(1), "A larger stencil")
        copy = button("From a cell…", self.cell_asked.emit,
                      "Copy the stencil from a cell: click it on the map")  # fmt: skip
        for each in (smaller, larger):
            each.setFixedWidth(28)
        left = column(self.pad, row(smaller, larger, copy, 1, spacing=4), 1, spacing=4)
        hand = button("+ in hand", self.add_hand, "Lay the tile, patch or mix that is in hand")
        sheet = button("Sheet…", self.sheet_asked.emit, "Choose tiles on the sheet")
        self.more = QComboBox()
        self.more.addItems(["or …", ResultKind.LEAVE.value, ResultKind.GAP.value, "tiles"])
        self.more.setToolTip("Leave the cell as it is, or make it a gap, instead of laying a tile")
        self.more.activated.connect(self._other_result)
        self.more.setSizeAdjustPolicy(
            QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon
        )
        self.more.setMinimumContentsLength(3)
        self.ways.setSizeAdjustPolicy(
            QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon
        )
        self.ways.setMinimumContentsLength(8)
        numbers = self.every
        right = column(
            self.result,
            row(hand, sheet, 1, spacing=4),
            row(self.ways, self.turns, 1, spacing=6),
            row(QLabel("Takes"), self.chance, self.more, 1, spacing=6),
            row(QLabel("Every"), numbers[1], QLabel("×"), numbers[0], 1, spacing=4),
            row(QLabel("from"), numbers[3], QLabel(","), numbers[2], 1, spacing=4),
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
        self._filling = True
        self.pad.show_rule(home, rule)
        self._show_palette(home, rule)
        self._show_subjects(home, rule)
        if not self.name.hasFocus():
            self.name.setText(rule.name)
        if not self.group.hasFocus():
            self.group.setText(rule.group)
        self.ways.setCurrentIndex(list(Ways).index(rule.ways))
        self.turns.setChecked(rule.turns_result)
        self.turns.setEnabled(rule.ways is not Ways.AS_DRAWN)
        self.chance.setValue(round(rule.chance * 100))
        for box, value in zip(self.every, rule.every):
            box.setValue(value)
        self.on.setChecked(rule.on)
        self.more.setCurrentIndex(0)
        self.result.show_result(rule.result, lambda part: f"{part:.0%}")
        self._filling = False

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
        self.subject.clear()
        self.subject.addItem("any terrain" if home.kit else "any tile", None)
        choices: list[Ask] = []
        if home.kit is not None:
            choices = [Ask(AskKind.TERRAIN, each.name) for each in home.kit.terrains]
            choices.append(Ask(AskKind.TERRAIN, ""))
        else:
            choices = [a for a in list_asks(self.session) if a.kind is not AskKind.NOT_TILES]
        if rule.subject is not None and rule.subject not in choices:
            choices.append(rule.subject)
        for ask in choices:
            icon = ask_icon(ask, home, self.pictures)
            self.subject.addItem(icon, f"on {ask_words(ask)}", ask)
        at = choices.index(rule.subject) + 1 if rule.subject in choices else 0
        self.subject.setCurrentIndex(at)

    # Changing

    def _change(self, what: str, key: object = None, **fields: object) -> None:
        if self._filling or self.rule is None:
            return
        new: Rule = replace(self.rule, **fields)  # type: ignore[arg-type]
        if new != self.rule:
            name = new.name or f"Rule {new.number}"
            self.changed.emit(new, f"{what} {name}", key)

    def _begin(self) -> None:
        self._key = object()

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
        self._change("Stencil of", self._key, stencil=stencil)

    def _rename(self) -> None:
        self._change("Rename", name=self.name.text().strip())

    def _regroup(self) -> None:
        self._change("Group of", group=self.group.text().strip())

    def _choose_subject(self, place: int) -> None:
        self._change("What is meant by", subject=self.subject.itemData(place))

    def _space_out(self, key: object) -> None:
        self._change("Spacing of", key, every=tuple(box.value() for box in self.every))

    def _other_result(self, place: int) -> None:
        kinds = {1: ResultKind.LEAVE, 2: ResultKind.GAP, 3: ResultKind.TILES}
        if self.rule is not None and place in kinds:
            self._change("Result of", result=replace(self.rule.result, kind=kinds[place]))

    def add_hand(self) -> None:
        """Lay what is in hand: one tile more, or a patch or mix instead."""
        hand = self.session.hand
        if isinstance(hand, TileInHand):
            self.add_tile(hand.tile)
        elif isinstance(hand, PatchInHand):
            self._change("Result of", result=Result(ResultKind.PATCH, patch=hand.patch))
        elif isinstance(hand, MixInHand):
            self._change("Result of", result=Result(ResultKind.MIX, mix=hand.name))
        else:
            self.session.warn(
                "Nothing to lay is in hand: take a tile, a patch or a mix, or use “Sheet…”"
            )

    def add_tile(self, tile: TileRef) -> None:
        """Lay one tile more."""
        if self.rule is None:
            return
        tiles = self.rule.result.tiles if self.rule.result.kind is ResultKind.TILES else ()
        if all(each.tile != tile for each in tiles):
            result = Result(ResultKind.TILES, (*tiles, MixEntry(tile)))
            self._change("Result of", result=result)


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
