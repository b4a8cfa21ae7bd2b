"""Commands on the layers of the session's map."""

from __future__ import annotations

import re
from functools import partial

from PySide6.QtWidgets import QInputDialog, QMenu, QWidget

from knitground.core.base.tongue import later, say
from knitground.core.base.window import whole
from knitground.core.edit.desk import Pointer
from knitground.core.edit.hand import TileInHand
from knitground.core.edit.layers import (
    add_layer,
    delete_layer,
    interleave_layer,
    lock_layer,
    move_layer,
    rename_layer,
    reseed_layer,
    show_layer,
)
from knitground.core.edit.laying import plan_unpin
from knitground.core.edit.planning import EYE_KEYS, LOCK_KEYS, has_pins, release_pins
from knitground.core.edit.sizes import duplicate_layer, merge_down, show_only
from knitground.core.model.layers import GroundLayer, Layer, PinnedLayer
from knitground.core.model.limits import MAX_CELLS
from knitground.core.model.map import Map
from knitground.core.model.project import free_name
from knitground.core.model.terrain import SetKind
from knitground.core.render.tiles import tile_pixels
from knitground.core.slicing.base import SEEN, wall_height
from knitground.ui.common.commands import Commands
from knitground.ui.common.words import on_button
from knitground.ui.mapside.growing import once_grown
from knitground.ui.session import Session


