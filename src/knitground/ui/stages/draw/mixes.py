"""The project's mixes: one card each, the one in hand with its tiles, weights and shares."""

from __future__ import annotations

from dataclasses import replace

from PySide6.QtWidgets import (
    QDoubleSpinBox,
    QInputDialog,
    QLabel,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from knitground.core.chance.draw import shares
from knitground.core.edit.hand import MixInHand
from knitground.core.edit.maps import delete_mix, put_mix
from knitground.core.model.mix import Mix, MixEntry
from knitground.ui.common.theme import LINEN
from knitground.ui.common.widgets import (
    ShareBar,
    clear,
    column,
    icon_button,
    note,
    row,
    tile_pixmap,
)
from knitground.ui.common.words import percent
from knitground.ui.mapside.handpixels import pixels_of
from knitground.ui.session import Session
from knitground.ui.stages.draw.namedlist import NamedList


class MixList(NamedList):
    """Shows mixes and lets them be taken, weighed, renamed and deleted."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.setLayout(column(self.lines, 1))

    def state(self) -> object:
        return tuple(self.session.project.mixes), self._chosen(), self._map_cells()

    def _chosen(self) -> str | None:
        hand = self.session.hand
        return hand.name if isinstance(hand, MixInHand) else None

    def build(self) -> None:
        clear(self.lines)
        for mix in self.session.project.mixes:
            if self.fits(mix.name):
                self.lines.addWidget(self._mix_card(mix, mix.name == self._chosen()))
        if not self.session.project.mixes:
            self.lines.addWidget(note("No mix yet. Mark tiles under Tiles, then “Mix”."))

    def _map_cells(self) -> int:
        return self.session.map.height * self.session.map.width if self.session.map else 0

    def _mix_card(self, mix: Mix, chosen: bool) -> QWidget:
        card = QWidget()
        take = QPushButton(mix.name)
        take.setProperty("left", "true")
        take.setCheckable(True)
        take.setMinimumWidth(60)
        take.setChecked(chosen)
        take.setToolTip(f"Take the mix “{mix.name}” in hand")
        take.clicked.connect(lambda *_: self.taken.emit(mix))
        rename = icon_button(
            "mdi6.pencil-outline", lambda: self._rename_mix(mix), f"Rename {mix.name}"
        )
        remove = icon_button(
            "mdi6.trash-can-outline",
            lambda: self.session.apply(delete_mix(self.session.project, mix)),
            f"Delete {mix.name}",
        )
        top = row(take, rename, remove, spacing=4)
        top.setStretch(0, 1)
        layout = column(top, spacing=4)
        if chosen:
            for place, (entry, share) in enumerate(zip(mix.entries, shares(mix.weights))):
                layout.addLayout(self._entry(mix, place, entry, share))
        card.setLayout(layout)
        return card

    def _entry(self, mix: Mix, place: int, entry: MixEntry, share: float) -> QVBoxLayout:
        picture = QLabel()
        pixels = pixels_of(self.session.project, entry.tile)
        if pixels is not None:
            picture.setPixmap(tile_pixmap(pixels, 32, framed=True))
        weight = QDoubleSpinBox()
        weight.setRange(0, 10_000)
        weight.setDecimals(1)
        weight.setValue(entry.weight)
        weight.setKeyboardTracking(False)
        weight.setFixedWidth(74)
        weight.setToolTip("Weight; 0 is never")
        weight.valueChanged.connect(lambda value: self._weigh(mix, place, value))
        cells = round(share * self._map_cells())
        words = note(f"{percent(share)} · {cells} of {self._map_cells()} cells")
        words.setWordWrap(False)
        words.setToolTip(f"If the whole map were filled: about {cells} cells")
        bar = ShareBar(share, None, LINEN.accent)
        side = column(bar, words, spacing=0)
        line = row(picture, weight, side, spacing=6)
        line.setStretch(2, 1)
        return column(line)

    def _weigh(self, mix: Mix, place: int, value: float) -> None:
        entries = list(mix.entries)
        entries[place] = replace(entries[place], weight=value)
        changed = Mix(mix.name, tuple(entries))
        self.session.do(lambda: put_mix(self.session.project, changed, mix))

    def _rename_mix(self, mix: Mix) -> None:
        name, ok = QInputDialog.getText(self, "Rename mix", "Name", text=mix.name)
        if ok and name.strip() != mix.name:
            changed = Mix(name.strip(), mix.entries)
            done = self.session.do(lambda: put_mix(self.session.project, changed, mix))
            if done:
                self.taken.emit(changed)
