"""The cards of a recipe's steps: made once, dealt again to whichever steps are shown."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtWidgets import QVBoxLayout

from knitground.core.model.map import Map
from knitground.core.model.recipe import Step
from knitground.ui.common.pulse import pulse_is_full
from knitground.ui.stages.grow.stepcard import StepCard

_SPARE = 16
"""Cards kept that show nothing: making one takes as long as a twentieth of a picture."""


class Deck:
    """Deals cards to the steps of a recipe.

    Parameters
    ----------
    lines : where the cards stand, in the order of the steps
    make : makes the card of a step of a kind, for a map and a place in its recipe
    """

    def __init__(self, lines: QVBoxLayout, make: Callable[[Map, int, type], StepCard]) -> None:
        self._lines = lines
        self._make = make
        self._spare: list[StepCard] = []
        self.cards: list[StepCard] = []
        """Those that are shown, in the order of the steps."""

    def deal(self, map_: Map, steps: Sequence[Step]) -> bool:
        """Give each step a card: that which shows it, or one of its kind, or a new one.

        Returns whether all have one. If not, making more has to wait for the next turn of the
        interface: none is shown, and it is to be called again.
        """
        left, away = self.cards + self._spare, set(self._spare)
        dealt = _allot(left, steps)
        made = 0
        for place, step in enumerate(steps):
            if place in dealt:
                continue
            if made and pulse_is_full():
                self.cards, self._spare = [], left + list(dealt.values())
                self._put_away(self._spare)
                return False
            dealt[place] = self._make(map_, place, type(step))
            made += 1
        self.cards, self._spare = [dealt[place] for place in range(len(steps))], left[:_SPARE]
        self._put_away(left)
        for card in left[_SPARE:]:
            card.deleteLater()
        for card in self._spare:
            card.turn_to(map_, card.place)  # else it would keep another project alive
        for place, card in enumerate(self.cards):
            card.turn_to(map_, place)
            self._lines.removeWidget(card)
            self._lines.addWidget(card)
            if card in away:
                card.show()
        return True

    def clear(self) -> None:
        """Show no card."""
        self._spare, self.cards = self.cards + self._spare, []
        self._put_away(self._spare)

    def _put_away(self, cards: Sequence[StepCard]) -> None:
        for card in cards:
            card.let_go_of_fields()
            self._lines.removeWidget(card)
            card.hide()


def _allot(left: list[StepCard], steps: Sequence[Step]) -> dict[int, StepCard]:
    """Take, by the steps' places, the cards that show them, else of their kind, from those left."""
    dealt: dict[int, StepCard] = {}
    for same in (True, False):
        for place, step in enumerate(steps):
            card = next((each for each in left if each.kind is type(step)
                         and (not same or each.step == step)), None)  # fmt: skip
            if place not in dealt and card is not None:
                left.remove(card)
                dealt[place] = card
                if not same:
                    card.let_go_of_fields()
    return dealt
