"""The layer strip below the map: one card a layer, the back one at the left."""

from __future__ import annotations

import re
from functools import partial

import numpy as np
from PySide6.QtCore import QMimeData, QPoint, QRect, Qt, QTimer, Signal
from PySide6.QtGui import (
    QContextMenuEvent,
    QDrag,
    QDragEnterEvent,
    QDragMoveEvent,
    QDropEvent,
    QImage,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
)
from PySide6.QtWidgets import (
    QFrame,
    QInputDialog,
    QLabel,
    QMenu,
    QScrollArea,
    QSlider,
    QSpinBox,
    QVBoxLayout,
    QWidget,
    QWidgetAction,
)

from knitground.core.base.window import Box, whole
from knitground.core.edit.changed import Changed, What
from knitground.core.edit.layers import (
    MAX_SHIFT,
    add_layer,
    delete_layer,
    fade_layer,
    lock_layer,
    move_layer,
    place_layer,
    rename_layer,
    reseed_layer,
    show_layer,
    use_set,
)
from knitground.core.edit.laying import plan_unpin
from knitground.core.edit.sizes import duplicate_layer, merge_down, show_only
from knitground.core.model.layers import (
    Cells,
    GroundLayer,
    Layer,
    MarkerLayer,
    PinnedLayer,
    TintLayer,
)
from knitground.core.model.map import MAX_CELLS, Map, grid_of
from knitground.core.model.project import free_name
from knitground.core.model.terrain import SetKind
from knitground.core.render.atlas import Atlas
from knitground.core.render.compose import lay_out, tint_factors
from knitground.core.render.pixels import Pixels
from knitground.ui.canvas.chunks import image_of
from knitground.ui.canvas.markers import kind_colour
from knitground.ui.canvas.overview import sampled_cells
from knitground.ui.checkers import checkers
from knitground.ui.session import Session
from knitground.ui.theme import theme
from knitground.ui.widgets import button, column, icon, icon_button, note, row

_THUMB = (60, 40)
_SAMPLES = 60
_SMALL_CELLS = 512 * 512


