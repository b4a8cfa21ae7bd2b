"""Dialogs of Slice that change a sheet: laying it out anew, and another picture for it."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from PySide6.QtWidgets import QFormLayout, QLabel, QVBoxLayout, QWidget

from knitground.core.base.errors import SlicingError
from knitground.core.base.tongue import later, say
from knitground.core.model.slicing import Slicing
from knitground.core.model.tileset import Picture, Tileset
from knitground.core.render.pixels import Pixels, premultiplied
from knitground.core.slicing.grid import lay_grid
from knitground.core.slicing.relay import relay
from knitground.ui.common.dialog import Dialog
from knitground.ui.common.form import whole_box
from knitground.ui.common.numbers import WholeBox
from knitground.ui.common.widgets import Swatch, column, row, set_role
from knitground.ui.stages.slice.swatches import swatch_pixels


class RelayDialog(Dialog):
    """Asks for margin, spacing, columns and extrusion, and shows the sheet that will be."""

    def __init__(self, tileset: Tileset, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle(say("Re-lay “{name}”", name=tileset.name))
        self.tileset = tileset
        self.boxes: dict[str, WholeBox] = {}
        form = QFormLayout()
        for name, low, high, value, hint in (
            (later("margin"), 0, 256, 1, say("Pixels round all tiles")),
            (later("spacing"), 0, 256, 2, say("Pixels between tiles")),
            (later("columns"), 1, 4096, max(1, tileset.columns), say("Tiles in a row")),
            ("extrude", 0, 64, 1, say("How often the outermost pixels of each tile are repeated")),
        ):
            box = whole_box(low, high, hint, value=value, suffix="" if name == "columns" else " px")
            box.valueChanged.connect(self._show)
            self.boxes[name] = box
            form.addRow(
                say("Borders repeated by") if name == "extrude" else say(name).capitalize(), box
            )
        self.picture = Swatch()
        self.picture.setMinimumSize(420, 260)
        self.facts = QLabel()
        self.buttons = self.make_buttons(say("Re-lay the sheet"))
        layout = QVBoxLayout(self)
        layout.addLayout(row(column(form, 1), self.picture))
        layout.addWidget(self.facts)
        layout.addWidget(self.buttons)
        self._show()

    def numbers(self) -> dict[str, int]:
        """Give what is asked for, as `relay` takes it."""
        return {name: box.value() for name, box in self.boxes.items()}

    def _show(self) -> None:
        """Show how the first tiles will lie: so many as are seen, whatever the sheet's size."""
        picture, role = self.tileset.picture, "warning"
        try:
            if picture is None:
                text = say("{sheet} is missing: find it first", sheet=self.tileset.sheet)
            else:
                grid = lay_grid(self.tileset.slicing, self.tileset.width, self.tileset.height)
                few = replace(grid, rows=min(grid.rows, 1 + 128 // max(1, grid.columns)))
                made, _ = relay(picture, few, **self.numbers())
                self.picture.show_pixels(premultiplied(made[:512, :512]))
                text = say(
                    "{count} tiles in a new sheet; the old file stays, maps keep their tiles",
                    count=grid.count,
                )
                role = "note"
        except SlicingError as error:
            text = str(error)
        self.facts.setText(text)
        set_role(self.facts, role)
        ok = self.ok
        ok.setEnabled(role == "note")


def relaid(tileset: Tileset, numbers: dict[str, int]) -> tuple[Picture, Slicing]:
    """Lay out a whole sheet by the numbers of a dialog, which may be gone; may take long."""
    assert tileset.picture is not None
    return relay(
        tileset.picture, lay_grid(tileset.slicing, tileset.width, tileset.height), **numbers
    )


class ReskinDialog(Dialog):
    """Shows a tileset's tiles as they are and as another picture would make them."""

    def __init__(self, tileset: Tileset, picture: Picture, path: Path, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle(say("{name} for “{name2}”", name=path.name, name2=tileset.name))
        before, after = Swatch(), Swatch()
        for swatch, shown in ((before, tileset.picture), (after, picture)):
            swatch.setMinimumSize(320, 300)
            swatch.show_pixels(_tiles(tileset, shown))
        height, width = picture.shape[:2]
        same = (width, height) == (tileset.width, tileset.height)
        text = (
            say("The same size: every tile keeps its place, marks, weights and maps.")
            if same
            else say(
                "It is {width} × {height} px, the old one {width2} × {height2}: tiles keep "
                "row and column; look whether the arrangement is the same.",
                width=width,
                height=height,
                width2=tileset.width,
                height2=tileset.height,
            )
        )
        facts = QLabel(text)
        facts.setWordWrap(True)
        set_role(facts, "note" if same else "warning")
        buttons = self.make_buttons(say("Use this picture"))
        layout = QVBoxLayout(self)
        layout.addLayout(
            row(
                column(QLabel(say("As it is")), before),
                column(QLabel(say("With {name}", name=path.name)), after),
            )
        )
        layout.addWidget(facts)
        layout.addWidget(buttons)


def _tiles(tileset: Tileset, picture: Picture | None) -> Pixels | None:
    if picture is None:
        return None
    try:
        grid = lay_grid(tileset.slicing, picture.shape[1], picture.shape[0])
    except SlicingError:
        return premultiplied(picture[:300, :300])
    return swatch_pixels(picture, grid, 160)
