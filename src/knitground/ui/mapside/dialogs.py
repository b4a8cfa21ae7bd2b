"""The few dialogs: a new map, and a map of another size."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QIcon, QPainter, QPen, QPixmap, QPolygonF, QStandardItemModel
from PySide6.QtWidgets import (
    QCheckBox,
    QFormLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QWidget,
)

from knitground.core.base.errors import KnitError
from knitground.core.base.tongue import say
from knitground.core.base.window import Box
from knitground.core.edit.document import Edit
from knitground.core.edit.maps import check_size, check_wraps
from knitground.core.edit.sheets import stand_on_base
from knitground.core.edit.sizes import (
    Margins,
    check_resized,
    counted_after,
    cut_content,
    one_more,
)
from knitground.core.edit.terrains import covers_cells
from knitground.core.knit.layer import plain_terrains
from knitground.core.model.lattice import Grid, GridKind, cells_for
from knitground.core.model.limits import MAX_SIDE
from knitground.core.model.map import Map
from knitground.core.model.project import free_name
from knitground.core.model.standing import close_seam, standing_of
from knitground.core.model.terrain import SetKind
from knitground.core.model.tileset import Tileset
from knitground.core.render.tiles import first_picture
from knitground.core.slicing.base import Base, find_base
from knitground.ui.common.dialog import Dialog
from knitground.ui.common.form import Choice, Option, whole_box
from knitground.ui.common.numbers import WholeBox
from knitground.ui.common.tasks import Job
from knitground.ui.common.terrainicon import terrain_icon
from knitground.ui.common.theme import theme
from knitground.ui.common.widgets import row, set_role
from knitground.ui.mapside.basepad import BasePad
from knitground.ui.session import QUIET_CELLS, Session

_WIDEST = 1024
_GRIDS = {
    GridKind.SQUARE: say("Square"),
    GridKind.DIAMOND: say("Diamond (isometric)"),
    GridKind.STAGGERED: say("Staggered (isometric, in rows)"),
}
_SHIFTS = {
    (False, False): say("Every other row, from the second"),
    (False, True): say("Every other row, from the first"),
    (True, False): say("Every other column, from the second"),
    (True, True): say("Every other column, from the first"),
}
"""Words by whether columns are shifted, and whether the first one is."""


def _grid_icon(grid: Grid) -> QIcon:
    """Draw two by two cells of a grid, or three by two of a staggered one."""
    lattice = grid.lattice(2, 2, *((7, 8) if grid.kind is GridKind.SQUARE else (7, 10)))
    out = QPixmap(24, 16)
    out.fill(Qt.GlobalColor.transparent)
    painter = QPainter(out)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(theme().colour("ink"), 1))
    wide, high = lattice.extent
    painter.translate((24 - wide) / 2, (16 - high - lattice.rise) / 2)
    for at in np.ndindex(*lattice.counted):
        row, col = lattice.cell_named(*at)
        corners = lattice.outline(Box(row, col, row + 1, col + 1))
        painter.drawPolygon(QPolygonF([QPointF(*each) for each in corners]))
    painter.end()
    return QIcon(out)


class NewMapDialog(Dialog):
    """Asks for a map's name, size, grid, tileset and wrapping; the cell size is the tileset's.

    Of a tileset whose pictures stand on diamonds the grid is one of diamonds, as large as these.
    """

    def __init__(self, session: Session, parent: QWidget) -> None:
        super().__init__(parent)
        self.session = session
        self.setWindowTitle(say("New map"))
        self.name = QLineEdit(free_name(say("Map"), [each.name for each in session.project.maps]))
        self.width_box, self.height_box = (
            whole_box(
                1, MAX_SIDE, say("{what} of the map", what=what), value=value, suffix=say(" cells")
            )
            for what, value in ((say("Width"), 64), (say("Height"), 48))
        )
        for box in (self.width_box, self.height_box):
            box.valueChanged.connect(self._check)
        known: dict[tuple[int, int], list[str]] = {}
        for map_ in session.project.maps:
            rows, columns = map_.lattice.counted
            known.setdefault((columns, rows), []).append(map_.name)
        for each in session.sizes:
            known.setdefault(each, [say("used before")])
        sizes = [(f"{columns} × {rows}: {', '.join(names)}", (columns, rows))
                 for (columns, rows), names in known.items()]  # fmt: skip
        self.sizes = Choice(
            say("Take the size of another map, or one used before"), [(say("as…"), None), *sizes]
        )
        self.sizes.setVisible(bool(known))
        self.sizes.chosen.connect(self._take_size)
        self.across, self.down = (
            whole_box(
                0,
                1000,
                say("How many screens {what}; the size in cells follows", what=what),
                special="—",
            )
            for what in (say("wide"), say("high"))
        )
        self.screen_width, self.screen_height = (
            whole_box(1, 16_384, say("{what} of a screen", what=what), value=value, suffix=" px")
            for what, value in ((say("Width"), 320), (say("Height"), 180))
        )
        for box in (self.across, self.down, self.screen_width, self.screen_height):
            box.valueChanged.connect(self._by_screens)
        self.tilesets = Choice(
            say("The sheet that its cells are as large as, and whose sets it gets layers for"),
            [(each.name, each) for each in session.project.tilesets],
        )  # fmt: skip
        if session.tileset is not None:
            self.tilesets.show_value(session.tileset)
        self.tilesets.currentIndexChanged.connect(self._check)
        self.tilesets.currentIndexChanged.connect(self._by_screens)
        self.tilesets.currentIndexChanged.connect(self._fill_terrains)
        self.grid = Choice(say("How the map is divided"), [
            (words, kind, _grid_icon(Grid.of(kind, 3, 2))) for kind, words in _GRIDS.items()
        ])  # fmt: skip
        self.shift = Choice(say("Which rows, or columns, lie half a cell further"), [
            (words, (by_columns, first), _grid_icon(Grid.of(
                GridKind.STAGGERED, *((2, 3) if by_columns else (3, 2)), by_columns=by_columns,
                first=first,
            ))) for (by_columns, first), words in _SHIFTS.items()
        ])  # fmt: skip
        for choice in (self.grid, self.shift):
            choice.currentIndexChanged.connect(self._check)
            choice.currentIndexChanged.connect(self._by_screens)
        self.base_width, self.base_height = (
            whole_box(
                2,
                _WIDEST,
                say("How {what} the diamond is on which a picture stands", what=what),
                suffix=" px",
            )
            for what in (say("wide"), say("high"))
        )
        for box in (self.base_width, self.base_height):
            box.valueChanged.connect(self._check)
        self.measured: Base | None = None
        self.below = 0
        """Pixels of the pictures below the base."""
        self.base_picture = BasePad()
        self.base_picture.setFixedHeight(152)
        self.base_picture.changed.connect(self._drag_base)
        self.base_words = QLabel()
        self.base_words.setWordWrap(True)
        self.filled = Choice(say("The terrain that lies everywhere to begin with"))
        self.wrap = QCheckBox(say("Wraps at the borders"))
        self.wrap.toggled.connect(self._check)
        self.one_more = QPushButton(say("Give it one more"))
        self.one_more.setToolTip(say("What is shifted has to be even in number"))
        self.one_more.clicked.connect(self._add_one)
        self.facts = QLabel()
        self.facts.setWordWrap(True)
        self.buttons = self.make_buttons(say("Make map"))
        form = QFormLayout(self)
        form.addRow(say("Name"), self.name)
        form.addRow(say("Size"), row(self.width_box, QLabel("×"), self.height_box, self.sizes, 1))
        form.addRow(
            say("or in screens"),
            row(
                self.across,
                QLabel("×"),
                self.down,
                QLabel(say("of")),
                self.screen_width,
                QLabel("×"),
                self.screen_height,
            ),
        )
        form.addRow(say("Cells as in"), self.tilesets)
        form.addRow(say("Grid"), self.grid)
        form.addRow(say("Shifted"), self.shift)
        self.base_row = row(self.base_width, QLabel("×"), self.base_height, 1)
        form.addRow(say("Base"), self.base_row)
        form.addRow("", self.base_picture)
        form.addRow("", self.base_words)
        form.addRow(say("Filled with"), self.filled)
        form.addRow("", row(self.wrap, self.one_more, 1))
        form.addRow(self.facts)
        form.addRow(self.buttons)
        self.setMinimumWidth(380)
        self._form = form
        self.tilesets.currentIndexChanged.connect(self._measure)
        self._fill_terrains()
        self._measure()

    @property
    def tileset(self) -> Tileset | None:
        """The sheet that it is made for."""
        found: Tileset | None = self.tilesets.value
        return found

    def _measure(self) -> None:
        """Look in the tileset's pictures on what they stand, and take that."""
        tileset = self.tileset
        self.measured = None
        if tileset is not None and tileset.picture is not None:
            self.measured = find_base(tileset.picture, tileset.slicing)
        base = self.measured
        _, wide = self._tile()
        self.base_width.show_value(base.width if base else wide)
        self.base_height.show_value(base.height if base else max(2, wide // 2))
        self.below = base.below if base else 0
        sure = base is not None and base.is_sure
        if sure != (self.kind is not GridKind.SQUARE):
            kind = GridKind.DIAMOND if sure else GridKind.SQUARE
            self.grid.setCurrentIndex(self.grid.values.index(kind))
        self._check()

    @property
    def kind(self) -> GridKind:
        """The grid that is chosen."""
        kind: GridKind = self.grid.value
        return kind

    @property
    def how(self) -> Grid:
        """The grid of the map as it is asked for."""
        by_columns, first = self.shift.value
        return Grid.of(
            self.kind, self.height_box.value(), self.width_box.value(), by_columns=by_columns,
            first=first,
        )  # fmt: skip

    def _tell_base(self) -> None:
        """Show the base on a tile, and say how sure it is."""
        diamonds = self.kind is not GridKind.SQUARE
        base = self.measured
        self._form.setRowVisible(self.shift, self.kind is GridKind.STAGGERED)
        for each in (self.base_row, self.base_picture):
            self._form.setRowVisible(each, diamonds)
        words, role = "", "note"
        if diamonds and base is None:
            words = say(
                "No diamond is seen at the foot of these pictures: type or drag how large it is"
            )
        elif diamonds and base is not None:
            words = say(
                "Measured on {tiles} pictures: {width} × {height} px, {score:.0f} % sure",
                tiles=base.tiles,
                width=base.width,
                height=base.height,
                score=base.score * 100,
            )
        elif base is not None and base.is_sure:
            words = say(
                "These pictures stand on diamonds of {width} × {height} px ({score:.0f} % "
                "sure): choose Diamond",
                width=base.width,
                height=base.height,
                score=base.score * 100,
            )
            role = "warning"
        if diamonds and self.below:
            words += say(
                ", {below} px over their foot: anchors are set on its middle", below=self.below
            )
        tall = self._tile()[0]
        typed = self.base_height.value()
        if diamonds and base is not None and typed == tall and base.height < tall:
            words = say(
                "{tall} px is the height of the picture, not of what it stands on: that is "
                "{height} px",
                tall=tall,
                height=base.height,
            )
            role = "warning"
        self.base_words.setText(words)
        set_role(self.base_words, role)
        self._form.setRowVisible(self.base_words, bool(words))
        if self.isVisible():  # rows that go leave no room behind; the width is as its words need
            self._form.activate()
            self.resize(self.width(), self._form.heightForWidth(self.width()))
        if diamonds:
            tileset = self.tileset
            self.base_picture.show_base(
                first_picture(tileset) if tileset else None, self.base_width.value(), typed,
                self.below,
            )  # fmt: skip

    def _drag_base(self, width: int, height: int, below: int) -> None:
        """Take the base that was dragged over the picture."""
        self.below = below
        self.base_width.setValue(width)
        self.base_height.setValue(height)
        self._check()

    def _fill_terrains(self) -> None:
        """Offer the terrains of the tileset's sets that lie on whole areas."""
        tileset = self.tileset
        offered: list[Option] = [(say("nothing"), None)]
        allowed, ground = [True], []
        for kit in tileset.sets if tileset else []:
            if not standing_of(kit.kind).areas:
                continue  # paths do not cover a map
            assert tileset is not None
            plains = plain_terrains(self.session.project, tileset, kit)
            for number, terrain in enumerate(kit.terrains, 1):
                name, plain = terrain.name, number in plains
                words = name if plain else say("{name} (has no plain tile yet)", name=name)
                offered.append((words, (kit.name, number), terrain_icon(kit, number)))
                allowed.append(plain)
                if plain and kit.kind is SetKind.CORNER and covers_cells(tileset, kit, number):
                    ground.append((kit.name, number))
        self.filled.offer(offered)
        items = self.filled.model()
        for place, on in enumerate(allowed):  # one without a plain tile gives only gaps
            if isinstance(items, QStandardItemModel):
                items.item(place).setEnabled(on)
        self.filled.setEnabled(len(offered) > 1)
        # What a map is begun with is ground, if there is any: the first that has a plain tile.
        self.filled.show_value(ground[0] if ground else None)

    def _take_size(self, wanted: tuple[int, int] | None) -> None:
        """Take the size of another map."""
        if wanted is not None:
            self.width_box.setValue(wanted[0])
            self.height_box.setValue(wanted[1])

    def _by_screens(self) -> None:
        """Work the size in cells out of screens; a last cell that shows in part counts."""
        wide = self.across.value() * self.screen_width.value()
        high = self.down.value() * self.screen_height.value()
        rows, columns = cells_for(self.how, wide, high, *self._cell())
        if columns:
            self.width_box.setValue(columns)
        if rows:
            self.height_box.setValue(rows)

    def _check(self) -> None:
        height, width = self.height_box.value(), self.width_box.value()
        self._tell_base()
        lattice = self.how.lattice(height, width, *self._cell())
        (tall, broad), (wide, high) = lattice.cell_size, lattice.extent
        text, role = (
            say(
                "cells of {broad} × {tall} px, {wide} × {high} px in all",
                broad=broad,
                tall=tall,
                wide=wide,
                high=high,
            ),
            "note",
        )
        try:
            check_size(height, width)
            check_size(lattice.rows, lattice.columns)
            if self.wrap.isChecked():
                check_wraps(self.how, self.name.text().strip())
        except KnitError as error:
            text, role = str(error), "warning"
        stagger = self.how.stagger
        odd = self.wrap.isChecked() and stagger is not None and not stagger.meets
        self.one_more.setVisible(odd)
        self.facts.setText(text)
        set_role(self.facts, role)
        ok = self.ok
        ok.setEnabled(role != "warning")

    def _add_one(self) -> None:
        more = one_more(self.how)
        self.height_box.setValue(self.height_box.value() + more.bottom)
        self.width_box.setValue(self.width_box.value() + more.right)

    def _tile(self) -> tuple[int, int]:
        tileset = self.tileset
        if tileset is None:
            return 16, 16
        return tileset.slicing.tile_height, tileset.slicing.tile_width

    def _cell(self) -> tuple[int, int]:
        """Give the height and width of a cell, or of the rectangle round it."""
        if self.kind is not GridKind.SQUARE:
            return self.base_height.value(), self.base_width.value()
        return self._tile()

    def standing(self) -> Edit | None:
        """Let the tileset's pictures stand on their base, if that is not at their foot."""
        tileset = self.tileset
        if self.kind is GridKind.SQUARE or tileset is None or not self.below:
            return None
        return stand_on_base(tileset, self.base_height.value(), self.below)

    def map(self) -> Map:
        """Make the map: with a ground layer for each terrain set of its tileset, and tiles."""
        lattice = self.how.lattice(self.height_box.value(), self.width_box.value(), *self._cell())
        map_ = Map(
            self.name.text().strip(),
            lattice.rows,
            lattice.columns,
            *self._cell(),
            wrap=self.wrap.isChecked(),
            grid=self.how,
            screen=(self.screen_width.value(), self.screen_height.value()),
        )
        tileset = self.tileset
        for kit in tileset.sets if tileset else []:
            assert tileset is not None
            layer = map_.new_ground_layer(kit.name, tileset.name, kit.name, kit.kind)
            wanted = self.filled.value
            if wanted is not None and wanted[0] == kit.name:
                shown = standing_of(kit.kind).shown(map_.lattice)
                layer.terrain[:] = wanted[1] if shown is None else np.where(shown, wanted[1], 0)
                if kit.kind is SetKind.RING:
                    layer.terrain[-1], layer.terrain[:, -1] = 0, 0
                close_seam(layer.terrain, map_.lattice)
            map_.layers.append(layer)
        map_.layers.append(map_.new_tile_layer(say("Tiles")))
        return map_


class ResizeDialog(Dialog):
    """Asks how many cells a map gains or loses on each side; says what would be cut off."""

    def __init__(self, map_: Map, parent: QWidget) -> None:
        super().__init__(parent)
        self.map_ = map_
        self.setWindowTitle(say("Size of “{name}”", name=map_.name))
        self.boxes: dict[str, WholeBox] = {}
        form = QFormLayout(self)
        for side, label in (
            ("top", say("Above")),
            ("left", say("Left")),
            ("right", say("Right")),
            ("bottom", say("Below")),
        ):
            box = whole_box(-MAX_SIDE, MAX_SIDE, say("Cells to add on this side; less than 0 cuts"),
                            suffix=say(" cells"))  # fmt: skip
            box.valueChanged.connect(self._check)
            self.boxes[side] = box
            form.addRow(label, box)
        self.facts = QLabel()
        self.facts.setWordWrap(True)
        self.buttons = self.make_buttons(say("Resize"))
        form.addRow(self.facts)
        form.addRow(self.buttons)
        self.setMinimumWidth(380)
        self._check()

    def margins(self) -> Margins:
        """Give what was asked for."""
        return Margins(**{side: box.value() for side, box in self.boxes.items()})

    def _check(self) -> None:
        asked, map_ = self.margins(), self.map_
        height, width = counted_after(map_, asked)
        rows, columns = map_.lattice.counted
        text = say(
            "{columns} × {rows} cells become {width} × {height}",
            columns=columns,
            rows=rows,
            width=width,
            height=height,
        )
        role, ok = "note", True
        try:
            check_resized(map_, asked)
            if any(box.value() < 0 for box in self.boxes.values()):
                self._count(asked, text)
                return
        except KnitError as error:
            text, role, ok = str(error), "warning", False
        self._tell(text, role, ok=ok)

    def _count(self, asked: Margins, text: str) -> None:
        """Tell what would be cut off; on a large map it is counted beside the interface."""

        def done(lost: dict[str, int]) -> None:
            if asked != self.margins():
                return  # another size is asked for by now, and counted
            parts = ", ".join(
                say("{count} of “{name}”", count=count, name=name) for name, count in lost.items()
            )
            cut = say("{sizes}. Cut off: {parts}. Undo brings them back.", sizes=text, parts=parts)
            self._tell(cut if lost else text, "warning" if lost else "note", ok=True)

        map_ = self.map_
        if map_.height * map_.width * len(map_.layers) <= QUIET_CELLS:
            done(cut_content(map_, asked))
            return
        self._tell(say("{sizes}. Counting what is cut off…", sizes=text), "note", ok=True)
        work = lambda _: cut_content(map_, asked)  # noqa: E731
        Job(work, done, lambda _: None, owner=self).start()

    def _tell(self, text: str, role: str, *, ok: bool) -> None:
        self.facts.setText(text)
        set_role(self.facts, role)
        self.ok.setEnabled(ok)