class Thumb(QWidget):
    """A small picture of one layer."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedSize(*_THUMB)
        self._pixels: Pixels | None = None
        self._image: QImage | None = None

    def show_layer(self, session: Session, map_: Map, layer: Layer, atlas: Atlas) -> None:
        """Draw the layer: a cell in so many, one pixel each, so that any size is quick."""
        step = max(1, -(-max(map_.height, map_.width) // _SAMPLES))
        if isinstance(layer, MarkerLayer):
            self._show_pixels(_marker_dots(map_, layer, step))
            return
        if isinstance(layer, TintLayer):
            factors = tint_factors(sampled_cells(map_, layer, step))
            self._show_pixels(np.where(factors == 0xFFFFFFFF, np.uint32(0), factors))
            return
        if map_.height * map_.width > _SMALL_CELLS or grid_of(map_, layer) is not map_:
            # Too large to knit or to look through for a thumbnail: one cell in so many, and of
            # ground what has been knitted so far.
            cells = sampled_cells(map_, layer, step)
        else:
            box = Box(0, 0, map_.height, map_.width)
            cells = _sampled(session.doc.cells(map_, layer, box), step)
        self._show_pixels(lay_out(atlas.dots(), cells))

    def _show_pixels(self, pixels: Pixels) -> None:
        self._pixels = np.ascontiguousarray(pixels)
        self._image = image_of(self._pixels)
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        checkers(painter, self.rect().toRectF())
        if self._image is not None:
            size = self._image.size().scaled(self.size(), Qt.AspectRatioMode.KeepAspectRatio)
            rect = QRect(QPoint(0, 0), size)
            rect.moveCenter(self.rect().center())
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            painter.drawImage(rect, self._image)
        painter.setPen(QPen(theme().colour("line"), 1))
        painter.drawRect(self.rect().adjusted(0, 0, -1, -1))
        painter.end()


def _marker_dots(map_: Map, layer: MarkerLayer, step: int) -> Pixels:
    """Draw each marker as a dot in the colour of its kind."""
    high, wide = -(-map_.height // step), -(-map_.width // step)
    out = np.zeros((high, wide), np.uint32)
    for each in layer.markers:
        x, y = each.middle
        row_, col = int(y // map_.tile_height) // step, int(x // map_.tile_width) // step
        if 0 <= row_ < high and 0 <= col < wide:
            spot = (slice(max(0, row_ - 1), row_ + 2), slice(max(0, col - 1), col + 2))
            out[spot] = 0xFF000000 | int(kind_colour(each.kind)[1:], 16)
    return out


def _sampled(cells: Cells, step: int) -> Cells:
    """Take one cell of each step × step, one that is not empty if there is any."""
    high, wide = cells.shape[0] // step * step, cells.shape[1] // step * step
    blocks = cells[:high, :wide].reshape(high // step, step, wide // step, step)
    return np.asarray(blocks.max(axis=(1, 3)), np.int32)


class Card(QFrame):
    """One layer: thumbnail, kind, eye, lock, name. A click chooses it, a drag moves it."""

    chosen = Signal(object)
    rename_asked = Signal(object)
    menu_asked = Signal(object, QPoint)

    def __init__(self, session: Session, map_: Map, layer: Layer) -> None:
        super().__init__()
        self.session, self.map, self.layer = session, map_, layer
        self.setFixedWidth(136)
        self.setAccessibleName(f"Layer {layer.name}")
        self.thumb = Thumb()
        self.name = QLabel()
        self.kind = note(layer.kind)
        self.kind.setWordWrap(False)
        self.eye = icon_button("mdi6.eye-outline", self._toggle_eye, "Hide", "Ctrl+H")
        self.lock = icon_button("mdi6.lock-open-outline", self._toggle_lock, "Lock", "Ctrl+L")
        side = column(self.kind, row(self.eye, self.lock, 1, spacing=2), spacing=2)
        self.setLayout(column(row(self.thumb, side, spacing=8), self.name, margins=6, spacing=4))
        self._press: QPoint | None = None
        self.refresh()

    def refresh(self) -> None:
        """Show the layer's name, eye and lock, and whether it is the chosen one."""
        t = theme()
        here = self.session.layer is self.layer
        edge = f"2px solid {t.madder}" if here else f"1px solid {t.line}"
        ground = t.panel if here else t.window
        self.setStyleSheet(f"Card {{ background: {ground}; border: {edge}; border-radius: 4px; }}")
        metrics = self.name.fontMetrics()
        name = metrics.elidedText(self.layer.name, Qt.TextElideMode.ElideRight, 118)
        self.name.setText(f"<b>{name}</b>" if here else name)
        grid, moved = grid_of(self.map, self.layer), self.layer.shift != (0, 0)
        own = f" {grid.tile_width}×{grid.tile_height}" if grid is not self.map else ""
        self.kind.setText(self.layer.kind + own + (" ⇲" if moved else ""))
        across, down = self.layer.offset
        place = f" · offset {across}, {down} px, height {self.layer.height} px" if moved else ""
        self.setToolTip(f"{self.layer.name}: click to work on it, drag to move it{place}")
        self.eye.setIcon(
            icon("mdi6.eye-outline", "ink2")
            if self.layer.visible
            else icon("mdi6.eye-off-outline", "madder")
        )
        self.lock.setIcon(
            icon("mdi6.lock", "madder")
            if self.layer.locked
            else icon("mdi6.lock-open-outline", "ink2")
        )
        self.eye.setToolTip("Hide (Ctrl+H)" if self.layer.visible else "Show (Ctrl+H)")
        self.lock.setToolTip("Unlock (Ctrl+L)" if self.layer.locked else "Lock (Ctrl+L)")

    def _toggle_eye(self) -> None:
        self.session.apply(show_layer(self.map, self.layer, not self.layer.visible))

    def _toggle_lock(self) -> None:
        self.session.apply(lock_layer(self.map, self.layer, not self.layer.locked))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton:
            self._press = event.position().toPoint()
            self.chosen.emit(self.layer)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._press is None:
            return
        if (event.position().toPoint() - self._press).manhattanLength() > 12:
            self._press = None
            drag = QDrag(self)
            data = QMimeData()
            data.setText(f"layer {self.layer.number}")
            drag.setMimeData(data)
            drag.setPixmap(self.thumb.grab())
            drag.exec(Qt.DropAction.MoveAction)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._press = None

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self.rename_asked.emit(self.layer)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        self.chosen.emit(self.layer)
        self.menu_asked.emit(self.layer, event.globalPos())


