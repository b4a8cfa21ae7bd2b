"""Shapes from terrain: for all tiles of a set in one act, shown before they are made."""

from __future__ import annotations

from typing import Any

import numpy as np
from PySide6.QtCore import QRectF
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QComboBox, QLabel, QWidget

from knitground.core.base.tongue import say
from knitground.core.edit.shapes import size_of
from knitground.core.knit.layer import marked_tiles
from knitground.core.model.project import Project
from knitground.core.model.shapes import Shapes
from knitground.core.model.terrain import SetKind, TerrainSet
from knitground.core.model.tile import TileRef
from knitground.core.model.tileset import Tileset
from knitground.core.render.tiles import tile_pixels
from knitground.core.shapes.kinds import kind_named
from knitground.core.shapes.terrain import WAYS, WHOLE_TILE, shapes_on_tile
from knitground.ui.common.checkers import checkers
from knitground.ui.common.dialog import Dialog
from knitground.ui.common.numbers import NumberBox
from knitground.ui.common.painting import image_of, painting
from knitground.ui.common.shapedrawing import draw_shape, shape_path
from knitground.ui.common.widgets import column, note, row

_SHOWN = 24
_CELL = 56
_WORDS = {
    SetKind.CORNER: say("The border between two terrains lies in the tile's middle; move it by"),
    SetKind.EDGE: say("Ways are so wide (0 is a third of the tile)"),
    SetKind.RING: say("The border lies inside the tile by"),
}


class TerrainShapesDialog(Dialog):
    """Asks which terrain, and how its part of a tile is shaped."""

    def __init__(
        self, project: Project, tileset: Tileset, kind: str, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle(say("“{kind}” from terrain", kind=kind))
        self.project, self.kind = project, kind
        self.homes: list[tuple[Tileset, TerrainSet]] = [
            (owner, kit)
            for owner in sorted(project.tilesets, key=lambda each: each is not tileset)
            for kit in owner.sets
        ]
        self.sets, self.terrains, self.way = QComboBox(), QComboBox(), QComboBox()
        self.sets.addItems([f"{kit.name} ({owner.name})" for owner, kit in self.homes])
        self.way.addItems(list(WAYS))
        self.px = NumberBox()
        self.px.setDecimals(1)
        self.px.setSuffix(" px")
        self.words, self.told = QLabel(), note()
        self.tiles = _Tiles()
        self.buttons = self.make_buttons(say("Shape them"))
        self.setLayout(
            column(
                row(QLabel(say("Set")), self.sets, QLabel(say("shows")), self.terrains, 1),
                row(QLabel(say("Shape")), self.way, 1),
                row(self.words, self.px, 1),
                self.tiles,
                self.told,
                self.buttons,
                margins=14,
            )
        )
        self.sets.currentIndexChanged.connect(self._choose_set)
        self.terrains.currentIndexChanged.connect(self.preview)
        self.way.currentIndexChanged.connect(self.preview)
        self.px.valueChanged.connect(self.preview)
        self._choose_set()

    @property
    def home(self) -> tuple[Tileset, TerrainSet]:
        """The set that is meant, and its sheet."""
        return self.homes[max(0, self.sets.currentIndex())]

    def _choose_set(self) -> None:
        owner, kit = self.home
        self.terrains.blockSignals(True)
        self.terrains.clear()
        self.terrains.addItems([each.name for each in kit.terrains])
        self.terrains.blockSignals(False)
        side = min(owner.slicing.tile_width, owner.slicing.tile_height)
        self.px.setRange(-side / 2 if kit.kind is SetKind.CORNER else 0, side / 2)
        self.words.setText(_WORDS[kit.kind])
        self.preview()

    def asked(self) -> dict[str, Any]:
        """Give what `shapes_from_terrain` needs beside the project."""
        owner, kit = self.home
        return {
            "owner": owner, "kit": kit, "terrain": self.terrains.currentIndex() + 1,
            "kind": self.kind, "whole": self.way.currentText() == WHOLE_TILE,
            "px": self.px.value(),
        }  # fmt: skip

    def preview(self) -> None:
        """Show tiles of the set with the shapes that they would get."""
        asked = self.asked()
        owner, kit = asked["owner"], asked["kit"]
        marks, tiles = marked_tiles(self.project, owner, kit)
        found: list[tuple[Tileset, TileRef, Shapes]] = []
        count = 0
        whole, px, terrain = asked["whole"], asked["px"], asked["terrain"]
        for mark, tile in zip(marks.tolist(), tiles):
            home = self.project.tileset_named(tile.tileset)
            if home is None:
                continue
            at = tile.row, tile.col
            made = shapes_on_tile(home, at, kit.kind, mark, terrain, self.kind, whole=whole, px=px)
            count += bool(made)
            if made and len(found) < _SHOWN:
                found.append((home, tile, made))
        self.tiles.show_tiles(self.project, found)
        self.px.setEnabled(not whole)
        self.told.setText(
            say("{count} of {count2} tiles get a shape", count=count, count2=len(tiles))
        )
        self.ok.setEnabled(count > 0)


class _Tiles(QWidget):
    """Some tiles with shapes, side by side."""

    def __init__(self) -> None:
        super().__init__()
        self.project: Project | None = None
        self.tiles: list[tuple[Tileset, TileRef, Shapes]] = []
        self.setFixedSize(8 * (_CELL + 6), _SHOWN // 8 * (_CELL + 6))

    def show_tiles(self, project: Project, tiles: list[tuple[Tileset, TileRef, Shapes]]) -> None:
        """Show other tiles."""
        self.project, self.tiles = project, tiles
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        with painting(self) as painter:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            for n, (owner, tile, shapes) in enumerate(self.tiles):
                left, top = n % 8 * (_CELL + 6), n // 8 * (_CELL + 6)
                self._draw(painter, QRectF(left, top, _CELL, _CELL), owner, tile, shapes)

    def _draw(
        self, painter: QPainter, cell: QRectF, owner: Tileset, tile: TileRef, shapes: Shapes
    ) -> None:
        assert self.project is not None
        high, wide = size_of(owner, (tile.row, tile.col))
        zoom = _CELL / max(high, wide)
        rect = QRectF(cell.left(), cell.top(), wide * zoom, high * zoom)
        checkers(painter, rect)
        pixels = tile_pixels(owner, tile)
        if pixels is not None:
            painter.drawImage(rect, image_of(np.ascontiguousarray(pixels)))
        for shape in shapes:
            path = shape_path(shape, rect.left(), rect.top(), zoom)
            draw_shape(painter, path, kind_named(self.project, shape.kind))
