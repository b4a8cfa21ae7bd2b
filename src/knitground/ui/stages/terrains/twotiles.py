"""The two plain tiles that a set is made from: clicked on a sheet, from a file, or nothing."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtGui import QPixmap
from PySide6.QtWidgets import (
    QFileDialog,
)

from knitground.core.base.errors import KnitError
from knitground.core.edit.makeset import (
    terrain_of,
    texture_tile,
    tile_picture,
)
from knitground.core.files.images import SUFFIXES, read_picture
from knitground.core.knit.making import Tiles
from knitground.core.model.terrain import Terrain
from knitground.core.model.tile import TileRef
from knitground.core.model.tileset import Picture
from knitground.core.render.pixels import premultiplied
from knitground.ui.common.tasks import Job
from knitground.ui.common.widgets import (
    tile_pixmap,
)

if TYPE_CHECKING:
    from knitground.ui.stages.terrains.setdialog import SetDialog

PICTURE_SIDE = 56


class TwoTiles:
    """Takes the tiles of a dialog."""

    def __init__(self, dialog: SetDialog) -> None:
        self.dialog = dialog

    def ask_for(self, number: int) -> None:
        """Let the next click on the sheet choose the first or the second tile."""
        self.dialog.asked = number
        for n, each in enumerate(self.dialog.slots):
            each.setChecked(n == number)
        self.dialog.next.setText(f"next click: {('first', 'second')[number]} terrain")

    def take(self, tile: TileRef) -> None:
        """Take a tile of a sheet as the one that is asked for."""
        try:
            picture = tile_picture(self.dialog.project, tile)
        except KnitError as error:
            self.dialog.say(str(error), wrong=True)
            return
        self._put(picture, terrain_of(self.dialog.project, tile))

    def take_nothing(self) -> None:
        """Let nothing lie round the first terrain."""
        self.ask_for(1)
        self._put(None, None)
        self.ask_for(0)

    def ask_file(self, number: int) -> None:
        """Ask for a texture."""
        self.ask_for(number)
        kinds = " ".join(f"*{suffix}" for suffix in SUFFIXES)
        name, _ = QFileDialog.getOpenFileName(self.dialog, "A texture", "", f"Pictures ({kinds})")
        if name:
            self.take_file(Path(name))

    def take_file(self, path: Path) -> None:
        """Take the upper left part of a picture, as large as the other tile; read beside."""
        number = self.dialog.asked
        self.dialog.say(f"reading {path.name}…", wrong=False)
        Job(
            lambda _: read_picture(path),
            lambda picture: self._take_texture(number, picture),
            lambda error: self.dialog.say(str(error), wrong=True),
            owner=self.dialog,
        ).start()

    def _take_texture(self, number: int, picture: Picture) -> None:
        self.ask_for(number)
        other = self.dialog.pictures[1 - number]
        cut = self.dialog.session.tileset.slicing if self.dialog.session.tileset else None
        if other is not None:
            high, wide = other.shape[:2]
        elif cut is not None:
            high, wide = cut.tile_height, cut.tile_width
        else:
            high = wide = min(picture.shape[:2])
        self._put(texture_tile(picture, high, wide), None)

    def _put(self, picture: Tiles | None, terrain: Terrain | None) -> None:
        n = self.dialog.asked
        self.dialog.pictures[n], self.dialog.known[n] = picture, terrain
        self.dialog.slots[n].setIcon(
            tile_pixmap(premultiplied(np.ascontiguousarray(picture)), PICTURE_SIDE)
            if picture is not None
            else QPixmap()
        )
        self.dialog.slots[n].setText("" if picture is not None else "nothing" if n else "")
        self.dialog.names[n].setPlaceholderText(
            terrain.name if terrain else ("first terrain", "second terrain")[n]
        )
        if n == 0 and picture is not None and self.dialog.pictures[1] is None:
            self.ask_for(1)
        self.dialog.later.start()
