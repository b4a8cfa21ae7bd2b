"""Labels for tiles by how their sides and corners look: the most consistent ones that can be found.

Each tile gets a code: a value at each of its slots. A slot costs what it differs from the mean of
the slots that have the same value, a border what its line differs from those of the same state; the
means follow from the codes, and the codes from the means, until nothing changes. Several starts and
kicks are tried, and the labels of the least energy are kept. Tiles that fit nowhere are left out of
the means. (Own derivation, after k-means with pooled variances; leave-one-out distances.)
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.progress import Progress, no_progress
from knitground.core.knit.codes import Codes, Ints
from knitground.core.knit.faces import Described, Floats, part_of
from knitground.core.knit.heaps import heaps, main_axis, two_heaps
from knitground.core.knit.means import AlikeSlots
from knitground.core.model.terrain import SetKind, Slot

Mask = NDArray[np.bool_]
_ROUNDS, _QUICK_ROUNDS, _KICK_ROUNDS, _KICKS, _FEW_KICKS = 12, 5, 6, 10, 3
_IN_VAIN = 4
"""After so many kicks that find nothing better no more are tried, where groups are compared."""
_OWN, _EXAMPLE = 0.7, 3.0
_SLOT, _SLOT_CAP = 3.0, 8.0
_LINE, _LINE_CAP = 1.5, 4.0
_STRANGE, _STRANGE_LEAST, _MOST_STRANGE = 3.0, 1.5, 0.6
_HALF_SURE = 1.5
_MOST_AT_ONCE = 512
SLOT_ORDERS = {
    SetKind.CORNER: (Slot.NW, Slot.NE, Slot.SE, Slot.SW),
    SetKind.EDGE: (Slot.N, Slot.E, Slot.S, Slot.W),
    SetKind.RING: (Slot.N, Slot.E, Slot.S, Slot.W, Slot.NW, Slot.NE, Slot.SE, Slot.SW),
}
"""Slots in the order of codes."""


@dataclass(eq=False)
class Labels:
    """Codes of tiles and how sure they are.

    Parameters
    ----------
    code : (n,) places in the codes
    sure : (n, slots) 0 to 1; (n, 0) where starts were given
    cost : (n,) what a tile's code costs a unit, 1 for as much as tiles differ anyway
    energy : of all
    """

    code: Ints
    sure: Floats
    cost: Floats
    energy: float


@dataclass(eq=False)
class _End:
    """Where a start ended: codes, what all codes cost (n, k), the tiles' own cost, the energy."""

    code: Ints
    table: Floats
    cost: Floats
    energy: float


