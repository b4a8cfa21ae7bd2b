"""An ordered list of steps that make layers from a seed."""

from __future__ import annotations

from dataclasses import dataclass


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

    layer: int
    scale: float = 16.0
    octaves: int = 4
    shares: tuple[tuple[str, float], ...] = ()


@dataclass(frozen=True)
class Recipe:
    """Steps and the seed that they start from; an edit replaces it as a whole."""

    seed: int = 1
    steps: tuple[NoiseStep, ...] = ()
