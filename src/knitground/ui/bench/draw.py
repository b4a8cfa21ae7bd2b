"""Draw: take in hand a tile, a terrain or a mix."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtGui import QColor, QMouseEvent, QPainter, QPen
from PySide6.QtWidgets import (
    QComboBox,
    QDoubleSpinBox,
    QInputDialog,
    QLabel,
    QPushButton,
    QScrollArea,
    QStackedWidget,
    QTabBar,
    QVBoxLayout,
    QWidget,
)

from knitground.core.chance.draw import shares
from knitground.core.edit.changed import Changed, What
from knitground.core.edit.maps import delete_mix, put_mix
from knitground.core.edit.terrains import plain_tile
from knitground.core.model.mix import Mix, MixEntry
from knitground.core.model.patch import Patch
from knitground.core.model.project import free_name
from knitground.core.model.tileset import TileRef
from knitground.core.render.pixels import Pixels
from knitground.core.render.tiles import is_empty, tile_pixels
from knitground.ui.bench.terrainchips import terrain_icon
from knitground.ui.hand import Hand, MixInHand, PatchInHand, TerrainInHand, TileInHand
from knitground.ui.session import Session
from knitground.ui.sheetview import SheetView
from knitground.ui.theme import LINEN
from knitground.ui.widgets import (
    ShareBar,
    button,
    clear,
    column,
    head,
    icon_button,
    note,
    row,
    tile_pixmap,
)
from knitground.ui.words import percent

TABS = ("Terrains", "Tiles", "Mixes")


class TilePicker(SheetView):
    """The sheet; a click takes a tile, a drag or Ctrl+click marks several for a mix."""

    taken = Signal(int, int)
    block_taken = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.chosen: list[tuple[int, int]] = []
        self._start: tuple[int, int] | None = None

    def paint_over(self, painter: QPainter) -> None:
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for row_, col in self.chosen:
            rect = self.tile_rect(row_, col).adjusted(-1, -1, 1, 1)
            for colour, width in ((LINEN.panel, 4), (LINEN.madder, 2)):
                painter.setPen(QPen(QColor(colour), width))
                painter.drawRect(rect)

    def pressed(self, event: QMouseEvent) -> None:
        at = self.tile_at(event.position())
        if at is None or self.tileset is None:
            return
        if at in self.tileset.left_out or is_empty(self.tileset, *at):
            self.session.note("That tile is empty or left out")
            return
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            if at in self.chosen:
                self.chosen.remove(at)
            else:
                self.chosen.append(at)
        else:
            self.chosen = [at]
            self._start = at
            self.taken.emit(*at)
        self.update()

    def moved(self, event: QMouseEvent) -> None:
        at = self.tile_at(event.position())
        if at is not None and self.tileset is not None:
            number, weight = self.tileset.number(*at), self.tileset.weight(*at)
            self.session.pointed.emit(
                f"tile {number} of {self.tileset.name}: column {at[1]}, row {at[0]} · "
                f"weight {weight:g}"
            )
        if self.tileset is None:
            return
        if at is not None and self._start is not None and at != self._start:
            rows = sorted((at[0], self._start[0]))
            cols = sorted((at[1], self._start[1]))
            self.chosen = [
                (r, c)
                for r in range(rows[0], rows[1] + 1)
                for c in range(cols[0], cols[1] + 1)
                if (r, c) not in self.tileset.left_out and not is_empty(self.tileset, r, c)
            ]
            self.update()

    def released(self, event: QMouseEvent) -> None:
        several = len(self.chosen) > 1
        self._start = None
        if several:
            self.block_taken.emit()

    def patch(self) -> Patch | None:
        """Give the marked tiles as a patch, as they lie on the sheet, with holes between."""
        if self.tileset is None or not self.chosen:
            return None
        rows, cols = [row for row, _ in self.chosen], [col for _, col in self.chosen]
        marked = set(self.chosen)
        name = self.tileset.name
        return Patch(name, tuple(
            tuple(TileRef(name, r, c) if (r, c) in marked else None
                  for c in range(min(cols), max(cols) + 1))
            for r in range(min(rows), max(rows) + 1)
        ))  # fmt: skip


class DrawBench(QWidget):
    """The stage: terrains, tiles and mixes to take in hand, and what is in hand."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._mixes_shown: object = None
        self.tabs = QTabBar()
        self.tabs.setExpanding(False)
        self.tabs.setDrawBase(False)
        for name in TABS:
            self.tabs.addTab(name)
        self.pages = QStackedWidget()
        self.terrain_list = column(spacing=6)
        self.sheets = QComboBox()
        self.sheets.setToolTip("The sheet to take tiles from")
        self.sheets.activated.connect(lambda n: session.choose_tileset(session.project.tilesets[n]))
        self.picker = TilePicker(session)
        self.picker.taken.connect(self._take_tile)
        self.picker.block_taken.connect(self._take_block)
        self.mix_list = column(spacing=8)
        self.hand_picture = QLabel()
        self.hand_picture.setFixedSize(64, 64)
        self.hand_name = QLabel()
        self.hand_note = note()
        self._lay_out()
        self.tabs.currentChanged.connect(self.pages.setCurrentIndex)
        session.picked.connect(self.refresh)
        session.opened.connect(self.refresh)
        session.changed.connect(self._follow)
        session.dressed.connect(self._redress)

    def _lay_out(self) -> None:
        tiles = QWidget()
        tiles.setLayout(
            column(
                self.sheets,
                self.picker,
                note("Click takes a tile; a drag or Ctrl+click takes several as a patch."),
                button("Mix of the marked tiles", self.new_mix, "Make a mix of the marked tiles"),
            )
        )
        tiles.layout().setStretch(1, 1)  # type: ignore[union-attr]
        for page in (self._scrolled(self.terrain_list), tiles, self._scrolled(self.mix_list)):
            self.pages.addWidget(page)
        hand = row(self.hand_picture, column(self.hand_name, self.hand_note, 1, spacing=2))
        hand.setStretch(1, 1)
        layout = column(
            head("Take in hand"),
            self.tabs,
            self.pages,
            head("In hand"),
            hand,
            head("Why this tile?"),
            note("Hold W over a cell: what it asks for, candidates, weights and the number drawn."),
            margins=14,
        )
        layout.setStretch(2, 1)
        self.setLayout(layout)

    def _scrolled(self, inner: QVBoxLayout) -> QScrollArea:
        area = QScrollArea()
        page = QWidget()
        page.setLayout(column(inner, 1))
        area.setWidget(page)
        area.setWidgetResizable(True)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        return area

    # Following the session

    def _follow(self, change: Changed) -> None:
        if change.what in (What.MARKS, What.SLICING, What.TILESETS, What.MIXES):
            self._mixes_shown = None
            self.refresh()

    def _redress(self) -> None:
        self._mixes_shown = None
        self.refresh()

    def refresh(self) -> None:
        """Show what there is to take, and what is in hand."""
        project, tileset = self.session.project, self.session.tileset
        names = [each.name for each in project.tilesets]
        if [self.sheets.itemText(n) for n in range(self.sheets.count())] != names:
            self.sheets.clear()
            self.sheets.addItems(names)
        if tileset is not None:
            self.sheets.setCurrentText(tileset.name)
        if self.picker.tileset is not tileset:
            self.picker.chosen = []
        self.picker.show_tileset(tileset)
        self._show_terrains()
        self._show_mixes()
        self._show_hand()

    def _show_terrains(self) -> None:
        clear(self.terrain_list)
        found = False
        for tileset in self.session.project.tilesets:
            for kit in tileset.sets:
                self.terrain_list.addWidget(
                    note(f"{tileset.name} — {kit.name} ({kit.kind.value} set)")
                )
                for mark, terrain in enumerate(kit.terrains, 1):
                    hand = TerrainInHand(tileset.name, kit.name, mark, terrain.name)
                    made = QPushButton(terrain.name)
                    made.setIcon(terrain_icon(kit, mark))
                    made.setIconSize(QSize(20, 20))
                    made.setProperty("left", "true")
                    made.setCheckable(True)
                    made.setChecked(self.session.hand == hand)
                    made.setToolTip(f"Take {terrain.name} in hand (key {mark})")
                    made.clicked.connect(lambda *_, h=hand: self._take_terrain(h))
                    self.terrain_list.addWidget(made)
                    found = True
        if not found:
            self.terrain_list.addWidget(
                note("No terrain yet. Mark which corners show what in Terrains.")
            )
            self.terrain_list.addWidget(
                button("Go to Terrains", lambda: self.session.stage_wanted.emit("terrains"))
            )

    # Taking

    def _take_terrain(self, hand: TerrainInHand) -> None:
        self.session.take(hand)
        self._back_to_paint()

    def _take_tile(self, row_: int, col: int) -> None:
        tileset = self.session.tileset
        if tileset is not None:
            tile = TileRef(tileset.name, row_, col)
            self.session.take(TileInHand(tile, tileset.number(row_, col)))
            self._back_to_paint()

    def _take_block(self) -> None:
        patch = self.picker.patch()
        if patch is not None:
            self.session.take(PatchInHand(patch))
            self._back_to_paint()

    def take_mix(self, mix: Mix) -> None:
        """Take a mix in hand."""
        self.session.take(MixInHand(mix.name, mix))
        self._back_to_paint()

    def _back_to_paint(self) -> None:
        # Taking something means laying it: Erase and Pick would not.
        if self.session.tool in ("erase", "pick"):
            self.session.choose_tool("paint")

    # Mixes

    def new_mix(self) -> None:
        """Make a mix of the tiles marked on the sheet and take it in hand."""
        tileset = self.session.tileset
        if tileset is None or not self.picker.chosen:
            self.session.note("Mark tiles on the sheet first: drag, or Ctrl+click")
            return
        name = free_name("Mix", [each.name for each in self.session.project.mixes])
        entries = tuple(
            MixEntry(TileRef(tileset.name, r, c), tileset.weight(r, c))
            for r, c in self.picker.chosen
        )
        mix = Mix(name, entries)
        if self.session.apply(put_mix(self.session.project, mix)):
            self.tabs.setCurrentIndex(TABS.index("Mixes"))
            self.take_mix(mix)

    def _show_mixes(self) -> None:
        hand = self.session.hand
        chosen = hand.name if isinstance(hand, MixInHand) else None
        state = (tuple(self.session.project.mixes), chosen, self._map_cells())
        if state == self._mixes_shown:
            return
        self._mixes_shown = state
        clear(self.mix_list)
        for mix in self.session.project.mixes:
            self.mix_list.addWidget(self._mix_card(mix, mix.name == chosen))
        if not self.session.project.mixes:
            self.mix_list.addWidget(
                note("No mix yet. Mark tiles under Tiles, then “Mix of the marked tiles”.")
            )

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
        take.clicked.connect(lambda *_: self.take_mix(mix))
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
        pixels = self._tile_pixels(entry.tile)
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
        self.session.attempt(
            lambda: self.session.doc.apply(put_mix(self.session.project, changed, mix))
        )

    def _rename_mix(self, mix: Mix) -> None:
        name, ok = QInputDialog.getText(self, "Rename mix", "Name", text=mix.name)
        if ok and name.strip() != mix.name:
            changed = Mix(name.strip(), mix.entries)
            done = self.session.attempt(
                lambda: self.session.doc.apply(put_mix(self.session.project, changed, mix))
            )
            if done:
                self.take_mix(changed)

    # In hand

    def _show_hand(self) -> None:
        hand = self.session.hand
        self.hand_name.setText(hand.title if hand else "nothing")
        self.hand_note.setText(_hand_note(hand, self.session))
        pixels = self._hand_pixels(hand)
        if pixels is None:
            self.hand_picture.clear()
        else:
            self.hand_picture.setPixmap(tile_pixmap(pixels, 64, framed=True))

    def _hand_pixels(self, hand: Hand | None) -> Pixels | None:
        if isinstance(hand, TileInHand):
            return self._tile_pixels(hand.tile)
        if isinstance(hand, MixInHand):
            return self._mix_pixels(hand.mix)
        if isinstance(hand, PatchInHand):
            return self._patch_pixels(hand.patch)
        if isinstance(hand, TerrainInHand):
            return self._terrain_pixels(hand)
        return None

    def _terrain_pixels(self, hand: TerrainInHand) -> Pixels | None:
        found = self.session.project.set_of(hand.tileset, hand.set_name)
        if found is None:
            return None
        tile = plain_tile(*found, hand.value)
        return self._tile_pixels(tile) if tile else None

    def _patch_pixels(self, patch: Patch) -> Pixels | None:
        """Lay the first tiles of a patch out as they will lie."""
        rows = [row[:8] for row in patch.rows[:8]]
        known = [p for row in rows for t in row if t and (p := self._tile_pixels(t)) is not None]
        if not known:
            return None
        high, wide = known[0].shape
        out = np.zeros((len(rows) * high, len(rows[0]) * wide), np.uint32)
        for r, line in enumerate(rows):
            for c, tile in enumerate(line):
                pixels = self._tile_pixels(tile) if tile else None
                if pixels is not None and pixels.shape == (high, wide):
                    out[r * high : (r + 1) * high, c * wide : (c + 1) * wide] = pixels
        side = max(out.shape)
        square = np.zeros((side, side), np.uint32)
        square[: out.shape[0], : out.shape[1]] = out
        return square

    def _mix_pixels(self, mix: Mix) -> Pixels | None:
        tiles = [self._tile_pixels(entry.tile) for entry in mix.entries[:4]]
        known = [each for each in tiles if each is not None]
        if not known or len({each.shape for each in known}) > 1:
            return known[0] if known else None
        known = (known * 4)[:4]
        return np.concatenate(
            [np.concatenate(known[:2], axis=1), np.concatenate(known[2:], axis=1)]
        )

    def _tile_pixels(self, tile: TileRef) -> Pixels | None:
        owner = self.session.project.tileset_named(tile.tileset)
        return tile_pixels(owner, tile) if owner else None


def _hand_note(hand: Hand | None, session: Session) -> str:
    if isinstance(hand, MixInHand):
        parts = zip(hand.mix.entries, shares(hand.mix.weights))
        words = ", ".join(percent(share) for _, share in parts)
        return f"{len(hand.mix.entries)} tiles: {words} · seed {session.seed} · R rerolls"
    if isinstance(hand, PatchInHand):
        return "[ ] turn it, X mirrors, Y flips; Box and Fill repeat it"
    if isinstance(hand, TileInHand):
        return "[ ] turn it, X mirrors, Y flips; on a ground layer it becomes a pin and stays"
    if isinstance(hand, TerrainInHand):
        return f"{hand.set_name}: tiles at its borders knit themselves"
    return "take a terrain, a tile or a mix"
