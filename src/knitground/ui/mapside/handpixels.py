"""Small pictures of what is, or could be, in hand."""

from __future__ import annotations

import numpy as np

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
from knitground.ui.mapside.canvas.markers import kind_colour

_MOST = 8


def hand_pixels(project: Project, hand: Hand | None) -> Pixels | None:
    """Draw what is in hand; None if there is nothing to draw."""
    if isinstance(hand, TileInHand):
        return pixels_of(project, hand.tile)
    if isinstance(hand, MixInHand):
        return mix_pixels(project, hand.mix)
    if isinstance(hand, PatchInHand):
        return patch_pixels(project, hand.patch)
    if isinstance(hand, TerrainInHand):
        return _terrain_pixels(project, hand)
    if isinstance(hand, TintInHand | MarkerInHand):
        colour = hand.colour if isinstance(hand, TintInHand) else kind_colour(hand.kind)
        return np.full((1, 1), 0xFF000000 | int(colour[1:], 16), np.uint32)
    return None


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