class Labeller:
    """One problem: described tiles, codes, which of them each tile may have, which are examples.

    Parameters
    ----------
    allowed : (n, k)
    known : (n, slots) the value of a slot that is given, −1 where none is
    """

    def __init__(
        self, told: Described, codes: Codes, allowed: Mask, known: Ints, seed: int = 1
    ) -> None:
        self.told, self.codes, self.allowed, self.known = told, codes, allowed, known
        self.count = len(allowed)
        self.whole = (known >= 0).all(axis=1)
        self.weight = np.where(self.whole, _EXAMPLE, 1.0)
        self.rng = np.random.default_rng(seed)
        self.groups = []
        first = 0
        for slots, part, weights in zip(told.slots, told.parts, told.weights):
            where = slice(first, first + len(slots))
            self.groups.append((where, part, AlikeSlots(part, weights, _OWN)))
            first += len(slots)
        features = told.lines.shape[-1]
        total = told.lines.reshape(-1, features).var(axis=0)
        even = np.full(features, 1 / features)
        self.borders = [(pair, AlikeSlots(told.lines[:, pair], even, 0.0, total))
                        for pair in ([0, 2], [1, 3])]  # fmt: skip
        self.states = int(codes.states.max()) + 1
        self.has_value = _having(codes.values, codes.count)
        self.has_state = _having(codes.states, self.states)

    def solve(
        self,
        progress: Progress = no_progress,
        starts: Sequence[Floats] | None = None,
        *,
        quick: bool = False,
    ) -> Labels:
        """Find the labels of the least energy; of very many tiles by a part of them.

        Parameters
        ----------
        starts : (n, k) each, what codes cost at first; without them it begins with the examples
        quick : a few rounds from each start will do
        """
        if self.count > _MOST_AT_ONCE and starts is None:
            return self._by_a_part(progress)
        first = self._starts() if starts is None else starts
        rounds = _QUICK_ROUNDS if quick else _ROUNDS
        ends = [self._settled(self._cheapest(cost), rounds) for cost in first]
        best = min(ends, key=lambda each: each.energy)
        few = self.allowed.size > 4000 * 4
        kicks = 0 if quick else _FEW_KICKS if few else _KICKS
        in_vain = 0
        for number in range(kicks):
            progress((number + 1) / (kicks + 1))
            found = self._settled(self._kicked(best.code), _KICK_ROUNDS)
            ends.append(found)
            in_vain += 1
            if found.energy < best.energy:
                best, in_vain = found, 0
            if starts is not None and in_vain == _IN_VAIN:
                break
        if starts is not None:  # groups are compared: how sure each slot is, is not asked
            return Labels(best.code, np.zeros((self.count, 0)), best.cost, best.energy)
        return self._agreed(best, ends)

    def free_starts(self) -> list[Floats]:
        """Give what codes cost if nothing is known: two heaps of slots, and of borders.

        Of ring sets sides only are looked at, and either heap may be the like neighbour.
        """
        ring = len(self.groups) > 1
        where, part, alike = self.groups[0]
        size = part.shape[1]
        slots = np.zeros((self.count, self.codes.values.shape[1], self.codes.count))
        scaled = (part / np.sqrt(alike.total + 1e-4)) * np.sqrt(alike.over)
        if self.codes.count > 2 and not ring:
            slots[:, where] = heaps(scaled.reshape(-1, part.shape[-1]), self.codes.count).reshape(
                self.count, size, self.codes.count
            )
            return [self._codes_cost(slots, None)]
        parted = two_heaps(scaled.reshape(-1, part.shape[-1])).reshape(self.count, size, 2)
        slots[:, where] = parted
        swapped = slots.copy()
        swapped[:, where] = parted[..., ::-1]
        each = slots.copy()
        for slot in range(size):  # each side by itself, named as all of them are
            own = two_heaps(scaled[:, slot])
            turned = (own.argmin(axis=1) == parted[:, slot].argmin(axis=1)).mean() < 0.5
            each[:, where.start + slot] = own[:, ::-1] if turned else own
        found = [slots, each, swapped] if ring else [slots, each]
        if ring:
            for cost in found:
                self._corners_by(cost)
        return [self._codes_cost(cost, None) for cost in found]

    def _corners_by(self, cost: Floats) -> None:
        """Put into a ring set's costs what its corners cost where both their sides are like.

        They are parted in two there; the heap that lies nearer to corners without a like side
        shows another neighbour.
        """
        where, part, alike = self.groups[1]
        scaled = (part / np.sqrt(alike.total + 1e-4)) * np.sqrt(alike.over)
        like = cost[:, :4].argmin(axis=2) == 1
        one, other = like[:, [0, 0, 2, 2]], like[:, [3, 1, 1, 3]]
        both, neither = one & other, ~one & ~other
        if both.sum() < 2 or not neither.any():
            return
        apart = two_heaps(scaled[both])
        shown = scaled[neither].mean(axis=0)
        heap = apart.argmin(axis=1)
        if heap.all() or not heap.any():
            return
        far = [((scaled[both][heap == n].mean(axis=0) - shown) ** 2).sum() for n in (0, 1)]
        if far[1] < far[0]:
            apart = apart[:, ::-1]
        corners = cost[:, where]
        corners[both] = apart
        cost[:, where] = corners

    def _by_a_part(self, progress: Progress) -> Labels:
        """Label some of the tiles, then all others by what those look like."""
        step = -(-self.count // _MOST_AT_ONCE)
        chosen = np.zeros(self.count, np.bool_)
        chosen[::step] = True
        chosen |= (self.known >= 0).any(axis=1)
        at = np.flatnonzero(chosen)
        if at.size > 2 * _MOST_AT_ONCE:  # nearly all is given: any part of it will do
            at = at[:: -(-at.size // _MOST_AT_ONCE)]
            chosen[:] = False
            chosen[at] = True
        told = part_of(self.told, at)
        some = Labeller(told, self.codes, self.allowed[at], self.known[at]).solve(progress)
        code = np.zeros(self.count, np.int64)
        code[at] = some.code
        table, _ = self._cost(code, ~chosen)
        code = self._cheapest(table)
        mine = table[np.arange(self.count), code] / self._units()
        labels = self._agreed(_End(code, table, mine, 0.0), [_End(code, table, mine, 0.0)])
        labels.sure[at] = np.minimum(labels.sure[at], some.sure)
        return labels

    # Starts

    def _starts(self) -> list[Floats]:
        """Give what codes cost by the examples alone, seen in three ways: (n, k) each."""
        by_slot = [np.zeros((self.count, self.codes.values.shape[1], self.codes.count))
                   for _ in range(2)]  # fmt: skip
        for where, part, alike in self.groups:
            weights = alike.over
            for place, slot in enumerate(range(where.start, where.stop)):
                x = part[:, place]
                own = x.var(axis=0)
                scale = 0.5 * own + 0.5 * float((weights * own).sum()) + 1e-4
                by_slot[0][:, slot] = self._from_examples(x, weights / scale, self.known[:, slot])
                centred = (x - x.mean(axis=0)) * np.sqrt(weights)
                line = (centred @ main_axis(centred))[:, None]
                spread = np.array([1 / (float(line.var()) + 1e-4)])
                by_slot[1][:, slot] = self._from_examples(line, spread, self.known[:, slot])
        return [self._codes_cost(by_slot[0], None), self._codes_cost(None, self._first_lines()),
                self._codes_cost(by_slot[1], None)]  # fmt: skip

    def _from_examples(self, x: Floats, over: Floats, known: Ints) -> Floats:
        """Cost of each value at one slot: the distance to its examples, (n, values).

        A value without one costs the median of what the others cost.
        """
        out = np.full((self.count, self.codes.count), np.nan)
        for value in range(self.codes.count):
            mine = known == value
            if mine.any():
                out[:, value] = (((x - x[mine].mean(axis=0)) ** 2) * over).sum(axis=1)
        return _filled(out)

    def _first_lines(self) -> Floats:
        lines = self.told.lines
        out = np.full((self.count, 4, self.states), np.nan)
        whole = np.flatnonzero(self.whole)
        mine = [int(np.flatnonzero(self.allowed[n])[0]) for n in whole]
        for side in range(4):
            x = lines[:, side]
            own = x.var(axis=0)
            over = 1 / (0.5 * own + 0.5 * own.mean() + 1e-4) / x.shape[1]
            state = self.codes.states[mine, side] if mine else np.zeros(0, np.int64)
            for each in set(state.tolist()):
                mean = x[whole[state == each]].mean(axis=0)
                out[:, side, each] = (((x - mean) ** 2) * over).sum(axis=1)
            out[:, side] = _filled(out[:, side])
        return out

    # Rounds

    def _codes_cost(self, slots: Floats | None, lines: Floats | None) -> Floats:
        out = np.zeros(self.allowed.shape)
        if slots is not None:
            out += slots.reshape(self.count, -1) @ self.has_value
        if lines is not None:
            out += lines.reshape(self.count, -1) @ self.has_state
        return np.where(self.allowed, out, np.inf)

    def _cheapest(self, cost: Floats) -> Ints:
        return np.asarray(cost.argmin(axis=1), np.int64)

    def _kicked(self, code: Ints) -> Ints:
        """Change a part of the labels by chance."""
        out = code.copy()
        free = np.flatnonzero(~self.whole)
        if free.size:
            part = self.rng.uniform(0.15, 0.3)
            for n in self.rng.choice(free, max(1, int(part * free.size)), replace=False):
                out[n] = self.rng.choice(np.flatnonzero(self.allowed[n]))
        return out

    def _settled(self, code: Ints, rounds: int) -> _End:
        """Go on from labels to means and back until nothing changes."""
        strange = np.zeros(self.count, np.bool_)
        cost, spread = self._cost(code, strange)
        for number in range(rounds):
            new = self._cheapest(cost)
            if number >= 1:
                strange = self._strange(cost, new)
            if number and (new == code).all():
                break
            code = new
            cost, spread = self._cost(code, strange)
        units = self._units()
        mine = cost[np.arange(self.count), code]
        energy = float(np.minimum(mine, _STRANGE * units).sum() + self.count * spread)
        return _End(code, cost, mine / units, energy)

    def _units(self) -> float:
        return float(_SLOT * self.codes.values.shape[1] + _LINE * 4)

    def _strange(self, cost: Floats, code: Ints) -> Mask:
        """Tell which tiles fit nowhere; at least two in five stay."""
        mine = cost[np.arange(self.count), code] / self._units()
        bound = max(_STRANGE * float(np.median(mine)), _STRANGE_LEAST)
        out = (mine > bound) & ~self.whole
        most = int(_MOST_STRANGE * self.count)
        if out.sum() > most:
            out &= mine >= np.sort(mine)[self.count - most]
        return out

    def _cost(self, code: Ints, strange: Mask) -> tuple[Floats, float]:
        """Cost of all codes with the means that labels give, and the weighted log variance."""
        weight = np.where(strange, 0.0, self.weight)
        values = self.codes.values[code]
        slots = np.zeros((self.count, values.shape[1], self.codes.count))
        spread = 0.0
        for where, part, alike in self.groups:
            found, var = alike.costs(values[:, where], self.codes.count, weight)
            slots[:, where] = _SLOT * np.minimum(_SLOT_CAP, found)
            spread += _SLOT * part.shape[1] * float((alike.over * np.log(var)).sum())
        states = self.codes.states[code]
        lines = np.zeros((self.count, 4, self.states))
        for pair, alike in self.borders:
            found, var = alike.costs(states[:, pair], self.states, weight)
            lines[:, pair] = _LINE * np.minimum(_LINE_CAP, found)
            spread += _LINE * 2 * float(np.log(var).mean())
        return self._codes_cost(slots, lines), spread

    # How sure

    def _agreed(self, best: _End, ends: list[_End]) -> Labels:
        """Say how sure each slot is: by how much the next code costs, and how starts agree."""
        values = self.codes.values
        table = best.table
        mine = table[np.arange(self.count), best.code]
        sure = np.zeros((self.count, values.shape[1]))
        for slot in range(values.shape[1]):
            for value in range(self.codes.count):
                rows = np.flatnonzero(values[best.code, slot] == value)
                others = np.flatnonzero(values[:, slot] != value)
                if rows.size and others.size:
                    sure[rows, slot] = table[np.ix_(rows, others)].min(axis=1) - mine[rows]
        with np.errstate(invalid="ignore"):
            sure = np.where(np.isfinite(sure), np.maximum(sure, 0), 1e9)
        sure = sure / (sure + _HALF_SURE)
        parts = np.array([np.exp(-(each.energy - best.energy) / 10) for each in ends])
        same = np.stack([values[each.code] == values[best.code] for each in ends])
        sure *= (same * parts[:, None, None]).sum(axis=0) / parts.sum()
        return Labels(best.code, sure, best.cost, best.energy)


def _having(numbers: Ints, count: int) -> Floats:
    """Tell which number each of k codes has at each place: 0 and 1, (places · count, k)."""
    on = numbers.T[:, None] == np.arange(count)[:, None]
    return np.asarray(on.reshape(-1, len(numbers)), np.float64)


def _filled(cost: Floats) -> Floats:
    """Put the median of what known values cost where a value has no example."""
    known = ~np.isnan(cost).all(axis=0)
    if not known.any():
        return np.zeros_like(cost)
    least = np.nanmin(cost[:, known], axis=1)
    out = cost.copy()
    out[:, ~known] = float(np.median(least))
    return out
