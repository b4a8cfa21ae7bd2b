"""Laid mixes: fills that a layer remembers, so that they can be laid anew."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, ClassVar

from annotated_types import MaxLen

from knitground.core.model.conditions import Area
from knitground.core.model.limits import Name, Seed
from knitground.core.model.tile import TileRef

MAX_LAID = 64


@dataclass(frozen=True)
class LaidMix:
    """A fill with a mix.

    Parameters
    ----------
    mix : its name; the mix may be another one by now
    area : the cells that were filled
    seed : with which it was laid
    tiles : that were laid; what else lies there by now was laid by hand, and stays
    """

    __pydantic_config__: ClassVar[dict[str, object]] = {"extra": "forbid"}

    mix: Name
    area: Area
    seed: Seed
    tiles: Annotated[tuple[TileRef, ...], MaxLen(4096)] = ()


LaidMixes = Annotated[tuple[LaidMix, ...], MaxLen(MAX_LAID)]
"""Of one layer, the last one laid at the end."""
