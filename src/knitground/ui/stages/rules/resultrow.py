"""The palette of asks, and the row that says what a rule gives."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import partial

from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtGui import QIcon, QPainter, QPixmap
from PySide6.QtWidgets import QFrame, QGridLayout, QLabel, QScrollArea, QToolButton, QWidget

from knitground.core.base.tongue import say
from knitground.core.edit.rulehome import RuleHome
from knitground.core.model.limits import MAX_WEIGHT
from knitground.core.model.mix import MixEntry
from knitground.core.model.rules import (
    SAME,
    Ask,
    Result,
    ResultKind,
)
from knitground.core.model.tile import TileRef
from knitground.ui.common.form import number_box
from knitground.ui.common.numbers import NumberBox
from knitground.ui.common.painting import blank
from knitground.ui.common.widgets import clear, column, icon_button, row
from knitground.ui.common.words import tip_of
from knitground.ui.stages.rules.pictures import Pictures, ask_words, draw_ask, draw_tile

_ICON = 22


def ask_icon(
    ask: Ask | None, home: RuleHome, pictures: Pictures, subject: Ask | None = None
) -> QIcon:
    """Draw what a place asks for as an icon; None is “anything”."""
    out = blank(_ICON, _ICON)
    painter = QPainter(out)
    rect = QRectF(1, 1, _ICON - 2, _ICON - 2)
    if ask is not None:
        draw_ask(painter, rect, ask, home, pictures, subject)
    painter.drawRect(rect)
    painter.end()
    return QIcon(out)


def tile_icon(pictures: Pictures, tile: TileRef | None, side: int = 34) -> QPixmap:
    """Draw a tile as a pixmap."""
    out = blank(side, side)
    painter = QPainter(out)
    draw_tile(painter, QRectF(0, 0, side, side), pictures.tile(tile))
    painter.end()
    return out


class Palette(QWidget):
    """What can be painted on a stencil: one of them is chosen."""

    def __init__(self) -> None:
        super().__init__()
        self.ask: Ask | None = SAME
        self._buttons: list[tuple[Ask | None, QToolButton]] = []
        self._grid = QGridLayout()
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setSpacing(2)
        self.setLayout(column(self._grid, 1, spacing=0))
        self.setFixedWidth(3 * (_ICON + 12))

    def show_asks(
        self, asks: list[Ask | None], home: RuleHome, pictures: Pictures, subject: Ask | None
    ) -> None:
        """Offer other asks; the chosen one stays if it is still there."""
        clear(self._grid)
        self._buttons = []
        for n, ask in enumerate(asks):
            made = QToolButton()
            made.setCheckable(True)
            made.setIcon(ask_icon(ask, home, pictures, subject))
            made.setIconSize(QSize(_ICON, _ICON))
            made.setFixedSize(QSize(_ICON + 10, _ICON + 10))
            made.setStyleSheet("QToolButton { padding: 0 }")
            words = ask_words(ask)
            made.setToolTip(tip_of(say("Paint “{words}” on the stencil", words=words)))
            made.setAccessibleName(words)
            made.clicked.connect(partial(self.choose, ask))
            self._grid.addWidget(made, n // 3, n % 3)
            self._buttons.append((ask, made))
        if self.ask not in asks:
            self.ask = asks[0] if asks else None
        self._show()

    def choose(self, ask: Ask | None) -> None:
        """Choose what is painted."""
        self.ask = ask
        self._show()

    def _show(self) -> None:
        for ask, made in self._buttons:
            made.setChecked(ask == self.ask)


class ResultRow(QWidget):
    """The tiles that a rule lays, with their weights; or the patch or mix; or neither."""

    changed = Signal(object, object)
    """Another result, and the key of the gesture that it belongs to."""

    def __init__(self, pictures: Pictures) -> None:
        super().__init__()
        self.pictures = pictures
        self.result = Result()
        self._line = row(spacing=6)
        inner = QWidget()
        inner.setLayout(row(self._line, 1))
        area = QScrollArea()
        area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        area.setWidget(inner)
        area.setWidgetResizable(True)
        area.setFixedHeight(76)
        area.setFrameShape(QFrame.Shape.NoFrame)
        area.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setLayout(column(area))
        self._built: object = None

    def show_result(self, result: Result, share_words: Callable[[float], str]) -> None:
        """Show a result."""
        self.result = result
        built = (result.kind, tuple(e.tile for e in result.tiles), result.patch, result.mix)
        if built != self._built:
            self._built = built
            self._build(result)
        total = sum(each.weight for each in result.tiles) or 1
        for (picture, box, words), each in zip(self._boxes, result.tiles):
            picture.setPixmap(tile_icon(self.pictures, each.tile))  # it may look different now
            box.show_value(each.weight)
            words.setText(share_words(each.weight / total) if len(result.tiles) > 1 else "")

    def _build(self, result: Result) -> None:
        clear(self._line)
        self._boxes: list[tuple[QLabel, NumberBox, QLabel]] = []
        if result.kind is ResultKind.TILES:
            for n, each in enumerate(result.tiles[:32]):
                self._add_tile(n, each)
            if not result.tiles:
                self._line.addWidget(
                    QLabel(say("Nothing yet: take a tile in hand, then “+ in hand”."))
                )
            return
        words = {
            ResultKind.PATCH: say(
                "Patch “{words}”, in order", words=result.patch.name if result.patch else ""
            ),
            ResultKind.MIX: say("Mix “{mix}”", mix=result.mix),
            ResultKind.LEAVE: say("Left as it is"),
            ResultKind.GAP: say("A gap"),
        }
        self._line.addWidget(QLabel(words[result.kind]))

    def _add_tile(self, n: int, entry: MixEntry) -> None:
        picture = QLabel()
        picture.setToolTip(tip_of(say("tile of {tileset}", tileset=entry.tile.tileset)))
        box = number_box(
            0,
            MAX_WEIGHT,
            say("Weight of this tile among the results; 0 is never"),
            wide=50,
            bare=True,
            value=entry.weight,
        )
        box.valueChanged.connect(partial(self._weigh, n, box))
        words = QLabel()
        words.setProperty("role", "note")
        gone = icon_button("mdi6.close", partial(self._drop, n), say("Take this tile out"))
        inner = row(picture, column(gone, words, 1, spacing=0), spacing=2)
        holder = QWidget()
        holder.setLayout(column(inner, box, 1, spacing=2))
        self._boxes.append((picture, box, words))
        self._line.addWidget(holder)

    def _weigh(self, n: int, box: NumberBox, value: float) -> None:
        if n < len(self.result.tiles):
            tiles = list(self.result.tiles)
            tiles[n] = replace(tiles[n], weight=value)
            self.changed.emit(replace(self.result, tiles=tuple(tiles)), box)

    def _drop(self, n: int) -> None:
        tiles = [each for m, each in enumerate(self.result.tiles) if m != n]
        self.changed.emit(replace(self.result, tiles=tuple(tiles)), None)
