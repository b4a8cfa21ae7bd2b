"""Marks and tiles made from what is there: guessed, copied, drawn, found on the map."""

from __future__ import annotations

from typing import TYPE_CHECKING

from knitground.core.base.progress import Progress
from knitground.core.edit.terrains import (
    add_made,
    copy_layout,
    set_marks,
)
from knitground.core.knit.coverage import Combination
from knitground.core.knit.find import find_key
from knitground.core.knit.guessing import Guessed, block_terrains, guess_sheet
from knitground.core.model.layers import GroundLayer
from knitground.core.model.map import Map
from knitground.ui.common.asking import answered
from knitground.ui.stages.terrains.makedialog import MakeDialog
from knitground.ui.stages.terrains.markssheet import Block
from knitground.ui.stages.terrains.setdialog import SetDialog

if TYPE_CHECKING:
    from knitground.ui.stages.terrains.bench import TerrainsBench

TABS = ("Variants", "Coverage", "Swatch", "Review")


class MarkActs:
    """Acts on the marks of a bench."""

    def __init__(self, bench: TerrainsBench) -> None:
        self.bench = bench

    def guess(self) -> None:
        """Guess all marks that are not known, as one step, and line up the least sure."""
        owner, kit, shown = self.bench.owner, self.bench.kit, self.bench.shown
        if owner is None or kit is None or shown is None or shown.picture is None:
            self.bench.session.note("Choose a set and a sheet first")
            return
        guest = None if shown is owner else shown

        def take(found: Guessed | str) -> None:
            if isinstance(found, str):
                self.bench.session.note(found[0].upper() + found[1:])
                return
            name = f"Guess marks of {len(found.places)} tiles"
            if self.bench.session.apply(
                set_marks(owner, kit, found.places, found.marks, name, guest)
            ):
                self.bench.tabs.setCurrentIndex(TABS.index("Review"))
                self.bench.review.show_line(found.line)
                self.bench.sheet.setFocus()
                self.bench.session.note(
                    f"{len(found.places)} tiles are marked; the {len(found.line)} least sure are "
                    "lined up: Enter accepts"
                )

        name = guest.name if guest else None
        self.bench.session.run_long(
            "Guessing marks…", lambda progress: guess_sheet(shown, kit, name, progress), take
        )

    def show_reviewed(self, row_: int, col: int) -> None:
        self.bench.sheet.choose(row_, col)
        self.bench.sheet.show_tile(row_, col)
        self.bench.pointed = None
        self.bench.big.update()

    def drop_block(self, block: Block, to: tuple[int, int]) -> None:
        """Copy the marks of a block; asks which terrain comes in place of which."""
        owner, kit = self.bench.owner, self.bench.kit
        if owner is None or kit is None or self.bench.shown is not owner:
            self.bench.session.note("A layout is copied on the set's own sheet")
            return
        row_, col, rows, cols = block
        marks = kit.marks_within(owner.rows, owner.columns)
        found = block_terrains(marks[row_ : row_ + rows, col : col + cols])
        there = marks[to[0] : to[0] + rows, to[1] : to[1] + cols]
        terrains = self.bench.set_acts.ask_terrains(found, block_terrains(there))
        if terrains is not None:
            self.bench.session.do(lambda: copy_layout(owner, kit, block, to, terrains))

    def go_to(self, each: Combination, map_: Map | None) -> None:
        """Show a combination's tiles on the sheet, and a cell of the map that asks for it."""
        owner, kit = self.bench.owner, self.bench.kit
        if owner is None or kit is None or self.bench.coverage.shown != (owner, kit):
            return  # what was clicked is of another set, and about to give way to this one's
        tile = map_.legend.tile(each.variants[0][0]) if map_ and each.had else None
        if tile is not None:
            self.bench.guest_name = None if tile.tileset == owner.name else tile.tileset
            self.bench.refresh()
            self.bench.sheet.choose(tile.row, tile.col)
            self.bench.sheet.show_tile(tile.row, tile.col)
        self.find_on_map(each)

    def find_on_map(self, each: Combination) -> None:
        """Bring the first cell that asks for a combination to the middle of the map."""
        map_, knitter = self.bench.session.map, self.bench.session.doc.knitter
        layers = [layer for layer in self.bench.users() if map_ and layer in map_.layers]
        if map_ is None or not layers:
            self.bench.session.note("This map has no layer of that set")
            return

        def look(_: Progress) -> tuple[GroundLayer, tuple[int, int]] | None:
            for layer in layers:
                cell = find_key(knitter.table(map_, layer), layer, each.key, map_.wrap)
                if cell is not None:
                    return layer, cell
            return None

        def show(found: tuple[GroundLayer, tuple[int, int]] | None) -> None:
            if found is None:
                self.bench.session.note("No cell of this map asks for that combination")
            else:
                self.bench.session.choose_layer(found[0])
                self.bench.session.cell_wanted.emit(*found[1])

        self.bench.session.run_long("Looking for a cell…", look, show)

    def ask_make(self) -> None:
        """Show which missing tiles can be made, and make those that are wanted."""
        owner, kit = self.bench.owner, self.bench.kit
        if owner is None or kit is None:
            return
        dialog = MakeDialog(self.bench.session.project, owner, kit, self.bench)
        if not dialog.missing:
            dialog.deleteLater()
            self.bench.session.note("No combination is missing")
        elif answered(dialog):
            self.make(dialog)

    def ask_made_set(self) -> None:
        """Make a set from two plain tiles and an outline, on a sheet of its own."""
        if not self.bench.session.project.tilesets:
            self.bench.session.warn("There is no sheet to take tiles from yet: open one in Slice")
            return
        dialog = SetDialog(self.bench.session, self.bench.kit, self.bench)
        if answered(dialog):
            made = dialog.make()
            if made is not None:
                self.bench.choose_set(made, made.sets[0])

    def make(self, dialog: MakeDialog) -> None:
        """Put the tiles that a dialog shows on a new sheet."""
        owner, kit = self.bench.owner, self.bench.kit
        assert owner is not None
        assert kit is not None

        def do() -> None:
            edit, made = add_made(self.bench.session.project, owner, kit, dialog.chosen())
            self.bench.session.doc.apply(edit)
            self.bench.session.note(f"“{made.name}” is a new sheet; saving writes {made.sheet}")

        self.bench.session.attempt(do)
