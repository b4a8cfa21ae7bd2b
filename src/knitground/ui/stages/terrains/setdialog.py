"""Making a set from two plain tiles and an outline: laid out and knitted before it is made."""

from __future__ import annotations

from dataclasses import replace
from functools import partial
from pathlib import Path

import numpy as np
from PySide6.QtCore import QSize, QTimer
from PySide6.QtGui import QPixmap
from PySide6.QtWidgets import (
    QFormLayout,
    QLabel,
    QPushButton,
    QWidget,
)

from knitground.core.base.errors import KnitError
from knitground.core.base.progress import Progress
from knitground.core.base.tongue import say
from knitground.core.edit.makeset import (
    add_made_set,
    lendable,
    plain_tiles,
    shape_of,
    terrain_of,
    texture_tile,
    tile_picture,
)
from knitground.core.files.images import read_picture
from knitground.core.knit.making import Tiles
from knitground.core.knit.outline import MAX_RIM, Outline, OutlineShape, Rim
from knitground.core.knit.setmaking import (
    MAX_VARIANTS,
    BorrowedShape,
    SetPlan,
    rim_shows,
)
from knitground.core.model.project import Project
from knitground.core.model.terrain import SetKind, Terrain, TerrainSet
from knitground.core.model.tile import TileRef
from knitground.core.model.tileset import Picture, Tileset
from knitground.core.render.pixels import premultiplied
from knitground.ui.common.dialog import Dialog
from knitground.ui.common.filedialogs import ask_file
from knitground.ui.common.form import Choice, Line, Slide, whole_box
from knitground.ui.common.question import Question
from knitground.ui.common.tasks import Job
from knitground.ui.common.widgets import (
    Swatch,
    button,
    column,
    head,
    note,
    row,
    set_role,
    tile_pixmap,
)
from knitground.ui.session import Session
from knitground.ui.stages.terrains.setpreview import Made, preview_set
from knitground.ui.stages.terrains.tilechoice import TileChoice

_LATER_MS = 120
_MOST_SEED = 999_999
PICTURE_SIDE = 56


