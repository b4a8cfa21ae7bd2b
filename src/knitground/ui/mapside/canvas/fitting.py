"""Which piece fits here: the best ones as pictures beside a cell, one after the other in hand."""

from __future__ import annotations

from PySide6.QtCore import QObject, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QPainter, QPen, QPixmap

from knitground.core.base.errors import KnitError
from knitground.core.edit.hand import TileInHand
from knitground.core.edit.piecehere import Piece, pieces_for
from knitground.core.model.layers import GroundLayer, Layer
from knitground.core.model.map import Map, grid_of
from knitground.core.model.tileset import Tileset
from knitground.core.render.tiles import tile_pixels
from knitground.ui.common.painting import image_of, write_in
from knitground.ui.common.theme import theme
from knitground.ui.session import Session

_SHOWN, _SIDE = 8, 44


class FittingPieces(QObject):
    """The pieces that fit on one cell, best first, and which of them is in hand."""

    changed = Signal()

    def __init__(self, session: Session, parent: QObject) -> None:
        super().__init__(parent)
        self._session = session
        self.found: list[Piece] = []
        self.at: tuple[Map, Layer, tuple[int, int]] | None = None
        self.place = 0
        self._revision = -1
        self._pictures: list[QPixmap] = []

    def step(self, cell: tuple[int, int] | None, by: int) -> None:
        """Take the best piece for a cell in hand, or go on to the next one."""
        map_, layer = self._session.map, self._session.layer
        if map_ is None or layer is None or cell is None:
            self._session.note("Point at a cell, or go there with the arrows, and ask again")
            return
        owner = self._owner(layer)
        if not layer.holds_tiles or owner is None:
            self._session.note("Only on layers of tiles a piece can be looked for")
            return
        same = self.at == (map_, layer, cell) and self._revision == self._session.doc.revision
        if same and self.found:
            self._take((self.place + by) % len(self.found))
            return

        def done(found: list[Piece]) -> None:
            self.at, self.found = (map_, layer, cell), found
            self._revision = self._session.doc.revision
            self._pictures = [self._picture(owner, each) for each in found[:_SHOWN]]
            if found:
                self._take(0)
            else:
                self._session.note("Nothing lies beside this cell: any piece fits")
                self.changed.emit()

        doc = self._session.doc
        self._session.run_long(
            "Looking which pieces fit…",
            lambda _: pieces_for(doc, map_, layer, cell, owner, _SHOWN), done,
        )  # fmt: skip

    def _owner(self, layer: Layer) -> Tileset | None:
        """Give the sheet to look through: the layer's, else that in hand, else the chosen one."""
        project, hand = self._session.project, self._session.hand
        if isinstance(layer, GroundLayer):
            return project.tileset_named(layer.tileset)
        if isinstance(hand, TileInHand):
            return project.tileset_named(hand.tile.tileset)
        return self._session.tileset

    def _picture(self, owner: Tileset, piece: Piece) -> QPixmap:
        pixels = tile_pixels(owner, piece.tile)
        assert pixels is not None
        return QPixmap.fromImage(image_of(pixels.copy()))

    def _take(self, place: int) -> None:
        self.place = place
        tile = self.found[place].tile
        owner = self._session.project.tileset_named(tile.tileset)
        if owner is None:
            raise KnitError(f"there is no sheet “{tile.tileset}”")
        self._session.choose_tool("paint")
        self._session.take(TileInHand(tile, owner.number(tile.row, tile.col)))
        self.changed.emit()

    def shows_at(self, map_: Map | None, layer: Layer | None, cell: tuple[int, int] | None) -> bool:
        """Whether the pieces are those for a cell, and one of them is in hand still."""
        hand = self._session.hand
        return (
            bool(self.found) and self.at == (map_, layer, cell)
            and isinstance(hand, TileInHand) and hand.tile == self.found[self.place].tile
        )  # fmt: skip

    def draw(self, painter: QPainter, rect: QRectF, room: QRectF) -> None:
        """Draw them in a row beside a cell's place on the screen."""
        wide = len(self._pictures) * (_SIDE + 8) + 16
        panel = QRectF(0, 0, wide, _SIDE + 34)
        panel.moveCenter(QPointF(rect.center().x(), rect.bottom() + 92))
        panel.moveLeft(max(room.left() + 4, min(panel.left(), room.right() - wide - 4)))
        if panel.bottom() > room.bottom() - 4:
            panel.moveBottom(rect.top() - 40)
        t = theme()
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(t.colour("line"), 1))
        painter.setBrush(t.colour("panel"))
        painter.drawRoundedRect(panel, 6, 6)
        write_in(painter, 11)
        painter.setPen(t.colour("ink2"))
        words = f"Fits here: {self.place + 1} of {len(self.found)}, best first"
        painter.drawText(panel.adjusted(10, 4, -8, 0), Qt.AlignmentFlag.AlignTop, words)
        for n, picture in enumerate(self._pictures):
            spot = QRectF(panel.left() + 12 + n * (_SIDE + 8), panel.top() + 24, _SIDE, _SIDE)
            scale = min(_SIDE / picture.width(), _SIDE / picture.height())
            area = QRectF(0, 0, picture.width() * scale, picture.height() * scale)
            area.moveCenter(spot.center())
            painter.drawPixmap(area, picture, QRectF(picture.rect()))
            chosen = n == self.place
            painter.setPen(QPen(t.colour("madder" if chosen else "line"), 3 if chosen else 1))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(spot.adjusted(-2, -2, 2, 2))
        painter.restore()

    def cell_of(self, map_: Map, layer: Layer | None, at: tuple[int, int]) -> tuple[int, int]:
        """Give the cell that is meant: one that wraps is the same as its copy."""
        grid = grid_of(map_, layer)
        return (at[0] % grid.height, at[1] % grid.width) if grid.wrap else at