class LayerCommands:
    """Adds layers, and does what is asked for to the chosen one; each is one undoable step."""

    def __init__(self, session: Session, parent: QWidget) -> None:
        self.session = session
        self.parent_widget = parent

    def add_commands(self, commands: Commands) -> None:
        """Add them to the menus, those apart that need the strip to show something."""
        add = commands.add
        add("Add tile layer", self.add_tiles)
        add("Rename layer…", self.ask_chosen_name, "F2")
        add("Duplicate layer", self.duplicate)
        add("Merge into the layer behind", self.merge)
        add("Delete layer", self.delete, "Ctrl+Delete")
        add("Show or hide layer", self.toggle_eye, EYE_KEYS)
        add("Lock or unlock layer", self.toggle_lock, LOCK_KEYS)
        add("Show only this layer, or all", self.show_only, "Shift+I")
        add("Towards the back", lambda: self.shift(-1), "Ctrl+[")
        add("Towards the front", lambda: self.shift(1), "Ctrl+]")
        add("Next layer", lambda: self.step(1), "PgUp")
        add("Previous layer", lambda: self.step(-1), "PgDown")
        add("Add a storey above", self.add_storey)
        add("Sort by depth with neighbours, or not", self.toggle_depth)
        add("Reroll variants", self.reroll)
        add("Release all pins", self.release_pins)

    def step(self, by: int) -> None:
        """Choose the next layer towards the front (1) or the back (-1)."""
        map_, layer = self.session.map, self.session.layer
        if map_ is not None and layer in map_.layers:
            to = map_.layers.index(layer) + by
            if 0 <= to < len(map_.layers):
                self.session.choose_layer(map_.layers[to])

    def ask_chosen_name(self) -> None:
        """Ask for another name for the chosen layer."""
        if self.session.layer is not None:
            self.ask_name(self.session.layer)

    def release_here(self, at: Pointer | None) -> None:
        """Let the selected cells, else the cell at a place, be made again."""
        desk = self.session.desk()
        layer = desk.layer if has_pins(desk, at) else None
        once_grown(self.session, desk.map, layer, lambda: self._release_here(at))

    def _release_here(self, at: Pointer | None) -> None:
        plan = release_pins(self.session.desk(), at)
        if plan is None:
            self.session.note(
                say("No pin there: point at a pinned cell of the chosen layer, or select")
            )
        else:
            self.session.apply(plan.edit)

    def kind_menu(self) -> QMenu:
        """Make the menu of the kinds of layer that can be added."""
        menu = QMenu(self.parent_widget)
        for tileset in self.session.project.tilesets:
            for kit in tileset.sets:
                text = say(
                    "Ground layer from {name} — {name2} ({value} set)",
                    name=tileset.name,
                    name2=kit.name,
                    value=say(kit.kind.value),
                )
                menu.addAction(on_button(text), partial(self.add_ground, tileset.name, kit.name))
        menu.addAction(say("Tile layer"), self.add_tiles)
        menu.addAction(say("Tile layer with cells of its own…"), self.ask_own_cells)
        menu.addAction(say("Grown layer: made by a recipe"), partial(self.add_kind, later("Grown")))
        menu.addAction(
            say("Marker layer: points, areas, free pictures"),
            partial(self.add_kind, later("Markers")),
        )
        menu.addAction(
            say("Tint layer: colours over what lies beneath"), partial(self.add_kind, later("Tint"))
        )
        return menu

    def add_kind(self, kind: str) -> None:
        """Add a grown layer, a marker layer or a tint layer in front of the chosen one."""
        map_ = self.session.map
        if map_ is None:
            return
        name = free_name(say(kind), [layer.name for layer in map_.layers])
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
            self.parent_widget,
            say("Tile layer with cells of its own"),
            say("Width × height of a cell in px"),
            text=old,
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
                say(
                    "“{typed}” is not a size of cells: give width × height, 1 to 16 384 px each",
                    typed=text,
                )
            )
            return
        if map_.lattice.slanted:
            self.session.warn(say("On a map of diamonds all layers have the map's cells"))
            return
        width, height = (int(each) for each in numbers)
        own = map_.lattice.divided(height, width)
        if own.rows * own.columns > MAX_CELLS:
            self.session.warn(
                say(
                    "cells of {width} × {height} px would be more than {max_cells}: give larger "
                    "ones",
                    width=width,
                    height=height,
                    max_cells=MAX_CELLS,
                )
            )
            return
        name = free_name(
            say("Tiles {width} × {height}", width=width, height=height),
            [layer.name for layer in map_.layers],
        )
        self._add(map_, map_.new_tile_layer(name, (height, width)))

    def add_tiles(self) -> None:
        """Add a tile layer in front of the chosen layer and choose it."""
        map_ = self.session.map
        if map_ is not None:
            name = free_name(say("Tiles"), [layer.name for layer in map_.layers])
            self._add(map_, map_.new_tile_layer(name))

    def add_storey(self) -> None:
        """Add a tile layer in front, as much higher as the tile in hand's wall, and choose it."""
        map_, layer = self.session.map, self.session.layer
        if map_ is None or layer is None:
            return
        rise = self._rise(map_) or map_.lattice.cell_size[0]
        names = [each.name for each in map_.layers]
        made = map_.new_tile_layer(free_name(say("Storey"), names))
        made.offset, made.height = layer.offset, layer.height + rise
        self._add(map_, made)
        self.session.note(
            say(
                "“{name}” is {rise} px above “{name2}”", name=made.name, rise=rise, name2=layer.name
            )
        )

    def _rise(self, map_: Map) -> int:
        """Measure by how much the tile in hand rises over its cell; 0 of what lies flat."""
        hand = self.session.hand
        tile = hand.tile if isinstance(hand, TileInHand) else None
        owner = self.session.project.tileset_named(tile.tileset) if tile else None
        pixels = tile_pixels(owner, tile) if owner and tile else None
        return 0 if pixels is None else wall_height(pixels >> 24 > SEEN, map_.lattice)

    def toggle_depth(self) -> None:
        """Draw the chosen layer line by line with its neighbours that are so too, or no more."""
        map_, layer = self.session.map, self.session.layer
        if map_ is not None and layer is not None:
            on = not layer.interleaved
            if self.session.apply(interleave_layer(map_, layer, on)):
                words = say("with its neighbours that are too") if on else say("no more")
                self.session.note(
                    say("“{name}” is sorted by depth {words}", name=layer.name, words=words)
                )

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
        name, ok = QInputDialog.getText(
            self.parent_widget, say("Rename layer"), say("Name"), text=layer.name
        )
        if ok and map_ is not None:
            self.session.do(lambda: rename_layer(map_, layer, name, self.session.project))

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
            self.session.do(lambda: merge_down(map_, layer))

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
            self.session.note(say("Only a ground layer draws variants: choose one"))

    def release_pins(self) -> None:
        """Let all cells of the chosen layer be knitted, or grown, again."""
        map_, layer = self.session.map, self.session.layer
        if map_ is None or not isinstance(layer, PinnedLayer) or not layer.pinned.any():
            self.session.note(say("The chosen layer has no pins"))
            return
        once_grown(self.session, map_, layer, lambda: self._release_all(map_, layer))

    def _release_all(self, map_: Map, layer: PinnedLayer) -> None:
        name = say(
            "Release {number} pins of “{name}”", number=int(layer.pinned.sum()), name=layer.name
        )
        box, every = whole(layer.cells), layer.pinned.copy()
        self.session.apply(plan_unpin(self.session.doc, map_, layer, box, every, name).edit)
