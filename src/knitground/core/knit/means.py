"""Slots that look alike, and what each value costs at each of them once tiles have labels."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from knitground.core.knit.codes import Ints
from knitground.core.knit.faces import Floats

_OWN_LEAST = 1e-9
_FEW, _ALWAYS, _FLOOR = 6.0, 0.025, 1e-4
"""How many slots' worth the mean variance counts; what part of the variance of all is always
there; and the least."""
_SELF = 0.9
"""How much of a mean a slot may be itself."""
_NEVER = 1e3


class AlikeSlots:
    """Some slots that look alike, in numbers: laid out by slot and squared once, for many rounds.

    Parameters
    ----------
    x : (n, slots, features)
    over : (features,) what features count, 1 in sum
    own : part that a slot's own mean has beside the mean of its value at all the slots
    total : (features,) what features vary among all; None to find it in `x`
    """

    def __init__(self, x: Floats, over: Floats, own: float, total: Floats | None = None) -> None:
        self.over, self.own = over, own
        self.total = x.reshape(-1, x.shape[-1]).var(axis=0) if total is None else total
        self.x = np.ascontiguousarray(x.transpose(1, 0, 2), np.float64)
        self.squares = self.x**2
        self.squares_of_all = self.squares.sum(axis=(0, 1))

    def costs(self, labels: Ints, count: int, weight: Floats) -> tuple[Floats, Floats]:
        """Cost of each value at each slot, (n, slots, count), and variances (features,).

        Means are those of the value at the slot, with a part of its mean at all of them; a tile
        is compared with means that it has no part in itself.

        Parameters
        ----------
        labels : (n, slots)
        weight : (n,)
        """
        on = (labels.T[..., None] == np.arange(count)) * weight[:, None]  # (slots, n, count)
        each = on.sum(axis=1)
        sums = on.transpose(0, 2, 1) @ self.x  # (slots, count, features)
        mean, part, whole = self._means(each, sums)
        var = self._variances(each, sums, mean, weight)
        scaled = self.over / var
        # Σ over (x − μ)² / var, so that no (n, slots, count, features) stands in memory.
        cost = -2 * ((self.x * scaled) @ mean.transpose(0, 2, 1))
        cost += (self.squares @ scaled)[..., None]
        cost += (mean**2 @ scaled)[:, None]
        np.maximum(cost, 0, out=cost)
        share = part / np.maximum(each, _OWN_LEAST)
        share += (1 - part) / np.maximum(whole, _OWN_LEAST)
        cost /= (1 - np.minimum(_SELF, on * share[:, None])) ** 2
        cost[..., whole == 0] = _NEVER
        return cost.transpose(1, 0, 2), var

    def _means(self, each: Floats, sums: Floats) -> tuple[Floats, Floats, Floats]:
        """Give the means, the part of each that is the slot's own, and how many have a value."""
        whole = each.sum(axis=0)
        overall = sums.sum(axis=0) / np.maximum(whole, _OWN_LEAST)[:, None]
        part: NDArray[np.float64] = np.where(each > 0, self.own, 0.0)
        mean = sums / np.maximum(each, _OWN_LEAST)[..., None]
        return part[..., None] * mean + (1 - part[..., None]) * overall, part, whole

    def _variances(self, each: Floats, sums: Floats, mean: Floats, weight: Floats) -> Floats:
        """Give what is left of features within the values, held towards the mean and the whole."""
        sure = float(weight.sum() * len(self.x))
        alike = bool((weight == 1).all())  # as long as no tile is known or strange
        squares = self.squares_of_all if alike else (weight @ self.squares).sum(axis=0)
        left = squares - 2 * (mean * sums).sum(axis=(0, 1))
        left += (each[..., None] * mean**2).sum(axis=(0, 1))
        var = np.maximum(left, 0) / max(sure, _OWN_LEAST)
        held = (sure * var + _FEW * var.mean()) / (sure + _FEW)
        return np.asarray(held + _ALWAYS * self.total + _FLOOR)
