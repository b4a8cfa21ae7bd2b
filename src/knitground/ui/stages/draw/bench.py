"""Draw: take in hand a terrain, a tile, a mix, a patch of the tray, a marker or a colour."""

from __future__ import annotations

from PySide6.QtCore import Qt, QTimer
from PySide6.QtWidgets import (
    QInputDialog,
    QLabel,
    QLineEdit,
    QScrollArea,
    QStackedWidget,
    QTabBar,
    QWidget,
)

from knitground.core.base.tongue import later, say
from knitground.core.edit.changed import Changed, What
from knitground.core.edit.hand import (
    Hand,
    MixInHand,
    PatchInHand,
    TileInHand,
)
from knitground.core.edit.maps import put_mix
from knitground.core.edit.selecting import patch_of
from knitground.core.edit.sheets import name_tile, tag_tiles
from knitground.core.model.layers import Layer, MarkerLayer, TintLayer
from knitground.core.model.mix import Mix, MixEntry
from knitground.core.model.patch import Patch
from knitground.core.model.project import free_name
from knitground.core.model.tile import TileRef
from knitground.ui.common.commands import Commands
from knitground.ui.common.form import Choice
from knitground.ui.common.widgets import button, column, head, note, row, tile_pixmap
from knitground.ui.common.words import tip
from knitground.ui.mapside.inhand import hand_note, hand_pixels
from knitground.ui.mapside.sizecheck import offer_for_size
from knitground.ui.session import Session
from knitground.ui.stages.draw.markerpage import MarkerPage
from knitground.ui.stages.draw.mixes import MixList
from knitground.ui.stages.draw.terrainlist import TerrainList
from knitground.ui.stages.draw.tilelist import WAYS, TileList
from knitground.ui.stages.draw.tints import TintPage
from knitground.ui.stages.draw.tray import TrayList
from knitground.ui.stages.stage import Stage

TABS = (
    later("Terrains"),
    later("Tiles"),
    later("Mixes"),
    later("Tray"),
    later("Markers"),
    later("Tint"),
)


_PAGES: dict[type[Layer], tuple[str, ...]] = {
    MarkerLayer: ("Markers", "Tiles"), TintLayer: ("Tint",),
}  # fmt: skip
"""Pages that go with layers of a kind, the first one first; with all others the first four."""


