"""Sets and their terrains: made, named, deleted."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from PySide6.QtWidgets import (
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QFormLayout,
    QInputDialog,
)

from knitground.core.edit.terrainlist import add_terrain
from knitground.core.edit.terrains import (
    add_set,
    delete_set,
    rename_set,
)
from knitground.core.model.limits import MAX_NAME
from knitground.core.model.project import free_name
from knitground.core.model.terrain import SetKind, TerrainSet
from knitground.core.model.tileset import Tileset
from knitground.ui.common.asking import answered
from knitground.ui.common.terrainicon import terrain_icon

if TYPE_CHECKING:
    from knitground.ui.stages.terrains.bench import TerrainsBench

_EXAMPLES = {
    SetKind.CORNER: "as in grass, sand, water",
    SetKind.EDGE: "as in road, river",
    SetKind.RING: "as in wall",
}


class SetActs:
    """Acts on the sets of a bench."""

    def __init__(self, bench: TerrainsBench) -> None:
        self.bench = bench

    def ask_terrains_of(self, kind: SetKind) -> None:
        """Ask what a new set shows, and make it."""
        text, ok = QInputDialog.getText(
            self.bench,
            f"New {kind.value} set",
            f"Its terrains, with commas between ({_EXAMPLES[kind]})",
        )
        if ok:
            self.new_set(kind, [each.strip() for each in text.split(",")])

    def made_likely(self, owner: Tileset, kit: TerrainSet) -> None:
        self.bench.choose_set(owner, kit)

    def new_set(self, kind: SetKind = SetKind.CORNER, names: Sequence[str] = ()) -> None:
        """Add a set with terrains of these names to the sheet; it is called after them."""
        tileset = self.bench.session.tileset
        if tileset is None:
            self.bench.session.warn("There is no sheet to mark yet: open one in Slice")
            return
        terrains = list(dict.fromkeys(each for each in names if each)) or ["terrain 1"]
        called = ", ".join(terrains) if any(names) else f"{kind.value} set".capitalize()
        name = free_name(called[:MAX_NAME], [each.name for each in tileset.sets])
        kit = TerrainSet(name, kind)
        doc = self.bench.session.doc

        def make() -> None:
            with doc.stroke(f"Add {kind.value} set “{name}”"):
                doc.apply(add_set(tileset, kit))
                for each in terrains:
                    doc.apply(add_terrain(tileset, kit, each))

        self.bench.session.finish_gesture()
        if not self.bench.session.attempt(make):
            return
        self.bench.kit_name, self.bench.guest_name = name, None
        self.bench.refresh()
        self.bench.choose(1)
        self.bench.session.note(
            "Next: mark one plain tile of each terrain (Shift and click marks all of a tile); then "
            "“Guess marks” does the others"
        )

    def ask_set_name(self) -> None:
        if self.bench.kit is not None:
            name, ok = QInputDialog.getText(
                self.bench, "Rename set", "Name", text=self.bench.kit.name
            )
            if ok:
                self.rename_set(name)

    def rename_set(self, name: str) -> None:
        """Give the set another name."""
        owner, kit = self.bench.owner, self.bench.kit
        if owner is None or kit is None:
            return
        project = self.bench.session.project
        if self.bench.session.do(lambda: rename_set(project, owner, kit, name)):
            self.bench.kit_name = kit.name
            self.bench.refresh()

    def delete_set(self) -> None:
        """Delete the set, if no layer uses it."""
        owner, kit = self.bench.owner, self.bench.kit
        if owner is not None and kit is not None:
            project = self.bench.session.project
            self.bench.session.do(lambda: delete_set(project, owner, kit))
            self.bench.refresh()

    def take_picture(self, mark: int) -> None:
        if self.bench.sheet.chosen is None or self.bench.shown is not self.bench.owner:
            self.bench.session.note(
                "Choose a tile of the set's own sheet first: it becomes the picture"
            )
        else:
            self.bench.chips.change(mark, picture=self.bench.sheet.chosen)

    def ask_terrains(self, found: list[int], there: list[int]) -> dict[int, int] | None:
        """Ask which terrain comes in place of which; None if it is called off."""
        assert self.bench.kit is not None
        dialog = QDialog(self.bench)
        dialog.setWindowTitle("Copy layout")
        form = QFormLayout(dialog)
        boxes = {}
        for place, mark in enumerate(found):
            box = QComboBox()
            for number, terrain in enumerate(self.bench.kit.terrains, 1):
                box.addItem(terrain_icon(self.bench.kit, number), terrain.name)
            box.setCurrentIndex((there[place] if place < len(there) else mark) - 1)
            boxes[mark] = box
            form.addRow(f"{self.bench.kit.name_of(mark)} becomes", box)
        buttons = QDialogButtonBox(
            QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel
        )
        buttons.accepted.connect(dialog.accept)
        buttons.rejected.connect(dialog.reject)
        form.addRow(buttons)
        if not answered(dialog):
            return None
        return {mark: box.currentIndex() + 1 for mark, box in boxes.items()}
