"""Tiles with the same marks side by side: weights, shares, and where they may go."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QGridLayout, QLabel, QScrollArea, QVBoxLayout, QWidget

from knitground.core.base.tongue import say, say_many
from knitground.core.chance.draw import shares
from knitground.core.edit.sheets import set_inner, set_weight
from knitground.core.knit.layer import marked_tiles
from knitground.core.knit.making import key_of_marks
from knitground.core.knit.missing import key_words
from knitground.core.model.terrain import TerrainSet
from knitground.core.model.tile import TileRef
from knitground.core.model.tileset import Tileset
from knitground.core.render.tiles import tile_pixels
from knitground.ui.common.form import Check, number_box
from knitground.ui.common.numbers import NumberBox
from knitground.ui.common.widgets import clear, column, note, row, tile_pixmap
from knitground.ui.common.words import percent
from knitground.ui.session import Session

_MOST, _ACROSS = 48, 3
NO_TILE = say("Click a tile: its variants, with weights, show here.")
NO_MARKS = say(
    "Choose a terrain above, then drag over the corners or sides of tiles that show it. One plain "
    "tile of each terrain is enough: “Guess marks” does the others."
)


class VariantsPanel(QWidget):
    """The variants of the chosen tile."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._built: object = None
        self._lines: list[tuple[NumberBox, QLabel, Check]] = []
        self.head = note(NO_TILE)
        self.grid = QGridLayout()
        self.grid.setSpacing(8)
        inner = QWidget()
        inner.setLayout(column(row(self.grid, 1), 1))
        area = QScrollArea()
        area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        area.setWidget(inner)
        area.setWidgetResizable(True)
        layout = column(self.head, area, spacing=4)
        layout.setStretch(1, 1)
        self.setLayout(layout)

    def show_tile(
        self, owner: Tileset, kit: TerrainSet, tile: TileRef | None, *, example: bool = False
    ) -> None:
        """Show the tiles that have the same marks as one.

        Parameters
        ----------
        example : whether nobody has chosen it
        """
        source = self.session.project.tileset_named(tile.tileset) if tile else None
        if tile is None or source is None or not source.has(tile.row, tile.col):
            self.head.setText(NO_TILE if kit.marks.any() else NO_MARKS)
            self._built = None
            clear(self.grid)
            return
        guest = None if source is owner else source.name
        mine = kit.marks_within(source.rows, source.columns, guest)[tile.row, tile.col]
        key = key_of_marks(kit.kind, mine)
        same = [tile]
        if any(key):
            marks, tiles = marked_tiles(self.session.project, owner, kit)
            same = [t for t, m in zip(tiles, marks) if key_of_marks(kit.kind, m) == key] or [tile]
        owners = {each.name: each for each in self.session.project.tilesets}
        facts = [owners[t.tileset].fact(t.row, t.col) for t in same]
        words = key_words(kit, key) if any(key) else say("no marks")
        text = say_many("{words}: {count} tile", "{words}: {count} tiles", len(same), words=words)
        self.head.setText(
            say("For example {variants}. Click a tile for its own.", variants=text)
            if example
            else text
        )
        pictures = tuple(id(owners[each.tileset].picture) for each in same)
        if (same, pictures) != self._built:
            self._built = (same, pictures)
            self._build([(owners[each.tileset], each) for each in same])
        parts = shares([each.weight for each in facts])
        for (field, taken, inner), fact, share in zip(self._lines, facts, parts):
            field.show_value(fact.weight)
            taken.setText(percent(share))
            inner.show_value(fact.inner)

    def _build(self, same: list[tuple[Tileset, TileRef]]) -> None:
        """Lay out the lines of other tiles."""
        clear(self.grid)
        self._lines = []
        for place, (source, tile) in enumerate(same[:_MOST]):
            self.grid.addLayout(self._variant(source, tile), place // _ACROSS, place % _ACROSS)
        if len(same) > _MOST:
            more = note(say("and {count} more", count=len(same) - _MOST))
            self.grid.addWidget(more, _MOST // _ACROSS, 0, 1, _ACROSS)

    def _variant(self, source: Tileset, tile: TileRef) -> QVBoxLayout:
        at = (tile.row, tile.col)
        picture = QLabel()
        pixels = tile_pixels(source, tile)
        if pixels is not None:
            picture.setPixmap(tile_pixmap(pixels, 32, framed=True))
        field = number_box(0, 1000, say("Weight among tiles with the same marks; 0 is never"),
                           decimals=1, wide=64, at_once=False)  # fmt: skip
        key = object()
        field.valueChanged.connect(lambda value: self.weigh(source, at, value, key))
        taken = QLabel()
        taken.setProperty("role", "note")
        inner = Check(
            say("only inside"), say("Only in cells whose eight neighbours ask for the same marks")
        )
        inner.clicked.connect(lambda on: self.session.apply(set_inner(source, *at, on)))
        self._lines.append((field, taken, inner))
        return column(row(picture, column(taken, field, spacing=2), 1), inner, spacing=2)

    def weigh(self, source: Tileset, at: tuple[int, int], value: float, key: object) -> None:
        """Give a tile another weight; changes with one key are one step."""
        self.session.do(lambda: set_weight(source, *at, value), key)