class SetDialog(Dialog):
    """Asks for two plain tiles and an outline; shows the set that they make."""

    def __init__(
        self, session: Session, kit: TerrainSet | None, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.session = session
        self.setWindowTitle(say("Make a set"))
        self.pictures: list[Tiles | None] = [None, None]
        self.known: list[Terrain | None] = [None, None]
        self.asked = 0
        self.found: Made | None = None
        self._shapes: dict[tuple[str, str], BorrowedShape] = {}
        self._beside = Question(lambda: session.doc, self)
        self.later = QTimer(self, singleShot=True, interval=_LATER_MS)
        self.later.timeout.connect(self.look)
        self._make_tiles()
        self._make_fields()
        self._lay_out()
        self.resize(1080, 660)
        self._begin(kit)

    @property
    def project(self) -> Project:
        """The project that the set is made in."""
        return self.session.project

    @property
    def busy(self) -> bool:
        """Whether the set is being made."""
        return self._beside.is_busy or self.later.isActive()

    # Building

    def _make_tiles(self) -> None:
        self.slots = [QPushButton(), QPushButton()]
        hints = (
            say("The terrain that the outline goes round: click, then click its plain tile below"),
            say("What lies round it: click, then click its plain tile below"),
        )
        for n, (each, hint) in enumerate(zip(self.slots, hints)):
            each.setCheckable(True)
            each.setIconSize(QSize(PICTURE_SIDE, PICTURE_SIDE))
            each.setFixedSize(QSize(PICTURE_SIDE + 16, PICTURE_SIDE + 16))
            each.setToolTip(hint)
            each.clicked.connect(partial(self.ask_for, n))
        self.names = [
            Line(say("Name of the terrain; empty: by its set or its colour"), empty=words)
            for words in (say("first terrain"), say("second terrain"))
        ]
        for field in self.names:
            field.textChanged.connect(self.later.start)
        self.nothing = button(
            say("Nothing"),
            self.take_nothing,
            say("See-through: the set is laid over another layer"),
        )
        self.files = [
            button(say("File…"), partial(self.ask_file, n),
                   say("A texture from a picture file; its upper left part is taken"))
            for n in (0, 1)
        ]  # fmt: skip
        self.sheets = Choice(
            say("The sheet to choose plain tiles on"), [(e.name, e) for e in self.project.tilesets]
        )
        self.next = note()
        self.picker = TileChoice()
        self.sheets.chosen.connect(self.picker.show_sheet)
        self.picker.picked.connect(self.take)

    def _make_fields(self) -> None:
        self.kind = Choice(say("What the tiles' marks stand for"), [
            (say("corner set: ground that blends, 16 tiles"), SetKind.CORNER),
            (say("edge set: ways, 16 tiles"), SetKind.EDGE),
            (say("ring set: whole cells, 47 tiles"), SetKind.RING),
        ])  # fmt: skip
        self.kind.chosen.connect(self._on_kind)
        self.shape = Choice(
            say("The shape of the border: one of our own, or a set's of this project")
        )
        self.rough = Slide(0, 100, say("How far the border strays"))
        self.rough.setValue(50)
        self.seed = whole_box(1, _MOST_SEED, say("The number that the border's chance begins with"))
        self.again = button(say("Another"), self.reroll, say("Another seed"))
        self.rim = Choice(say("What is drawn along the border, in the two tiles' own colours"), [
            (say("none"), Rim.NONE), (say("darker"), Rim.DARKER), (say("lighter"), Rim.LIGHTER),
            (say("shadow, right and below"), Rim.SHADOW),
        ])  # fmt: skip
        self.rim.show_value(Rim.DARKER)
        self.rim_px = whole_box(1, MAX_RIM, say("How wide the rim is"), suffix=" px")
        self.variants = whole_box(
            1, MAX_VARIANTS, say("How many different tiles for each combination")
        )
        self.name = Line(say("Name of the new sheet"), empty=say("named after its terrains"))
        for box in (self.shape, self.rim):
            box.chosen.connect(lambda _: self.later.start())
        for field in (self.rough, self.seed, self.rim_px, self.variants):
            field.valueChanged.connect(self.later.start)
        self.name.textChanged.connect(self.later.start)

    def _lay_out(self) -> None:
        self.facts = note()
        self.facts.setMinimumHeight(34)
        self.facts.setWordWrap(True)
        self.laid, self.sample = Swatch(), Swatch()
        self.laid.setMinimumSize(420, 220)
        self.sample.setMinimumSize(420, 220)
        self.buttons = self.make_buttons(say("Make it"))
        self.ok.setEnabled(False)
        pair = [
            row(self.slots[n], column(self.names[n], row(self.files[n], *more, 1), spacing=4))
            for n, more in ((0, ()), (1, (self.nothing,)))
        ]
        form = QFormLayout()
        form.addRow(say("Kind"), self.kind)
        form.addRow(say("Outline"), self.shape)
        form.addRow(say("Rough"), self.rough)
        form.addRow(say("Seed"), row(self.seed, self.again, 1))
        form.addRow(say("Rim"), row(self.rim, self.rim_px, 1))
        form.addRow(say("Variants"), row(self.variants, 1))
        form.addRow(say("Sheet"), self.name)
        where = row(QLabel(say("Plain tiles of")), self.sheets, self.next)
        where.setStretch(2, 1)
        left = column(
            *pair, where, self.picker, form, self.facts, self.buttons, spacing=8
        )  # fmt: skip
        left.setStretch(3, 1)
        right = column(head(say("Its tiles")), self.laid, head(say("What it knits")), self.sample)
        right.setStretch(1, 1)
        right.setStretch(3, 1)
        side = QWidget()
        side.setLayout(left)
        side.setFixedWidth(390)
        body = row(side, right, margins=12, spacing=16)
        body.setStretch(1, 1)
        self.setLayout(body)

    def _begin(self, kit: TerrainSet | None) -> None:
        """Begin with the plain tiles of the set that is shown."""
        owner = self.session.tileset
        if owner is not None:
            self.sheets.show_value(owner)
            self.picker.show_sheet(owner)
            for n, tile in enumerate(plain_tiles(owner, kit)[:2] if kit else []):
                self.ask_for(n)
                self.take(tile)
        self._on_kind()
        self.ask_for(0 if self.pictures[0] is None else 1)
        self.look()

    # Choosing

    def _on_kind(self) -> None:
        """Offer outlines of our own and those of sets of the kind."""
        kept, kind = self.shape.value, self.kind.value
        self.shape.offer([
            *((say(each.value), each) for each in OutlineShape),
            *((say("as in “{name}” of {name2}", name=each[1].name, name2=each[0].name), each)
              for each in lendable(self.project, kind)),
        ])  # fmt: skip
        self.shape.show_value(kept if kept in self.shape.values else self.shape.values[0])
        self.names[1].setEnabled(kind is SetKind.CORNER)
        self.later.start()

    def reroll(self) -> None:
        """Take the next seed."""
        self.seed.setValue(self.seed.value() % _MOST_SEED + 1)

    # Looking

    def plan(self) -> SetPlan | str:
        """What the fields ask for, or what is missing."""
        first, second = self.pictures
        if first is None:
            return say("Choose the plain tile of the first terrain: click it on the sheet")
        shape = OutlineShape.RAGGED if self.lender() is not None else self.shape.value
        outline = Outline(shape, self.rough.value() / 100, self.seed.value(), self.rim.value,
                          self.rim_px.value())  # fmt: skip
        return SetPlan(self.kind.value, first, second, outline, self.variants.value())

    def lender(self) -> tuple[Tileset, TerrainSet] | None:
        """The set whose outline is borrowed, if one is."""
        shape = self.shape.value
        return shape if isinstance(shape, tuple) else None

    def _borrowed(self, lender: tuple[Tileset, TerrainSet]) -> BorrowedShape:
        """The shape of a set, read once; reading takes long where it has many tiles."""
        key = (lender[0].name, lender[1].name)
        if key not in self._shapes:
            self._shapes[key] = shape_of(self.project, *lender)
        return self._shapes[key]

    def look(self) -> None:
        """Make the set beside the window and show it."""
        self.later.stop()
        plan = self.plan()
        if isinstance(plan, str):
            self._show(None)
            self.say(plan, wrong=False)
            return
        names, known, name = (
            [each.text() for each in self.names],
            list(self.known),
            self.name.text(),
        )
        project, lender = self.project, self.lender()

        def work(_progress: Progress) -> Made | str:
            try:
                borrowed = self._borrowed(lender) if lender is not None else None
                return preview_set(project, replace(plan, borrowed=borrowed), known, names, name)
            except KnitError as error:
                return str(error)

        self._beside.ask(work, partial(self._found, plan))

    def _found(self, plan: SetPlan, answer: Made | str | None) -> None:
        if answer is None or isinstance(answer, str):
            self._show(None)
            self.say(answer or say("This could not be made: try another outline"), wrong=True)
            return
        self._show(answer)
        tileset = answer.tileset
        high, wide = plan.first.shape[:2]
        words = say(
            "{tiles} tiles of {wide} × {high} px · {sheet}",
            tiles=answer.tiles,
            wide=wide,
            high=high,
            sheet=tileset.sheet,
        )
        lender = self.lender()
        shape = self._shapes.get((lender[0].name, lender[1].name)) if lender else None
        if shape is not None:
            words += say(
                " · {count} of {whole} shapes borrowed", count=len(shape.masks), whole=shape.whole
            )
        if not rim_shows(plan):
            words += say(
                " · the two tiles have no {value} colour for most of the rim",
                value=say(plan.outline.rim.value),
            )
        self.say(words, wrong=False)

    def _show(self, found: Made | None) -> None:
        self.found = found
        self.laid.show_pixels(found.laid if found else None)
        self.sample.show_pixels(found.sample if found else None)
        self.ok.setEnabled(found is not None)

    def say(self, words: str, *, wrong: bool) -> None:
        self.facts.setText(words)
        set_role(self.facts, "warning" if wrong else "note")

    def make(self) -> Tileset | None:
        """Add the sheet and its set as one step; shows the sheet."""
        if self.found is None:
            return None
        tileset = self.found.tileset
        if not self.session.apply(add_made_set(self.project, tileset)):
            return None
        self.session.choose_tileset(tileset)
        self.session.note(
            say(
                "“{name}” is a new sheet; saving writes {sheet}",
                name=tileset.name,
                sheet=tileset.sheet,
            )
        )
        return tileset

    def ask_for(self, number: int) -> None:
        """Let the next click on the sheet choose the first or the second tile."""
        self.asked = number
        for n, each in enumerate(self.slots):
            each.setChecked(n == number)
        self.next.setText(
            say("next click: {which} terrain", which=(say("first"), say("second"))[number])
        )

    def take(self, tile: TileRef) -> None:
        """Take a tile of a sheet as the one that is asked for."""
        try:
            picture = tile_picture(self.project, tile)
        except KnitError as error:
            self.say(str(error), wrong=True)
            return
        self._put(picture, terrain_of(self.project, tile))

    def take_nothing(self) -> None:
        """Let nothing lie round the first terrain."""
        self.ask_for(1)
        self._put(None, None)
        self.ask_for(0)

    def ask_file(self, number: int) -> None:
        """Ask for a texture."""
        self.ask_for(number)
        path = ask_file(self, say("A texture"), "textures")
        if path is not None:
            self.take_file(path)

    def take_file(self, path: Path) -> None:
        """Take the upper left part of a picture, as large as the other tile; read beside."""
        number = self.asked
        self.say(say("reading {name}…", name=path.name), wrong=False)
        Job(
            lambda _: read_picture(path),
            lambda picture: self._take_texture(number, picture),
            lambda error: self.say(str(error), wrong=True),
            owner=self,
        ).start()

    def _take_texture(self, number: int, picture: Picture) -> None:
        self.ask_for(number)
        other = self.pictures[1 - number]
        cut = self.session.tileset.slicing if self.session.tileset else None
        if other is not None:
            high, wide = other.shape[:2]
        elif cut is not None:
            high, wide = cut.tile_height, cut.tile_width
        else:
            high = wide = min(picture.shape[:2])
        self._put(texture_tile(picture, high, wide), None)

    def _put(self, picture: Tiles | None, terrain: Terrain | None) -> None:
        n = self.asked
        self.pictures[n], self.known[n] = picture, terrain
        self.slots[n].setIcon(
            tile_pixmap(premultiplied(np.ascontiguousarray(picture)), PICTURE_SIDE)
            if picture is not None
            else QPixmap()
        )
        self.slots[n].setText("" if picture is not None else say("nothing") if n else "")
        self.names[n].setPlaceholderText(
            terrain.name if terrain else (say("first terrain"), say("second terrain"))[n]
        )
        if n == 0 and picture is not None and self.pictures[1] is None:
            self.ask_for(1)
        self.later.start()
