"""Another sheet for a tileset: laid out anew, or another picture."""

from __future__ import annotations

from PySide6.QtWidgets import QWidget

from knitground.core.base.filenames import file_stem
from knitground.core.base.tongue import say
from knitground.core.edit.reslice import reskin, use_relaid
from knitground.core.edit.sheets import set_relief
from knitground.core.files.images import read_sheet, relief_name
from knitground.core.model.slicing import Slicing
from knitground.core.model.tileset import Picture, SheetFile, Tileset
from knitground.core.render.relief import made_relief
from knitground.ui.common.asking import answered
from knitground.ui.common.filedialogs import ask_file
from knitground.ui.session import Session
from knitground.ui.stages.slice.relaydialog import RelayDialog, ReskinDialog, relaid
from knitground.ui.stages.slice.reliefdialog import ReliefDialog


class NewPictures:
    """Asks for another sheet, shows what it makes, and takes it."""

    def __init__(self, session: Session, bench: QWidget) -> None:
        self.session, self.bench = session, bench

    def ask_relay(self) -> None:
        """Ask how to lay the sheet out anew, and do it."""
        tileset = self.session.tileset
        if tileset is not None:
            dialog = RelayDialog(tileset, self.bench)
            if answered(dialog):
                self.relay_with(dialog)

    def relay_with(self, dialog: RelayDialog) -> None:
        """Take the sheet that a dialog describes; its file is written on the next save."""
        tileset, numbers = dialog.tileset, dialog.numbers()
        name = f"{file_stem(tileset.name)}-relaid.png"

        def take(made: tuple[Picture, Slicing]) -> None:
            if self.session.apply(use_relaid(self.session.project, tileset, *made, name)):
                self.session.note(
                    say(
                        "“{name}” is laid out anew; saving writes {sheet}",
                        name=tileset.name,
                        sheet=tileset.sheet,
                    )
                )

        self.session.run_long(
            say("Laying the sheet out…"), lambda _: relaid(tileset, numbers), take
        )

    def ask_relief(self) -> None:
        """Ask how to make the relief of the sheet, and make it."""
        tileset = self.session.tileset
        if tileset is None:
            return
        if tileset.picture is None:
            self.session.warn(say("{sheet} is missing: find it first", sheet=tileset.sheet))
            return
        dialog = ReliefDialog(tileset, self.bench, moves=self.session.sight.playing)
        if answered(dialog):
            self.relief_with(dialog)

    def relief_with(self, dialog: ReliefDialog) -> None:
        """Make the relief that a dialog describes, or take it away, as one step."""
        tileset, numbers, project = dialog.tileset, dialog.numbers(), self.session.project
        if dialog.removes:
            self.session.apply(set_relief(project, tileset, None))
            return
        picture, cut = tileset.picture, tileset.slicing
        assert picture is not None

        def take(made: Picture) -> None:
            if self.session.apply(set_relief(project, tileset, made)):
                name = relief_name(tileset.sheet)
                self.session.note(
                    say(
                        "“{name}” has a relief; saving writes {name2}",
                        name=tileset.name,
                        name2=name,
                    )
                )

        self.session.run_long(say("Making the relief…"),
                              lambda _: made_relief(picture, cut, *numbers), take)  # fmt: skip

    def ask_reskin(self) -> None:
        """Ask for another picture, show what it makes, and take it."""
        tileset = self.session.tileset
        path = ask_file(self.bench, say("Another picture"), "sheets")
        if path is None or tileset is None:
            return
        self.session.run_long(
            say("Reading {name}…", name=path.name),
            lambda _: read_sheet(path),
            lambda sheet: self.reskin_with(tileset, sheet),
        )

    def reskin_with(self, tileset: Tileset, sheet: SheetFile) -> None:
        """Show what another picture makes of a tileset, and take it if that is wanted."""
        if answered(ReskinDialog(tileset, sheet.picture, sheet.path, self.bench)):
            self.session.apply(reskin(self.session.project, tileset, sheet))
