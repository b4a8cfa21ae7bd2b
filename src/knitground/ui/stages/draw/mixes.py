"""The project's mixes: one card each, the one in hand with its tiles, weights and shares."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import partial

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import Qt
from PySide6.QtGui import QColor, QIcon, QPen, QPixmap
from PySide6.QtWidgets import (
    QInputDialog,
    QLabel,
    QMenu,
    QPushButton,
    QVBoxLayout,
    QWidget,
)
from shiboken6 import isValid

from knitground.core.base.errors import EditError
from knitground.core.base.tongue import say
from knitground.core.chance.draw import shares
from knitground.core.chance.fall import fall_cells, laid_cells, repetition
from knitground.core.chance.landmark import landmarks
from knitground.core.edit.hand import MixInHand, PatchInHand
from knitground.core.edit.maps import delete_mix, put_mix
from knitground.core.model.mix import FallWay, Mix, MixEntry
from knitground.core.model.patch import Patch
from knitground.core.model.project import Project
from knitground.ui.common.painting import blank, image_of, painting
from knitground.ui.common.question import Question
from knitground.ui.common.theme import LINEN
from knitground.ui.common.widgets import (
    TakeButton,
    clear,
    column,
    icon_button,
    note,
    row,
    set_role,
    show_when_laid_out,
    tile_pixmap,
)
from knitground.ui.common.words import on_button, tip_of
from knitground.ui.mapside.inhand import pixels_of
from knitground.ui.session import Session
from knitground.ui.stages.draw.mixentries import MixEntries
from knitground.ui.stages.draw.mixfall import FallLines
from knitground.ui.stages.draw.namedlist import NamedList

_SAMPLE = 128
_COUNTED = 1024 * 1024
"""Cells of a layer up to which is counted, while it is drawn, what is laid."""
_HARDLY, _BARELY = 0.04, 0.15
_WIDE = 288
"""Pixels across that a sample may take."""
_STRIP, _IN_STRIP = 18, 4


def sample_cells(mix: Mix) -> NDArray[np.int32]:
    """Lay a mix on 128 × 128 cells, as numbers of its entries with a weight; −1 is left empty.

    Raises
    ------
    EditError
        It can not fall in its way.
    """
    weights = tuple(each for each in mix.weights if each > 0)
    if not weights:
        raise EditError(say("no tile has a weight over 0: give one"))
    at = np.arange(_SAMPLE)
    own = tuple(each.size for each in mix.entries if each.weight > 0)
    cells = fall_cells(weights, mix.fall, at, at, 1, 1, None, None, own)
    return np.where(laid_cells(mix.fall.density, mix.fall, at, at, 1, 1), cells, -1)


def sample_pictures(project: Project, mix: Mix) -> NDArray[np.uint32] | None:
    """Give the pictures of the entries with a weight, as large as the first one; None without."""
    entries = [each for each in mix.entries if each.weight > 0]
    pictures = [pixels_of(project, each.tile) for each in entries]
    first = next((each for each in pictures if each is not None), None)
    if first is None:
        return None
    fitting = [
        each if each is not None and each.shape == first.shape else np.zeros_like(first)
        for each in pictures
    ]
    return np.ascontiguousarray(np.stack(fitting))  # turned tiles lie the other way in memory


@dataclass(frozen=True, eq=False)
class Sample:
    """A sample of a mix: cells, pictures, entries that the eye catches, and how it repeats."""

    cells: NDArray[np.int32]
    pictures: NDArray[np.uint32] | None
    caught: list[int]
    repeats: tuple[float, tuple[int, int]]


def look_at_sample(project: Project, mix: Mix) -> Sample | str:
    """Lay a sample and look at it; or say why it can not fall so."""
    try:
        cells = sample_cells(mix)
    except EditError as error:
        return str(error)
    pictures, caught = sample_pictures(project, mix), []
    if pictures is not None:
        parts = [each for each in shares(mix.weights) if each > 0]
        caught = landmarks(pictures.view(np.uint8).reshape(*pictures.shape, 4), parts)
    return Sample(cells, pictures, caught, repetition(cells))


def drawn_sample(pictures: NDArray[np.uint32], cells: NDArray[np.int32]) -> NDArray[np.uint32]:
    """Draw cells of a sample."""
    high, wide = pictures.shape[1:3]
    stack = np.concatenate([pictures, np.zeros_like(pictures[:1])])[cells]  # the last one: empty
    whole = stack.swapaxes(1, 2).reshape(cells.shape[0] * high, cells.shape[1] * wide)
    return np.ascontiguousarray(whole)


def sample_pixmap(
    pictures: NDArray[np.uint32], cells: NDArray[np.int32], caught: Sequence[int]
) -> QPixmap:
    """Draw cells of a sample; round those that the eye catches stands a frame."""
    high, wide = pictures.shape[1:3]
    made = QPixmap.fromImage(image_of(drawn_sample(pictures, cells)).copy())
    with painting(made) as painter:
        painter.setPen(QPen(QColor(LINEN.madder), max(1, wide // 8)))
        for row, col in np.argwhere(np.isin(cells, list(caught))).tolist():
            painter.drawRect(col * wide, row * high, wide - 1, high - 1)
    whole = max(1, _WIDE // max(1, made.width()))  # whole steps: pixels stay square
    if made.width() <= _WIDE:
        return made.scaled(made.size() * whole)
    return made.scaledToWidth(_WIDE, Qt.TransformationMode.SmoothTransformation)


def _repeat_words(mix: Mix, found: Sample) -> str:
    """Say how much of a sample the eye would catch, and what to change."""
    if found.caught:
        one = len(found.caught) == 1
        rarer = (
            say("let it keep further apart")
            if mix.fall.way is FallWay.APART
            else say("keep it apart")
        )
        return say(
            "The eye catches the framed {words} again and again: {words2} unlike the "
            "rest. Lower {words3}, or {rarer}.",
            words=say("one") if one else say("ones"),
            words2=say("it looks") if one else say("they look"),
            words3=say("its weight") if one else say("their weights"),
            rarer=rarer,
        )
    if mix.fall.way is FallWay.CLUMPS:
        return say("Clumps, {size:g} cells from one to the next.", size=mix.fall.size)
    value, (down, across) = found.repeats
    if value < _HARDLY:
        return say("Repeats {value:.1%}: the eye catches nothing.", value=value)
    where = say("{number} across and {number2} down", number=abs(across), number2=abs(down))
    if value < _BARELY:
        return say("Repeats {value:.1%}, every {where}: barely seen.", value=value, where=where)
    return say(
        "Repeats {value:.0%}, every {where}: add tiles, or make their weights more alike.",
        value=value,
        where=where,
    )


class MixList(NamedList):
    """Shows mixes and lets them be taken, weighed, renamed and deleted."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self._beside = Question(lambda: session.doc, self)
        self._entries: MixEntries | None = None
        self._fall: QVBoxLayout | None = None
        self._falls: FallLines | None = None
        self._sample, self._sample_words = QLabel(), note()
        self._fall_of: object = None
        self._sample_of: object = None
        self.setLayout(column(self.lines, 1))

    def state(self) -> object:
        mix = self._in_hand()
        entries = mix and tuple((each.tile, each.patch) for each in mix.entries)
        return (id(self.session.project), tuple(each.name for each in self.session.project.mixes),
                mix and (mix.name, entries, mix.fall.way))  # fmt: skip

    def refresh(self) -> None:
        super().refresh()
        mix = self._in_hand()
        if not self.isVisible() or mix is None or self._entries is None or self._fall is None:
            return
        self._entries.show_figures(mix, self._laid(mix), self._map_cells())
        fall_of = (self._layers(), self._tray(), self._patch_in_hand())
        if fall_of != self._fall_of:
            self._fall_of = fall_of
            clear(self._fall)
            self._falls = self._fall_lines(mix.name)
            add = QWidget()
            add.setLayout(row(self._patch_button(mix), 1, spacing=4))
            for part in (self._falls, add):
                self._fall.addWidget(part)
            show_when_laid_out(self)
        if self._falls is not None:
            self._falls.show_fall(mix.fall)
        if mix != self._sample_of:
            self._sample_of = mix
            self._ask_sample(mix)

    def _layers(self) -> tuple[str, ...]:
        return tuple(each.name for each in self.session.map.layers) if self.session.map else ()

    def _tray(self) -> tuple[str, ...]:
        return tuple(each.name for each in self.session.project.tray)

    def _patch_in_hand(self) -> Patch | None:
        hand = self.session.hand
        return hand.patch if isinstance(hand, PatchInHand) else None

    def _in_hand(self) -> Mix | None:
        """The mix in hand as it is now."""
        hand = self.session.hand
        return self._named(hand.name) if isinstance(hand, MixInHand) else None

    def _named(self, name: str) -> Mix | None:
        return next((each for each in self.session.project.mixes if each.name == name), None)

    def build(self) -> None:
        before, chosen = self._entries, self._in_hand()
        page = before.page if before is not None and chosen and before.shows(chosen) else 0
        clear(self.lines)
        self._entries = self._fall = self._falls = self._fall_of = self._sample_of = None
        for mix in self.session.project.mixes:
            if self.fits(mix.name):
                self.lines.addWidget(self._mix_card(mix, mix is chosen, page))
        if not self.session.project.mixes:
            self.lines.addWidget(note(say("No mix yet. Mark tiles under Tiles, then “Mix”.")))

    def _map_cells(self) -> int:
        return self.session.map.height * self.session.map.width if self.session.map else 0

    def _mix_card(self, mix: Mix, chosen: bool, page: int) -> QWidget:
        card, name = QWidget(), mix.name
        take = TakeButton(on_button(name))
        take.setMinimumWidth(60)
        strip = self._strip(mix)
        if strip is not None:
            take.setIcon(QIcon(strip))
            take.setIconSize(strip.deviceIndependentSize().toSize())
        take.setChecked(chosen)
        take.setToolTip(tip_of(say("Take the mix “{name}” in hand", name=name)))
        take.clicked.connect(lambda *_: self._with(name, self.taken.emit))
        rename = icon_button(
            "mdi6.pencil-outline",
            lambda: self._with(name, self._rename_mix),
            say("Rename {name}", name=name),
        )
        remove = icon_button(
            "mdi6.trash-can-outline",
            lambda: self._with(
                name, lambda each: self.session.apply(delete_mix(self.session.project, each))
            ),
            say("Delete {name}", name=name),
        )
        top = row(take, rename, remove, spacing=4)
        top.setStretch(0, 1)
        layout = column(top, spacing=4)
        if chosen:
            self._entries = MixEntries(self.session.project, mix, page)
            self._entries.changed.connect(self._change_entry)
            self._fall = column(spacing=4)
            layout.addWidget(self._entries)
            layout.addLayout(self._fall)
            self._sample, self._sample_words = QLabel(), note()
            self._sample.setAccessibleName(say("A sample of the mix"))
            layout.addWidget(self._sample)
            layout.addWidget(self._sample_words)
        card.setLayout(layout)
        return card

    def _strip(self, mix: Mix) -> QPixmap | None:
        """Draw the first tiles of a mix beside each other, those that come most often first."""
        first = sorted(mix.entries, key=lambda each: -each.weight)[:_IN_STRIP]
        found = [pixels_of(self.session.project, each.tile) for each in first]
        pictures = [tile_pixmap(each, _STRIP) for each in found if each is not None]
        if not pictures:
            return None
        out = blank(len(pictures) * (_STRIP + 2), _STRIP)
        with painting(out) as painter:
            for n, each in enumerate(pictures):
                painter.drawPixmap(n * (_STRIP + 2), 0, each)
        return out

    def _with(self, name: str, act: Callable[[Mix], object]) -> None:
        """Do something with the mix of a name as it is now: cards stay while weights change."""
        mix = self._named(name)
        if mix is not None:
            act(mix)

    def _fall_lines(self, name: str) -> FallLines:
        """Make the fields that say how a mix falls."""

        def change(field: str, value: object) -> None:
            self._with(name, lambda each: self._change_fall(each, **{field: value}))

        return FallLines(self.session, change)

    def _ask_sample(self, mix: Mix) -> None:
        """Have a sample laid beside the window; that of before is shown until it is there."""
        project, sample, words = self.session.project, self._sample, self._sample_words
        # How a mix falls is found by trial for each set of weights: too long for the interface.
        self._beside.ask(
            lambda _: look_at_sample(project, mix), partial(self._show_sample, mix, sample, words)
        )

    def _show_sample(
        self, mix: Mix, sample: QLabel, words: QLabel, found: Sample | str | None
    ) -> None:
        if not isValid(sample) or found is None:
            return
        set_role(words, "warning" if isinstance(found, str) else "note")
        if isinstance(found, str):
            sample.clear()
            words.setText(found)
            return
        if found.pictures is not None:
            wide = found.pictures.shape[2]
            columns = max(6, min(24, _WIDE // max(1, wide * (2 if wide <= 16 else 1))))
            rows = columns * 2 // 3
            part = found.cells[:rows, :columns]
            sample.setPixmap(sample_pixmap(found.pictures, part, found.caught))
        words.setText(_repeat_words(mix, found))

    def _patch_button(self, mix: Mix) -> QPushButton:
        """Let a patch of the tray, or the one in hand, be part of the mix."""
        add = QPushButton(say("+ patch"))
        add.setToolTip(say("Let a patch be part of the mix: it is laid whole or not at all"))
        menu = QMenu(add)
        in_hand = self._patch_in_hand()
        for patch in [*([in_hand] if in_hand else []), *self.session.project.tray]:
            words = on_button(patch.name or say("patch in hand"))
            join = partial(self.add_patch, patch=patch)
            menu.addAction(words, partial(self._with, mix.name, join))
        if not menu.actions():
            menu.addAction(say("The tray is empty: keep a patch there first")).setEnabled(False)
        add.setMenu(menu)
        return add

    def add_patch(self, mix: Mix, patch: Patch) -> None:
        """Put a patch into a mix; its first tile shows for it."""
        first = next((tile for line in patch.rows for tile in line if tile), None)
        if first is None:
            self.session.warn(
                say("Patch “{name}” has no tile: it can not be laid", name=patch.name)
            )
            return
        entries = (*mix.entries, MixEntry(first, 1.0, patch))
        changed = replace(mix, entries=entries)
        self.session.do(lambda: put_mix(self.session.project, changed, mix))

    def _change_fall(self, mix: Mix, **fields: object) -> None:
        fall = replace(mix.fall, **fields)  # type: ignore[arg-type]
        changed = replace(mix, fall=fall)
        if changed != mix:
            self.session.do(lambda: put_mix(self.session.project, changed, mix))

    def _laid(self, mix: Mix) -> tuple[float, ...] | None:
        """Give the parts that the mix's entries take of those of its tiles on the chosen layer."""
        map_, layer = self.session.map, self.session.layer
        if map_ is None or layer is None or not layer.holds_tiles:
            return None
        if layer.cells.size > _COUNTED:
            return None
        cells = np.maximum(layer.cells, 0).ravel()

        def places(entry: MixEntry) -> list[int]:
            lines = ((entry.tile,),) if entry.patch is None else entry.patch.rows
            tiles = {tile for line in lines for tile in line if tile}
            known = [map_.legend.place_of(tile) for tile in tiles]
            return [place for place in known if place is not None]

        wanted = [places(entry) for entry in mix.entries]
        # The legend is measured last: recipes that run beside may make it grow.
        counts = np.bincount(cells, minlength=len(map_.legend) + 1)
        found = [int(counts[each].sum()) for each in wanted]
        total = sum(found)
        return tuple(round(each / total, 4) for each in found) if total else None

    def _change_entry(self, place: int, field: str, value: float, key: object) -> None:
        mix = self._in_hand()
        if mix is None or place >= len(mix.entries):
            return
        entries = list(mix.entries)
        entries[place] = replace(entries[place], **{field: value})  # type: ignore[arg-type]
        changed = replace(mix, entries=tuple(entries))
        self.session.do(lambda: put_mix(self.session.project, changed, mix), key)

    def _rename_mix(self, mix: Mix) -> None:
        name, ok = QInputDialog.getText(self, say("Rename mix"), say("Name"), text=mix.name)
        if ok and name.strip() != mix.name:
            changed = replace(mix, name=name.strip())
            done = self.session.do(lambda: put_mix(self.session.project, changed, mix))
            if done:
                self.taken.emit(changed)
