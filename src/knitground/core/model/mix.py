"""A named list of tiles with weights."""

from __future__ import annotations

from dataclasses import dataclass

from knitground.core.model.tileset import TileRef


@dataclass(frozen=True)
class MixEntry:
    """A tile and its weight, 0 or more."""

    tile: TileRef
    weight: float = 1.0


@dataclass(frozen=True)
class Mix:
    """A named list of tiles with weights; an edit replaces it as a whole."""

    name: str
    entries: tuple[MixEntry, ...] = ()

    @property
    def weights(self) -> list[float]:
        """The entries' weights, in order."""
        return [entry.weight for entry in self.entries]
