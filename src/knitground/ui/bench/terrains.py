"""Terrains: what each tile shows at its corners, and the weights of tiles that show the same."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPoint, QPointF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QIcon, QPainter, QPixmap
from PySide6.QtWidgets import (
    QButtonGroup,
    QColorDialog,
    QComboBox,
    QDoubleSpinBox,
    QInputDialog,
    QLabel,
    QMenu,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from knitground.core.chance.draw import shares
from knitground.core.edit.changed import Changed, What
from knitground.core.edit.sheets import set_weight
from knitground.core.edit.terrains import add_set, add_terrain, change_terrain
from knitground.core.model.project import free_name
from knitground.core.model.terrain import NOTHING, TerrainSet
from knitground.core.model.tileset import TileRef, Tileset
from knitground.core.render.tiles import tile_pixels
from knitground.ui.bench.marks import MarksSheet, draw_diamond
from knitground.ui.hand import TerrainInHand
from knitground.ui.session import Session
from knitground.ui.widgets import (
    button,
    clear,
    column,
    head,
    note,
    row,
    tile_pixmap,
)
from knitground.ui.words import percent


def terrain_icon(kit: TerrainSet, mark: int, side: int = 22) -> QIcon:
    """Draw a terrain's diamond as an icon."""
    out = QPixmap(side, side)
    out.fill(Qt.GlobalColor.transparent)
    painter = QPainter(out)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    draw_diamond(painter, QPointF(side / 2, side / 2), side / 2 - 1, kit, mark)
    painter.end()
    return QIcon(out)


