"""A named list of tiles with weights."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated

from annotated_types import MaxLen

from knitground.core.model.limits import Name, Weight
from knitground.core.model.tile import TileRef


@dataclass(frozen=True)
class MixEntry:
    """A tile and its weight, 0 or more."""

    tile: TileRef
    weight: Weight = 1.0


@dataclass(frozen=True)
class Mix:
    """A named list of tiles with weights; an edit replaces it as a whole."""

    name: Name
    entries: Annotated[tuple[MixEntry, ...], MaxLen(65_536)] = ()

    @property
    def weights(self) -> list[float]:
        """The entries' weights, in order."""
        return [entry.weight for entry in self.entries]
