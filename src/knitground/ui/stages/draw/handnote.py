"""What is in hand, as a note below the tabs."""

from __future__ import annotations

from knitground.core.chance.draw import shares
from knitground.core.edit.hand import (
    Hand,
    MarkerInHand,
    MixInHand,
    PatchInHand,
    TerrainInHand,
    TileInHand,
    TintInHand,
)
from knitground.ui.common.words import percent
from knitground.ui.session import Session

_SHARES_TOLD = 8
"""Of the mix in hand; all are on its card."""


def hand_note(hand: Hand | None, session: Session) -> str:
    """Say what is in hand, and what it may lay."""
    if isinstance(hand, MixInHand):
        parts = shares(hand.mix.weights)
        words = ", ".join(map(percent, parts[:_SHARES_TOLD]))
        words += f" and {len(parts) - _SHARES_TOLD} more" if len(parts) > _SHARES_TOLD else ""
        return f"{len(hand.mix.entries)} tiles: {words} · seed {session.options.seed} · R rerolls"
    if isinstance(hand, PatchInHand):
        return "[ ] turn it, M mirrors, Shift+M flips; Box and Fill repeat it"
    if isinstance(hand, TileInHand):
        return "[ ] turn it, M mirrors, Shift+M flips; on a ground or grown layer it becomes a pin"
    if isinstance(hand, TerrainInHand):
        return f"{hand.set_name}: tiles at its borders knit themselves"
    if isinstance(hand, TintInHand):
        return "multiplied over what lies beneath; Pick takes a colour from the layer"
    if isinstance(hand, MarkerInHand):
        return "Paint: a point · Box, Line: an area · Select moves and edits"
    return "take a terrain, a tile or a mix"
