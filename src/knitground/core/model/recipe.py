"""An ordered list of steps that make layers from a seed."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated

from annotated_types import MaxLen

from knitground.core.model.limits import (
    MAX_STEPS,
    Cells,
    Name,
    Number,
    Octaves,
    Part,
    Passes,
    Seed,
    Weight,
)


@dataclass(frozen=True)
class NoiseStep:
    """Noise ground: the whole of a ground layer's terrain, laid by noise.

    Parameters
    ----------
    layer : number of the ground layer that it makes
    scale : cells from one large patch to the next
    octaves : how many halvings of the scale add detail
    shares : asked-for part of each terrain: (terrain's name, weight)
    """

    layer: Number
    scale: Cells = 16.0
    octaves: Octaves = 4
    shares: Annotated[tuple[tuple[Name, Weight], ...], MaxLen(256)] = ()


PLACES = ("inside", "where they meet")


@dataclass(frozen=True)
class MixStep:
    """Mix fill: the cells of a grown layer, drawn from a mix by counted chance.

    Parameters
    ----------
    layer : number of the grown layer that it makes
    mix : the mix's name
    density : part of the cells that get a tile, 0 to 1
    on : number of the ground layer that says where; 0: everywhere
    terrains : names of the terrains on which tiles are laid; none: any terrain at all
    place : “inside”, where all that a cell shows is among them, or “where they meet”, where it
        shows two or more of them and nothing else
    """

    layer: Number
    mix: Name
    density: Part = 0.2
    on: Number = 0
    terrains: Annotated[tuple[Name, ...], MaxLen(64)] = ()
    place: str = "inside"


@dataclass(frozen=True)
class RewriteStep:
    """Rewrite: a grown layer that follows what lies on other layers, by a list of rules.

    Parameters
    ----------
    layer : number of the grown layer that it makes
    rules : name of the rule list
    source : number of the layer that the rules read
    passes : how often the rules are tried at most, each time on what they wrote before
    copies : whether cells that no rule takes show what lies on the source
    """

    layer: Number
    rules: Name
    source: Number
    passes: Passes = 1
    copies: bool = False


Step = NoiseStep | MixStep | RewriteStep


@dataclass(frozen=True)
class Recipe:
    """Steps and the seed that they start from; an edit replaces it as a whole."""

    seed: Seed = 1
    steps: Annotated[tuple[Step, ...], MaxLen(MAX_STEPS)] = ()
