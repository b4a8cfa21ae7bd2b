"""Guessing the marks of a whole sheet: which tiles are examples, which are asked for."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.progress import Progress, no_progress
from knitground.core.base.tongue import say
from knitground.core.knit.guess import guess_all, least_sure
from knitground.core.model.terrain import ANY, NOTHING, SLOTS, UNKNOWN, SetKind, TerrainSet
from knitground.core.model.tileset import At, Tileset
from knitground.core.slicing.grid import cut_tile


@dataclass
class Guessed:
    """What was guessed.

    Tiles, their marks (n, 9), how sure the least sure slot of each is (0 to 1), and those to look
    at, the least sure first.
    """

    places: list[At] = field(default_factory=list)
    marks: NDArray[np.uint8] = field(default_factory=lambda: np.zeros((0, SLOTS), np.uint8))
    sure: NDArray[np.float32] = field(default_factory=lambda: np.zeros(0, np.float32))
    line: list[tuple[At, float]] = field(default_factory=list)


def guess_sheet(
    tileset: Tileset, kit: TerrainSet, guest: str | None, progress: Progress = no_progress
) -> Guessed | str:
    """Guess the marks of all tiles of a sheet that have none; or say what is missing for that.

    Tiles that carry a mark in every slot of the kind are the examples; of edge and ring sets any
    mark makes a tile one.
    """
    if tileset.picture is None:
        return say("the sheet of “{name}” is missing: find it first", name=tileset.name)
    marks = kit.marks_within(tileset.rows, tileset.columns, guest)
    slots = list(kit.kind.slots)
    places, pictures, rows = [], [], []
    others = [each for each in tileset.sets if each is not kit]
    taken = np.zeros((tileset.rows, tileset.columns), np.bool_)
    for each in others:
        taken |= each.marks_within(tileset.rows, tileset.columns).any(axis=2)
    for row_, col in np.ndindex(tileset.rows, tileset.columns):
        if (row_, col) in tileset.left_out:
            continue
        picture = cut_tile(tileset.picture, tileset.slicing, row_, col)
        if not picture[..., 3].any():
            continue
        own = marks[row_, col].copy()
        if not own.any() and taken[row_, col]:
            continue  # a tile of another set
        known = (own[slots] != NOTHING).all() if kit.kind is SetKind.CORNER else own[slots].any()
        if not known:
            open_ = [slot for slot in slots if own[slot] == NOTHING]
            own[open_] = UNKNOWN
        places.append((row_, col))
        pictures.append(picture)
        rows.append(own)
    if not rows:
        return say("the sheet has no tile with a picture")
    if len({picture.shape for picture in pictures}) > 1:
        return say("loose pieces of different sizes can not be guessed: mark them by hand")
    given = np.stack(rows)
    asked = np.asarray((given[:, slots] == UNKNOWN).any(axis=1), np.bool_)
    if asked.all():
        return say("mark one plain tile of each terrain first, then guess the others")
    if not asked.any():
        return say("every tile is marked already")
    found, sure = guess_all(np.stack(pictures), kit.kind, given, progress)
    asked = np.asarray(asked & found[:, slots].any(axis=1))
    line = [
        (places[n], float(sure[n, slots].min())) for n in least_sure(sure[:, slots], asked).tolist()
    ]
    chosen = np.flatnonzero(asked).tolist()
    if not chosen:
        return say("no other tile looks like those that are marked")
    least = sure[chosen][:, slots].min(axis=1)
    return Guessed([places[n] for n in chosen], found[chosen], least, line)


def block_terrains(marks: NDArray[np.uint8]) -> list[int]:
    """List the terrains of a block's marks, the most frequent first."""
    numbers, counts = np.unique(marks, return_counts=True)
    found = [(-int(c), int(n)) for n, c in zip(numbers, counts) if n not in (NOTHING, ANY)]
    return [number for _, number in sorted(found)]
