"""The tray: patches kept for later, with their pictures and names."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QMimeData, QPoint, QSize, Qt, Signal
from PySide6.QtGui import QDrag, QIcon, QMouseEvent, QPixmap
from PySide6.QtWidgets import QInputDialog, QWidget

from knitground.core.base.tongue import say
from knitground.core.edit.tray import drop_patch, keep_patch, rename_patch
from knitground.core.model.patch import Patch
from knitground.ui.common.widgets import (
    TakeButton,
    button,
    clear,
    column,
    icon_button,
    note,
    row,
    tile_pixmap,
)
from knitground.ui.common.words import on_button, tip_of
from knitground.ui.mapside.inhand import patch_pixels
from knitground.ui.mapside.tools.tool import PATCH_KIND
from knitground.ui.session import Session
from knitground.ui.stages.draw.namedlist import NamedList


class PatchButton(TakeButton):
    """A patch of the tray: a click takes it, a drag carries it onto the map."""

    def __init__(self, patch: Patch, picture: QPixmap | None) -> None:
        super().__init__(
            say(
                "{on_button}\n{width} × {height} tiles",
                on_button=on_button(patch.name),
                width=patch.width,
                height=patch.height,
            )
        )
        self.patch = patch
        self._picture = picture
        self._press: QPoint | None = None
        self.setMinimumWidth(60)
        self.setStyleSheet("min-height: 52px;")  # the window's own sheet sets a lower one
        self.setToolTip(
            tip_of(say("Take “{name}” in hand, or drag it onto the map", name=patch.name))
        )
        if picture is not None:
            self.setIcon(QIcon(picture))
            self.setIconSize(QSize(48, 48))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._press = event.position().toPoint()
        super().mousePressEvent(event)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        held = event.buttons() & Qt.MouseButton.LeftButton
        far = (
            self._press is not None
            and (event.position().toPoint() - self._press).manhattanLength() > 12
        )
        if not (held and far):
            super().mouseMoveEvent(event)
            return
        self._press = None
        self.setDown(False)
        drag = QDrag(self)
        data = QMimeData()
        data.setData(PATCH_KIND, self.patch.name.encode())
        drag.setMimeData(data)
        if self._picture is not None:
            drag.setPixmap(self._picture)
        drag.exec(Qt.DropAction.CopyAction)


class TrayList(NamedList):
    """Shows the tray; what is in hand can be kept in it."""

    keep_asked = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.cards: list[PatchButton] = []
        keep = button(
            say("Keep in the tray"), self.keep_asked.emit,
            say("Keep the patch in hand, or what is selected on the map"), "Ctrl+T",
        )  # fmt: skip
        self.setLayout(column(keep, self.lines, 1))

    def state(self) -> object:
        return tuple(self.session.project.tray)

    def show_taken(self, patch: Patch | None) -> None:
        """Show which patch is in hand."""
        for card in self.cards:
            card.setChecked(card.patch == patch)

    def build(self) -> None:
        clear(self.lines)
        self.cards = []
        tray = self.session.project.tray
        for patch in tray:
            if not self.fits(patch.name):
                continue
            pixels = patch_pixels(self.session.project, patch)
            picture = tile_pixmap(pixels, 48) if pixels is not None else None
            card = PatchButton(patch, picture)
            card.clicked.connect(partial(self._take, patch))
            self.cards.append(card)
            rename = icon_button(
                "mdi6.pencil-outline",
                partial(self._rename, patch),
                say("Rename {name}", name=patch.name),
            )
            remove = icon_button(
                "mdi6.trash-can-outline",
                partial(self._drop, patch),
                say("Take {name} out", name=patch.name),
            )
            line = row(card, rename, remove, spacing=4)
            line.setStretch(0, 1)
            holder = QWidget()
            holder.setLayout(line)
            self.lines.addWidget(holder)
        if not tray:
            self.lines.addWidget(
                note(
                    say(
                        "Nothing kept yet. Take a block in hand, from the sheet or with Pick "
                        "from the "
                        "map, or select cells, then “Keep in the tray”."
                    )
                )
            )

    def _take(self, patch: Patch) -> None:
        self.taken.emit(patch)

    def _rename(self, patch: Patch) -> None:
        name, ok = QInputDialog.getText(self, say("Rename patch"), say("Name"), text=patch.name)
        if ok and name.strip() != patch.name:
            self.session.do(lambda: rename_patch(self.session.project, patch, name))

    def _drop(self, patch: Patch) -> None:
        self.session.apply(drop_patch(self.session.project, patch))

    def keep(self, patch: Patch) -> None:
        """Keep a patch, under a name of its own."""

        def do() -> None:
            edit, kept = keep_patch(self.session.project, patch)
            self.session.doc.apply(edit)
            self.session.note(say("Kept in the tray as “{name}”", name=kept.name))

        self.session.attempt(do)
