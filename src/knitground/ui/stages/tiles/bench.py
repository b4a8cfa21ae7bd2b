"""Tiles: weights, names, tags, properties and animations of one or many tiles at once."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable
from functools import partial

from PySide6.QtCore import Qt, QTimer
from PySide6.QtGui import QDrag
from PySide6.QtWidgets import (
    QLabel,
    QLineEdit,
    QMenu,
    QPushButton,
    QStackedWidget,
    QTabBar,
    QWidget,
)

from knitground.core.base.tongue import later, say
from knitground.core.edit.changed import Changed, What
from knitground.core.edit.document import Edit
from knitground.core.edit.properties import shared_properties
from knitground.core.edit.sheets import leave_out
from knitground.core.edit.tiles import (
    CHOICES,
    Share,
    add_tag,
    choose_tiles,
    name_tiles,
    put_default,
    put_property,
    remove_default,
    remove_property,
    remove_tag,
    scale_weights,
    set_weights,
    share_together,
    tile_shares,
)
from knitground.core.model.limits import MAX_NAME, MAX_WEIGHT
from knitground.core.model.properties import Property
from knitground.core.model.tileset import PLAIN, At, Tileset
from knitground.core.slicing.search import matching_tiles
from knitground.ui.common.commands import Commands
from knitground.ui.common.flow import Flow
from knitground.ui.common.form import Check, Choice, Line, Slide, number_box
from knitground.ui.common.propertyeditor import PropertyEditor
from knitground.ui.common.question import Question
from knitground.ui.common.theme import LINEN
from knitground.ui.common.widgets import (
    ShareBar,
    button,
    clear,
    column,
    head,
    note,
    row,
    scrolled,
)
from knitground.ui.common.words import on_button, percent, tip_of
from knitground.ui.session import Session
from knitground.ui.stages.stage import Stage
from knitground.ui.stages.tiles.bigtile import BigTile
from knitground.ui.stages.tiles.framestrip import tiles_mime
from knitground.ui.stages.tiles.movespage import MovesPage
from knitground.ui.stages.tiles.shapepad import PAD_SIDE, ShapePad
from knitground.ui.stages.tiles.shapespage import ShapesPage
from knitground.ui.stages.tiles.tilessheet import OVERLAYS, TilesSheet, tile_line

TABS = (
    later("Weight"),
    later("Name and tags"),
    later("Properties"),
    later("Moves"),
    later("Shapes"),
)
_SHAPES, _MOVES = TABS.index("Shapes"), TABS.index("Moves")
_BELOW, _BELOW_SHAPES = 232, 326
_SHOWN_SHARES = 8
LATER_MS, WIDE_MS = 120, 600
"""Until what follows is counted; on large sheets once a row of edits has surely ended."""
MANY = 1000
"""Tiles, chosen or there, from which the bench follows an edit in frames of their own."""
_MOST_TAGS = 24


class TilesBench(Stage):
    """The stage: the sheet with what is known of its tiles, and below it what to give them."""

    key = "tiles"
    wide = 632

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.sheet = TilesSheet(session)
        self.big = BigTile()
        self.moves = MovesPage(session, self.big)
        self.pad = ShapePad()
        self.shapes = ShapesPage(session, self.pad)
        self.properties = PropertyEditor(say("these tiles"))
        self.change_key: object = None
        self._shares: dict[At, Share] = {}
        self.soon = QTimer(self, singleShot=True, interval=LATER_MS)
        self.soon.timeout.connect(self.count)
        self.beside = Question(lambda: session.doc, self)
        self._soon = QTimer(self, singleShot=True, interval=0)
        self._soon.timeout.connect(self.refresh_later)
        self._make_top()
        self._make_pages()
        self._lay_out()
        self._connect()

    # Building

    def _make_top(self) -> None:
        self.sheets = Choice(say("The sheet whose tiles are looked at"))
        self.sheets.chosen.connect(self.session.choose_tileset)
        self.overlay = Choice(
            say("What is written on the tiles"),
            [(say("show {each}", each=say(each)), each) for each in OVERLAYS],
        )
        self.overlay.chosen.connect(self._choose_overlay)
        self.choice = QPushButton(say("Choose…"))
        self.choice.setToolTip(say("Choose tiles of a kind"))
        menu = QMenu(self.choice)
        for what in CHOICES:
            words = say(what)
            menu.addAction(words[0].upper() + words[1:], partial(self.choose_by, what))
        self.choice.setMenu(menu)
        self.search = QLineEdit()
        self.search.setPlaceholderText(say("find by name, tag, number, terrain"))
        self.search.setToolTip(say("Only the tiles that fit are bright; Enter chooses them"))
        self.search.textChanged.connect(self._find)
        self.search.returnPressed.connect(self._choose_found)
        self.words = note()

    def _make_pages(self) -> None:
        self.pages = QStackedWidget()
        for make in (self._weight_page, self._name_page, self._property_page):
            self.pages.addWidget(make())
        self.pages.addWidget(self.moves)
        self.pages.addWidget(scrolled(self.shapes))

    def _weight_page(self) -> QWidget:
        self.weight = number_box(
            0, MAX_WEIGHT, say("Weight of the chosen tiles among their variants; 0 is never")
        )
        self.weight.valueChanged.connect(self.weigh)
        half = button("÷ 2", partial(self.scale, 0.5), say("Halve the weights"))
        double = button("× 2", partial(self.scale, 2.0), say("Double the weights"))
        equal = button(say("Equal"), self.equal, say("Give all of them weight 1"))
        self.together = Slide(0, 99, say("Part of their group that the chosen tiles take together"))
        self.together.setAccessibleName(say("Together"))
        self.together.sliderPressed.connect(self.new_key)
        self.together.valueChanged.connect(self.share)
        self.together_words = QLabel(say("together"))
        self.together_words.setMinimumWidth(96)
        self.never = Check(say("leave out"), say("Neither offered nor knitted"))
        self.never.clicked.connect(self.leave_out)
        self.share_lines = column(spacing=2)
        lines = QWidget()
        lines.setLayout(column(self.share_lines, 1))
        page = QWidget()
        page.setLayout(column(
            row(QLabel(say("Weight")), self.weight, half, double, equal, 1, spacing=4),
            row(self.together_words, self.together, self.never, spacing=6), scrolled(lines),
            spacing=6,
        ))  # fmt: skip
        return page

    def _name_page(self) -> QWidget:
        self.name = Line(say("Name of the tile; several get a number each"))
        self.name.told.connect(self.give_name)
        self.tag = QLineEdit()
        self.tag.setMaxLength(MAX_NAME)
        self.tag.setPlaceholderText(say("another tag, then Enter"))
        self.tag.returnPressed.connect(self.add_tag)
        self.tags = Flow()
        page = QWidget()
        page.setLayout(
            column(
                row(QLabel(say("Name")), self.name),
                row(QLabel(say("Tags")), self.tag),
                self.tags,
                1,
                spacing=8,
            )
        )
        return page

    def _property_page(self) -> QWidget:
        self.whose = Choice(
            say("Whose properties: of the chosen tiles, or defaults for tiles that lack their own")
        )
        self.whose.chosen.connect(self.show_properties)
        self.inherited = note()
        inner = QWidget()
        inner.setLayout(column(self.whose, self.properties, self.inherited, 1, spacing=4))
        return scrolled(inner)

    def _lay_out(self) -> None:
        self.tabs = QTabBar()
        self.tabs.setDrawBase(False)
        for name in TABS:
            self.tabs.addTab(say(name))
        self.tabs.currentChanged.connect(self._show_page)
        self.below = QWidget()
        left = column(self.big, self.words, self.pad, self.shapes.words, 1, spacing=4)
        line = row(left, self.pages, spacing=10)
        line.setStretch(1, 1)
        self.below.setLayout(line)
        self.below.setFixedHeight(_BELOW)
        self.pad.hide()
        self.shapes.words.hide()
        self.shapes.words.setFixedWidth(PAD_SIDE)
        self.words.setFixedWidth(168)
        self.setLayout(column(
            row(head(say("Tiles")), 1, self.sheets), row(self.overlay, self.choice, self.search),
            self.sheet, self.tabs, self.below, margins=10, spacing=6,
        ))  # fmt: skip

    def _show_page(self, place: int) -> None:
        """Show another page; shapes have a larger tile to draw on, and are shown on the sheet."""
        self.pages.setCurrentIndex(place)
        shapes = place == _SHAPES
        self.sheet.gives_frames = place == _MOVES
        self.big.setVisible(not shapes)
        self.words.setVisible(not shapes)
        self.pad.setVisible(shapes)
        self.shapes.words.setVisible(shapes)
        self.below.setFixedHeight(_BELOW_SHAPES if shapes else _BELOW)
        if shapes:
            self.overlay.show_value("shapes")
            self._choose_overlay("shapes")
        self._show_shapes()

    def _drag_tiles(self, tiles: list[At]) -> None:
        """Drag tiles out of the sheet: to the frames, where they are dropped."""
        if self.tileset is not None:
            drag = QDrag(self)
            drag.setMimeData(tiles_mime(self.tileset.name, tiles))
            drag.exec(Qt.DropAction.CopyAction)

    def _show_shapes(self) -> None:
        if self.tabs.currentIndex() == _SHAPES:
            some = self.tileset is not None and bool(self.chosen)
            first = min(self.chosen, default=None)
            self.pad.show_tile(self.tileset if some else None, first, self.session.project)
            self.shapes.show_tiles(self.tileset, self.chosen)

    def _connect(self) -> None:
        s = self.session
        s.changed.connect(self._follow)
        s.choice.tileset_changed.connect(self.refresh_later)
        s.choice.map_changed.connect(self.refresh_later)
        self.sheet.chosen_changed.connect(self.show_chosen)
        self.sheet.zoomed.connect(self.zoomed)
        self.sheet.dragged_out.connect(self._drag_tiles)
        self.properties.put.connect(self.put_property)
        self.properties.removed.connect(self.remove_property)

    def begin_anew(self) -> None:
        self.moves.begin_anew()
        super().begin_anew()

    def add_commands(self, commands: Commands) -> None:
        commands.add("Choose all tiles", lambda: self.choose_by("all"), "Ctrl+Alt+A")

    # Following

    @property
    def tileset(self) -> Tileset | None:
        """The sheet that is looked at."""
        return self.session.tileset

    @property
    def chosen(self) -> frozenset[At]:
        """The tiles that are chosen."""
        return self.sheet.chosen

    @property
    def zoom_words(self) -> str | None:
        return self.sheet.camera.text()

    def focus_first(self) -> bool:
        self.sheet.setFocus()
        return True

    def cancel(self) -> bool:
        had = bool(self.chosen)
        self.sheet.choose(())
        return had

    def _follow(self, change: Changed) -> None:
        if change.what in (What.CELLS, What.TERRAIN):
            if self.isVisible():
                self.soon.start(LATER_MS)
        elif change.what in (What.MARKERS, What.TRAY, What.RECIPE, What.MIXES, What.RULES):
            return
        elif len(self.chosen) > MANY and self.isVisible():
            self._soon.start()
        else:
            self.refresh_later()

    def refresh(self) -> None:
        """Show everything as it is now."""
        tilesets = self.session.project.tilesets
        self.sheets.offer((each.name, each) for each in tilesets)
        self.sheets.show_value(self.tileset)
        self.sheet.show_tileset(self.tileset)
        self.sheet.choose(self.chosen)
        self._find(self.search.text())
        self.show_chosen()

    def show_chosen(self) -> None:
        tileset, chosen = self.tileset, self.chosen
        some = tileset is not None and bool(chosen)
        for place in range(self.pages.count()):
            defaults = place == TABS.index("Properties") and tileset is not None
            page = self.pages.widget(place)
            if page is not None:
                page.setEnabled(some or defaults)
        self.moves.show_tiles(tileset if some else None, chosen)
        self._show_shapes()
        wide = tileset is not None and tileset.count > MANY
        self.big.show_tile(
            tileset, min(chosen, default=(0, 0)), None if wide else self.session.project,
            faint=not some,
        )  # fmt: skip
        if wide:
            self.soon.start(WIDE_MS)
        if tileset is None or not chosen:
            self.words.setText(say("Choose tiles: click, drag, Ctrl, or “Choose…”."))
            self.show_properties()
            self.show_shares()
            return
        first = min(chosen)
        one = len(chosen) == 1
        self.words.setText(
            tile_line(tileset, first) if one else say("{count} tiles chosen", count=len(chosen))
        )
        every = [tileset.facts.get(at, PLAIN) for at in chosen]
        facts = list({id(fact): fact for fact in every}.values())
        weights = {fact.weight for fact in facts}
        self.weight.setSpecialValueText("")
        self.weight.show_value(facts[0].weight if len(weights) == 1 else _mean(weights))
        self.weight.setSuffix("" if len(weights) == 1 else " ≠")
        self.never.show_value(all(fact.left_out for fact in facts))
        names = {fact.name for fact in facts}
        self.name.show_value(next(iter(names)) if len(names) == 1 else None)
        self.show_tags(Counter(tag for fact in every for tag in fact.tags), len(chosen))
        self.show_properties()
        self.show_shares()

    # Changing

    def do_edit(self, build: Callable[[Tileset, frozenset[At]], Edit], key: object = None) -> bool:
        tileset, chosen = self.tileset, self.chosen
        if tileset is None or not chosen:
            return False
        return self.session.do(lambda: build(tileset, chosen), key)

    def new_key(self) -> None:
        self.change_key = object()

    def _choose_overlay(self, overlay: str) -> None:
        self.sheet.overlay = overlay
        self.sheet.update()

    def choose_by(self, what: str) -> None:
        """Choose tiles of a kind."""
        self.catch_up()
        if self.tileset is None:
            return
        found = choose_tiles(self.session.project, self.tileset, what, self.chosen)
        self.sheet.choose(found)
        if not found:
            self.session.note(
                say("No tile is {what}", what=say(what))
                if what != "all"
                else say("The sheet has no tile")
            )

    def _find(self, words: str) -> None:
        found = None
        if self.tileset is not None and words.strip():
            found = matching_tiles(self.session.project, self.tileset, words)
        if found != self.sheet.found:
            self.sheet.found = found
            self.sheet.update()

    def _choose_found(self) -> None:
        if self.sheet.found is not None:
            self.sheet.choose(self.sheet.found)

    def show_shares(self) -> None:
        """Say what the weights mean: shares among variants, and cells of this map."""
        clear(self.share_lines)
        self.beside.forget()
        tileset = self.tileset
        if tileset is None or not self.chosen:
            return
        if tileset.count <= MANY:
            shares = tile_shares(self.session.project, tileset, self.session.map)
            self._list_shares(tileset, shares)
            return
        self.share_lines.addWidget(note(say("counting…")))
        self.soon.start(WIDE_MS)

    def count(self) -> None:
        """Show what takes long on large sheets, once nothing has changed for a moment."""
        tileset, project, map_ = (
            self.tileset,
            self.session.project,
            self.session.map,
        )
        if tileset is None or tileset.count <= MANY or not self.chosen:
            self.show_shares()
            return
        self.big.show_tile(tileset, min(self.chosen), project)
        self.beside.ask(
            lambda _: tile_shares(project, tileset, map_), partial(self._list_shares, tileset)
        )

    def _list_shares(self, tileset: Tileset, shares: dict[At, Share] | None) -> None:
        """Show what is counted, if it is still about the tiles that are chosen."""
        if tileset is not self.tileset or shares is None:
            return
        clear(self.share_lines)
        listed = [at for at in sorted(self.chosen) if at in shares]
        for at in listed[:_SHOWN_SHARES]:
            each = shares[at]
            words = percent(each.share)
            words += (
                say(" ≈ {cells} of {of} cells", cells=each.cells, of=each.of) if each.of else ""
            )
            line = row(
                QLabel(say("tile {number}", number=tileset.number(*at))),
                ShareBar(each.share, None, LINEN.accent),
                QLabel(words),
                spacing=6,
            )
            self.share_lines.addLayout(line)
        if len(listed) > _SHOWN_SHARES:
            self.share_lines.addWidget(
                note(say("and {count} more", count=len(listed) - _SHOWN_SHARES))
            )
        if not listed:
            self.share_lines.addWidget(
                note(say("No marks: these tiles are laid by hand or by a mix."))
            )
        whole = sum(shares[at].share for at in listed)
        groups = {(shares[at].variants, shares[at].of) for at in listed}
        one_group = len(groups) == 1 and whole < 1
        self.together.setEnabled(bool(listed))
        if one_group:
            self.together.show_value(min(99, round(100 * whole)))
        words = say("together {percent}", percent=percent(whole)) if one_group else say("together")
        self.together_words.setText(words)

    @property
    def default_tag(self) -> str | None:
        """The tag whose properties are looked at; "" is the whole sheet, None the chosen tiles."""
        tag: str | None = self.whose.value
        return tag

    def show_properties(self, *_: object) -> None:
        """Show the properties of the chosen tiles, of a tag or of the sheet."""
        tileset, chosen = self.tileset, self.chosen
        if tileset is None:
            self.properties.show_properties([])
            return
        tags = sorted({tag for own in {each.tags for each in tileset.facts.values()}
                       for tag in own})  # fmt: skip
        tag = self.default_tag if self.default_tag in ("", *tags) else None
        self.whose.offer([
            (say("these tiles"), None), (say("all tiles of the sheet"), ""),
            *((say("all with tag “{each}”", each=each), each) for each in tags),
        ])  # fmt: skip
        self.whose.show_value(tag)
        known = {each.tag: each.properties for each in tileset.defaults}
        self.inherited.setText("")
        if tag is not None:
            self.properties.show_properties([(each, True) for each in known.get(tag, ())])
            self.inherited.setText(say("A tile's own property of the same name goes before it."))
            return
        self.properties.show_properties(
            shared_properties(tileset.facts.get(at, PLAIN).properties for at in chosen)
        )
        if chosen:
            first = min(chosen)
            own = {each.name for each in tileset.fact(*first).properties}
            more = [each for each in tileset.properties_of(*first) if each.name not in own]
            words = ", ".join(f"{each.name} = {each.value}" for each in more[:8])
            self.inherited.setText(say("By default: {words}", words=words) if more else "")

    def show_tags(self, tags: Counter[str], count: int) -> None:
        parts: list[QWidget] = []
        for tag, having in sorted(tags.items())[:_MOST_TAGS]:
            words = tag if having == count else f"{tag} ({having})"
            gone = partial(self._remove_tag, tag)
            hint = tip_of(say("Take the tag “{tag}” away", tag=tag))
            parts.append(button(on_button(f"{words}  ×"), gone, hint))
        self.tags.put(parts)

    def weigh(self, value: float) -> None:
        self.do_edit(lambda t, at: set_weights(t, at, value), self.weight)

    def scale(self, factor: float) -> None:
        self.do_edit(lambda t, at: scale_weights(t, at, factor))

    def equal(self) -> None:
        self.do_edit(lambda t, at: set_weights(t, at, 1.0))

    def share(self, value: int) -> None:
        if not self.together.isSliderDown():
            self.new_key()
        project = self.session.project
        self.do_edit(lambda t, at: share_together(project, t, at, value / 100), self.change_key)

    def leave_out(self, on: bool) -> None:
        self.do_edit(lambda t, at: leave_out(t, at, on))

    def give_name(self, text: str) -> None:
        self.do_edit(lambda t, at: name_tiles(t, at, text))

    def add_tag(self) -> None:
        text = self.tag.text()
        if text.strip() and self.do_edit(lambda t, at: add_tag(t, at, text)):
            self.tag.clear()

    def _remove_tag(self, tag: str) -> None:
        self.do_edit(lambda t, at: remove_tag(t, at, tag))

    def put_property(self, new: Property, old: str, keep: bool) -> None:
        tileset, tag = self.tileset, self.default_tag
        if tileset is not None and tag is not None:
            done = self.session.do(lambda: put_default(tileset, tag, new, old))
        else:
            done = self.do_edit(lambda t, at: put_property(t, at, new, old, keep=keep))
        if not done:
            self.show_chosen()

    def remove_property(self, name: str) -> None:
        tileset, tag = self.tileset, self.default_tag
        if tileset is not None and tag is not None:
            self.session.do(lambda: remove_default(tileset, tag, name))
        else:
            self.do_edit(lambda t, at: remove_property(t, at, name))


def _mean(weights: set[float]) -> float:
    return sum(weights) / len(weights)