class DrawBench(Stage):
    """The stage: what there is to take in hand, and what is in hand."""

    key = "draw"
    wide = 320

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self._words = ""
        self._kind_shown: type[Layer] | None = None
        self.tabs = QTabBar()
        self.tabs.setExpanding(False)
        self.tabs.setDrawBase(False)
        self.tabs.setUsesScrollButtons(False)
        for name in TABS:
            self.tabs.addTab(say(name))
        self.pages = QStackedWidget()
        self.search_field = QLineEdit()
        self.search_field.setPlaceholderText(say("find by name or tag…"))
        self.search_field.setClearButtonEnabled(True)
        self.search_field.setToolTip(
            say("Shows what these words fit: names, tags, numbers, terrains")
        )
        self.search_field.textChanged.connect(self.search)
        self._make_pages()
        self.hand_picture = QLabel()
        self.hand_picture.setFixedSize(64, 64)
        self.hand_name = QLabel()
        self.hand_note = note()
        self._lay_out()
        self.tabs.currentChanged.connect(self.pages.setCurrentIndex)
        for signal in (
            session.choice.picked, session.choice.tileset_changed, session.in_hand.changed,
        ):  # fmt: skip
            signal.connect(self.refresh_later)
        session.changed.connect(self._follow)
        session.dressed.connect(self._redress)

    def _make_pages(self) -> None:
        session = self.session
        self.terrains = TerrainList(session)
        self.terrains.taken.connect(self.take)
        self.terrains.marking_asked.connect(lambda: session.stage_wanted.emit("terrains"))
        self.sheets = Choice(say("The sheet to take tiles from"), letters=8)
        self.sheets.chosen.connect(session.choose_tileset)
        self.sheet_way = Choice(
            say(
                "Tiles as the sheet stands, packed to the panel's width, or in an order of "
                "your own "
                "(drag tiles to where you want them)"
            ),
            [(say(each), each) for each in WAYS],
            letters=10,
        )
        self.tiles = TileList(session)
        self.sheet_way.chosen.connect(self.tiles.set_way)
        self.tiles.taken.connect(self._take_tile)
        self.tiles.block_taken.connect(self._take_block)
        self.mixes = MixList(session)
        self._count = QTimer(self, singleShot=True, interval=150)
        self._count.timeout.connect(self.mixes.refresh)
        self.mixes.taken.connect(self.take_mix)
        self.tray = TrayList(session)
        self.tray.taken.connect(self.take_patch)
        self.tray.keep_asked.connect(self.keep)
        self.markers = MarkerPage(session)
        self.markers.taken.connect(self.take)
        self.tints = TintPage(session)
        self.tints.taken.connect(self.take)

    def _lay_out(self) -> None:
        tiles = QWidget()
        names = row(
            button(say("Name…"), self.ask_label, say("Name the marked tile")),
            button(
                say("Tags…"), self.ask_tags, say("Tag the marked tiles, so that they are found")
            ),
            button(say("Mix"), self.new_mix, say("Make a mix of the marked tiles")),
            1,
            spacing=4,
        )
        shown = row(self.sheets, self.sheet_way, spacing=4)
        shown.setStretch(0, 1)
        tiles.setLayout(
            column(
                shown,
                self.tiles,
                note(say("Click takes a tile; a drag or Ctrl+click takes several as a patch.")),
                names,
                spacing=6,
            )
        )
        tiles.layout().setStretch(1, 1)  # type: ignore[union-attr]
        for page in (
            _scrolled(self.terrains), tiles, _scrolled(self.mixes), _scrolled(self.tray),
            _scrolled(self.markers), _scrolled(self.tints),
        ):  # fmt: skip
            self.pages.addWidget(page)
        hand = row(self.hand_picture, column(self.hand_name, self.hand_note, 1, spacing=2))
        hand.setStretch(1, 1)
        layout = column(
            head(say("Take in hand")),
            self.tabs,
            self.search_field,
            self.pages,
            head(say("In hand")),
            hand,
            head(say("Why this tile?")),
            note(
                say(
                    "Hold W over a cell: what it asks for, candidates, weights and the "
                    "number drawn."
                )
            ),
            margins=14,
        )
        layout.setStretch(3, 1)
        self.setLayout(layout)

    def add_commands(self, commands: Commands) -> None:
        commands.add("Keep in the tray", self.keep, "Ctrl+T")
        commands.add("Find tiles, mixes, patches", self.find_words, "Ctrl+F")
        keys = commands.named("Find tiles, mixes, patches").keys
        self.search_field.setToolTip(tip(self.search_field.toolTip(), keys))

    def find_words(self) -> None:
        """Go to the field that finds tiles, mixes and patches."""
        self.session.stage_wanted.emit(self.key)
        self.search_field.setFocus()
        self.search_field.selectAll()

    # Following the session

    def begin_anew(self) -> None:
        self.search_field.clear()
        self.tiles.chosen = []
        self.tiles.set_way(WAYS[0])
        self.sheet_way.show_value(WAYS[0])
        super().begin_anew()

    def _follow(self, change: Changed) -> None:
        if change.what in (What.MARKS, What.SLICING, What.TILESETS, What.TRAY):
            self.mixes.again()
            self.tray.again()
            self.refresh_later()
        elif change.what is What.MIXES:
            self.mixes.refresh()
            self.refresh_later()
        elif change.what is What.ORDER:
            self.tiles.search(self._words)
        elif change.what in (What.CELLS, What.LAYERS) and self.mixes.isVisible():
            self._count.start()
        elif change.what is What.MARKERS:
            self.markers.refresh()

    def _redress(self) -> None:
        self.terrains.again()
        self.mixes.again()
        self.refresh()

    def search(self, words: str) -> None:
        """Show what some words fit, on every page."""
        self._words = words
        count = self.tiles.search(words)
        for page in (self.terrains, self.mixes, self.tray, self.markers):
            page.search(words)
        if words.strip():
            self.session.pointed.emit(
                say("{count} tiles of this sheet fit “{words}”", count=count, words=words.strip())
            )

    def refresh(self) -> None:
        """Show what there is to take, and what is in hand."""
        project, tileset = self.session.project, self.session.tileset
        self.sheets.offer((each.name, each) for each in project.tilesets)
        self.sheets.show_value(tileset)
        if self.tiles.tileset is not tileset:
            self.tiles.chosen = []
        self.tiles.show_tileset(tileset)
        self._follow_layer()
        self.terrains.refresh()
        self.mixes.refresh()
        self.tray.refresh()
        self.markers.refresh()
        self.tints.refresh()
        self._show_hand()

    def _follow_layer(self) -> None:
        """Turn to the page that goes with the chosen layer, when another kind is chosen."""
        layer = self.session.layer
        kind = type(layer) if layer is not None else None
        if kind is self._kind_shown:
            return
        before, self._kind_shown = self._kind_shown, kind
        shown = _PAGES.get(kind, TABS[:4]) if kind is not None else TABS[:4]
        for n, name in enumerate(TABS):
            self.tabs.setTabVisible(n, name in shown)
        self.tabs.updateGeometry()  # it does not tell by itself that it needs less or more
        if kind in _PAGES:
            self.tabs.setCurrentIndex(TABS.index(shown[0]))
        elif before in _PAGES:
            self.tabs.setCurrentIndex(0)

    # Taking

    def take(self, hand: Hand) -> None:
        """Take something in hand, to lay it."""
        self.session.take(hand)
        self._back_to_paint()

    def _take_tile(self, row_: int, col: int) -> None:
        tileset = self.session.tileset
        if tileset is not None:
            tile = TileRef(tileset.name, row_, col)
            self.take(TileInHand(tile, tileset.number(row_, col)))
            offer_for_size(self.session, tileset)

    def _take_block(self) -> None:
        patch = self.tiles.patch()
        if patch is not None:
            self.take_patch(patch)

    def take_patch(self, patch: Patch) -> None:
        """Take a patch in hand."""
        self.take(PatchInHand(patch))

    def take_mix(self, mix: Mix) -> None:
        """Take a mix in hand."""
        self.take(MixInHand(mix.name, mix))

    def _back_to_paint(self) -> None:
        # Taking something means laying it: Erase, Pick and Select would not.
        if self.session.tool in ("erase", "pick"):
            self.session.choose_tool("paint")

    def keep(self) -> None:
        """Keep what is selected on the map, else the patch or the tile in hand, in the tray."""
        s, hand = self.session, self.session.hand
        patch: Patch | None = None
        if s.selection is not None and s.grid is not None and s.layer is not None:
            patch = patch_of(s.doc, s.grid, s.layer, s.selection)
        elif isinstance(hand, PatchInHand):
            patch = hand.patch
        elif isinstance(hand, TileInHand):
            patch = Patch(say("tile {number}", number=hand.number), ((hand.tile,),))
        if patch is None:
            s.note(
                say("Nothing to keep: take a patch or a tile in hand, or select cells with tiles")
            )
            return
        self.tray.keep(patch)
        self.tabs.setCurrentIndex(TABS.index("Tray"))

    # Names, tags, mixes of the marked tiles

    def ask_label(self) -> None:
        """Ask for the name of the marked tile."""
        tileset = self.session.tileset
        if tileset is None or len(self.tiles.chosen) != 1:
            self.session.note(say("Mark one tile on the sheet first"))
            return
        at = self.tiles.chosen[0]
        old = tileset.fact(*at).name
        text, ok = QInputDialog.getText(
            self,
            say("Name of the tile"),
            say("Name of tile {number}", number=tileset.number(*at)),
            text=old,
        )
        if ok:
            self.session.do(lambda: name_tile(tileset, *at, text))

    def ask_tags(self) -> None:
        """Ask for the tags of the marked tiles."""
        tileset, chosen = self.session.tileset, list(self.tiles.chosen)
        if tileset is None or not chosen:
            self.session.note(say("Mark tiles on the sheet first: click, drag, or Ctrl+click"))
            return
        old = ", ".join(tileset.fact(*chosen[0]).tags)
        text, ok = QInputDialog.getText(
            self,
            say("Tags"),
            say("Tags of {count} tiles, with commas between", count=len(chosen)),
            text=old,
        )
        if ok:
            self.session.do(lambda: tag_tiles(tileset, chosen, text.split(",")))

    def new_mix(self) -> None:
        """Make a mix of the tiles marked on the sheet and take it in hand."""
        tileset = self.session.tileset
        if tileset is None or not self.tiles.chosen:
            self.session.note(say("Mark tiles on the sheet first: drag, or Ctrl+click"))
            return
        name = free_name(say("Mix"), [each.name for each in self.session.project.mixes])
        entries = tuple(
            MixEntry(TileRef(tileset.name, r, c), tileset.fact(r, c).weight)
            for r, c in self.tiles.chosen
        )
        mix = Mix(name, entries)
        if self.session.apply(put_mix(self.session.project, mix)):
            self.tabs.setCurrentIndex(TABS.index("Mixes"))
            self.take_mix(mix)

    # In hand

    def _show_hand(self) -> None:
        hand = self.session.hand
        self.tray.show_taken(hand.patch if isinstance(hand, PatchInHand) else None)
        self.hand_name.setText(hand.title if hand else say("nothing"))
        self.hand_note.setText(hand_note(hand, self.session))
        pixels = hand_pixels(self.session.project, hand)
        if pixels is None:
            self.hand_picture.clear()
        else:
            self.hand_picture.setPixmap(tile_pixmap(pixels, 64, framed=True))


def _scrolled(page: QWidget) -> QScrollArea:
    area = QScrollArea()
    area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
    area.setWidget(page)
    area.setWidgetResizable(True)
    area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    return area
