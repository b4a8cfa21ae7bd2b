"""Terrains: sets of three kinds, marks on tiles, what is covered, variants, a swatch."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtCore import Qt, QTimer
from PySide6.QtWidgets import (
    QComboBox,
    QMenu,
    QPushButton,
    QStackedWidget,
    QTabBar,
    QWidget,
)

from knitground.core.edit.changed import Changed, What
from knitground.core.edit.hand import TerrainInHand
from knitground.core.model.layers import GroundLayer
from knitground.core.model.terrain import ANY, NOTHING, SetKind, TerrainSet
from knitground.core.model.tile import TileRef
from knitground.core.model.tileset import Tileset
from knitground.ui.common.setswatch import sample_pixels
from knitground.ui.common.terrainicon import set_title
from knitground.ui.common.widgets import Swatch, button, column, head, note, row
from knitground.ui.session import Session
from knitground.ui.stages.stage import Stage
from knitground.ui.stages.terrains.coverage import BigTile, CoveragePanel
from knitground.ui.stages.terrains.likelycards import LikelyCards
from knitground.ui.stages.terrains.markacts import TABS, MarkActs
from knitground.ui.stages.terrains.markssheet import MarksSheet
from knitground.ui.stages.terrains.review import ReviewPanel
from knitground.ui.stages.terrains.setacts import SetActs
from knitground.ui.stages.terrains.setcards import SetCards
from knitground.ui.stages.terrains.terrainchips import TerrainChips
from knitground.ui.stages.terrains.variants import VariantsPanel

_LATER_MS = 120


class TerrainsBench(Stage):
    """The stage: sets, terrains, the sheet with marks, and below it what comes of them."""

    key = "terrains"
    wide = 540

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.mark_acts = MarkActs(self)
        self.set_acts = SetActs(self)
        self.kit_name = ""
        self.guest_name: str | None = None
        self.pointed: tuple[int, int] | None = None
        self.sheet = MarksSheet(session)
        self.chips = TerrainChips(session)
        self.variants = VariantsPanel(session)
        self.coverage = CoveragePanel(session)
        self.review = ReviewPanel()
        self.swatch = Swatch()
        self.swatch_note = note()
        self.big = BigTile(self._big_tile)
        self.big.session = session
        self.sets = QComboBox()
        self.sets.setToolTip("The terrain set that is being marked")
        self.sets.setPlaceholderText("sets of other sheets")
        self.sets.activated.connect(self._choose_set)
        self.sheets = QComboBox()
        self.sheets.setToolTip("A set may take tiles of other sheets too: choose one to mark them")
        self.sheets.activated.connect(self._choose_sheet)
        self.progress = note()
        self._later = QTimer(self, singleShot=True, interval=_LATER_MS)
        self._later.timeout.connect(self._show_tab)
        self._lay_out()
        self._connect()

    def _lay_out(self) -> None:
        self.set_button = QPushButton("Set…")
        self.set_button.setToolTip("New, renamed, deleted terrain sets")
        menu = QMenu(self.set_button)
        for kind, words in (
            (SetKind.CORNER, "terrain at the corners"),
            (SetKind.EDGE, "paths over the sides"),
            (SetKind.RING, "cells joined to their neighbours"),
        ):
            menu.addAction(
                f"New {kind.value} set: {words}…", partial(self.set_acts.ask_terrains_of, kind)
            )
        menu.addAction("Make a set from two plain tiles…", self.mark_acts.ask_made_set)
        menu.addSeparator()
        menu.addAction("Rename…", self.set_acts.ask_set_name)
        menu.addAction("Delete", self.set_acts.delete_set)
        self.set_button.setMenu(menu)
        self.guess_button = button(
            "Guess marks",
            self.mark_acts.guess,
            "Guess the marks of all other tiles from those marked",
        )
        self.copy_button = button(
            "Copy layout", self._toggle_copy,
            "Drag over a block of tiles, then drag the block onto another one",
        )  # fmt: skip
        self.copy_button.setCheckable(True)
        self.make_button = button(
            "Make missing…", self.mark_acts.ask_make, "Make missing tiles from those that are there"
        )
        self.tabs = QTabBar()
        self.tabs.setExpanding(False)
        self.tabs.setDrawBase(False)
        for name in TABS:
            self.tabs.addTab(name)
        self.pages = QStackedWidget()
        swatch = QWidget()
        swatch_layout = column(self.swatch_note, self.swatch, spacing=4)
        swatch_layout.setStretch(1, 1)
        swatch.setLayout(swatch_layout)
        for page in (self.variants, self.coverage, swatch, self.review):
            self.pages.addWidget(page)
        self.pages.setFixedHeight(184)
        below = row(self.pages, self.big, spacing=10)
        below.setStretch(0, 1)
        below.setAlignment(self.big, Qt.AlignmentFlag.AlignTop)
        self.acts = QWidget()
        self.acts.setLayout(
            row(self.guess_button, self.copy_button, self.make_button, 1, self.sheets)
        )
        self.likely = LikelyCards(self.session)
        self.likely.hide()
        self.cards = SetCards()
        self.cards.hide()
        layout = column(
            row(head("Terrains"), 1, self.sets, self.set_button),
            self.likely,
            self.cards,
            self.chips,
            self.acts,
            self.sheet,
            self.progress,
            self.tabs,
            below,
            margins=14,
            spacing=7,
        )
        layout.setStretch(5, 1)
        self.setLayout(layout)

    def _connect(self) -> None:
        s = self.session
        s.choice.tileset_changed.connect(self.refresh_later)
        s.opened.connect(self._on_opened)
        s.changed.connect(self._follow)
        s.dressed.connect(self._later.start)
        self.cards.wanted.connect(self.set_acts.ask_terrains_of)
        self.cards.making.connect(self.mark_acts.ask_made_set)
        self.likely.made.connect(self.set_acts.made_likely)
        self.chips.chosen.connect(self.choose)
        self.chips.picture_wanted.connect(self.set_acts.take_picture)
        self.sheet.tile_chosen.connect(lambda *_: self._on_tile())
        self.sheet.tile_pointed.connect(self._point)
        self.sheet.block_dropped.connect(self.mark_acts.drop_block)
        self.sheet.stepped.connect(self.review.step)
        self.tabs.currentChanged.connect(self._turn_page)
        self.coverage.picked.connect(self.mark_acts.go_to)
        self.review.shown.connect(self.mark_acts.show_reviewed)
        self.review.ended.connect(lambda: s.note("All reviewed: coverage tells what is missing"))

    # What is shown

    @property
    def owner(self) -> Tileset | None:
        """The tileset that the set belongs to."""
        return self.session.tileset

    @property
    def kit(self) -> TerrainSet | None:
        """The set that is shown."""
        tileset = self.owner
        if tileset is None or not tileset.sets:
            return None
        return tileset.set_named(self.kit_name) or tileset.sets[0]

    @property
    def shown(self) -> Tileset | None:
        """The tileset whose sheet is shown: the set's own, or one that it takes tiles from."""
        if self.guest_name is None:
            return self.owner
        return self.session.project.tileset_named(self.guest_name) or self.owner

    def _on_opened(self) -> None:
        self.guest_name = None
        self.review.show_line([])
        self.refresh_later()

    def digit(self, number: int) -> None:
        if number == 0:
            self.choose(ANY)
        elif self.kit is not None and number <= len(self.kit.terrains):
            self.choose(number)

    def cancel(self) -> bool:
        return self.sheet.cancel()

    def make_missing(self, owner: Tileset, kit: TerrainSet, show: Callable[[], object]) -> bool:
        show()
        self.choose_set(owner, kit)
        self.mark_acts.ask_make()
        return True

    def mark_terrain(
        self, owner: Tileset, kit: TerrainSet, terrain: int, show: Callable[[], object]
    ) -> bool:
        show()
        self.choose_set(owner, kit)
        self.choose(terrain)
        return True

    def refresh(self) -> None:
        owner, kit = self.owner, self.kit
        self._fill(self.sets, [set_title(each, k) for each, k in self._all_sets()],
                   set_title(owner, kit) if owner and kit else "")  # fmt: skip
        if kit is None:  # a sheet without a set: the list offers those of others, none is shown
            self.sets.setCurrentIndex(-1)
        self.sets.setVisible(bool(self._all_sets()))
        names = [each.name for each in self.session.project.tilesets]
        shown = self.shown
        self._fill(self.sheets, [f"tiles of {name}" for name in names],
                   f"tiles of {shown.name}" if shown else "")  # fmt: skip
        self.sheets.setVisible(len(names) > 1 and kit is not None)
        if self.sheet.tileset is not shown:
            self.sheet.chosen = None
        self.sheet.show_tileset(shown)
        self.sheet.show_set(kit, owner)
        if kit is not None and NOTHING < self.sheet.value < ANY:
            self.sheet.value = min(self.sheet.value, len(kit.terrains))
        self.chips.show_set(owner, kit, self.sheet.value)
        self.cards.setVisible(kit is None and owner is not None)
        self.likely.show_sheet(self.session.tileset if kit is None else None)
        for part in (self.chips, self.acts, self.tabs, self.pages, self.big):
            part.setVisible(kit is not None)
        for each in (self.guess_button, self.copy_button, self.make_button):
            each.setEnabled(kit is not None)
        self._show_progress()
        self.big.update()
        self._later.start()

    def _fill(self, box: QComboBox, names: list[str], current: str) -> None:
        if [box.itemText(n) for n in range(box.count())] != names:
            box.clear()
            box.addItems(names)
        if current:
            box.setCurrentText(current)

    def _follow(self, change: Changed) -> None:
        if change.what in (What.MARKS, What.SLICING, What.TILESETS):
            self.refresh_later()
        elif change.what in (What.LAYERS, What.MAPS) and self.isVisible():
            self._show_progress()  # who uses the set

    def _all_sets(self) -> list[tuple[Tileset, TerrainSet]]:
        return [(each, kit) for each in self.session.project.tilesets for kit in each.sets]

    def _choose_set(self, place: int) -> None:
        tileset, kit = self._all_sets()[place]
        self.choose_set(tileset, kit)

    def choose_set(self, tileset: Tileset, kit: TerrainSet) -> None:
        """Work on a set."""
        self.kit_name, self.guest_name = kit.name, None
        self.session.choose_tileset(tileset)
        self.refresh()
        if kit.terrains:
            self.choose(min(max(1, self.sheet.value), len(kit.terrains)))

    def _choose_sheet(self, place: int) -> None:
        tileset = self.session.project.tilesets[place]
        self.guest_name = None if tileset is self.owner else tileset.name
        self.refresh()

    def _turn_page(self, place: int) -> None:
        self.pages.setCurrentIndex(place)
        self._show_tab()

    def _show_tab(self) -> None:
        """Bring the page that is shown up to date; the others follow when they are turned to."""
        owner, kit = self.owner, self.kit
        if owner is None or kit is None or not self.isVisible():
            return
        name = TABS[self.tabs.currentIndex()]
        if name == "Variants":
            self.variants.show_tile(owner, kit, self._tile(self.sheet.chosen))
        elif name == "Coverage":
            self.coverage.show_set(owner, kit)
        elif name == "Swatch":
            pixels, gaps = sample_pixels(self.session.project, owner, kit)
            self.swatch.show_pixels(pixels)
            self.swatch_note.setText(
                f"{gaps} cells have no tile: they glow" if gaps else "Every cell has its tile."
            )

    # Tiles

    def _tile(self, at: tuple[int, int] | None) -> TileRef | None:
        shown = self.shown
        if at is None or shown is None or not shown.has(*at):
            return None
        return TileRef(shown.name, *at)

    def _big_tile(self) -> tuple[TileRef, list[int], TerrainSet] | None:
        at = self.pointed or self.sheet.chosen
        tile, kit, shown, owner = self._tile(at), self.kit, self.shown, self.owner
        if tile is None or kit is None or shown is None or owner is None:
            return None
        guest = None if shown is owner else shown.name
        marks = kit.marks_within(shown.rows, shown.columns, guest)[tile.row, tile.col]
        return tile, marks.tolist(), kit

    def _point(self, at: tuple[int, int] | None) -> None:
        self.pointed = at
        self.big.update()

    def _on_tile(self) -> None:
        self.big.update()
        if TABS[self.tabs.currentIndex()] == "Variants":
            self._show_tab()

    def _show_progress(self) -> None:
        shown, kit = self.shown, self.kit
        if shown is None or kit is None:
            self.progress.setText("")
            return
        guest = None if shown is self.owner else shown.name
        marks = kit.marks_within(shown.rows, shown.columns, guest)[..., list(kit.kind.slots)]
        marked = int((marks != NOTHING).any(axis=2).sum())
        full = int((marks != NOTHING).all(axis=2).sum())
        text = f"{marked} of {shown.count} tiles marked"
        if kit.kind is SetKind.CORNER and full < marked:
            text += f" · {marked - full} of them in part"
        users = len(self.users())
        article = "an" if kit.kind is SetKind.EDGE else "a"
        text += f" · {article} {kit.kind.value} set"
        text += (
            f", used by {users} layer{'s' * (users > 1)}" if users else ", not used by a map yet"
        )
        self.progress.setText(text)

    def users(self) -> list[GroundLayer]:
        owner, kit = self.owner, self.kit
        if owner is None or kit is None:
            return []
        return [
            layer
            for map_ in self.session.project.maps
            for layer in map_.layers
            if isinstance(layer, GroundLayer)
            and (layer.tileset, layer.set_name) == (owner.name, kit.name)
        ]

    # Sets and terrains

    def choose(self, mark: int) -> None:
        """Choose what a drag marks; a terrain comes in hand as well."""
        kit, owner = self.kit, self.owner
        self.sheet.value = mark
        self.chips.show_set(owner, kit, mark)
        if kit is not None and owner is not None and NOTHING < mark <= len(kit.terrains):
            self.session.take(TerrainInHand(owner.name, kit.name, mark, kit.name_of(mark)))

    # Guessing

    # Copying a layout

    def _toggle_copy(self) -> None:
        self.sheet.set_copying(self.copy_button.isChecked())
        if self.copy_button.isChecked():
            self.session.note("Drag over a block of marked tiles, then drag it onto another block")

    # Coverage
