"""Likely grids of the chosen sheet, looked for beside the window, and remembered."""

from __future__ import annotations

from weakref import WeakKeyDictionary, WeakSet

import numpy as np
from PySide6.QtCore import QObject, Signal

from knitground.core.base.tongue import say
from knitground.core.edit.changed import Changed, What
from knitground.core.edit.reslice import cut_areas
from knitground.core.model.slicing import Area
from knitground.core.model.tileset import Picture, Tileset
from knitground.core.slicing.areas import AreaGuess, in_area, likely_areas
from knitground.core.slicing.likely import GridGuess, likely_in_area
from knitground.ui.common.tasks import Job
from knitground.ui.session import Session
from knitground.ui.stages.slice.guesses import SURE, GuessList

Guessed = tuple[Picture, list[GridGuess]]
"""A picture, and the grids that were found likely on it."""


class GridFinder(QObject):
    """Looks for the grids of a sheet, and of its areas, and shows them in a list."""

    sure = Signal(object)
    """A new sheet has a grid that is sure: the slicing is to be tried at once."""
    shown = Signal()

    def __init__(self, session: Session, guesses: GuessList) -> None:
        super().__init__(guesses)
        self.session, self.guesses = session, guesses
        self._guessed: WeakKeyDictionary[Tileset, dict[Area | None, Guessed]] = WeakKeyDictionary()
        self._areas: WeakKeyDictionary[Tileset, tuple[Picture, list[AreaGuess]]] = (
            WeakKeyDictionary()
        )
        self._fresh: WeakSet[Tileset] = WeakSet()
        guesses.areas_wanted.connect(self.cut_areas)

    def follow(self, change: Changed) -> None:
        """Note sheets that are new and without marks: what is sure is tried on them unasked."""
        new = change.tileset is not None and not change.tileset.sets
        if change.what is What.TILESETS and change.tileset is not None and new:
            self._fresh.add(change.tileset)

    def look(self) -> None:
        tileset = self.session.tileset
        if tileset is None or tileset.picture is None:
            self.guesses.show_guesses([], np.zeros((1, 1, 4), np.uint8))
            return
        picture = tileset.picture
        area = tileset.slicing.area
        known = self._guessed.get(tileset, {}).get(area)
        if known is not None and known[0] is picture:
            self._show_guesses(tileset, known[1])
            return
        self.guesses.wait()
        job: Job[list[GridGuess]] = Job(
            lambda _: likely_in_area(picture, area),
            lambda found: self._take_guesses(tileset, picture, area, found),
            lambda error: self.session.warn(str(error)),
            owner=self,
        )
        job.start()

    def _take_guesses(
        self, tileset: Tileset, picture: Picture, area: Area | None, found: list[GridGuess]
    ) -> None:
        self._guessed.setdefault(tileset, {})[area] = (picture, found)
        if tileset is self.session.tileset:
            self._show_guesses(tileset, found)
        if area is None and not tileset.slicing.is_loose:
            Job(
                lambda progress: likely_areas(picture, found, progress),
                lambda areas: self._take_areas(tileset, picture, areas),
                lambda error: self.session.warn(str(error)),
                owner=self,
            ).start()

    def _take_areas(self, tileset: Tileset, picture: Picture, areas: list[AreaGuess]) -> None:
        self._areas[tileset] = (picture, areas)
        if tileset is self.session.tileset:
            self._show_areas(tileset)

    def _show_areas(self, tileset: Tileset) -> None:
        known = self._areas.get(tileset)
        whole = tileset.slicing.area is None and not tileset.sets  # marks would be lost
        fits = known is not None and whole and known[0] is tileset.picture
        self.guesses.show_areas(known[1] if known is not None and fits else [])

    def cut_areas(self, areas: list[AreaGuess]) -> None:
        """Cut the sheet into areas, each with its likely grid; those without one are left."""
        tileset = self.session.tileset
        cuts = [each.slicing for area in areas if (each := in_area(area)) is not None]
        if tileset is None or not cuts:
            return
        if self.session.do(lambda: cut_areas(self.session.project, tileset, cuts)):
            self.session.note(
                say("{count} areas, each a sheet of its own in the list above", count=len(cuts))
            )

    def _show_guesses(self, tileset: Tileset, found: list[GridGuess]) -> None:
        assert tileset.picture is not None
        self.guesses.show_guesses(found, tileset.picture)
        self._show_areas(tileset)
        if tileset in self._fresh and found and found[0].score >= SURE:
            self.sure.emit(found[0].slicing)
        self._fresh.discard(tileset)
        self.shown.emit()
