"""What comes out of a format as it is asked for now: a small picture, and names of files."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

from PySide6.QtGui import QPixmap
from PySide6.QtWidgets import QLabel, QSizePolicy, QWidget

from knitground.core.base.errors import KnitError
from knitground.core.base.tongue import say
from knitground.core.files.ship.kinds import ShipJob
from knitground.core.files.ship.ship import FORMATS
from knitground.core.model.map import Map
from knitground.core.model.profile import ShipPart
from knitground.core.model.tileset import Picture
from knitground.core.render.pixels import premultiplied
from knitground.ui.common.painting import image_of
from knitground.ui.common.widgets import note, row, set_role

SIDE = 112
"""Pixels across and down of a picture, at most."""
_NAMED = 3


class Sample(NamedTuple):
    """What is known of the files of a format: words, or what is wrong, and a picture."""

    words: str
    wrong: bool = False
    picture: Picture | None = None


def sample_of(job: ShipJob, maps: Sequence[Map], part: ShipPart) -> Sample:
    """Tell which files a format would make, and what the first map's look like.

    Its map must be knitted.
    """
    kind = FORMATS[part.format]
    try:
        options = kind.chosen(part.options)
        names = list(dict.fromkeys(
            name for map_ in maps for name in kind.names(job, map_, options)
        ))  # fmt: skip
        picture = kind.sample(job, maps[0], options, SIDE) if kind.sample and maps else None
    except KnitError as error:
        return Sample(str(error), wrong=True)
    words = ", ".join(names[:_NAMED])
    more = len(names) - _NAMED
    return Sample(
        say("{words} and {more} more", words=words, more=more) if more > 0 else words,
        picture=picture,
    )


class Outcome(QWidget):
    """Shows a sample beneath the form of its format."""

    def __init__(self) -> None:
        super().__init__()
        self.picture = QLabel()
        self.picture.setFixedWidth(SIDE)
        self.words = note("")
        self.words.setWordWrap(True)
        self.words.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        line = row(self.picture, self.words)
        line.setContentsMargins(26, 0, 0, 6)
        line.setStretch(1, 1)
        self.setLayout(line)
        self.picture.hide()

    def show_sample(self, sample: Sample) -> None:
        """Show what is known."""
        self.words.setText(sample.words)
        set_role(self.words, "warning" if sample.wrong else "note")
        self.picture.setVisible(sample.picture is not None)
        if sample.picture is not None:
            image = image_of(premultiplied(sample.picture))
            self.picture.setPixmap(QPixmap.fromImage(image.copy()))
