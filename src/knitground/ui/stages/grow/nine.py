"""Nine seeds side by side: each grown beside the interface, one to be chosen."""

from __future__ import annotations

from dataclasses import replace

from PySide6.QtCore import QSize
from PySide6.QtWidgets import QDialogButtonBox, QWidget

from knitground.core.base.progress import Progress
from knitground.core.base.tongue import say
from knitground.core.grow.preview import grown_picture
from knitground.core.model.map import Map
from knitground.core.render.pixels import Pixels
from knitground.ui.common.dialog import Dialog
from knitground.ui.common.pictureoffers import PictureOffer, PictureOffers
from knitground.ui.common.widgets import button, column, note, row
from knitground.ui.session import Session

_COUNT, _ACROSS = 9, 3
_WIDE, _HIGH = 236, 156


class NineDialog(Dialog):
    """Shows what nine seeds make; a click takes one."""

    def __init__(
        self, session: Session, map_: Map, seed: int, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle(say("Nine seeds for “{name}”", name=map_.name))
        self.session, self.map = session, map_
        self.chosen: int | None = None
        self.now = self.first = seed
        self.offers = PictureOffers(QSize(_WIDE, _HIGH), say("Nine seeds"))
        self.offers.taken.connect(self.take)
        self.offers.flow.setFixedWidth(_ACROSS * (_WIDE + 24))
        self.words = note(
            say("Each seed is grown on the map as it is; pins stay. A click takes one.")
        )
        self.offers.failed.connect(self.words.setText)
        self.buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Cancel)
        self.buttons.rejected.connect(self.reject)
        more = button(say("Nine more"), self.show_more, say("The next nine seeds"))
        self.setLayout(column(self.words, self.offers, row(more, 1, self.buttons), margins=12))
        self._show()

    def _show(self) -> None:
        self.offers.show_offers([self._offer(self.first + n) for n in range(_COUNT)])

    def _offer(self, seed: int) -> PictureOffer:
        map_, project = self.map, self.session.project
        recipe = replace(map_.recipe, seed=seed)

        def draw(progress: Progress) -> Pixels:
            return grown_picture(project, map_, recipe, (_HIGH, _WIDE), progress)

        words = say("seed {seed}", seed=seed) + (say(" · now") if seed == self.now else "")
        return PictureOffer(words, say("Take this seed"), draw)

    def show_more(self) -> None:
        """Show the next nine seeds."""
        self.first += _COUNT
        self._show()

    def take(self, number: int) -> None:
        """Take the n-th of the seeds."""
        self.chosen = self.first + number
        self.accept()

    def done(self, result: int) -> None:
        self.offers.stop()
        super().done(result)
