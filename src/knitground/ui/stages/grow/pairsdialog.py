"""Which tiles a solve takes to fit beside each other, as pictures; a click forbids or allows."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import cast

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtGui import QIcon, QImage, QKeyEvent, QPainter, QPen, QPixmap
from PySide6.QtWidgets import (
    QAbstractItemView,
    QCheckBox,
    QDialogButtonBox,
    QListView,
    QListWidget,
    QListWidgetItem,
    QWidget,
)

from knitground.core.base.progress import Progress
from knitground.core.base.tongue import say
from knitground.core.edit.recipes import put_step
from knitground.core.grow.joins import Joins, joins_of
from knitground.core.grow.work import Work
from knitground.core.model.map import Map
from knitground.core.model.solvestep import Pair, SolveStep
from knitground.core.model.tile import TileRef
from knitground.core.render.tiles import tile_pixels
from knitground.ui.common.dialog import Dialog
from knitground.ui.common.form import whole_box
from knitground.ui.common.painting import image_of
from knitground.ui.common.tasks import Job
from knitground.ui.common.theme import theme
from knitground.ui.common.widgets import column, note, row
from knitground.ui.common.words import tip_of
from knitground.ui.session import Session

MOST = 400
"""Pairs shown of one tile and side."""
_LARGE = 48
_HOW = say(
    "Choose a tile: beside it are those that may lie right of it and below it. "
    "A click or Space forbids a pair, and allows it again; so it does with one that does not fit."
)


class _Tiles(QListWidget):
    """Pictures; Space and Enter act on the one that has the cursor as a click does."""

    keyed = Signal(object)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        keys = (Qt.Key.Key_Space, Qt.Key.Key_Return, Qt.Key.Key_Enter)
        if event.key() in keys and self.currentItem() is not None:
            self.keyed.emit(self.currentItem())
        else:
            super().keyPressEvent(event)


class PairsDialog(Dialog):
    """Shows the pairs of one tile at a time; each click is a step that can be undone."""

    def __init__(
        self, session: Session, map_: Map, place: int, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.session, self.map, self.place = session, map_, place
        self.joins: Joins | None = None
        self.setWindowTitle(say("Which pairs fit, and how many of each tile"))
        self.tiles = _list(False, self._show)
        self.right, self.below = (_list(True, lambda: None) for _ in range(2))
        self.heads = [note(say("Tiles")), note(), note()]
        for each, below in ((self.right, False), (self.below, True)):
            each.itemClicked.connect(lambda item, b=below: self.toggle(item, b))
            each.keyed.connect(lambda item, b=below: self.toggle(item, b))
        for part, name in ((self.tiles, say("Tiles")), (self.right, say("Right of it")),
                           (self.below, say("Below it"))):  # fmt: skip
            part.setAccessibleName(name)
        self.words = note(say("Looking which tiles fit…"))
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        buttons.rejected.connect(self.reject)
        # Enter ends a number here, and is not to close the window.
        buttons.button(QDialogButtonBox.StandardButton.Close).setAutoDefault(False)
        columns = [
            column(head, part, spacing=4)
            for head, part in zip(self.heads, (self.tiles, self.right, self.below))
        ]
        line = row(*columns, spacing=10)
        line.setStretch(1, 1)
        line.setStretch(2, 1)
        self.tiles.setFixedWidth(150)
        self.most = whole_box(
            -1, 999_999, say("How many of the chosen tile are laid at most; 0 is none"),
            special=say("any number"), prefix=say("at most "), at_once=False,
        )  # fmt: skip
        self.most.valueChanged.connect(self._set_most)
        columns[0].addWidget(self.most)
        self.every = QCheckBox(say("Show those that do not fit too"))
        self.every.setToolTip(
            say("They stand behind those that fit; a click allows a pair all the same")
        )
        self.every.clicked.connect(self._show)
        self.setLayout(
            column(note(_HOW), line, self.every, self.words, buttons, margins=12, spacing=8)
        )
        self.resize(760, 520)
        project, step = session.project, replace(self.step, forbidden=(), allowed=())

        def work(progress: Progress) -> object:
            pairs = replace(step, blocks=1)
            return joins_of(Work(project, map_, place, progress=progress), pairs)

        self._job = Job(work, self._found, lambda e: self.words.setText(str(e)), owner=self,
                        ended=lambda: None)  # fmt: skip
        self._job.start()

    @property
    def step(self) -> SolveStep:
        """The step as it is now."""
        return cast(SolveStep, self.map.recipe.steps[self.place])

    def _found(self, found: object) -> None:
        self.joins = joins = cast(Joins, found)
        for number, tile in enumerate(joins.tiles):
            picture = self._pixels(tile)
            if picture is not None:
                self._add(self.tiles, number, _pixmap(picture, crossed=False), self._name(tile))
        self.tiles.setCurrentRow(0)
        self._tell()

    def _tell(self) -> None:
        assert self.joins is not None
        pairs = int(self.joins.right.sum() + self.joins.down.sum())
        lost = len(self.step.forbidden)
        self.words.setText(
            say("{count} tiles, {pairs} pairs fit", count=len(self.joins.tiles), pairs=pairs)
            + (say(" · {lost} forbidden", lost=lost) if lost else "")
            + (
                say(" · {count} allowed besides", count=len(self.step.allowed))
                if self.step.allowed
                else ""
            )
            + (
                say(" · limited tiles: {count}", count=len(self.step.most))
                if self.step.most
                else ""
            )
        )

    def _most_of(self, tile: TileRef) -> int:
        """How many of a tile are laid at most; −1 is any number."""
        here = (n for row, col, n in self.step.most if (row, col) == (tile.row, tile.col))
        return next(here, -1)

    def _set_most(self, value: int) -> None:
        chosen = self.tiles.currentItem()
        if chosen is None or self.joins is None:
            return
        tile = self.joins.tiles[int(chosen.data(Qt.ItemDataRole.UserRole))]
        kept = [each for each in self.step.most if each[:2] != (tile.row, tile.col)]
        if value >= 0:
            kept.append((tile.row, tile.col, value))
        new = replace(self.step, most=tuple(kept))
        self.session.do(lambda: put_step(self.map, self.place, new))
        self._tell()

    def _show(self) -> None:
        """Show the pairs of the chosen tile."""
        chosen = self.tiles.currentItem()
        if self.joins is None or chosen is None:
            return
        one = int(chosen.data(Qt.ItemDataRole.UserRole))
        self.most.show_value(self._most_of(self.joins.tiles[one]))
        sides = ((self.right, self.joins.right, say("right of it")),
                 (self.below, self.joins.down, say("below it")))  # fmt: skip
        for head, (part, pairs, words) in zip(self.heads[1:], sides):
            part.clear()
            fits = np.flatnonzero(pairs[one]).tolist()
            others = np.flatnonzero(~pairs[one]).tolist()
            below = part is self.below
            if not self.every.isChecked():
                others = [n for n in others if self._pair(one, n, below) in self.step.allowed]
            for other in [*fits, *others][:MOST]:
                self._add_pair(part, one, other)
            more = (
                say(", the first {most} shown", most=MOST) if len(fits) + len(others) > MOST else ""
            )
            head.setText(
                say("{count} may lie {words}{more}", count=len(fits), words=words, more=more)
            )

    def _add_pair(self, part: QListWidget, one: int, other: int) -> None:
        assert self.joins is not None
        below = part is self.below
        icon = self._pair_picture(one, other, below)
        if icon is not None:
            item = self._add(part, other, icon, self._name(self.joins.tiles[other]))
            self._mark(item, one, other, below)

    def _pair_picture(self, one: int, other: int, below: bool) -> QPixmap | None:
        assert self.joins is not None
        a, b = (self._pixels(self.joins.tiles[n]) for n in (one, other))
        if a is None or b is None or a.shape != b.shape:
            return None
        crossed = not self._may(one, other, below)
        return _pixmap(np.vstack((a, b)) if below else np.hstack((a, b)), crossed=crossed)

    def _fits(self, one: int, other: int, below: bool) -> bool:
        assert self.joins is not None
        return bool((self.joins.down if below else self.joins.right)[one, other])

    def _may(self, one: int, other: int, below: bool) -> bool:
        """Whether two may lie side by side, as the step is now."""
        pair = self._pair(one, other, below)
        if self._fits(one, other, below):
            return pair not in self.step.forbidden
        return pair in self.step.allowed

    def _mark(self, item: QListWidgetItem, one: int, other: int, below: bool) -> None:
        assert self.joins is not None
        may, fits = self._may(one, other, below), self._fits(one, other, below)
        name = self._name(self.joins.tiles[other])
        item.setText(
            say("{name} yes", name=name)
            if may and not fits
            else name
            if may
            else say("{name} no", name=name)
        )
        if fits:
            words = say("fits; a click forbids it") if may else say("forbidden; a click allows it")
        else:
            words = (
                say("allowed, though it does not fit; a click takes that back")
                if may
                else (say("does not fit; a click allows it"))
            )
        item.setToolTip(
            tip_of(
                say(
                    "{name} and {name2}: {words}",
                    name=self._name(self.joins.tiles[one]),
                    name2=name,
                    words=words,
                )
            )
        )

    def toggle(self, item: QListWidgetItem, below: bool) -> None:
        """Forbid a pair, or allow it again."""
        chosen = self.tiles.currentItem()
        if chosen is None or self.joins is None:
            return
        one = int(chosen.data(Qt.ItemDataRole.UserRole))
        other = int(item.data(Qt.ItemDataRole.UserRole))
        pair, step = self._pair(one, other, below), self.step
        listed = step.forbidden if self._fits(one, other, below) else step.allowed
        kept = tuple(each for each in listed if each != pair)
        changed = kept if pair in listed else (*kept, pair)
        if self._fits(one, other, below):
            new = replace(step, forbidden=changed)
        else:
            new = replace(step, allowed=changed)
        if not self.session.do(lambda: put_step(self.map, self.place, new)):
            return
        icon = self._pair_picture(one, other, below)
        if icon is not None:
            item.setIcon(QIcon(icon))
        self._mark(item, one, other, below)
        self._tell()

    def _pair(self, one: int, other: int, below: bool) -> Pair:
        assert self.joins is not None
        a, b = self.joins.tiles[one], self.joins.tiles[other]
        return a.row, a.col, b.row, b.col, below

    def _name(self, tile: TileRef) -> str:
        owner = self.session.project.tileset_named(tile.tileset)
        return f"#{owner.number(tile.row, tile.col)}" if owner else ""

    def _pixels(self, tile: TileRef) -> NDArray[np.uint32] | None:
        owner = self.session.project.tileset_named(tile.tileset)
        return None if owner is None else tile_pixels(owner, tile)

    def _add(self, part: QListWidget, number: int, icon: QPixmap, words: str) -> QListWidgetItem:
        item = QListWidgetItem(QIcon(icon), words)
        item.setData(Qt.ItemDataRole.UserRole, number)
        part.addItem(item)
        return item


def _list(pairs: bool, chosen: Callable[[], None]) -> _Tiles:
    out = _Tiles()
    out.setViewMode(QListView.ViewMode.IconMode)
    out.setMovement(QListView.Movement.Static)
    out.setResizeMode(QListView.ResizeMode.Adjust)
    out.setUniformItemSizes(True)
    side = 2 * _LARGE if pairs else _LARGE
    out.setIconSize(QSize(side, side))
    out.setSpacing(4)
    out.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
    out.currentRowChanged.connect(lambda *_: chosen())
    return out


def _pixmap(pixels: NDArray[np.uint32], *, crossed: bool) -> QPixmap:
    """Enlarge by whole numbers, and cross out what is forbidden."""
    high, wide = pixels.shape
    times = max(1, 2 * _LARGE // max(high, wide) if high != wide else _LARGE // max(high, wide))
    large = np.ascontiguousarray(np.repeat(np.repeat(pixels, times, 0), times, 1))
    image: QImage = image_of(large).copy()
    if crossed:
        painter = QPainter(image)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        shade = theme().colour("panel")
        shade.setAlpha(150)
        painter.fillRect(image.rect(), shade)
        painter.setPen(QPen(theme().colour("madder"), 4))
        painter.drawLine(4, 4, image.width() - 4, image.height() - 4)
        painter.drawLine(4, image.height() - 4, image.width() - 4, 4)
        painter.end()
    return QPixmap.fromImage(image)
