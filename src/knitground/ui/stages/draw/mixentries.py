"""The tiles of a mix in hand: weights, what they ask for and what is laid, some lines at a time.

A line is made once and shows other figures afterwards: whoever holds the arrow of a weight keeps it
under the pointer, and another map or layer makes nothing anew.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import partial

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QLabel, QVBoxLayout, QWidget

from knitground.core.base.tongue import say
from knitground.core.chance.draw import shares
from knitground.core.model.limits import MAX_WEIGHT
from knitground.core.model.mix import FallWay, Mix, MixEntry, weight_of_share
from knitground.core.model.project import Project
from knitground.ui.common.form import number_box
from knitground.ui.common.numbers import NumberBox
from knitground.ui.common.theme import LINEN
from knitground.ui.common.widgets import (
    ShareGrip,
    clear,
    column,
    icon_button,
    note,
    row,
    show_when_laid_out,
    tile_pixmap,
)
from knitground.ui.common.words import percent, tip_of
from knitground.ui.mapside.inhand import patch_pixels, pixels_of

PAGE = 16
"""Lines in view: one takes a thousandth of a second, and a mix may have thousands of tiles."""


@dataclass(frozen=True, eq=False)
class _Line:
    """What shows an entry: its weight, its own size if it has one, bar and words."""

    weight: NumberBox
    size: NumberBox | None
    bar: ShareGrip
    words: QLabel


class MixEntries(QWidget):
    """Shows the entries of a mix, a page of them.

    `changed` tells place, field and value, and the key of the gesture.
    """

    changed = Signal(int, str, float, object)

    def __init__(self, project: Project, mix: Mix, page: int = 0) -> None:
        super().__init__()
        self._project = project
        self._mix = mix
        self._laid: Sequence[float] | None = None
        self._cells = 0
        self._lines: list[_Line] = []
        self._page = min(page, max(0, len(mix.entries) - 1) // PAGE)
        self._box = column(spacing=4)
        self._where = note()
        self._before = icon_button(
            "mdi6.chevron-left", lambda: self.turn(-1), say("Tiles before these")
        )
        self._behind = icon_button(
            "mdi6.chevron-right", lambda: self.turn(1), say("Tiles behind these")
        )
        pages = QWidget()
        pages.setLayout(row(self._before, self._where, self._behind, 1, spacing=4))
        pages.setVisible(len(mix.entries) > PAGE)
        self.setLayout(column(self._box, pages, spacing=4))
        self._build()

    @property
    def page(self) -> int:
        """Which entries are shown, counted in pages."""
        return self._page

    def shows(self, mix: Mix) -> bool:
        """Whether it is a mix of that name that is shown."""
        return self._mix.name == mix.name

    def turn(self, by: int) -> None:
        """Show other entries."""
        pages = -(-len(self._mix.entries) // PAGE)
        self._page = (self._page + by) % max(1, pages)
        self._build()
        self._show_figures()
        show_when_laid_out(self)

    def show_figures(self, mix: Mix, laid: Sequence[float] | None, cells: int) -> None:
        """Show weights and sizes of a mix of the same entries, and what lies of it.

        Parameters
        ----------
        laid : parts that its entries take of what is laid; None if nothing is
        cells : of the whole map
        """
        self._mix, self._laid, self._cells = mix, laid, cells
        self._show_figures()

    def _build(self) -> None:
        clear(self._box)
        self._lines = []
        first, last = self._page * PAGE, min((self._page + 1) * PAGE, len(self._mix.entries))
        self._where.setText(
            say(
                "tiles {first} – {last} of {count}",
                first=first + 1,
                last=last,
                count=len(self._mix.entries),
            )
        )
        for place in range(first, last):
            self._box.addLayout(self._line(place, self._mix.entries[place]))

    def _line(self, place: int, entry: MixEntry) -> QVBoxLayout:
        picture = QLabel()
        pixels = (
            patch_pixels(self._project, entry.patch)
            if entry.patch
            else pixels_of(self._project, entry.tile)
        )
        if pixels is not None:
            picture.setPixmap(tile_pixmap(pixels, 32, framed=True))
        weight = number_box(0, 10_000, say("Weight; 0 is never"), decimals=1, value=entry.weight,
                            wide=74, at_once=False)  # fmt: skip
        weight.valueChanged.connect(lambda value: self.changed.emit(place, "weight", value, None))
        words = note()
        words.setWordWrap(False)
        bar = ShareGrip(LINEN.accent, say("Drag: the share it takes; the rest is shared as before"))
        bar.dragged.connect(partial(self._drag, place))
        side = column(bar, words, spacing=0)
        line = row(picture, weight, side, spacing=6)
        line.setStretch(2, 1)
        clumps = self._mix.fall.way is FallWay.CLUMPS and entry.patch is None
        size = self._own_size(place, entry) if clumps else None
        self._lines.append(_Line(weight, size, bar, words))
        return column(line) if size is None else column(line, row(size, 1), spacing=2)

    def _own_size(self, place: int, entry: MixEntry) -> NumberBox:
        size = number_box(
            0,
            256,
            say("Cells from one clump of this tile to the next; 0: as those of the mix"),
            decimals=1,
            special=say("clumps as the mix"),
            prefix=say("clumps of "),
            suffix=say(" cells"),
            value=entry.size,
            at_once=False,
        )
        size.valueChanged.connect(lambda value: self.changed.emit(place, "size", value, None))
        return size

    def _drag(self, place: int, share: float, key: object) -> None:
        weight = weight_of_share(self._mix.weights, place, share)
        if weight is not None:
            self.changed.emit(place, "weight", min(weight, MAX_WEIGHT), key)

    def _show_figures(self) -> None:
        parts = shares(self._mix.weights)
        for place, line in enumerate(self._lines, self._page * PAGE):
            entry, share = self._mix.entries[place], float(parts[place])
            for box, value in ((line.weight, entry.weight), (line.size, entry.size)):
                if box is not None:
                    box.show_value(value)
            cells = round(share * self._cells)
            have = self._laid[place] if self._laid else None
            text = say(
                "{percent} · {cells} of {cells2} cells",
                percent=percent(share),
                cells=cells,
                cells2=self._cells,
            )
            line.words.setText(
                text
                if have is None
                else say(
                    "{percent} asked · {percent2} laid",
                    percent=percent(share),
                    percent2=percent(have),
                )
            )
            line.words.setToolTip(
                tip_of(say("If the whole map were filled: about {cells} cells", cells=cells))
            )
            line.bar.show_shares(share, have)
