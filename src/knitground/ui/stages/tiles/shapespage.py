"""Shapes of the chosen tiles: drawn, typed, traced from what they show, made from terrain."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import partial

from PySide6.QtWidgets import QButtonGroup, QLineEdit, QMenu, QPushButton, QWidget

from knitground.core.base.errors import EditError
from knitground.core.base.tongue import say, say_many
from knitground.core.edit.document import Edit
from knitground.core.edit.shapes import (
    Outlined,
    add_kind,
    add_shape,
    change_kind,
    clear_shapes,
    copy_shapes,
    kind_uses,
    outline_tiles,
    put_shape,
    remove_kind,
    remove_shape,
    shapes_from_terrain,
    turn_shapes,
    use_outlines,
)
from knitground.core.edit.tiles import count_words
from knitground.core.model.shapes import TileShape
from knitground.core.model.tileset import At, Tileset
from knitground.core.shapes.borders import Meeting
from knitground.core.shapes.geometry import corner_words, typed_corners
from knitground.core.shapes.kinds import kind_named, kind_names
from knitground.ui.common.asking import answered
from knitground.ui.common.form import Choice, number_box, whole_box
from knitground.ui.common.widgets import button, column, note, row, set_role
from knitground.ui.session import Session
from knitground.ui.stages.tiles.kinddialog import KindDialog
from knitground.ui.stages.tiles.shapepad import MODES, ShapePad
from knitground.ui.stages.tiles.terrainshapes import TerrainShapesDialog

SNAPS = ((say("whole pixels"), 1.0), (say("half pixels"), 0.5), (say("free"), 0.0))
_TRACED_AT_ONCE = 128 * 128
"""Pixels of a tile whose outline is shown while its bounds change."""


class ShapesPage(QWidget):
    """What is given to the chosen tiles; the pad beside it shows the first of them."""

    def __init__(self, session: Session, pad: ShapePad) -> None:
        super().__init__()
        self.session, self.pad = session, pad
        self.tileset: Tileset | None = None
        self.tiles: frozenset[At] = frozenset()
        self._make()
        self._lay_out()
        pad.drawn.connect(self._draw)
        pad.altered.connect(self._alter)
        pad.removed.connect(self._remove)
        pad.picked.connect(self._show_shape)

    # Building

    def _make(self) -> None:
        self.kinds = Choice(say("Kind of the area: what it is to the game"))
        self.kinds.chosen.connect(self.choose_kind)
        self.kinds.setMinimumWidth(70)
        self.more = QPushButton(say("Kinds…"))
        menu = QMenu(self.more)
        menu.addAction(say("New kind…"), self.new_kind)
        menu.addAction(say("Change this kind…"), self.edit_kind)
        menu.addAction(say("Remove this kind"), self.drop_kind)
        self.more.setMenu(menu)
        self.modes = QButtonGroup(self)
        hints = (
            say("Move corners and shapes"),
            say("Drag a box"),
            say("Click the corners of a polygon"),
            say("Drag what is round"),
        )
        for n, (mode, hint) in enumerate(zip(MODES, hints)):
            each = button(say(mode).capitalize(), partial(self._set_mode, mode), hint)
            each.setCheckable(True)
            each.setChecked(mode == self.pad.mode)
            self.modes.addButton(each, n)
        self.snap = Choice(say("Where corners come to lie"), SNAPS)
        self.snap.chosen.connect(self._set_snap)
        self.corners = QLineEdit()
        self.corners.setPlaceholderText(say("corners: x,y  x,y …"))
        self.corners.setToolTip(say("Corners of the chosen shape in pixels; Enter sets them"))
        self.corners.editingFinished.connect(self._type)
        self.tolerance = number_box(
            0, 64, say("How far the outline may be from what the tile shows"), step=0.5, decimals=1,
            value=1, suffix=say(" px off"),
        )  # fmt: skip
        self.most = whole_box(
            2, 256, say("At most so many corners; the one that matters least goes first"), value=2,
            special=say("any corners"), suffix=say(" corners"),
        )  # fmt: skip
        self.tolerance.valueChanged.connect(self.preview)
        self.most.valueChanged.connect(self.preview)
        self.words = note()

    def _lay_out(self) -> None:
        self.act = QPushButton(say("All chosen…"))
        self.act.setToolTip(say("Copy, mirror, turn or take away shapes of all chosen tiles"))
        menu = QMenu(self.act)
        menu.addAction(say("Copy the first tile's shapes to them"), self.copy)
        menu.addSeparator()
        for words, turn in ((say("Mirror left and right"), 4), (say("Mirror top and bottom"), 6),
                            (say("Turn by a quarter"), 1), (say("Turn by a half"), 2)):  # fmt: skip
            menu.addAction(words, partial(self.turn, turn))
        menu.addSeparator()
        menu.addAction(say("Take shapes of this kind away"), lambda: self.clear(self.pad.kind))
        menu.addAction(say("Take all shapes away"), self.clear)
        self.act.setMenu(menu)
        trace = button(say("Outline"), self.trace, say("Trace what the chosen tiles show"))
        terrain = button(say("From terrain…"), self.from_terrain,
                         say("Shapes for all tiles of a set, from what they show"))  # fmt: skip
        modes = self.modes.buttons()
        self.setLayout(column(
            row(self.kinds, self.more, spacing=4), row(*modes[:2], spacing=4),
            row(*modes[2:], spacing=4), self.snap, self.corners,
            row(self.tolerance, self.most, spacing=4), row(trace, terrain, spacing=4),
            self.act, 1, spacing=5,
        ))  # fmt: skip

    # Showing

    def show_tiles(self, tileset: Tileset | None, tiles: frozenset[At]) -> None:
        """Show the shapes of other tiles, or of the same ones as they are now."""
        self.tileset, self.tiles = tileset, tiles
        names = kind_names(self.session.project)
        if self.pad.kind not in names:
            self.pad.set_kind(names[0] if names else "solid")
        lines = [f"{kind_named(self.session.project, each).letter}  {each}" for each in names]
        self.kinds.offer(zip(lines, names))
        self.kinds.show_value(self.pad.kind)
        self._show_shape()
        self.preview()

    def _show_shape(self) -> None:
        shape = self.pad.chosen
        if not self.corners.hasFocus():
            self.corners.setText("" if shape is None else corner_words(shape))
            self.corners.setCursorPosition(0)
        self.corners.setEnabled(shape is not None)
        self._say()

    def _say(self, traced: str = "") -> None:
        lines = [traced] if traced else []
        told = meeting_words(self.pad.meetings)
        set_role(self.words, "warning" if told else "note")
        count = len(self.pad.shapes)
        if not told:
            whole = (
                say_many("{count} shape · sides meet", "{count} shapes · sides meet", count)
                if count
                else ""
            )
            lines.append(whole or say("No shape yet: drag on the tile."))
        self.words.setText("\n".join([*lines, *told]))

    def preview(self) -> None:
        """Show beside the pad's shapes what tracing would give, and what it would leave out."""
        self.pad.ghost, told = (), ""
        tileset, at = self.tileset, self.pad.at
        editing = self.tolerance.hasFocus() or self.most.hasFocus()
        if tileset is not None and at is not None and editing and tileset.has(*at):
            _, _, wide, high = tileset.slicing.tile_area(*at)
            if wide * high <= _TRACED_AT_ONCE and tileset.picture is not None:
                found = self._outlines(tileset, [at])
                self.pad.ghost = tuple(s for s in found.shapes[at] if s.kind == self.pad.kind)
                told = outline_words(found)
        self.pad.update()
        self._say(told)

    # Changing

    def _do(self, build: Callable[[Tileset], Edit]) -> bool:
        tileset = self.tileset
        return tileset is not None and self.session.do(lambda: build(tileset))

    def _draw(self, shape: TileShape) -> None:
        self._do(lambda t: add_shape(t, self.tiles, shape))

    def _alter(self, number: int, shape: TileShape) -> None:
        at = self.pad.at
        if at is not None:
            self._do(lambda t: put_shape(t, at, number, shape))

    def _remove(self, number: int) -> None:
        at = self.pad.at
        if at is not None:
            self._do(lambda t: remove_shape(t, at, number))

    def _type(self) -> None:
        shape, text = self.pad.chosen, self.corners.text()
        number = self.pad.shape_number
        if shape is None or number is None or text.strip() == corner_words(shape):
            return

        def build() -> Edit:
            if self.tileset is None or self.pad.at is None:
                raise EditError(say("no tile is chosen: choose one"))
            new = replace(shape, corners=typed_corners(text))
            return put_shape(self.tileset, self.pad.at, number, new)

        if not self.session.do(build):
            self.corners.setText(corner_words(shape))

    def _set_mode(self, mode: str) -> None:
        self.pad.set_mode(mode)
        self.modes.button(MODES.index(mode)).setChecked(True)
        self.pad.setFocus()

    def _set_snap(self, step: float) -> None:
        self.pad.snap = step

    def choose_kind(self, kind: str) -> None:
        """Draw shapes of another kind; a chosen shape becomes one of it."""
        self.pad.set_kind(kind)
        shape, number = self.pad.chosen, self.pad.shape_number
        if self.pad.mode == "change" and shape is not None and number is not None:
            self._alter(number, replace(shape, kind=kind))
        self._say()

    def copy(self) -> None:
        """Give all chosen tiles the shapes of the first."""
        at = self.pad.at
        if at is not None:
            self._do(lambda t: copy_shapes(t, at, self.tiles))

    def turn(self, turn: int) -> None:
        """Mirror or turn the shapes of the chosen tiles."""
        self._do(lambda t: turn_shapes(t, self.tiles, turn))

    def clear(self, kind: str = "") -> None:
        """Take the shapes of the chosen tiles away, or those of a kind."""
        self._do(lambda t: clear_shapes(t, self.tiles, kind))

    def _outlines(self, tileset: Tileset, tiles: list[At]) -> Outlined:
        most = self.most.value() if self.most.value() > 2 else 0
        return outline_tiles(
            tileset, tiles, self.pad.kind, tolerance=self.tolerance.value(), most=most
        )

    def trace(self) -> None:
        """Trace the chosen tiles, beside the interface."""
        tileset, tiles, kind = self.tileset, self.tiles, self.pad.kind
        if tileset is None or not tiles:
            return
        most = self.most.value() if self.most.value() > 2 else 0
        tolerance = self.tolerance.value()

        def done(found: Outlined) -> None:
            if self.session.do(lambda: use_outlines(tileset, found)):
                self.session.note(f"{count_words(tiles)}: {outline_words(found)}")

        self.session.run_long(
            say("Tracing outlines…"),
            lambda progress: outline_tiles(
                tileset, tiles, kind, tolerance=tolerance, most=most, progress=progress
            ),
            done,
        )

    def from_terrain(self) -> None:
        """Ask for a terrain and give all tiles of its set their shapes."""
        tileset, project = self.tileset, self.session.project
        if tileset is None:
            return
        owners = [each for each in project.tilesets if each.sets]
        if not owners:
            self.session.warn(say("No sheet has a terrain set: make one in Terrains first"))
            return
        dialog = TerrainShapesDialog(project, tileset, self.pad.kind, self.window())
        if answered(dialog):
            asked = dialog.asked()
            self.session.do(lambda: shapes_from_terrain(project, **asked))

    # Kinds

    def new_kind(self) -> None:
        """Ask for a kind and add it."""
        dialog = KindDialog(None, self.window())
        if answered(dialog):
            new = dialog.kind()
            project = self.session.project
            if self.session.do(lambda: add_kind(project, new.name, new.letter, new.colour)):
                self.pad.set_kind(new.name)
                self.show_tiles(self.tileset, self.tiles)

    def edit_kind(self) -> None:
        """Ask for another name, letter or colour of the kind."""
        project, old = self.session.project, self.pad.kind
        dialog = KindDialog(kind_named(project, old), self.window())
        if answered(dialog):
            new = dialog.kind()
            if self.session.do(lambda: change_kind(project, old, new)):
                self.pad.set_kind(new.name)
                self.show_tiles(self.tileset, self.tiles)

    def drop_kind(self) -> None:
        """Take the kind away; what that takes off tiles is told, and undone in one step."""
        project, kind = self.session.project, self.pad.kind
        uses = kind_uses(project, kind)
        if self.session.do(lambda: remove_kind(project, kind)) and uses:
            tiles = say_many("{count} tile", "{count} tiles", uses)
            self.session.note(
                say(
                    "“{kind}” was on {tiles}: its shapes are gone with it (undo)",
                    kind=kind,
                    tiles=tiles,
                )
            )


def outline_words(found: Outlined) -> str:
    """Tell what outlines leave out and take in."""
    words = say(
        "{corners} corners · {lost:g} px lost, {added:g} px too much",
        corners=found.corners,
        lost=found.lost,
        added=found.added,
    )
    return words + (say(" · {empty} show nothing", empty=found.empty) if found.empty else "")


def meeting_words(found: list[Meeting]) -> list[str]:
    """Tell at which sides shapes do not meet those beside the tile."""
    out = []
    for each in found:
        if each.steps:
            out.append(
                say(
                    "{name}: {differing} of {neighbours} neighbours differ",
                    name=each.side.title,
                    differing=each.differing,
                    neighbours=each.neighbours,
                )
            )
        if each.gaps:
            out.append(say("{name}: ends just short of the side", name=each.side.title))
    return out
