"""What is done with a whole recipe: copied, saved, read, tried with nine seeds, cut into chunks."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtWidgets import (
    QFileDialog,
)

from knitground.core.edit.maps import add_maps
from knitground.core.edit.recipes import (
    keep_area,
    layer_names,
    make_plain,
    paste_steps,
    salted,
)
from knitground.core.edit.selecting import Selection
from knitground.core.files.recipefile import RECIPE_END, read_recipe, write_recipe
from knitground.core.model.recipe import Recipe
from knitground.ui.common.asking import answered
from knitground.ui.stages.grow.alone import AloneDialog
from knitground.ui.stages.grow.chunkdialog import ChunkDialog
from knitground.ui.stages.grow.nine import NineDialog
from knitground.ui.stages.grow.pairsdialog import PairsDialog

if TYPE_CHECKING:
    from knitground.ui.stages.grow.bench import GrowBench


class RecipeActs:
    """Acts on the recipe of a bench."""

    def __init__(self, bench: GrowBench) -> None:
        self.bench = bench

    def copy(self, places: list[int]) -> None:
        map_ = self.bench.session.map
        if map_ is not None:
            steps = salted(map_.recipe)
            self.bench.copied = ([steps[n] for n in places], layer_names(map_))
            copied = "1 step" if len(places) == 1 else f"{len(places)} steps"
            self.bench.session.note(
                f"{copied} copied: “Recipe…”, “Paste steps” adds what you copied"
            )

    def copy_all(self) -> None:
        """Copy all steps, to be pasted on another map."""
        if self.bench.session.map is not None:
            self.copy(list(range(len(self.bench.session.map.recipe.steps))))

    def paste(self) -> None:
        """Add the copied steps behind those of this map."""
        if self.bench.copied is None:
            self.bench.session.warn("No step is copied: copy some first")
            return
        steps, names = self.bench.copied
        if self.bench.do_edit(lambda map_: paste_steps(map_, steps, names)):
            self.bench.runs.run_new()

    def ask_chunks(self) -> None:
        """Show maps of other seeds with the same border, and add them."""
        map_ = self.bench.session.map
        if map_ is None:
            return
        dialog = ChunkDialog(self.bench.session, map_, self.bench.window())
        if answered(dialog) and len(dialog.chunks) > 1:
            new = dialog.chunks[1:]
            name = f"Add {len(new)} chunks of “{map_.name}”"
            self.bench.session.do(lambda: add_maps(self.bench.session.project, new, name))

    def ask_save(self) -> None:
        """Ask for a file and write the recipe to it."""
        map_ = self.bench.session.map
        name, _ = QFileDialog.getSaveFileName(
            self.bench, "Save recipe", f"{map_.name if map_ else 'recipe'}{RECIPE_END}",
            f"Recipes (*{RECIPE_END})",
        )  # fmt: skip
        if name and map_ is not None:
            path = Path(name if name.endswith(RECIPE_END) else name + RECIPE_END)
            self.bench.session.attempt(lambda: write_recipe(map_, path))

    def ask_read(self) -> None:
        """Ask for a file and add its steps."""
        name, _ = QFileDialog.getOpenFileName(
            self.bench, "Read recipe", "", f"Recipes (*{RECIPE_END})"
        )
        if name:
            self.read_file(Path(name))

    def read_file(self, path: Path) -> None:
        """Add the steps of a recipe's file behind those of this map."""
        found: list[tuple[Recipe, dict[int, tuple[str, str]]]] = []
        self.bench.session.attempt(lambda: found.append(read_recipe(path)))
        if not found:
            return
        recipe, names = found[0]
        if self.bench.do_edit(lambda map_: paste_steps(map_, recipe.steps, names)):
            self.bench.runs.run_new()

    def keep_selection(self) -> None:
        """Let no step change the selected cells any more."""
        chosen: Selection | None = self.bench.session.selection
        if chosen is None:
            self.bench.session.warn(
                "Nothing is selected: select the cells that are to be kept first"
            )
        else:
            self.bench.do_edit(lambda map_: keep_area(map_, chosen))

    def make_plain(self) -> None:
        """Turn the chosen grown layer into one of tiles laid by hand."""
        layer = self.bench.session.layer
        if layer is not None and self.bench.do_edit(lambda map_: make_plain(map_, layer)):
            map_ = self.bench.session.map
            assert map_ is not None
            self.bench.session.choose_layer(map_.layer_numbered(layer.number))

    def choose_of_nine(self) -> None:
        """Show nine seeds side by side and take the one that is chosen."""
        map_ = self.bench.session.map
        if map_ is None or not map_.recipe.steps:
            return
        dialog = NineDialog(self.bench.session, map_, self.bench.seed.value(), self.bench.window())
        if answered(dialog) and dialog.chosen is not None:
            self.bench.seed.setValue(dialog.chosen)

    def look_at(self, place: int) -> None:
        """Show what a step has made, by itself and large."""
        map_ = self.bench.session.map
        if map_ is not None:
            answered(AloneDialog(self.bench.session, map_, place, self.bench.window()))

    def show_pairs(self, place: int) -> None:
        """Show which tiles a solve takes to fit, to forbid pairs; it runs anew if some changed."""
        self.bench.catch_up()
        map_ = self.bench.session.map
        if map_ is None:
            return
        before = map_.recipe.steps[place]
        answered(PairsDialog(self.bench.session, map_, place, self.bench.window()))
        if self.bench.session.map is map_ and map_.recipe.steps[place] != before:
            self.bench.runs.run_new()
