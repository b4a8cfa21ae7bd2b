"""Terrains: sets of three kinds, marks on tiles, what is covered, variants, a swatch."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from functools import partial
from weakref import WeakKeyDictionary

import numpy as np
from PySide6.QtCore import Qt, QTimer
from PySide6.QtWidgets import (
    QFormLayout,
    QInputDialog,
    QMenu,
    QPushButton,
    QStackedWidget,
    QTabBar,
    QWidget,
)

from knitground.core.base.progress import Progress
from knitground.core.base.tongue import later, say, say_many
from knitground.core.edit.changed import Changed, What
from knitground.core.edit.hand import TerrainInHand
from knitground.core.edit.terrainlist import add_terrain
from knitground.core.edit.terrains import (
    add_made,
    add_set,
    copy_layout,
    delete_set,
    plain_tile,
    rename_set,
    set_marks,
)
from knitground.core.knit.coverage import Combination
from knitground.core.knit.find import find_key
from knitground.core.knit.guessing import Guessed, block_terrains, guess_sheet
from knitground.core.model.layers import GroundLayer
from knitground.core.model.limits import MAX_NAME
from knitground.core.model.map import Map
from knitground.core.model.project import free_name
from knitground.core.model.terrain import ANY, NOTHING, SetKind, TerrainSet
from knitground.core.model.tile import TileRef
from knitground.core.model.tileset import At, Tileset
from knitground.ui.common.asking import answered
from knitground.ui.common.dialog import Dialog
from knitground.ui.common.form import Choice
from knitground.ui.common.setswatch import sample_pixels
from knitground.ui.common.terrainicon import set_title, terrain_icon
from knitground.ui.common.widgets import Swatch, button, column, head, note, row
from knitground.ui.session import Session
from knitground.ui.stages.stage import Stage
from knitground.ui.stages.terrains.coverage import BigTile, CoveragePanel
from knitground.ui.stages.terrains.likelycards import LikelyCards
from knitground.ui.stages.terrains.makedialog import MakeDialog
from knitground.ui.stages.terrains.markssheet import Block, MarksSheet
from knitground.ui.stages.terrains.review import ReviewPanel
from knitground.ui.stages.terrains.setcards import SetCards
from knitground.ui.stages.terrains.setdialog import SetDialog
from knitground.ui.stages.terrains.terrainchips import TerrainChips
from knitground.ui.stages.terrains.variants import VariantsPanel

_LATER_MS = 120
TABS = (later("Variants"), later("Coverage"), later("Swatch"), later("Review"))
_EXAMPLES = {
    SetKind.CORNER: say("as in grass, sand, water"),
    SetKind.EDGE: say("as in road, river"),
    SetKind.RING: say("as in wall"),
}


class TerrainsBench(Stage):
    """The stage: sets, terrains, the sheet with marks, and below it what comes of them."""

    key = "terrains"
    wide = 515

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        session.missing_wanted.connect(self.make_missing)
        session.marks_wanted.connect(self.mark_terrain)
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
        self.sets = Choice(say("The terrain set that is being marked"))
        self.sets.setPlaceholderText(say("sets of other sheets"))
        self.sets.chosen.connect(lambda found: self.choose_set(*found))
        self.sheets = Choice(
            say("A set may take tiles of other sheets too: choose one to mark them")
        )
        self.sheets.chosen.connect(self._choose_sheet)
        self.progress = note()
        self._later = QTimer(self, singleShot=True, interval=_LATER_MS)
        self._later.timeout.connect(self._show_tab)
        self._lay_out()
        self._connect()

    def _lay_out(self) -> None:
        self.set_button = QPushButton(say("Set…"))
        self.set_button.setToolTip(say("New, renamed, deleted terrain sets"))
        menu = QMenu(self.set_button)
        for kind, words in (
            (SetKind.CORNER, say("terrain at the corners")),
            (SetKind.EDGE, say("paths over the sides")),
            (SetKind.RING, say("cells joined to their neighbours")),
        ):
            menu.addAction(
                say("New {value} set: {words}…", value=say(kind.value), words=words),
                partial(self.ask_terrains_of, kind),
            )
        menu.addAction(say("Make a set from two plain tiles…"), self.ask_made_set)
        menu.addAction(say("Likely sets of this sheet"), self.show_likely)
        menu.addSeparator()
        menu.addAction(say("Rename…"), self.ask_set_name)
        menu.addAction(say("Delete"), self.delete_set)
        self.set_button.setMenu(menu)
        self.guess_button = button(
            say("Guess marks"),
            self.guess,
            say("Guess the marks of all other tiles from those marked"),
        )
        self.copy_button = button(
            say("Copy layout"), self._toggle_copy,
            say("Drag over a block of tiles, then drag the block onto another one"),
        )  # fmt: skip
        self.copy_button.setCheckable(True)
        self.make_button = button(
            say("Make missing…"), self.ask_make, say("Make missing tiles from those that are there")
        )
        self.tabs = QTabBar()
        self.tabs.setExpanding(False)
        self.tabs.setDrawBase(False)
        for name in TABS:
            self.tabs.addTab(say(name))
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
        self._unseen: WeakKeyDictionary[TerrainSet, set[At]] = WeakKeyDictionary()
        self.more = button(
            "", self.show_likely, say("Likely sets of this sheet that are not made yet")
        )
        self.more.hide()
        self._likely_open = False
        self.cards = SetCards()
        self.cards.hide()
        layout = column(
            row(head(say("Terrains")), 1, self.sets, self.set_button),
            row(self.more, 1),
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
        layout.setStretch(6, 1)
        self.setLayout(layout)

    def _connect(self) -> None:
        s = self.session
        s.choice.tileset_changed.connect(self.refresh_later)
        s.changed.connect(self._follow)
        s.dressed.connect(self._later.start)
        self.cards.wanted.connect(self.ask_terrains_of)
        self.cards.making.connect(self.ask_made_set)
        self.likely.made.connect(self.made_likely)
        self.likely.pointed.connect(self.sheet.outline)
        self.likely.gathers.connect(self.sheet.gather)
        self.sheet.gathered.connect(self.likely.put)
        self.likely.changed.connect(self._show_more)
        self.chips.chosen.connect(self.choose)
        self.chips.picture_wanted.connect(self.take_picture)
        self.sheet.tile_chosen.connect(self._on_tile)
        self.sheet.tile_pointed.connect(self._point)
        self.sheet.block_dropped.connect(self.drop_block)
        self.sheet.stepped.connect(self.review.step)
        self.tabs.currentChanged.connect(self._turn_page)
        self.coverage.picked.connect(self.go_to)
        self.review.shown.connect(self.show_reviewed)
        self.review.guess_wanted.connect(self.guess)
        self.review.look_wanted.connect(self.look_at_guessed)
        self.review.right_wanted.connect(self.take_all_as_right)
        self.review.ended.connect(
            lambda: s.note(say("All reviewed: coverage tells what is missing"))
        )

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

    def begin_anew(self) -> None:
        self._likely_open = False
        self.guest_name = None
        self.review.show_line([])
        self.copy_button.setChecked(False)
        self._toggle_copy()
        super().begin_anew()

    def digit(self, number: int) -> None:
        if number == 0:
            self.choose(ANY)
        elif self.kit is not None and number <= len(self.kit.terrains):
            self.choose(number)

    def cancel(self) -> bool:
        return self.sheet.cancel() or self.likely.end_gathering()

    def make_missing(self, owner: Tileset, kit: TerrainSet) -> None:
        """Offer to make the missing tiles of a set."""
        self.session.stage_wanted.emit(self.key)
        self.choose_set(owner, kit)
        self.ask_make()

    def mark_terrain(self, owner: Tileset, kit: TerrainSet, terrain: int) -> None:
        """Let a terrain of a set be marked."""
        self.session.stage_wanted.emit(self.key)
        self.choose_set(owner, kit)
        self.choose(terrain)

    def refresh(self) -> None:
        owner, kit = self.owner, self.kit
        tilesets, shown = self.session.project.tilesets, self.shown
        sets = [(each, kit) for each in tilesets for kit in each.sets]
        self.sets.offer((set_title(*each), each) for each in sets)
        self.sets.show_value((owner, kit))  # without a set of this sheet: none of the others
        self.sets.setVisible(bool(sets))
        self.sheets.offer((say("tiles of {name}", name=each.name), each) for each in tilesets)
        self.sheets.show_value(shown)
        self.sheets.setVisible(len(tilesets) > 1 and kit is not None)
        if self.sheet.tileset is not shown:
            self.sheet.chosen = None
        self.sheet.show_tileset(shown)
        self.sheet.show_set(kit, owner)
        if kit is not None and NOTHING < self.sheet.value < ANY:
            self.sheet.value = min(self.sheet.value, len(kit.terrains))
        self.chips.show_set(owner, kit, self.sheet.value)
        self.cards.setVisible(kit is None and owner is not None)
        self.cards.set_slim(bool(self.likely.shown))
        self.likely.show_sheet(self.session.tileset, opened=kit is None or self._likely_open)
        self._show_more()
        for part in (self.chips, self.acts, self.tabs, self.pages, self.big):
            part.setVisible(kit is not None)
        for each in (self.guess_button, self.copy_button, self.make_button):
            each.setEnabled(kit is not None)
        self._show_progress()
        self._show_guessed()
        self.big.update()
        self._later.start()

    def _follow(self, change: Changed) -> None:
        if change.what in (What.MARKS, What.SLICING, What.TILESETS):
            self.refresh_later()
        elif change.what in (What.LAYERS, What.MAPS) and self.isVisible():
            self._show_progress()  # who uses the set

    def choose_set(self, tileset: Tileset, kit: TerrainSet) -> None:
        """Work on a set."""
        self.kit_name, self.guest_name = kit.name, None
        self.session.choose_tileset(tileset)
        self.refresh()
        if kit.terrains:
            self.choose(min(max(1, self.sheet.value), len(kit.terrains)))

    def _choose_sheet(self, tileset: Tileset) -> None:
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
            chosen = self._tile(self.sheet.chosen)
            shown = chosen or self._example(owner, kit)
            self.variants.show_tile(owner, kit, shown, example=chosen is None)
        elif name == "Coverage":
            self.coverage.show_set(owner, kit)
        elif name == "Swatch":
            pixels, gaps = sample_pixels(self.session.project, owner, kit)
            self.swatch.show_pixels(pixels)
            self.swatch_note.setText(
                say("{gaps} cells have no tile: they glow", gaps=gaps)
                if gaps
                else say("Every cell has its tile.")
            )

    # Tiles

    def _tile(self, at: tuple[int, int] | None) -> TileRef | None:
        shown = self.shown
        if at is None or shown is None or not shown.has(*at):
            return None
        return TileRef(shown.name, *at)

    def _example(self, owner: Tileset, kit: TerrainSet) -> TileRef | None:
        """Give a tile that shows how it is done, where none is chosen: a plain one, if marked."""
        if self.shown is not owner or not kit.marks.any():
            return None
        tile = plain_tile(owner, kit, min(max(1, self.sheet.value), len(kit.terrains)))
        return tile if tile is not None and owner.has(tile.row, tile.col) else None

    def _big_tile(self) -> tuple[TileRef, list[int], TerrainSet] | None:
        at = self.pointed or self.sheet.chosen
        if at is None and self.owner is not None and self.kit is not None:
            example = self._example(self.owner, self.kit)
            at = (example.row, example.col) if example is not None else (0, 0)
        tile, kit, shown, owner = self._tile(at), self.kit, self.shown, self.owner
        if tile is None or kit is None or shown is None or owner is None:
            return None
        guest = None if shown is owner else shown.name
        marks = kit.marks_within(shown.rows, shown.columns, guest)[tile.row, tile.col]
        return tile, marks.tolist(), kit

    def _point(self, at: tuple[int, int] | None) -> None:
        self.pointed = at
        self.big.update()

    def _on_tile(self, row_: int, col: int) -> None:
        self._see((row_, col))
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
        text = say("{marked} of {count} tiles marked", marked=marked, count=shown.count)
        if kit.kind is SetKind.CORNER and full < marked:
            text += say(" · {marked} of them in part", marked=marked - full)
        users = len(self.users())
        text += say(" · {value} set", value=say(kit.kind.value))
        text += (
            say_many(", used by {count} layer", ", used by {count} layers", users)
            if users
            else say(", not used by a map yet")
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
            self.session.note(
                say("Drag over a block of marked tiles, then drag it onto another block")
            )

    def guess(self) -> None:
        """Guess all marks that are not known, as one step, and line up the least sure."""
        owner, kit, shown = self.owner, self.kit, self.shown
        if owner is None or kit is None or shown is None or shown.picture is None:
            self.session.note(say("Choose a set and a sheet first"))
            return
        guest = None if shown is owner else shown

        def take(found: Guessed | str) -> None:
            if isinstance(found, str):
                self.session.note(found[0].upper() + found[1:])
                return
            name = say("Guess marks of {count} tiles", count=len(found.places))
            if self.session.apply(set_marks(owner, kit, found.places, found.marks, name, guest)):
                if guest is None:
                    self._guessed(kit, found.places)
                self.tabs.setCurrentIndex(TABS.index("Review"))
                self.review.show_line([*found.line])
                self.sheet.setFocus()
                self.session.note(
                    say(
                        "{count} tiles are marked; the {count2} least sure are lined up: Enter "
                        "accepts",
                        count=len(found.places),
                        count2=len(found.line),
                    )
                )

        name = guest.name if guest else None
        self.session.run_long(
            say("Guessing marks…"), lambda progress: guess_sheet(shown, kit, name, progress), take
        )

    def show_reviewed(self, row_: int, col: int) -> None:
        self.sheet.choose(row_, col)
        self.sheet.show_tile(row_, col)
        self.pointed = None
        self.big.update()

    def drop_block(self, block: Block, to: tuple[int, int]) -> None:
        """Copy the marks of a block; asks which terrain comes in place of which."""
        owner, kit = self.owner, self.kit
        if owner is None or kit is None or self.shown is not owner:
            self.session.note(say("A layout is copied on the set's own sheet"))
            return
        row_, col, rows, cols = block
        marks = kit.marks_within(owner.rows, owner.columns)
        found = block_terrains(marks[row_ : row_ + rows, col : col + cols])
        there = marks[to[0] : to[0] + rows, to[1] : to[1] + cols]
        terrains = self.ask_terrains(found, block_terrains(there))
        if terrains is not None:
            self.session.do(lambda: copy_layout(owner, kit, block, to, terrains))

    def go_to(self, each: Combination, map_: Map | None) -> None:
        """Show a combination's tiles on the sheet, and a cell of the map that asks for it."""
        owner, kit = self.owner, self.kit
        if owner is None or kit is None or self.coverage.shown != (owner, kit):
            return  # what was clicked is of another set, and about to give way to this one's
        tile = map_.legend.tile(each.variants[0][0]) if map_ and each.had else None
        if tile is not None:
            self.guest_name = None if tile.tileset == owner.name else tile.tileset
            self.refresh()
            self.sheet.choose(tile.row, tile.col)
            self.sheet.show_tile(tile.row, tile.col)
        self.find_on_map(each)

    def find_on_map(self, each: Combination) -> None:
        """Bring the first cell that asks for a combination to the middle of the map."""
        map_, knitter = self.session.map, self.session.doc.knitter
        layers = [layer for layer in self.users() if map_ and layer in map_.layers]
        if map_ is None or not layers:
            self.session.note(say("This map has no layer of that set"))
            return

        def look(_: Progress) -> tuple[GroundLayer, tuple[int, int]] | None:
            for layer in layers:
                cell = find_key(knitter.table(map_, layer), layer, each.key, map_.wrap)
                if cell is not None:
                    return layer, cell
            return None

        def show(found: tuple[GroundLayer, tuple[int, int]] | None) -> None:
            if found is None:
                self.session.note(say("No cell of this map asks for that combination"))
            else:
                self.session.choose_layer(found[0])
                self.session.cell_wanted.emit(*found[1])

        self.session.run_long(say("Looking for a cell…"), look, show)

    def ask_make(self) -> None:
        """Show which missing tiles can be made, and make those that are wanted."""
        owner, kit = self.owner, self.kit
        if owner is None or kit is None:
            return
        dialog = MakeDialog(self.session.project, owner, kit, self)
        if not dialog.able.missing:
            dialog.deleteLater()
            self.session.note(say("No combination is missing"))
        elif answered(dialog):
            self.make(dialog)

    def ask_made_set(self) -> None:
        """Make a set from two plain tiles and an outline, on a sheet of its own."""
        if not self.session.project.tilesets:
            self.session.warn(say("There is no sheet to take tiles from yet: open one in Slice"))
            return
        dialog = SetDialog(self.session, self.kit, self)
        if answered(dialog):
            made = dialog.make()
            if made is not None:
                self.choose_set(made, made.sets[0])

    def make(self, dialog: MakeDialog) -> None:
        """Put the tiles that a dialog shows on a new sheet."""
        owner, kit = self.owner, self.kit
        assert owner is not None
        assert kit is not None

        def do() -> None:
            edit, made = add_made(self.session.project, owner, kit, dialog.chosen())
            self.session.doc.apply(edit)
            self.session.note(
                say(
                    "“{name}” is a new sheet; saving writes {sheet}",
                    name=made.name,
                    sheet=made.sheet,
                )
            )

        self.session.attempt(do)

    def ask_terrains_of(self, kind: SetKind) -> None:
        """Ask what a new set shows, and make it."""
        text, ok = QInputDialog.getText(
            self,
            say("New {value} set", value=say(kind.value)),
            say("Its terrains, with commas between ({examples})", examples=_EXAMPLES[kind]),
        )
        if ok:
            self.new_set(kind, [each.strip() for each in text.split(",")])

    def made_likely(self, owner: Tileset, kit: TerrainSet, made: list[TerrainSet]) -> None:
        self._likely_open = False
        for each in made:
            rows, cols = np.nonzero(each.marks.any(axis=2))
            self._guessed(each, zip(rows.tolist(), cols.tolist()))
        self.choose_set(owner, kit)

    # What was guessed, until somebody has looked at it

    def _guessed(self, kit: TerrainSet, places: Iterable[At]) -> None:
        self._unseen.setdefault(kit, set()).update(places)

    @property
    def unseen(self) -> list[At]:
        """Tiles of the set whose marks were guessed and that nobody has looked at, row by row."""
        owner, kit = self.owner, self.kit
        if owner is None or kit is None:
            return []
        marked = np.asarray(kit.marks_within(owner.rows, owner.columns).any(axis=2))
        return sorted(at for at in self._unseen.get(kit, ()) if owner.has(*at) and marked[at])

    def _see(self, at: At) -> None:
        """Somebody looks at a tile."""
        if self.kit is not None and self.shown is self.owner:
            self._unseen.get(self.kit, set()).discard(at)
            self._show_guessed()

    def _show_guessed(self) -> None:
        left = self.unseen
        self.sheet.guessed = frozenset(left)
        self.sheet.update()
        self.review.show_unseen(len(left))

    def look_at_guessed(self) -> None:
        """Line up the tiles whose marks nobody has looked at."""
        if self.shown is not self.owner:
            self.guest_name = None
            self.refresh()
        self.review.show_line([(at, None) for at in self.unseen])
        self.sheet.setFocus()

    def take_all_as_right(self) -> None:
        """Take all guessed marks as right."""
        if self.kit is not None:
            self._unseen.pop(self.kit, None)
            self._show_guessed()

    def show_likely(self) -> None:
        """Show the likely sets of the sheet, or put them away."""
        self._likely_open = not (self._likely_open and self.likely.isVisible())
        if self._likely_open and self.owner is not None and self.owner.picture is None:
            self.session.warn(say("{sheet} is missing: find it first", sheet=self.owner.sheet))
        self.refresh()

    def _show_more(self) -> None:
        """Tell how many likely sets are left, while they are put away."""
        count = len(self.likely.shown)
        self.cards.set_slim(count > 0)
        self.more.setVisible(self.kit is not None and count > 0)
        words = say("put them away") if self._likely_open else say("show them")
        sets = say("set looks likely") if count == 1 else say("sets look likely")
        self.more.setText(say("{count} more {sets}: {words}", count=count, sets=sets, words=words))

    def new_set(self, kind: SetKind = SetKind.CORNER, names: Sequence[str] = ()) -> None:
        """Add a set with terrains of these names to the sheet; it is called after them."""
        tileset = self.session.tileset
        if tileset is None:
            self.session.warn(say("There is no sheet to mark yet: open one in Slice"))
            return
        terrains = list(dict.fromkeys(each for each in names if each)) or [say("terrain 1")]
        called = (
            ", ".join(terrains)
            if any(names)
            else say("{value} set", value=say(kind.value)).capitalize()
        )
        name = free_name(called[:MAX_NAME], [each.name for each in tileset.sets])
        kit = TerrainSet(name, kind)
        doc = self.session.doc

        def make() -> None:
            with doc.stroke(say("Add {value} set “{name}”", value=say(kind.value), name=name)):
                doc.apply(add_set(tileset, kit))
                for each in terrains:
                    doc.apply(add_terrain(tileset, kit, each))

        self.session.finish_gesture()
        if not self.session.attempt(make):
            return
        self.kit_name, self.guest_name = name, None
        self.refresh()
        self.choose(1)
        self.session.note(
            say(
                "Next: mark one plain tile of each terrain (Shift and click marks all of a "
                "tile); then "
                "“Guess marks” does the others"
            )
        )

    def ask_set_name(self) -> None:
        if self.kit is not None:
            name, ok = QInputDialog.getText(
                self, say("Rename set"), say("Name"), text=self.kit.name
            )
            if ok:
                self.rename_set(name)

    def rename_set(self, name: str) -> None:
        """Give the set another name."""
        owner, kit = self.owner, self.kit
        if owner is None or kit is None:
            return
        project = self.session.project
        if self.session.do(lambda: rename_set(project, owner, kit, name)):
            self.kit_name = kit.name
            self.refresh()

    def delete_set(self) -> None:
        """Delete the set, if no layer uses it."""
        owner, kit = self.owner, self.kit
        if owner is not None and kit is not None:
            project = self.session.project
            self.session.do(lambda: delete_set(project, owner, kit))
            self.refresh()

    def take_picture(self, mark: int) -> None:
        if self.sheet.chosen is None or self.shown is not self.owner:
            self.session.note(
                say("Choose a tile of the set's own sheet first: it becomes the picture")
            )
        else:
            self.chips.change(mark, picture=self.sheet.chosen)

    def ask_terrains(self, found: list[int], there: list[int]) -> dict[int, int] | None:
        """Ask which terrain comes in place of which; None if it is called off."""
        assert self.kit is not None
        dialog = Dialog(self)
        dialog.setWindowTitle(say("Copy layout"))
        form = QFormLayout(dialog)
        boxes: dict[int, Choice] = {}
        terrains = [
            (each.name, number, terrain_icon(self.kit, number))
            for number, each in enumerate(self.kit.terrains, 1)
        ]
        for place, mark in enumerate(found):
            box = boxes[mark] = Choice(say("The terrain that comes in its place"), terrains)
            box.show_value(there[place] if place < len(there) else mark)
            form.addRow(say("{name} becomes", name=self.kit.name_of(mark)), box)
        form.addRow(dialog.make_buttons())
        if not answered(dialog):
            return None
        return {mark: box.value for mark, box in boxes.items()}

    # Coverage
