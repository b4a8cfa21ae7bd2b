"""Parts of a sheet: loose pieces with their anchors, and regions with a slicing of their own."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

from knitground.core.base.errors import KnitError
from knitground.core.edit.sheets import add_region, remove_tileset, set_anchor
from knitground.core.model.slicing import Area
from knitground.core.slicing.pieces import find_pieces

if TYPE_CHECKING:
    from knitground.ui.stages.slice.bench import SliceBench


class SheetParts:
    """Acts on the parts of a bench's sheet."""

    def __init__(self, bench: SliceBench) -> None:
        self.bench = bench

    def toggle_loose(self) -> None:
        if self.bench.numbers.loose.isChecked():
            self.find_pieces()
        elif self.bench.trial is not None:
            self.bench.show_trial(replace(self.bench.trial, pieces=()))

    def find_pieces(self) -> None:
        """Find the sheet's separate pieces by their outline and try them."""
        tileset, trial = self.bench.session.tileset, self.bench.trial
        if tileset is None or tileset.picture is None or trial is None:
            return
        picture, gap = tileset.picture, self.bench.numbers.gap.value()
        plain = replace(trial, pieces=())

        def take(found: tuple[Area, ...]) -> None:
            if tileset is not self.bench.session.tileset:
                return
            if found:
                self.bench.show_trial(replace(plain, pieces=found))
            else:
                self.bench.show_trial(plain)
                self.bench.session.warn(
                    "No pieces found: say which colour of the sheet is see-through"
                )

        self.bench.session.run_long(
            "Finding pieces…", lambda _: find_pieces(picture, plain, gap), take
        )

    def move_anchor(self, number: int, x: int, y: int) -> None:
        tileset = self.bench.session.tileset
        if tileset is not None:
            self.bench.anchor_key = self.bench.anchor_key or object()
            self.bench.session.apply(set_anchor(tileset, 0, number, (x, y)), self.bench.anchor_key)

    def leave_anchor(self) -> None:
        self.bench.anchor_key = None

    def begin_region(self) -> None:
        """Let the next drag on the sheet draw a region."""
        self.bench.sheet.drawing_region = True
        self.bench.session.note("Drag on the sheet: the region gets a slicing of its own")

    def add_region(self, area: tuple[int, int, int, int]) -> None:
        """Make a region of the sheet and go on with its slicing."""
        tileset = self.bench.session.tileset
        if tileset is None:
            return
        try:
            edit, made = add_region(self.bench.session.project, tileset, area)
        except KnitError as error:
            self.bench.session.warn(str(error))
            return
        if self.bench.session.apply(edit):
            self.bench.session.choose_tileset(made)

    def remove(self) -> None:
        """Take the sheet or region out of the project; undo brings it back."""
        tileset = self.bench.session.tileset
        if tileset is not None:
            self.bench.session.do(lambda: remove_tileset(self.bench.session.project, tileset))
