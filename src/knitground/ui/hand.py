"""What is in hand: what the next click lays."""

from __future__ import annotations

from dataclasses import dataclass

from knitground.core.model.mix import Mix
from knitground.core.model.tileset import TileRef


@dataclass(frozen=True)
class TerrainInHand:
    """A terrain of a set: its mark and its name."""

    tileset: str
    set_name: str
    value: int
    name: str

    @property
    def title(self) -> str:
        """How the ribbon and the pointer's label call it."""
        return f"Terrain · {self.name}"


@dataclass(frozen=True)
class TileInHand:
    """One tile."""

    tile: TileRef
    number: int

    @property
    def title(self) -> str:
        """How the ribbon and the pointer's label call it."""
        return f"Tile {self.number} · {self.tile.tileset}"


@dataclass(frozen=True)
class MixInHand:
    """A mix, by its name: it follows when the mix is changed."""

    name: str
    mix: Mix

    @property
    def title(self) -> str:
        """How the ribbon and the pointer's label call it."""
        return f"Mix · {self.name}"


Hand = TerrainInHand | TileInHand | MixInHand
