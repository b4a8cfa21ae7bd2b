"""What can be in hand, as it is shown: small pictures, and a note. One line a kind."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np

from knitground.core.base.tongue import say
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
from knitground.core.edit.terrains import plain_tile
from knitground.core.model.mix import Mix
from knitground.core.model.patch import Patch
from knitground.core.model.project import Project
from knitground.core.model.tile import TileRef
from knitground.core.render.pixels import Pixels
from knitground.core.render.tiles import tile_pixels
from knitground.ui.common.words import percent
from knitground.ui.mapside.canvas.markers import kind_colour
from knitground.ui.session import Session

_MOST = 8
_SHARES_TOLD = 8
"""Of the mix in hand; all are on its card."""


def pixels_of(project: Project, tile: TileRef) -> Pixels | None:
    """Draw one tile, whatever its size."""
    owner = project.tileset_named(tile.tileset)
    return tile_pixels(owner, tile) if owner else None


def _terrain_pixels(project: Project, hand: TerrainInHand) -> Pixels | None:
    found = project.set_of(hand.tileset, hand.set_name)
    tile = plain_tile(*found, hand.value) if found else None
    return pixels_of(project, tile) if tile else None


def patch_pixels(project: Project, patch: Patch) -> Pixels | None:
    """Lay the first tiles of a patch out as they will lie, on a square."""
    rows = [row[:_MOST] for row in patch.rows[:_MOST]]
    known = [p for row in rows for t in row if t and (p := pixels_of(project, t)) is not None]
    if not known:
        return None
    high, wide = known[0].shape
    out = np.zeros((len(rows) * high, len(rows[0]) * wide), np.uint32)
    for r, line in enumerate(rows):
        for c, tile in enumerate(line):
            pixels = pixels_of(project, tile) if tile else None
            if pixels is not None and pixels.shape == (high, wide):
                out[r * high : (r + 1) * high, c * wide : (c + 1) * wide] = pixels
    side = max(out.shape)
    square = np.zeros((side, side), np.uint32)
    square[: out.shape[0], : out.shape[1]] = out
    return square


def mix_pixels(project: Project, mix: Mix) -> Pixels | None:
    """Lay the first four tiles of a mix out two by two."""
    tiles = [pixels_of(project, entry.tile) for entry in mix.entries[:4]]
    known = [each for each in tiles if each is not None]
    if not known or len({each.shape for each in known}) > 1:
        return known[0] if known else None
    known = (known * 4)[:4]
    return np.concatenate([np.concatenate(known[:2], axis=1), np.concatenate(known[2:], axis=1)])


@dataclass(frozen=True)
class HandKind:
    """How a kind of thing in hand is shown.

    Parameters
    ----------
    pixels : draws it; None if there is nothing to draw
    note : says what it may lay, and what can be done with it
    """

    pixels: Callable[[Project, Any], Pixels | None]
    note: Callable[[Any, Session], str]


def _one_colour(colour: str) -> Pixels:
    return np.full((1, 1), 0xFF000000 | int(colour[1:], 16), np.uint32)


def _mix_note(hand: MixInHand, session: Session) -> str:
    parts = shares(hand.mix.weights)
    words = ", ".join(map(percent, parts[:_SHARES_TOLD]))
    words += (
        say(" and {count} more", count=len(parts) - _SHARES_TOLD)
        if len(parts) > _SHARES_TOLD
        else ""
    )
    return say(
        "{count} tiles: {words} · seed {seed} · R rerolls",
        count=len(hand.mix.entries),
        words=words,
        seed=session.options.seed,
    )


HAND_KINDS: dict[type, HandKind] = {
    TileInHand: HandKind(
        lambda project, hand: pixels_of(project, hand.tile),
        lambda *_: say(
            "[ ] turn it, M mirrors, Shift+M flips; on a ground or grown layer it becomes a pin"
        ),
    ),
    MixInHand: HandKind(lambda project, hand: mix_pixels(project, hand.mix), _mix_note),
    PatchInHand: HandKind(
        lambda project, hand: patch_pixels(project, hand.patch),
        lambda *_: say("[ ] turn it, M mirrors, Shift+M flips; Box and Fill repeat it"),
    ),
    TerrainInHand: HandKind(
        _terrain_pixels,
        lambda hand, _: say(
            "{set_name}: tiles at its borders knit themselves", set_name=hand.set_name
        ),
    ),
    TintInHand: HandKind(
        lambda _, hand: _one_colour(hand.colour),
        lambda *_: say("multiplied over what lies beneath; Pick takes a colour from the layer"),
    ),
    MarkerInHand: HandKind(
        lambda _, hand: _one_colour(kind_colour(hand.kind)),
        lambda *_: say("Paint: a point · Box, Line: an area · Select moves and edits"),
    ),
}


def hand_pixels(project: Project, hand: Hand | None) -> Pixels | None:
    """Draw what is in hand; None if there is nothing to draw."""
    return None if hand is None else HAND_KINDS[type(hand)].pixels(project, hand)


def hand_note(hand: Hand | None, session: Session) -> str:
    """Say what is in hand, and what it may lay."""
    if hand is None:
        return say("take a terrain, a tile or a mix")
    return HAND_KINDS[type(hand)].note(hand, session)
