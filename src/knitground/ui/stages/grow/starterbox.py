"""What a map without a recipe could begin with: pictures made with its own sets and seed."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PySide6.QtCore import QSize, Signal
from PySide6.QtWidgets import QWidget

from knitground.core.base.errors import KnitError
from knitground.core.base.tongue import say
from knitground.core.edit.starters import (
    Starter,
    kept_starter,
    starter_picture,
    starters,
    why_none,
)
from knitground.core.files.recipefile import RECIPE_END, read_recipe
from knitground.core.grow.preview import stand_in
from knitground.core.model.map import Map
from knitground.ui.common.pictureoffers import PictureOffer, PictureOffers
from knitground.ui.common.widgets import button, column, head, note, row
from knitground.ui.session import Session

_SIZE = QSize(172, 114)
_MOST_KEPT = 12


_WORDS = say(
    "Each is grown on this map, with your own sets. A click takes its steps; all of it can be "
    "changed afterwards."
)


class StarterBox(QWidget):
    """Shows what the steps to begin with would make; a click takes one."""

    taken = Signal(object, int)
    """The starter that was chosen, and the seed that its picture was made with."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.map: Map | None = None
        self.starters: list[Starter] = []
        self.seed = 1
        self._shown: object = None
        self.reroll = button(say("Reroll"), self.roll, say("Show them all with the next seed"))
        self.words = note(_WORDS)
        self.offers = PictureOffers(_SIZE, say("Recipes to begin with"))
        self.offers.taken.connect(self._take)
        self.setLayout(column(
            row(head(say("Begin with")), 1, self.reroll), self.words, self.offers, spacing=6,
        ))  # fmt: skip

    def show_map(self, map_: Map | None) -> None:
        """Offer what another map could begin with; None: nothing."""
        if map_ is not self.map:
            self.map = map_
            self.seed = map_.recipe.seed if map_ is not None else 1
        self._show()

    def roll(self) -> None:
        """Show them all with the next seed."""
        self.seed += 1
        self._show()

    def _show(self) -> None:
        map_, project = self.map, self.session.project
        if map_ is None:
            self._shown = None
            self.offers.stop()
            self.hide()
            return
        shown = (id(map_), self.seed, self.session.doc.revision)
        if shown == self._shown:
            return
        self._shown = shown
        self.starters = [*starters(project, map_), *self._kept(map_)]
        trial, seed = stand_in(map_), self.seed
        self.offers.show_offers([
            PictureOffer(each.title, each.hint,
                         partial(starter_picture, project, trial, each, seed, _DRAWN))
            for each in self.starters
        ])  # fmt: skip
        self.words.setText(_WORDS if self.starters else why_none(project, map_))
        self.reroll.setVisible(bool(self.starters))
        self.offers.setVisible(bool(self.starters))
        self.show()

    def _kept(self, map_: Map) -> list[Starter]:
        """List the recipes that were kept for other maps, as far as they fit this one."""
        out = []
        for path in kept_recipes(self.session.recipes)[:_MOST_KEPT]:
            try:
                recipe, names = read_recipe(path)
            except KnitError:
                continue  # a file that was spoilt is no reason to offer nothing
            found = kept_starter(map_, _title(path), recipe, names)
            if found is not None:
                out.append(found)
        return out

    def _take(self, number: int) -> None:
        if number < len(self.starters):
            self.taken.emit(self.starters[number], self.seed)


_DRAWN = (_SIZE.height(), _SIZE.width())


def kept_recipes(folder: Path | None) -> list[Path]:
    """List the files of recipes that a person keeps for other maps, by name."""
    try:
        return sorted(folder.glob(f"*{RECIPE_END}")) if folder is not None else []
    except OSError:
        return []


def _title(path: Path) -> str:
    words = path.name.removesuffix(RECIPE_END).replace("-", " ")
    return words[:1].upper() + words[1:]
