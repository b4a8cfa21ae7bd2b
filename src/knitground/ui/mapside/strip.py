"""The layer strip below the map: one card a layer, the back one at the left."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QEvent, QObject, QPoint, Qt, QTimer
from PySide6.QtGui import (
    QDragEnterEvent,
    QDragMoveEvent,
    QDropEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import (
    QFrame,
    QLabel,
    QMenu,
    QScrollArea,
    QVBoxLayout,
    QWidget,
    QWidgetAction,
)

from knitground.core.base.tongue import say
from knitground.core.edit.changed import Changed, What
from knitground.core.edit.layers import (
    fade_layer,
    move_layer,
    place_layer,
    use_set,
)
from knitground.core.model.layers import (
    GroundLayer,
    Layer,
)
from knitground.core.model.limits import MAX_SHIFT
from knitground.core.model.map import Map
from knitground.ui.common.commands import Commands
from knitground.ui.common.form import Slide, whole_box
from knitground.ui.common.pulse import pulse_is_full
from knitground.ui.common.theme import TEXT_PX, text_px
from knitground.ui.common.widgets import button, note, row
from knitground.ui.common.words import on_button
from knitground.ui.mapside.layercard import Card
from knitground.ui.mapside.layercommands import LayerCommands
from knitground.ui.session import Session


class Strip(QFrame):
    """All layers of the session's map, and the button that adds one."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.layers = LayerCommands(session, self)
        self.setProperty("panel", "true")
        self.setAcceptDrops(True)
        self.cards: list[Card] = []
        self._line = row(spacing=3)  # seven cards have room beside a wide bench at 1280 px
        inner = QWidget()
        inner.setLayout(row(self._line, 1))
        area = self._area = QScrollArea()
        area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        area.setWidget(inner)
        area.setWidgetResizable(True)
        area.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        area.viewport().installEventFilter(self)
        area.setFixedHeight(84)
        self.add = button("+", self.ask_kind, say("Add a layer"), "Ctrl+Shift+L")
        ends = row(note(say("back")), 1, note(say("front")))
        cards = row(area, self.add)
        cards.setStretch(0, 1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(7, 4, 7, 6)
        layout.setSpacing(2)
        layout.addLayout(ends)
        layout.addLayout(cards)
        self._thumbs = QTimer(self, singleShot=True, interval=120)
        self._thumbs.timeout.connect(self._draw_thumbs)
        self._next_thumb = QTimer(self, singleShot=True, interval=0)
        self._next_thumb.timeout.connect(self._draw_one_thumb)
        self._to_draw: list[Card] = []
        session.choice.picked.connect(self.refresh)
        session.opened.connect(self._rebuild)
        session.changed.connect(self._follow)
        session.dressed.connect(self.refresh)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """Let the wheel go along the layers; they take no room for a bar."""
        if isinstance(event, QWheelEvent):
            bar = self._area.horizontalScrollBar()
            bar.setValue(bar.value() - event.angleDelta().y() - event.angleDelta().x())
            return True
        return super().eventFilter(watched, event)

    # Following the session

    def _follow(self, change: Changed) -> None:
        if change.what in (What.LAYERS, What.LOCK):
            self.refresh()
        if change.what is not What.LOCK:
            self._thumbs.start()

    def refresh(self) -> None:
        """Show the layers of the session's map as they are now."""
        map_ = self.session.map
        layers = map_.layers if map_ else []
        self._area.setFixedHeight(84 + 3 * max(0, text_px() - TEXT_PX))  # two lines of text
        if [card.layer for card in self.cards] != layers:
            self._rebuild()
        else:
            for card in self.cards:
                card.refresh()
        for card in self.cards:
            if card.layer is self.session.layer:
                QTimer.singleShot(0, card, partial(self._area.ensureWidgetVisible, card, 20, 0))

    def _rebuild(self) -> None:
        """Give each layer a card: its own if it has one, else one that is free."""
        map_ = self.session.map
        self.add.setEnabled(map_ is not None)
        own = {id(card.layer): card for card in self.cards}
        layers = map_.layers if map_ else []
        taken = {id(layer) for layer in layers}
        free = [card for card in self.cards if id(card.layer) not in taken]
        cards = []
        for layer in layers:
            assert map_ is not None
            card = own.get(id(layer)) or (free.pop(0) if free else self._new_card(map_, layer))
            card.turn_to(map_, layer)
            cards.append(card)
        for card in free:
            self._line.removeWidget(card)
            card.hide()
            card.deleteLater()
        for card in cards:
            self._line.removeWidget(card)
            self._line.addWidget(card)
        self.cards = cards
        self._thumbs.start()

    def _new_card(self, map_: Map, layer: Layer) -> Card:
        card = Card(self.session, map_, layer)
        card.chosen.connect(self.session.choose_layer)
        card.rename_asked.connect(self.layers.ask_name)
        card.menu_asked.connect(self._menu)
        return card

    def _draw_thumbs(self) -> None:
        """Draw the small pictures, one in a pulse: each takes a while on a large layer."""
        self._to_draw = list(self.cards)
        self._draw_one_thumb()

    def _draw_one_thumb(self) -> None:
        if pulse_is_full():
            self._next_thumb.start()
            return
        map_ = self.session.map
        while map_ is not None and self._to_draw:
            card = self._to_draw.pop(0)
            if card in self.cards and card.map is map_ and card.layer in map_.layers:
                atlas = self.session.atlases.of(map_)
                card.thumb.show_layer(self.session, map_, card.layer, atlas)
                self._next_thumb.start()
                return

    # The menu of a layer

    def ask_kind(self) -> None:
        """Show the kinds of layer that can be added."""
        menu = self.layers.kind_menu()
        menu.aboutToHide.connect(menu.deleteLater)
        menu.popup(self.add.mapToGlobal(QPoint(0, -menu.sizeHint().height())))

    def add_commands(self, commands: Commands) -> None:
        """Add the commands on layers to the menus."""
        commands.add("Add layer…", self.ask_kind, "Ctrl+Shift+L")
        commands.add("Offset and height…", self.ask_place)
        self.layers.add_commands(commands)

    def _knit_from(self, map_: Map, layer: GroundLayer, tileset: str, set_name: str) -> None:
        self.session.apply(use_set(map_, layer, tileset, set_name))

    def _opacity_action(self, menu: QMenu, map_: Map, layer: Layer) -> QWidgetAction:
        """Make a slider of the layer's opacity; one drag of it is one step."""
        slider = Slide(0, 100, say("Opacity of the layer, in %"))
        slider.setValue(round(layer.opacity * 100))
        slider.setAccessibleName(say("Opacity"))
        key = object()
        slider.valueChanged.connect(
            lambda value: self.session.apply(fade_layer(map_, layer, value / 100), key)
        )
        holder = QWidget()
        holder.setLayout(row(QLabel(say("Opacity")), slider, margins=6))
        action = QWidgetAction(menu)
        action.setDefaultWidget(holder)
        return action

    def _place_action(self, menu: QMenu, map_: Map, layer: Layer) -> QWidgetAction:
        """Make number fields of the layer's offset and height; they can be seen at once."""
        fields = []
        for hint, value in (
            (say("Pixels further right"), layer.offset[0]),
            (say("Pixels further down"), layer.offset[1]),
            (
                say("Height above the ground in px: drawn that much higher, shipped for depth"),
                layer.height,
            ),
        ):
            fields.append(whole_box(-MAX_SHIFT, MAX_SHIFT, hint, value=value, suffix=" px"))
        key = object()

        def apply(_: int) -> None:
            right, down, height = (each.value() for each in fields)
            self.session.apply(place_layer(map_, layer, (right, down), height), key)

        for box in fields:
            box.valueChanged.connect(apply)
        holder = QWidget()
        holder.setLayout(
            row(
                QLabel(say("Offset")),
                fields[0],
                fields[1],
                QLabel(say("Height")),
                fields[2],
                margins=6,
            )
        )
        action = QWidgetAction(menu)
        action.setDefaultWidget(holder)
        return action

    def _new_menu(self) -> QMenu:
        """Make a menu that is gone once it is closed and what was chosen has been done."""
        menu = QMenu(self)
        menu.aboutToHide.connect(menu.deleteLater)
        return menu

    def ask_place(self) -> None:
        """Show the fields of the chosen layer's offset and height."""
        map_, layer = self.session.map, self.session.layer
        if map_ is not None and layer is not None:
            menu = self._new_menu()
            menu.addAction(self._place_action(menu, map_, layer))
            menu.popup(self.mapToGlobal(QPoint(80, -menu.sizeHint().height())))

    def _menu(self, layer: Layer, at: QPoint) -> None:
        map_ = self.session.map
        if map_ is None:
            return
        menu = self._new_menu()
        menu.addAction(say("Rename…"), lambda: self.layers.ask_name(layer))
        menu.addAction(self._opacity_action(menu, map_, layer))
        menu.addAction(self._place_action(menu, map_, layer))
        menu.addAction(say("Duplicate"), self.layers.duplicate)
        menu.addAction(say("Merge into the layer behind"), self.layers.merge)
        menu.addAction(say("Show only this one, or all"), self.layers.show_only)
        depth = menu.addAction(say("Sort by depth with neighbours"), self.layers.toggle_depth)
        depth.setCheckable(True)
        depth.setChecked(layer.interleaved)
        menu.addAction(say("Add a storey above"), self.layers.add_storey)
        menu.addAction(say("Towards the back"), lambda: self.layers.shift(-1))
        menu.addAction(say("Towards the front"), lambda: self.layers.shift(1))
        if isinstance(layer, GroundLayer):
            sets = menu.addMenu(say("Knit from"))
            for tileset in self.session.project.tilesets:
                for kit in tileset.sets:
                    if kit.kind is not layer.kind_of_set:
                        continue
                    sets.addAction(
                        on_button(f"{tileset.name} — {kit.name}"),
                        partial(self._knit_from, map_, layer, tileset.name, kit.name),
                    )
            menu.addAction(say("Reroll variants"), self.layers.reroll)
        menu.addSeparator()
        menu.addAction(say("Delete"), self.layers.delete)
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
