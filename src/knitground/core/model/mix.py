"""A named list of tiles with weights."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum
from typing import Annotated

from annotated_types import MaxLen

from knitground.core.model.limits import (
    ApartSteps,
    BorderCells,
    ClumpCells,
    Name,
    OwnClump,
    Part,
    Weight,
    Word,
)
from knitground.core.model.patch import Patch
from knitground.core.model.tile import TileRef


@dataclass(frozen=True)
class MixEntry:
    """A tile and its weight, 0 or more; or a patch, `tile` is then the one that shows for it.

    `size` is that of the tile's own clumps in cells, 0 for as large as those of the mix.
    """

    tile: TileRef
    weight: Weight = 1.0
    patch: Patch | None = None
    size: OwnClump = 0.0


class FallWay(StrEnum):
    """How the tiles of a mix come to lie beside each other."""

    ALONE = "each by itself"
    DEALT = "in exact shares"
    APART = "never side by side"
    CLUMPS = "in clumps"


@dataclass(frozen=True)
class Fall:
    """How a mix falls.

    Parameters
    ----------
    size : cells from one clump to the next
    steps : of tiles that keep apart, how many steps from cell to cell two of the same may not be
    border : over 0, cells by which it keeps off what `of` names; under 0, cells from it within
        which it stays
    of : a layer's name, or a terrain's; "" is where terrains meet on the ground layer beneath
    density : part of the cells that get a tile
    tint : name of a tint layer: where its colour is stronger more cells get a tile; "" is none
    """

    way: FallWay = FallWay.ALONE
    size: ClumpCells = 5.0
    steps: ApartSteps = 1
    border: BorderCells = 0
    of: Word = ""
    density: Part = 1.0
    tint: Word = ""


MOST_SHARE = 0.99
"""Of one entry: the others are to be there still."""


def weight_of_share(weights: Sequence[float], place: int, share: float) -> float | None:
    """Give the weight with which an entry takes a share; the others keep theirs among each other.

    None if there is nothing beside it.

    Examples
    --------
    >>> weight_of_share([1, 1, 2], 0, 0.5)
    3.0
    """
    others = sum(weights) - weights[place]
    part = min(MOST_SHARE, max(0.0, share))
    return round(others * part / (1 - part), 3) if others > 0 else None


@dataclass(frozen=True)
class Mix:
    """A named list of tiles with weights, and how it falls; an edit replaces it as a whole."""

    name: Name
    entries: Annotated[tuple[MixEntry, ...], MaxLen(65_536)] = ()
    fall: Fall = Fall()

    @property
    def has_patches(self) -> bool:
        """Whether any of its entries is a patch."""
        return any(entry.patch is not None for entry in self.entries)

    @property
    def weights(self) -> list[float]:
        """The entries' weights, in order."""
        return [entry.weight for entry in self.entries]
