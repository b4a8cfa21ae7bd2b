"""Adding sheets: asking for pictures, and what they are to be."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtWidgets import QWidget

from knitground.core.base.filenames import file_stem
from knitground.core.base.tongue import say
from knitground.core.edit.sheets import add_tileset, find_sheet
from knitground.core.files.images import frame_times, read_sheet
from knitground.core.files.newsheets import frames_tileset
from knitground.core.files.sheetreading import (
    ReadSheets,
    loose_name,
    pictures_of,
    read_loose,
    read_sheets,
)
from knitground.core.model.project import free_name
from knitground.core.model.slicing import Slicing
from knitground.core.model.tileset import Picture, Tileset
from knitground.ui.common.asking import Role, ask
from knitground.ui.common.filedialogs import ask_file, ask_files
from knitground.ui.session import Session


class SheetAdder:
    """Brings pictures into the project: as sheets, as loose pictures, as an animation."""

    def __init__(self, session: Session, parent: QWidget) -> None:
        self.session = session
        self.parent_widget = parent

    def ask_sheet(self) -> None:
        """Ask for pictures and add them as sheets."""
        self.add_sheets(ask_files(self.parent_widget, say("Open sheet"), "sheets"))

    def add_sheets(self, paths: list[Path]) -> None:
        """Add pictures as sheets and go to Slice with the last one."""
        if not paths:
            return
        try:
            pictures = pictures_of(paths)
        except OSError as error:
            self.session.warn(
                say(
                    "{filename} can not be read ({strerror})",
                    filename=error.filename,
                    strerror=error.strerror,
                )
            )
            return
        if len(pictures) > 1:
            how = self.ask_many(len(pictures))
            if how == "cancel":
                return
            if how == "loose":
                self.add_loose(loose_name(paths), pictures)
                return
        room = self.session.project.sheets_room
        self.session.run_long(
            say("Reading sheets…"),
            lambda progress: read_sheets(paths, room, progress),
            self._add_tilesets,
        )

    def add_picture(self, picture: Picture, name: str) -> None:
        """Make a sheet of pixels that have no file yet, and go to Slice with it."""
        high, wide = picture.shape[:2]
        side = min(16, high, wide)
        tileset = Tileset(
            name, f"{file_stem(name)}.png", wide, high, Slicing(side, side),
            picture=picture,
        )  # fmt: skip
        self._add_tilesets(ReadSheets([tileset]))

    def ask_many(self, count: int) -> str:
        """Ask what several pictures are: “sheets”, “loose” (one tileset of them), or “cancel”."""
        buttons = {
            say("Sheets"): ("sheets", Role.AcceptRole),
            say("Loose pictures"): ("loose", Role.AcceptRole),
            say("Cancel"): ("cancel", Role.RejectRole),
        }
        more = say(
            "Sheets are each cut into tiles. Loose pictures of any size become the tiles of one "
            "tileset, each with its anchor."
        )
        text = say("{count} pictures. What are they?", count=count)
        return ask(self.parent_widget, say("Several pictures"), text, buttons, more)

    def add_loose(self, name: str, pictures: list[Path]) -> None:
        """Make one tileset of loose pictures."""
        map_ = self.session.map
        cell = map_.lattice.cell_size if map_ is not None else (16, 16)
        self.session.run_long(
            say("Reading pictures…"),
            lambda progress: read_loose(name, pictures, cell, progress),
            self._add_tilesets,
        )

    def _add_tilesets(self, found: ReadSheets) -> None:
        project = self.session.project
        for tileset in found.read:
            frames = found.frames.get(id(tileset))
            how = self.ask_frames(tileset, len(frames)) if frames else "first"
            if frames and how != "first":
                path = tileset.origin or Path(tileset.sheet)
                times = frame_times(path) if how == "animation" else None
                tileset = frames_tileset(path, frames, tileset.name, times)
            tileset.name = free_name(tileset.name, [each.name for each in project.tilesets])
            if self.session.apply(add_tileset(project, tileset)):
                self.session.choose_tileset(tileset)
        if found.read:
            self.session.stage_wanted.emit("slice")
        if found.said:
            self.session.warn(" · ".join(found.said))

    def ask_frames(self, tileset: Tileset, count: int) -> str:
        """Ask what frames become: “tiles”, an “animation”, or the “first” one the sheet."""
        buttons = {
            say("Each frame a tile"): ("tiles", Role.AcceptRole),
            say("One tile that moves"): ("animation", Role.AcceptRole),
            say("First frame only"): ("first", Role.RejectRole),
        }
        text = say("“{sheet}” has {count} frames.", sheet=tileset.sheet, count=count)
        return ask(self.parent_widget, say("An animation"), text, buttons)

    def ask_missing(self, tileset: Tileset) -> None:
        """Ask where a sheet that is missing lies now."""
        path = ask_file(self.parent_widget, say("Where is {sheet}?", sheet=tileset.sheet), "sheets")
        if path is not None:
            self.give_sheet(tileset, path)

    def give_sheet(self, tileset: Tileset, path: Path) -> None:
        """Give a tileset the picture of a file."""
        self.session.run_long(
            say("Reading {name}…", name=path.name),
            lambda _: read_sheet(path),
            lambda sheet: self.session.apply(find_sheet(self.session.project, tileset, sheet)),
        )
