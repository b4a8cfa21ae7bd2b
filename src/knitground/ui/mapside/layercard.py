"""One layer's card in the strip: its picture, kind, eye, lock and name."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QMimeData, QPoint, QRect, QSize, Qt, Signal
from PySide6.QtGui import (
    QContextMenuEvent,
    QDrag,
    QImage,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
)
from PySide6.QtWidgets import (
    QWidget,
)

from knitground.core.base.tongue import say
from knitground.core.edit.layers import (
    lock_layer,
    show_layer,
)
from knitground.core.edit.planning import EYE_KEYS, LOCK_KEYS
from knitground.core.model.layers import (
    Layer,
)
from knitground.core.model.map import Map, grid_of
from knitground.core.render.atlas import Atlas
from knitground.core.render.pixels import Pixels
from knitground.ui.common.checkers import checkers
from knitground.ui.common.framed import Framed
from knitground.ui.common.icons import icon
from knitground.ui.common.painting import image_of
from knitground.ui.common.theme import theme
from knitground.ui.common.widgets import column, icon_button, note, plain, row
from knitground.ui.common.words import tip_of
from knitground.ui.mapside.layerlooks import look_of
from knitground.ui.session import Session

_THUMB = (49, 36)

_CARD = 81


class Thumb(QWidget):
    """A small picture of one layer."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedSize(*_THUMB)
        self._pixels: Pixels | None = None
        self._image: QImage | None = None

    def show_layer(self, session: Session, map_: Map, layer: Layer, atlas: Atlas) -> None:
        """Draw the layer."""
        self._show_pixels(look_of(layer).picture(session, map_, layer, atlas))

    def forget(self) -> None:
        """Show no layer until another one is drawn."""
        self._pixels = self._image = None
        self.update()

    def _show_pixels(self, pixels: Pixels) -> None:
        self._pixels = np.ascontiguousarray(pixels)
        self._image = image_of(self._pixels)
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        checkers(painter, self.rect().toRectF())
        if self._image is not None:
            size = self._image.size().scaled(self.size(), Qt.AspectRatioMode.KeepAspectRatio)
            rect = QRect(QPoint(0, 0), size)
            rect.moveCenter(self.rect().center())
            smaller = rect.width() < self._image.width()
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, smaller)
            painter.drawImage(rect, self._image)
        painter.setPen(QPen(theme().colour("line"), 1))
        painter.drawRect(self.rect().adjusted(0, 0, -1, -1))
        painter.end()


class Card(Framed):
    """One layer: thumbnail, kind, eye, lock, name. A click chooses it, a drag moves it."""

    chosen = Signal(object)
    rename_asked = Signal(object)
    menu_asked = Signal(object, QPoint)

    def __init__(self, session: Session, map_: Map, layer: Layer) -> None:
        super().__init__()
        self.session, self.map, self.layer = session, map_, layer
        self.setFixedWidth(_CARD)
        self.thumb = Thumb()
        self.name = plain()
        self.kind = note(say(layer.kind))
        self.kind.setWordWrap(False)
        self.eye = icon_button("mdi6.eye-outline", self._toggle_eye, say("Hide"), EYE_KEYS)
        self.lock = icon_button("mdi6.lock-open-outline", self._toggle_lock, say("Lock"), LOCK_KEYS)
        for each in (self.eye, self.lock):
            each.setIconSize(QSize(14, 14))
            each.setFixedSize(18, 18)
        side = column(self.eye, self.lock, spacing=0)
        self.setLayout(
            column(row(self.thumb, side, spacing=3), self.name, self.kind, margins=6, spacing=1)
        )
        self._press: QPoint | None = None

    def turn_to(self, map_: Map, layer: Layer) -> None:
        """Stand for another layer, perhaps of another map: making a card takes long.

        What was pressed on it was meant for the one before.
        """
        if layer is not self.layer:
            self.thumb.forget()
            self._press = None
            for each in (self.eye, self.lock):
                each.setDown(False)
        self.map, self.layer = map_, layer
        self.refresh()

    def refresh(self) -> None:
        """Show the layer's name, eye and lock, and whether it is the chosen one."""
        here = self.session.layer is self.layer
        self.setAccessibleName(say("Layer {name}", name=self.layer.name))
        self.dress(here)
        font = self.name.font()
        font.setBold(here)
        self.name.setFont(font)
        metrics = self.name.fontMetrics()
        name = metrics.elidedText(self.layer.name, Qt.TextElideMode.ElideRight, _CARD - 14)
        self.name.setText(name)
        grid, moved = grid_of(self.map, self.layer), self.layer.shift != (0, 0)
        own = " {1}×{0}".format(*grid.lattice.cell_size) if grid is not self.map else ""
        self.kind.setText(say(self.layer.kind) + own + (" ⇲" if moved else ""))
        across, down = self.layer.offset
        place = (
            say(
                " · offset {across}, {down} px, height {height} px",
                across=across,
                down=down,
                height=self.layer.height,
            )
            if moved
            else ""
        )
        place += say(" · sorted by depth") if self.layer.interleaved else ""
        words = say(
            "{name}: click to work on it, drag to move it{place}", name=self.layer.name, place=place
        )
        self.setToolTip(tip_of(words))
        self.eye.setIcon(
            icon("mdi6.eye-outline", "ink2")
            if self.layer.visible
            else icon("mdi6.eye-off-outline", "madder")
        )
        self.lock.setIcon(
            icon("mdi6.lock", "madder")
            if self.layer.locked
            else icon("mdi6.lock-open-outline", "ink2")
        )
        name = self.layer.name
        self.eye.setAccessibleName(
            say("Hide {name}", name=name) if self.layer.visible else say("Show {name}", name=name)
        )
        self.lock.setAccessibleName(
            say("Unlock {name}", name=name) if self.layer.locked else say("Lock {name}", name=name)
        )
        self.eye.setToolTip(
            say("Hide ({eye_keys})", eye_keys=EYE_KEYS)
            if self.layer.visible
            else say("Show ({eye_keys})", eye_keys=EYE_KEYS)
        )
        self.lock.setToolTip(
            say("Unlock ({lock_keys})", lock_keys=LOCK_KEYS)
            if self.layer.locked
            else say("Lock ({lock_keys})", lock_keys=LOCK_KEYS)
        )

    def _toggle_eye(self) -> None:
        self.session.apply(show_layer(self.map, self.layer, not self.layer.visible))

    def _toggle_lock(self) -> None:
        self.session.apply(lock_layer(self.map, self.layer, not self.layer.locked))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton:
            self._press = event.position().toPoint()
            self.chosen.emit(self.layer)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._press is None:
            return
        if (event.position().toPoint() - self._press).manhattanLength() > 12:
            self._press = None
            drag = QDrag(self)
            data = QMimeData()
            data.setText(say("layer {number}", number=self.layer.number))
            drag.setMimeData(data)
            drag.setPixmap(self.thumb.grab())
            drag.exec(Qt.DropAction.MoveAction)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._press = None

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self.rename_asked.emit(self.layer)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        self.chosen.emit(self.layer)
        self.menu_asked.emit(self.layer, event.globalPos())
