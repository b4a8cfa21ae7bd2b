"""Tiles that claim to be the same as others and look like none of them."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from knitground.core.knit.layer import set_table
from knitground.core.knit.missing import key_words
from knitground.core.model.tile import TileRef
from knitground.core.proof.finding import Check, Finding, Group
from knitground.core.proof.proving import Proving
from knitground.core.slicing.grid import cut_tile

_FAR, _TIMES = 48.0, 3.0
"""A stranger's mean colour is so many levels off the others', and so many times as far as they."""


def _find(at: Proving) -> Iterator[Finding]:
    for owner in at.project.tilesets:
        for kit in owner.sets:
            table, small = set_table(at.project, owner, kit)
            for key, variants in table.variants.items():
                if len(variants) < 3 or len(set(key)) > 1:
                    continue  # only plain ones should all look alike
                tiles = [small.legend.tile(place) for place, weight in variants if weight > 0]
                colours = [_mean(at, tile) for tile in tiles if tile is not None]
                if len(colours) < 3 or any(each is None for each in colours):
                    continue
                means = np.array(colours)
                for n, tile in enumerate(tiles):
                    others = np.delete(means, n, 0)
                    middle = np.median(others, axis=0)
                    spread = float(np.abs(others - middle).max())
                    off = float(np.abs(means[n] - middle).max())
                    if tile is not None and off > _FAR and off > _TIMES * max(spread, 8.0):
                        yield Finding(
                            "strangers",
                            f"{at.title(tile)} is one of {len(tiles)} tiles for "
                            f"{key_words(kit, key)} and looks like none of the others",
                            f"{tile.tileset} {tile.row},{tile.col} {kit.name}", tile=tile, hurt=0.6,
                        )  # fmt: skip


def _mean(at: Proving, tile: TileRef) -> np.ndarray | None:
    owner = at.owner(tile)
    if owner is None or owner.picture is None:
        return None
    pixels = cut_tile(owner.picture, owner.slicing, tile.row, tile.col).astype(np.float32)
    part = pixels[..., 3:] / 255
    weight = float(part.sum())
    return (pixels[..., :3] * part).sum(axis=(0, 1)) / weight if weight else None


CHECK = Check(
    "strangers", Group.SENSE, "Strangers among variants",
    "Tiles with the same marks as others, by accident: mixed among them they spoil the ground",
    _find, stage="terrains", of_map=False, of_cells=False,
)  # fmt: skip