class TerrainsBench(QWidget):
    """The stage: sets, terrains, the sheet with marks, variants of the chosen tile."""

    slice_asked = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._kit_name = ""
        self._chips_of: object = None
        self.sheet = MarksSheet(session)
        self.sheet.tile_chosen.connect(lambda *_: self._show_variants())
        self.sets = QComboBox()
        self.sets.setToolTip("The terrain set that is being marked")
        self.sets.activated.connect(self._choose_set)
        self.chips = row(spacing=6)
        self._chip_group = QButtonGroup(self)
        self._chip_group.setExclusive(True)
        self.variants = row(spacing=10)
        self.variant_head = note("Click a tile: its variants, with weights, show here.")
        self.progress = note()
        self._lay_out()
        session.picked.connect(self._on_picked)
        session.opened.connect(self._on_picked)
        session.changed.connect(self._follow)

    def _lay_out(self) -> None:
        chips = QWidget()
        chips.setLayout(row(self.chips, 1))
        variants = QScrollArea()
        inner = QWidget()
        inner.setLayout(column(row(self.variants, 1), 1))
        variants.setWidget(inner)
        variants.setWidgetResizable(True)
        variants.setFixedHeight(84)
        layout = column(
            row(head("Terrains"), 1, self.sets, button("+ set", self.new_set, "Add a corner set")),
            note(
                "Choose a terrain, drag over the corners it shows; the right button clears. "
                "Shift marks a whole tile. The map at the right knits as you do."
            ),
            chips,
            self.sheet,
            self.progress,
            head("Variants"),
            self.variant_head,
            variants,
            margins=14,
        )
        layout.setStretch(3, 1)
        self.setLayout(layout)

    @property
    def kit(self) -> TerrainSet | None:
        """The set that is shown."""
        tileset = self.session.tileset
        if tileset is None or not tileset.sets:
            return None
        return tileset.set_named(self._kit_name) or tileset.sets[0]

    # Following the session

    def _on_picked(self) -> None:
        tileset = self.session.tileset
        names = [f"{each.name} — {kit.name}" for each, kit in self._all_sets()]
        if [self.sets.itemText(n) for n in range(self.sets.count())] != names:
            self.sets.clear()
            self.sets.addItems(names)
        kit = self.kit
        if tileset is not None and kit is not None:
            self.sets.setCurrentText(f"{tileset.name} — {kit.name}")
        self.sets.setVisible(bool(names))
        self.sheet.show_tileset(tileset)
        self.sheet.show_set(kit)
        self._show_chips()
        self._show_progress()

    def _follow(self, change: Changed) -> None:
        if change.what in (What.MARKS, What.SLICING):
            self.sheet.show_tileset(self.session.tileset)
            self.sheet.show_set(self.kit)
            self._show_variants()
            self._show_progress()

    def _all_sets(self) -> list[tuple[Tileset, TerrainSet]]:
        return [(each, kit) for each in self.session.project.tilesets for kit in each.sets]

    def _choose_set(self, place: int) -> None:
        tileset, kit = self._all_sets()[place]
        self._kit_name = kit.name
        self._chips_of = None
        self.session.choose_tileset(tileset)
        self._on_picked()

    # Terrains

    def new_set(self) -> None:
        """Add a corner set with a first terrain to the sheet."""
        tileset = self.session.tileset
        if tileset is None:
            self.session.warn("There is no sheet to mark yet: open one in Slice")
            return
        name = free_name(tileset.name.capitalize(), [each.name for each in tileset.sets])
        kit = TerrainSet(name)
        if self.session.apply(add_set(tileset, kit)):
            self._kit_name = name
            self.session.apply(add_terrain(tileset, kit, "ground"))
            self._chips_of = None
            self._on_picked()
            self.choose(1)

    def new_terrain(self) -> None:
        """Ask for a name and add a terrain."""
        name, ok = QInputDialog.getText(self, "New terrain", "Name of the terrain")
        if ok:
            self.add_terrain(name)

    def add_terrain(self, name: str) -> None:
        """Add a terrain to the set and choose it."""
        tileset, kit = self.session.tileset, self.kit
        if tileset is not None and kit is not None:
            done = self.session.attempt(
                lambda: self.session.doc.apply(add_terrain(tileset, kit, name.strip()))
            )
            if done:
                self.choose(len(kit.terrains))

    def choose(self, mark: int) -> None:
        """Choose the terrain that a drag marks; it comes in hand as well."""
        kit, tileset = self.kit, self.session.tileset
        self.sheet.value = mark
        self._show_chips()
        if kit is not None and tileset is not None and mark != NOTHING:
            self.session.take(TerrainInHand(tileset.name, kit.name, mark, kit.name_of(mark)))

    def _show_chips(self) -> None:
        kit = self.kit
        state = (id(kit), kit.terrains if kit else (), self.sheet.value)
        if state == self._chips_of:
            return
        self._chips_of = state
        clear(self.chips)
        if kit is None:
            self.chips.addWidget(note("No terrain set yet: “+ set” makes one for this sheet."))
            return
        if self.sheet.value > len(kit.terrains):
            self.sheet.value = NOTHING
        for mark, terrain in enumerate(kit.terrains, 1):
            chip = QPushButton(terrain.name)
            chip.setIcon(terrain_icon(kit, mark))
            chip.setIconSize(QSize(20, 20))
            chip.setCheckable(True)
            chip.setChecked(mark == self.sheet.value)
            chip.setToolTip(f"Mark {terrain.name} (key {mark}); right button changes it")
            chip.clicked.connect(lambda *_, m=mark: self.choose(m))
            chip.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
            chip.customContextMenuRequested.connect(
                lambda at, m=mark, c=chip: self._chip_menu(m, c, at)
            )
            self.chips.addWidget(chip)
        self.chips.addWidget(button("+ terrain", self.new_terrain, "Add a terrain to the set"))

    def _chip_menu(self, mark: int, chip: QWidget, at: QPoint) -> None:
        menu = QMenu(chip)
        menu.addAction("Rename…", lambda: self._rename(mark))
        menu.addAction("Colour…", lambda: self._recolour(mark))
        menu.addAction("Letter…", lambda: self._reletter(mark))
        menu.popup(chip.mapToGlobal(at))

    def change(self, mark: int, **facts: str) -> None:
        """Give a terrain another name, colour or letter."""
        tileset, kit = self.session.tileset, self.kit
        if tileset is None or kit is None:
            return
        old = kit.name_of(mark)
        self.session.attempt(
            lambda: self.session.doc.apply(
                change_terrain(self.session.project, tileset, kit, mark, **facts)  # type: ignore[arg-type]
            )
        )
        hand = self.session.hand
        if isinstance(hand, TerrainInHand) and hand.name == old:
            self.choose(mark)

    def _rename(self, mark: int) -> None:
        assert self.kit is not None
        old = self.kit.name_of(mark)
        name, ok = QInputDialog.getText(self, "Rename terrain", "Name", text=old)
        if ok:
            self.change(mark, name=name)

    def _recolour(self, mark: int) -> None:
        assert self.kit is not None
        old = QColor(self.kit.terrains[mark - 1].colour)
        colour = QColorDialog.getColor(old, self, "Colour of the terrain")
        if colour.isValid():
            self.change(mark, colour=colour.name())

    def _reletter(self, mark: int) -> None:
        assert self.kit is not None
        old = self.kit.terrains[mark - 1].letter
        letter, ok = QInputDialog.getText(self, "Letter of the terrain", "Letter", text=old)
        if ok and letter.strip():
            self.change(mark, letter=letter.strip())

    # Variants

    def _show_progress(self) -> None:
        tileset, kit = self.session.tileset, self.kit
        if tileset is None or kit is None:
            self.progress.setText("")
            return
        marks = kit.marks_within(tileset.rows, tileset.columns)[..., list(kit.kind.slots)]
        full = int((marks != NOTHING).all(axis=2).sum())
        some = int((marks != NOTHING).any(axis=2).sum()) - full
        kinds = len(np.unique(marks[(marks != NOTHING).all(axis=2)], axis=0)) if full else 0
        text = f"{full} of {tileset.count} tiles marked at all four corners · {kinds} combinations"
        self.progress.setText(f"{text} · {some} marked in part" if some else text)

    def _show_variants(self) -> None:
        clear(self.variants)
        tileset, kit, chosen = self.session.tileset, self.kit, self.sheet.chosen
        if tileset is None or kit is None or chosen is None or not tileset.has(*chosen):
            self.variant_head.setText("Click a tile: its variants, with weights, show here.")
            return
        marks = kit.marks_within(tileset.rows, tileset.columns)
        mine = marks[chosen]
        if not mine.any():
            same = [chosen]
        else:
            same = [(int(r), int(c)) for r, c in zip(*np.nonzero((marks == mine).all(axis=2)))]
        weights = [tileset.weight(*at) for at in same]
        names = ", ".join(f"{s.name} {kit.name_of(int(mine[s]))}" for s in kit.kind.slots)
        self.variant_head.setText(f"{names}: {len(same)} tile{'s' * (len(same) > 1)}")
        for at, weight, share in zip(same[:24], weights, shares(weights)):
            self.variants.addLayout(self._variant(tileset, at, weight, share))

    def _variant(
        self, tileset: Tileset, at: tuple[int, int], weight: float, share: float
    ) -> QVBoxLayout:
        picture = QLabel()
        pixels = tile_pixels(tileset, TileRef(tileset.name, *at))
        if pixels is not None:
            picture.setPixmap(tile_pixmap(pixels, 32, framed=True))
        field = QDoubleSpinBox()
        field.setRange(0, 1000)
        field.setDecimals(1)
        field.setValue(weight)
        field.setKeyboardTracking(False)
        field.setToolTip("Weight among tiles with the same marks; 0 is never")
        key = object()
        field.valueChanged.connect(lambda value: self._weigh(tileset, at, value, key))
        taken = QLabel(percent(share))
        taken.setProperty("role", "note")
        return column(row(picture, taken, 1), field, spacing=3)

    def _weigh(self, tileset: Tileset, at: tuple[int, int], value: float, key: object) -> None:
        self.session.attempt(lambda: self.session.doc.amend(set_weight(tileset, *at, value), key))
