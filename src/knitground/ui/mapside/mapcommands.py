"""Commands on the maps of the project."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QColor
from PySide6.QtWidgets import QColorDialog, QInputDialog, QWidget

from knitground.core.base.tongue import say
from knitground.core.edit.document import Edit
from knitground.core.edit.maps import (
    add_map,
    delete_map,
    rename_map,
    set_background,
    set_screen,
)
from knitground.core.edit.sizes import duplicate_map
from knitground.core.files.images import read_picture
from knitground.core.model.lattice import Point
from knitground.core.model.map import Map
from knitground.core.model.tileset import Picture
from knitground.ui.common.asking import answered
from knitground.ui.common.commands import Commands
from knitground.ui.common.filedialogs import ask_file
from knitground.ui.mapside.dialogs import NewMapDialog, ResizeDialog
from knitground.ui.mapside.mockupdialog import MockupDialog
from knitground.ui.mapside.orderdialog import OrderDialog
from knitground.ui.mapside.propertiesdialog import PropertiesDialog
from knitground.ui.mapside.swapdialog import SwapDialog
from knitground.ui.session import Session


class MapCommands(QObject):
    """Makes maps, and does what is asked for to the one that is shown."""

    made = Signal()
    """A map was made: some stage that shows it is wanted."""

    def __init__(self, session: Session, parent: QWidget, middle: Callable[[], Point]) -> None:
        super().__init__(parent)
        self.session, self._middle = session, middle
        self.parent_widget = parent

    def add_commands(self, commands: Commands) -> None:
        """Add them to the menus."""
        add = commands.add
        add("New map…", self.new_map, "Ctrl+N")
        add("Map from a picture…", self.ask_picture)
        add("Size of the map…", self.resize_map)
        add("Background…", self.ask_background)
        add("No background", lambda: self.set_background(None))
        add("Screen size…", self.ask_screen)
        add("Properties of the map…", self.show_properties)
        add("Wraps at the borders, or not", self.toggle_wrap)
        add("Order of drawing…", self.ask_order)
        add("Duplicate map", self.duplicate_map)
        add("Delete map", self.delete_map)
        add("Go to cell…", self.go_to_cell, "Ctrl+G")
        add("Another tileset…", self.ask_swap)
        add("Next map", lambda: self.step_map(1), "Ctrl+Tab")
        add("Previous map", lambda: self.step_map(-1), "Ctrl+Shift+Tab")

    def new_map(self) -> None:
        """Ask for a size and add a map."""
        dialog = NewMapDialog(self.session, self.parent_widget)
        if answered(dialog):
            self.session.attempt(lambda: self.add_map(dialog))

    def add_map(self, dialog: NewMapDialog) -> None:
        """Add the map that a dialog describes and show it."""
        map_, standing = dialog.map(), dialog.standing()
        edit = add_map(self.session.project, map_)
        if standing is not None:
            edit = replace(edit, atoms=(*standing.atoms, *edit.atoms))
        if self.session.apply(edit):
            rows, columns = map_.lattice.counted
            self.session.note_map_size(columns, rows)
            self.session.choose_map(map_)
            self.made.emit()

    def ask_picture(self) -> None:
        """Ask for a finished mock-up and make a map of it."""
        path = ask_file(self.parent_widget, say("Map from a picture"), "mock-ups")
        if path is not None:
            self.map_from_file(path)

    def map_from_file(self, path: Path) -> None:
        """Read a picture and show what map it would be."""
        self.session.run_long(
            say("Reading {name}…", name=path.name),
            lambda _: read_picture(path),
            lambda picture: self.map_from_picture(picture, path.stem),
        )

    def map_from_picture(self, picture: Picture, name: str) -> None:
        """Show what map a picture would be; make it if that is wanted."""
        dialog = MockupDialog(self.session, picture, name, self.parent_widget)
        dialog.accepted.connect(dialog.make)
        dialog.finished.connect(dialog.deleteLater)
        dialog.accepted.connect(lambda: self.session.stage_wanted.emit("draw"))
        dialog.open()

    def resize_map(self) -> None:
        """Ask for another size of the map and give it that."""
        map_ = self.session.map
        if map_ is not None:
            dialog = ResizeDialog(map_, self.parent_widget)
            if answered(dialog):
                self.session.resize_map(map_, dialog.margins())

    def toggle_wrap(self) -> None:
        """Let the map wrap at its borders, or not."""
        map_ = self.session.map
        if map_ is not None:
            self.session.let_wrap(map_, not map_.wrap)

    def ask_order(self) -> None:
        """Show the map drawn from each corner, to choose one."""
        map_ = self.session.map
        if map_ is None:
            return
        if not map_.lattice.slanted:
            self.session.note(
                say("“{name}” has upright cells: they are drawn row by row", name=map_.name)
            )
            return
        dialog = OrderDialog(self.session, map_, self._middle(), self.parent_widget)
        dialog.finished.connect(dialog.deleteLater)
        dialog.open()

    def go_to_cell(self) -> None:
        """Ask for a column and a row, and bring that cell to the middle."""
        map_ = self.session.map
        if map_ is None:
            return
        rows, columns = map_.lattice.counted
        text, ok = QInputDialog.getText(
            self.parent_widget,
            say("Go to cell"),
            say("Column, row (0, 0 to {columns}, {rows})", columns=columns - 1, rows=rows - 1),
        )
        if ok:
            self.show_cell(text)

    def show_cell(self, text: str) -> None:
        """Show the cell that “column, row” names."""
        map_ = self.session.map
        numbers = re.findall(r"-?\d+", text)
        if map_ is None or len(numbers) != 2:
            self.session.warn(
                say("“{typed}” is not a cell: give a column and a row, as in 12, 7", typed=text)
            )
            return
        col, row = (int(each) for each in numbers)
        rows, columns = map_.lattice.counted
        if not (0 <= col < columns and 0 <= row < rows):
            self.session.warn(
                say(
                    "cell {col}, {row} is outside the map: give 0 to {columns} and 0 to {rows}",
                    col=col,
                    row=row,
                    columns=columns - 1,
                    rows=rows - 1,
                )
            )
            return
        self.session.cell_wanted.emit(*map_.lattice.cell_named(row, col))

    def ask_background(self) -> None:
        """Ask for the colour behind all layers of the map."""
        map_ = self.session.map
        if map_ is not None:
            old = QColor(map_.background or "#84898a")
            colour = QColorDialog.getColor(old, self.parent_widget, say("Background of the map"))
            if colour.isValid():
                self.set_background(colour.name())

    def set_background(self, colour: str | None) -> None:
        """Put a colour behind all layers of the map, or none."""
        if self.session.map is not None:
            self.session.apply(set_background(self.session.map, colour))

    def ask_screen(self) -> None:
        """Ask how many pixels a player sees at a time, and show the frame."""
        map_ = self.session.map
        if map_ is None:
            return
        old = f"{map_.screen[0]} × {map_.screen[1]}"
        text, ok = QInputDialog.getText(
            self.parent_widget, say("Screen size"), say("Width × height in px"), text=old
        )
        if ok:
            self.set_screen(text)

    def set_screen(self, text: str) -> None:
        """Give the map the screen that “width × height” names."""
        map_ = self.session.map
        numbers = re.findall(r"-?\d+", text)
        if map_ is None or len(numbers) != 2:
            self.session.warn(
                say("“{typed}” is not a size: give width × height, as in 320 × 180", typed=text)
            )
            return
        width, height = (int(each) for each in numbers)
        done = self.session.do(lambda: set_screen(map_, width, height))
        if done:
            self.session.show(screen=True)

    def show_properties(self) -> None:
        """Show what a game should know of the map, to be changed."""
        if self.session.map is not None:
            answered(PropertiesDialog(self.session, self.session.map, self.parent_widget))

    def duplicate_map(self) -> None:
        """Add a copy of the map and show it."""
        if self.session.map is not None:
            map_ = self.session.map
            self.session.attempt(lambda: self._take(*duplicate_map(self.session.project, map_)))

    def _take(self, edit: Edit, made: Map) -> None:
        if self.session.apply(edit):
            self.session.choose_map(made)

    def rename(self, map_: Map) -> None:
        """Ask for another name for a map."""
        name, ok = QInputDialog.getText(
            self.parent_widget, say("Rename map"), say("Name"), text=map_.name
        )
        if ok:
            self.session.do(lambda: rename_map(self.session.project, map_, name))

    def delete_map(self) -> None:
        """Delete the map that is shown; undo brings it back."""
        if self.session.map is not None:
            self.session.apply(delete_map(self.session.project, self.session.map))

    def ask_swap(self) -> None:
        """Show what another tileset makes of the map, and take it if that is wanted."""
        map_ = self.session.map
        if map_ is None or len(self.session.project.tilesets) < 2:
            self.session.note(say("A map can take another tileset once the project has two"))
            return
        dialog = SwapDialog(self.session, map_, self.parent_widget)
        if answered(dialog):
            dialog.take()

    def step_map(self, by: int) -> None:
        """Show the next or the previous map."""
        maps = self.session.project.maps
        if self.session.map in maps:
            self.session.choose_map(maps[(maps.index(self.session.map) + by) % len(maps)])
