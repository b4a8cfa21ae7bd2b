"""What all steps of a recipe have, and where they work: conditions, and areas of cells."""

from __future__ import annotations

import base64
import zlib
from dataclasses import dataclass
from enum import StrEnum
from functools import lru_cache
from typing import Annotated, ClassVar

import numpy as np
from annotated_types import Ge, Le, MaxLen
from numpy.typing import NDArray

from knitground.core.base.errors import FormatError
from knitground.core.base.tongue import later, say
from knitground.core.model.limits import (
    Name,
    Number,
    Side,
    Word,
)

Names = Annotated[tuple[Name, ...], MaxLen(64)]


Distance = Annotated[float, Ge(0), Le(256)]


FORBID_MORE: dict[str, object] = {"extra": "forbid"}


@dataclass(frozen=True)
class Area:
    """Cells that were chosen once: a box, and which of its cells, packed (zlib, then base64)."""

    __pydantic_config__: ClassVar[dict[str, object]] = FORBID_MORE

    top: Side
    left: Side
    height: Side
    width: Side
    bits: Annotated[str, MaxLen(8_000_000)]

    @classmethod
    def of(cls, top: int, left: int, mask: NDArray[np.bool_]) -> Area:
        """Pack a mask."""
        raw = zlib.compress(np.packbits(mask).tobytes(), 9)
        height, width = mask.shape
        return cls(top, left, height, width, base64.b64encode(raw).decode())

    @property
    def count(self) -> int:
        """How many cells it has."""
        return _counted(self)

    def mask(self, height: int, width: int) -> NDArray[np.bool_]:
        """Unpack it for a map of a size; what lies outside is cut off."""
        out = np.zeros((height, width), np.bool_)
        part = _unpacked(self)[: max(0, height - self.top), : max(0, width - self.left)]
        out[self.top : self.top + part.shape[0], self.left : self.left + part.shape[1]] = part
        return out


@lru_cache(maxsize=64)
def _unpacked(area: Area) -> NDArray[np.bool_]:
    count = area.height * area.width
    try:
        unpacker = zlib.decompressobj()
        raw = unpacker.decompress(base64.b64decode(area.bits, validate=True), count // 8 + 8)
    except (ValueError, zlib.error) as error:
        raise FormatError(
            say("an area of a recipe can not be unpacked ({error})", error=error)
        ) from error
    bits = np.unpackbits(np.frombuffer(raw, np.uint8))
    if bits.size < count:
        raise FormatError(
            say(
                "an area of a recipe has {size} cells, {count} are needed",
                size=bits.size,
                count=count,
            )
        )
    return bits[:count].astype(np.bool_).reshape(area.height, area.width)


@lru_cache(maxsize=256)
def _counted(area: Area) -> int:
    return int(_unpacked(area).sum())


class Look(StrEnum):
    """What a condition looks at."""

    TERRAIN = later("on terrain")
    MEETS = later("where terrains meet")
    NEAR = later("so far from terrain")
    TILES = later("where tiles lie")
    NEAR_TILES = later("so far from tiles")
    TAG = later("on tiles with a tag")
    AREA = later("in an area")
    TINT = later("as dense as a tint")
    EDGE = later("so far from the map's border")


@dataclass(frozen=True, kw_only=True)
class Condition:
    """Where a step works; of several all must hold.

    Parameters
    ----------
    layer : number of the layer that is looked at; its cells as earlier steps have made them
    names : of terrains or tags; none is any
    low, high : bounds of a distance in cells, both included
    area : cells chosen by hand
    negated : where it does not hold
    """

    __pydantic_config__: ClassVar[dict[str, object]] = FORBID_MORE

    look: Look
    layer: Number = 0
    names: Names = ()
    low: Distance = 0.0
    high: Distance = 3.0
    area: Area | None = None
    negated: bool = False


Conditions = Annotated[tuple[Condition, ...], MaxLen(16)]


@dataclass(frozen=True, kw_only=True)
class AnyStep:
    """What all steps have.

    Parameters
    ----------
    name : in one's own words; "" shows the kind's
    active : whether it runs
    salt : put to the recipe's seed, so that each step draws numbers of its own; None is its place
    where : conditions, all of which must hold
    """

    name: Word = ""
    active: bool = True
    salt: Number | None = None
    where: Conditions = ()
