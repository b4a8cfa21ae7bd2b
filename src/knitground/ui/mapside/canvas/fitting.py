"""Which piece fits here: the best ones as pictures beside a cell, one after the other in hand."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPen, QPixmap
from PySide6.QtWidgets import QWidget

from knitground.core.base.errors import KnitError
from knitground.core.base.tongue import say
from knitground.core.base.window import Box
from knitground.core.edit.hand import TileInHand
from knitground.core.edit.piecehere import Fitting, Piece
from knitground.core.model.layers import GroundLayer, Layer
from knitground.core.model.map import Map, grid_of
from knitground.core.model.tileset import Tileset
from knitground.core.render.tiles import tile_pixels
from knitground.ui.common.painting import image_of, write_in
from knitground.ui.common.theme import theme
from knitground.ui.mapside.canvas.over import Canvas, Overlay
from knitground.ui.mapside.canvas.overlay import box_rect
from knitground.ui.session import Session

_SHOWN, _SIDE = 8, 44


class FittingPieces(Overlay):
    """The pieces that fit on one cell, best first, and which of them is in hand."""

    def __init__(self, session: Session, view: QWidget) -> None:
        super().__init__(session, view)
        self.found: list[Piece] = []
        self.at: tuple[Map, Layer, tuple[int, int]] | None = None
        self.place = 0
        self._revision = -1
        self._pictures: list[QPixmap] = []

    def step(self, cell: tuple[int, int] | None, by: int) -> None:
        """Take the best piece for a cell in hand, or go on to the next one."""
        map_, layer = self.session.map, self.session.layer
        if map_ is None or layer is None or cell is None:
            self.session.note(say("Point at a cell, or go there with the arrows, and ask again"))
            return
        owner = self._owner(layer)
        if not layer.holds_tiles or owner is None:
            self.session.note(say("Only on layers of tiles a piece can be looked for"))
            return
        same = self.at == (map_, layer, cell) and self._revision == self.session.doc.revision
        if same and self.found:
            self._take((self.place + by) % len(self.found))
            return

        def done(found: list[Piece]) -> None:
            self.at, self.found = (map_, layer, cell), found
            self._revision = self.session.doc.revision
            self._pictures = [self._picture(owner, each) for each in found[:_SHOWN]]
            if found:
                self._take(0)
            else:
                self.session.note(say("Nothing lies beside this cell: any piece fits"))
                self.view.update()

        doc = self.session.doc
        self.session.run_long(
            say("Looking which pieces fit…"),
            lambda _: Fitting(doc, map_, layer, owner).on(cell, _SHOWN), done,
        )  # fmt: skip

    def _owner(self, layer: Layer) -> Tileset | None:
        """Give the sheet to look through: the layer's, else that in hand, else the chosen one."""
        project, hand = self.session.project, self.session.hand
        if isinstance(layer, GroundLayer):
            return project.tileset_named(layer.tileset)
        if isinstance(hand, TileInHand):
            return project.tileset_named(hand.tile.tileset)
        return self.session.tileset

    def _picture(self, owner: Tileset, piece: Piece) -> QPixmap:
        pixels = tile_pixels(owner, piece.tile)
        assert pixels is not None
        return QPixmap.fromImage(image_of(pixels.copy()))

    def _take(self, place: int) -> None:
        self.place = place
        tile = self.found[place].tile
        owner = self.session.project.tileset_named(tile.tileset)
        if owner is None:
            raise KnitError(say("there is no sheet “{tileset}”", tileset=tile.tileset))
        self.session.choose_tool("paint")
        self.session.take(TileInHand(tile, owner.number(tile.row, tile.col)))
        self.view.update()

    def shows_at(self, map_: Map | None, layer: Layer | None, cell: tuple[int, int] | None) -> bool:
        """Whether the pieces are those for a cell, and one of them is in hand still."""
        hand = self.session.hand
        return (
            bool(self.found) and self.at == (map_, layer, cell)
            and isinstance(hand, TileInHand) and hand.tile == self.found[self.place].tile
        )  # fmt: skip

    def draw(self, on: Canvas) -> bool:
        """Draw them in a row beside the cell that is pointed at, while they are those for it."""
        cell, shown = on.cell, on.pointer is not None and on.is_pointed and not on.asks_why
        if cell is None or not (shown and self.shows_at(on.map, on.session.layer, cell)):
            return True
        painter, room = on.painter, QRectF(on.room)
        rect = box_rect(on.own, on.grid, Box(cell[0], cell[1], cell[0] + 1, cell[1] + 1))
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
        words = say(
            "Fits here: {place} of {count}, best first", place=self.place + 1, count=len(self.found)
        )
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
        return True

    def cell_of(self, map_: Map, layer: Layer | None, at: tuple[int, int]) -> tuple[int, int]:
        """Give the cell that is meant: one that wraps is the same as its copy."""
        grid = grid_of(map_, layer)
        return grid.lattice.nearest(*at) if grid.wrap else at