class Strip(QFrame):
    """All layers of the session's map, and the button that adds one."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.setProperty("panel", "true")
        self.setAcceptDrops(True)
        self.cards: list[Card] = []
        self._atlas: tuple[Map, Atlas] | None = None
        self._line = row(spacing=8)
        inner = QWidget()
        inner.setLayout(row(self._line, 1))
        area = self._area = QScrollArea()
        area.setWidget(inner)
        area.setWidgetResizable(True)
        area.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        area.setFixedHeight(92)
        self.add = button("+ layer", self.ask_kind, "Add a layer", "Ctrl+Shift+L")
        ends = row(note("back"), 1, note("front"))
        cards = row(area, self.add)
        cards.setStretch(0, 1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(8, 4, 8, 6)
        layout.setSpacing(2)
        layout.addLayout(ends)
        layout.addLayout(cards)
        self._thumbs = QTimer(self, singleShot=True, interval=120)
        self._thumbs.timeout.connect(self._draw_thumbs)
        session.picked.connect(self.refresh)
        session.opened.connect(self._rebuild)
        session.changed.connect(self._follow)
        session.dressed.connect(self.refresh)

    # Following the session

    def _follow(self, change: Changed) -> None:
        if change.what in (What.SLICING, What.TILESETS):
            self._atlas = None
        if change.what is What.LAYERS:
            self.refresh()
        self._thumbs.start()

    def refresh(self) -> None:
        """Show the layers of the session's map as they are now."""
        map_ = self.session.map
        layers = map_.layers if map_ else []
        if [card.layer for card in self.cards] != layers:
            self._rebuild()
        for card in self.cards:
            card.refresh()
            if card.layer is self.session.layer:
                QTimer.singleShot(0, card, partial(self._area.ensureWidgetVisible, card, 20, 0))

    def _rebuild(self) -> None:
        for card in self.cards:
            self._line.removeWidget(card)
            card.hide()
            card.deleteLater()
        self.cards = []
        map_ = self.session.map
        self.add.setEnabled(map_ is not None)
        for layer in map_.layers if map_ else []:
            card = Card(self.session, map_, layer)  # type: ignore[arg-type]
            card.chosen.connect(self.session.choose_layer)
            card.rename_asked.connect(self.ask_name)
            card.menu_asked.connect(self._menu)
            self._line.addWidget(card)
            self.cards.append(card)
        self._thumbs.start()

    def _draw_thumbs(self) -> None:
        map_ = self.session.map
        if map_ is None:
            return
        if self._atlas is None or self._atlas[0] is not map_:
            self._atlas = (map_, Atlas(self.session.project, map_))
        for card in self.cards:
            if card.map is map_ and card.layer in map_.layers:
                card.thumb.show_layer(self.session, map_, card.layer, self._atlas[1])

    # Commands on the chosen layer

    def ask_kind(self) -> None:
        """Show the kinds of layer that can be added."""
        menu = self.kind_menu()
        menu.popup(self.add.mapToGlobal(QPoint(0, -menu.sizeHint().height())))

    def kind_menu(self) -> QMenu:
        """Make the menu of the kinds of layer that can be added."""
        menu = QMenu(self)
        for tileset in self.session.project.tilesets:
            for kit in tileset.sets:
                text = f"Ground layer from {tileset.name} — {kit.name} ({kit.kind.value} set)"
                menu.addAction(text, partial(self.add_ground, tileset.name, kit.name))
        menu.addAction("Tile layer", self.add_tiles)
        menu.addAction("Tile layer with cells of its own…", self.ask_own_cells)
        menu.addAction("Grown layer: made by a recipe", partial(self.add_kind, "Grown"))
        menu.addAction(
            "Marker layer: points, areas, free pictures", partial(self.add_kind, "Markers")
        )
        menu.addAction("Tint layer: colours over what lies beneath", partial(self.add_kind, "Tint"))
        return menu

    def add_kind(self, kind: str) -> None:
        """Add a grown layer, a marker layer or a tint layer in front of the chosen one."""
        map_ = self.session.map
        if map_ is None:
            return
        name = free_name(kind, [layer.name for layer in map_.layers])
        make = {
            "Grown": map_.new_grown_layer, "Markers": map_.new_marker_layer,
            "Tint": map_.new_tint_layer,
        }  # fmt: skip
        self._add(map_, make[kind](name))

    def ask_own_cells(self) -> None:
        """Ask for the size of a new tile layer's own cells, and add it."""
        tileset = self.session.tileset
        cut = tileset.slicing if tileset is not None else None
        old = f"{cut.tile_width} × {cut.tile_height}" if cut and not cut.pieces else "16 × 16"
        text, ok = QInputDialog.getText(
            self, "Tile layer with cells of its own", "Width × height of a cell in px", text=old
        )
        if ok:
            self.add_own_cells(text)

    def add_own_cells(self, text: str) -> None:
        """Add a tile layer with the cells that “width × height” names."""
        map_, numbers = self.session.map, re.findall(r"\d+", text)
        if map_ is None:
            return
        if len(numbers) != 2 or not all(1 <= int(each) <= 16_384 for each in numbers):
            self.session.warn(
                f"“{text}” is not a size of cells: give width × height, 1 to 16 384 px each"
            )
            return
        width, height = (int(each) for each in numbers)
        area = map_.height * map_.tile_height * map_.width * map_.tile_width
        if area > MAX_CELLS * width * height:
            self.session.warn(
                f"cells of {width} × {height} px would be more than {MAX_CELLS}: give larger ones"
            )
            return
        name = free_name(f"Tiles {width} × {height}", [layer.name for layer in map_.layers])
        self._add(map_, map_.new_tile_layer(name, (height, width)))

    def add_tiles(self) -> None:
        """Add a tile layer in front of the chosen layer and choose it."""
        map_ = self.session.map
        if map_ is not None:
            name = free_name("Tiles", [layer.name for layer in map_.layers])
            self._add(map_, map_.new_tile_layer(name))

    def add_ground(self, tileset: str, set_name: str) -> None:
        """Add a ground layer in front of the chosen layer and choose it."""
        map_ = self.session.map
        if map_ is not None:
            name = free_name(set_name, [layer.name for layer in map_.layers])
            found = self.session.project.set_of(tileset, set_name)
            kind = found[1].kind if found else SetKind.CORNER
            self._add(map_, map_.new_ground_layer(name, tileset, set_name, kind))

    def _add(self, map_: Map, layer: Layer) -> None:
        chosen = self.session.layer
        at = map_.layers.index(chosen) + 1 if chosen in map_.layers else None
        if self.session.apply(add_layer(map_, layer, at)):
            self.session.choose_layer(layer)

    def ask_name(self, layer: Layer) -> None:
        """Ask for another name for a layer."""
        map_ = self.session.map
        name, ok = QInputDialog.getText(self, "Rename layer", "Name", text=layer.name)
        if ok and map_ is not None:
            self.session.attempt(lambda: self.session.doc.apply(rename_layer(map_, layer, name)))

    def delete(self) -> None:
        """Delete the chosen layer; undo brings it back."""
        map_, layer = self.session.map, self.session.layer
        if map_ is not None and layer is not None:
            self.session.apply(delete_layer(map_, layer))

    def duplicate(self) -> None:
        """Add a copy of the chosen layer in front of it and choose it."""
        map_, layer = self.session.map, self.session.layer
        if map_ is not None and layer is not None:
            edit, made = duplicate_layer(map_, layer)
            if self.session.apply(edit):
                self.session.choose_layer(made)

    def merge(self) -> None:
        """Lay the chosen layer's tiles on the layer behind it."""
        map_, layer = self.session.map, self.session.layer
        if map_ is not None and layer is not None:
            self.session.attempt(lambda: self.session.doc.apply(merge_down(map_, layer)))

    def show_only(self) -> None:
        """Hide all other layers, or show them all again."""
        map_, layer = self.session.map, self.session.layer
        if map_ is not None and layer is not None:
            self.session.apply(show_only(map_, layer))

    def shift(self, by: int) -> None:
        """Move the chosen layer towards the front (1) or the back (-1)."""
        map_, layer = self.session.map, self.session.layer
        if map_ is not None and layer is not None:
            to = map_.layers.index(layer) + by
            if 0 <= to < len(map_.layers):
                self.session.apply(move_layer(map_, layer, to))

    def toggle_eye(self) -> None:
        """Show or hide the chosen layer."""
        map_, layer = self.session.map, self.session.layer
        if map_ is not None and layer is not None:
            self.session.apply(show_layer(map_, layer, not layer.visible))

    def toggle_lock(self) -> None:
        """Lock or unlock the chosen layer."""
        map_, layer = self.session.map, self.session.layer
        if map_ is not None and layer is not None:
            self.session.apply(lock_layer(map_, layer, not layer.locked))

    def reroll(self) -> None:
        """Draw the variants of the chosen ground layer anew."""
        map_, layer = self.session.map, self.session.layer
        if map_ is not None and isinstance(layer, GroundLayer):
            self.session.apply(reseed_layer(map_, layer, layer.seed + 1))
        else:
            self.session.note("Only a ground layer draws variants: choose one")

    def release_pins(self) -> None:
        """Let all cells of the chosen layer be knitted, or grown, again."""
        map_, layer = self.session.map, self.session.layer
        if map_ is None or not isinstance(layer, PinnedLayer) or not layer.pinned.any():
            self.session.note("The chosen layer has no pins")
            return
        count = int(layer.pinned.sum())
        box = whole(layer.cells)
        name = f"Release {count} pins of “{layer.name}”"
        plan = plan_unpin(self.session.doc, map_, layer, box, layer.pinned.copy(), name)
        self.session.apply(plan.edit)

    def _knit_from(self, map_: Map, layer: GroundLayer, tileset: str, set_name: str) -> None:
        self.session.apply(use_set(map_, layer, tileset, set_name))

    def _opacity_action(self, menu: QMenu, map_: Map, layer: Layer) -> QWidgetAction:
        """Make a slider of the layer's opacity; one drag of it is one step."""
        slider = QSlider(Qt.Orientation.Horizontal)
        slider.setRange(0, 100)
        slider.setValue(round(layer.opacity * 100))
        slider.setToolTip("Opacity of the layer, in %")
        slider.setAccessibleName("Opacity")
        key = object()
        slider.valueChanged.connect(
            lambda value: self.session.apply(fade_layer(map_, layer, value / 100), key)
        )
        holder = QWidget()
        holder.setLayout(row(QLabel("Opacity"), slider, margins=6))
        action = QWidgetAction(menu)
        action.setDefaultWidget(holder)
        return action

    def _place_action(self, menu: QMenu, map_: Map, layer: Layer) -> QWidgetAction:
        """Make number fields of the layer's offset and height; they can be seen at once."""
        fields = []
        for hint, value in (
            ("Pixels further right", layer.offset[0]), ("Pixels further down", layer.offset[1]),
            ("Height above the ground in px: drawn that much higher, shipped for depth",
             layer.height),
        ):  # fmt: skip
            box = QSpinBox()
            box.setRange(-MAX_SHIFT, MAX_SHIFT)
            box.setValue(value)
            box.setSuffix(" px")
            box.setToolTip(hint)
            box.setAccessibleName(hint)
            fields.append(box)
        key = object()

        def apply(_: int) -> None:
            right, down, height = (each.value() for each in fields)
            self.session.apply(place_layer(map_, layer, (right, down), height), key)

        for box in fields:
            box.valueChanged.connect(apply)
        holder = QWidget()
        holder.setLayout(
            row(QLabel("Offset"), fields[0], fields[1], QLabel("Height"), fields[2], margins=6)
        )
        action = QWidgetAction(menu)
        action.setDefaultWidget(holder)
        return action

    def ask_place(self) -> None:
        """Show the fields of the chosen layer's offset and height."""
        map_, layer = self.session.map, self.session.layer
        if map_ is not None and layer is not None:
            menu = QMenu(self)
            menu.addAction(self._place_action(menu, map_, layer))
            menu.popup(self.mapToGlobal(QPoint(80, -menu.sizeHint().height())))

    def _menu(self, layer: Layer, at: QPoint) -> None:
        map_ = self.session.map
        if map_ is None:
            return
        menu = QMenu(self)
        menu.addAction("Rename…", lambda: self.ask_name(layer))
        menu.addAction(self._opacity_action(menu, map_, layer))
        menu.addAction(self._place_action(menu, map_, layer))
        menu.addAction("Duplicate", self.duplicate)
        menu.addAction("Merge into the layer behind", self.merge)
        menu.addAction("Show only this one, or all", self.show_only)
        menu.addAction("Towards the back", lambda: self.shift(-1))
        menu.addAction("Towards the front", lambda: self.shift(1))
        if isinstance(layer, GroundLayer):
            sets = menu.addMenu("Knit from")
            for tileset in self.session.project.tilesets:
                for kit in tileset.sets:
                    if kit.kind is not layer.kind_of_set:
                        continue
                    sets.addAction(
                        f"{tileset.name} — {kit.name}",
                        partial(self._knit_from, map_, layer, tileset.name, kit.name),
                    )
            menu.addAction("Reroll variants", self.reroll)
        menu.addSeparator()
        menu.addAction("Delete", self.delete)
        menu.popup(at)

    # Dragging cards

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().text().startswith("layer "):
            event.acceptProposedAction()

    def dragMoveEvent(self, event: QDragMoveEvent) -> None:
        event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        map_ = self.session.map
        number = int(event.mimeData().text().split()[1])
        layer = map_.layer_numbered(number) if map_ else None
        if map_ is not None and layer is not None:
            self.drop_at(layer, event.position().toPoint())
            event.acceptProposedAction()

    def drop_at(self, layer: Layer, at: QPoint) -> None:
        """Move a layer to where a card was dropped."""
        map_ = self.session.map
        if map_ is None:
            return
        x = self.mapToGlobal(at).x()
        others = [card for card in self.cards if card.layer is not layer]
        middles = [card.mapToGlobal(card.rect().center()).x() for card in others]
        self.session.apply(move_layer(map_, layer, sum(middle < x for middle in middles)))
