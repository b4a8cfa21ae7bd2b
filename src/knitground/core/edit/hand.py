"""What is in hand: what the next click lays."""

from __future__ import annotations

from dataclasses import dataclass

from knitground.core.base.tongue import say
from knitground.core.model.lattice import Lattice
from knitground.core.model.mix import Mix
from knitground.core.model.patch import Patch, turn_tile
from knitground.core.model.tile import TileRef

TURN_WORDS = (
    "",
    "90°",
    "180°",
    "270°",
    "mirrored",
    say("mirrored 90°"),
    "flipped",
    say("mirrored 270°"),
)


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
        return say("Terrain · {name}", name=self.name)


@dataclass(frozen=True)
class TileInHand:
    """One tile."""

    tile: TileRef
    number: int

    @property
    def title(self) -> str:
        """How the ribbon and the pointer's label call it."""
        turn = f" {TURN_WORDS[self.tile.turn]}" if self.tile.turn else ""
        return say(
            "Tile {number} · {tileset}{turn}",
            number=self.number,
            tileset=self.tile.tileset,
            turn=turn,
        )

    @property
    def tiles(self) -> tuple[TileRef, ...]:
        """The tiles that it may lay."""
        return (self.tile,)


@dataclass(frozen=True)
class MixInHand:
    """A mix, by its name: it follows when the mix is changed."""

    name: str
    mix: Mix

    @property
    def title(self) -> str:
        """How the ribbon and the pointer's label call it."""
        return say("Mix · {name}", name=self.name)

    @property
    def tiles(self) -> tuple[TileRef, ...]:
        """The tiles that it may lay, those of its patches apart."""
        return tuple(each.tile for each in self.mix.entries)


@dataclass(frozen=True)
class PatchInHand:
    """A block of tiles."""

    patch: Patch

    @property
    def title(self) -> str:
        """How the ribbon and the pointer's label call it."""
        return say(
            "Patch {width} × {height} · {name}",
            width=self.patch.width,
            height=self.patch.height,
            name=self.patch.name,
        )

    @property
    def tiles(self) -> tuple[TileRef, ...]:
        """The tiles that it lays, each once."""
        return tuple(dict.fromkeys(tile for row in self.patch.rows for tile in row if tile))


@dataclass(frozen=True)
class TintInHand:
    """A colour for tint layers: #rrggbb, and its strength from 1 to 127."""

    colour: str
    strength: int

    @property
    def title(self) -> str:
        """How the ribbon and the pointer's label call it."""
        return say(
            "Colour {colour} · {number} %", colour=self.colour, number=round(self.strength / 1.27)
        )


@dataclass(frozen=True)
class MarkerInHand:
    """A kind of marker."""

    kind: str

    @property
    def title(self) -> str:
        """How the ribbon and the pointer's label call it."""
        return say("Marker · {kind}", kind=self.kind or say("no kind"))


TilesInHand = TileInHand | MixInHand | PatchInHand
Hand = TerrainInHand | TileInHand | MixInHand | PatchInHand | TintInHand | MarkerInHand


def turned_hand(hand: Hand | None, by: int, lattice: Lattice | None = None) -> Hand | None:
    """Turn or mirror a tile or a patch in hand, as what lies on a lattice is turned.

    None if what is in hand can not be turned so.
    """
    cells_by, tiles_by = lattice.turn(by) if lattice is not None else (by, by)
    if isinstance(hand, TileInHand) and tiles_by:
        return TileInHand(turn_tile(hand.tile, tiles_by), hand.number)
    if isinstance(hand, PatchInHand):
        return PatchInHand(hand.patch.turned(cells_by, tiles_by))
    return None
