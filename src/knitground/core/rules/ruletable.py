"""A rule list compiled: asks, needs and results as arrays, and its quick way for plain lists."""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cached_property, lru_cache

import numpy as np
from numpy.typing import NDArray

from knitground.core.chance.draw import VARIANT_SLOTS
from knitground.core.model.mix import Fall
from knitground.core.model.rules import (
    NeighbourRule,
)
from knitground.core.model.terrain import SetKind
from knitground.core.rules.places import (
    MIDDLE,
    Place,
    base_places,
)

Fits = NDArray[np.bool_]


@dataclass(frozen=True)
class Need:
    """What a form asks of one place.

    Parameters
    ----------
    place : half cells, as `Spot`
    mask : bit n is set if terrain n fits; 0 if it is compared with another place
    like, unlike : a place whose value it must have, or must not have
    off : True: only off the map; None: there or not, what lies off the map being as the nearest
        place inside
    """

    place: Place
    mask: int = 0
    like: Place | None = None
    unlike: Place | None = None
    off: bool | None = None


@dataclass(frozen=True)
class Form:
    """A rule in one of its ways: the rule's place in the list, its turn, and its needs.

    `on_nothing` tells whether it takes cells that show no terrain at all too.
    """

    rule: int
    turn: int
    needs: tuple[Need, ...]
    on_nothing: bool = False


@dataclass(frozen=True, eq=False)
class FallenMix:
    """A mix that does not fall each cell by itself: places of the legend, and how they come."""

    values: NDArray[np.int32]
    weights: tuple[float, ...]
    own: tuple[float, ...]
    fall: Fall


@dataclass(frozen=True, eq=False)
class RuleTable:
    """All that applying rules looks up, worked out once for a terrain set.

    `forms` are in the order in which they are tried; form n is called n + 1 in what `forms_in`
    gives. `starts[n + 1]` is where its 256 slots begin in `slots`; `patches`, `mixes` and `falls`
    hold what is not drawn from those. `quick` gives the form at once where all rules look no
    further than knitting does: (terrain · 256 + same neighbours) of ring sets, four values of 4
    bits of others.
    `problems` says, by rule number, why a rule can not be used, or what of it is missing.
    """

    kind: SetKind
    count: int
    rules: tuple[NeighbourRule, ...]
    first: bool
    default: int
    forms: tuple[Form, ...]
    margin: int
    slots: NDArray[np.int32]
    starts: NDArray[np.int32]
    patches: dict[int, NDArray[np.int32]] = field(default_factory=dict)
    mixes: dict[int, NDArray[np.int32]] = field(default_factory=dict)
    quick: NDArray[np.int16] | None = None
    problems: dict[int, str] = field(default_factory=dict)
    falls: dict[int, FallenMix] = field(default_factory=dict)

    @property
    def does_nothing(self) -> bool:
        """Whether knitting is as without rules."""
        return not self.forms and not self.default

    def variants(self, number: int) -> tuple[tuple[int, float], ...]:
        """List the tiles that form n, counted from 1, draws from, by place, and their weights."""
        at = int(self.starts[number])
        places, counts = np.unique(self.slots[at : at + VARIANT_SLOTS], return_counts=True)
        found = zip(places.tolist(), counts.tolist())
        return tuple((place, float(count)) for place, count in found if place > 0)

    @cached_property
    def asks(self) -> tuple[tuple[Need, ...], tuple[tuple[int, ...], ...]]:
        """List what all forms ask for, each thing once, and for each form its numbers there."""
        numbers: dict[object, int] = {}
        asks: list[Need] = []
        of_forms = []
        for form in self.forms:
            mine = []
            for need in form.needs:
                key: object = need
                if need.like or need.unlike:  # it is the same seen from either place
                    pair = tuple(sorted((need.place, need.like or need.unlike or need.place)))
                    key = (pair, need.like is not None)
                if key not in numbers:
                    numbers[key] = len(asks)
                    asks.append(need)
                mine.append(numbers[key])
            of_forms.append(tuple(mine))
        return tuple(asks), tuple(of_forms)

    @cached_property
    def named(self) -> tuple[NDArray[np.intp], tuple[Place, ...], NDArray[np.intp], Fits]:
        """Give those of `asks` that name terrains, as arrays.

        Returns
        -------
        (n,) their numbers in `asks`; the places they look at, each once; (n,) which of those;
        (n, 256) whether a value fits
        """
        every = self.count + 2
        numbers = [n for n, need in enumerate(self.asks[0])
                   if not (need.like or need.unlike or need.off)]  # fmt: skip
        needs = [self.asks[0][n] for n in numbers]
        places = tuple(dict.fromkeys(need.place for need in needs))
        fits = np.zeros((len(needs), 256), np.bool_)
        for row, need in zip(fits, needs):
            row[:] = need.mask >> (every - 1) & 1
            row[: every - 1] = [need.mask >> n & 1 for n in range(every - 1)]
        at = np.array([places.index(need.place) for need in needs], np.intp)
        return np.array(numbers, np.intp), places, at, fits

    def is_sure(self, form: Form) -> bool:
        """Whether it takes every cell that it fits."""
        rule = self.rules[form.rule]
        return rule.chance >= 1 and rule.every[:2] == (1, 1)


_NIBBLE_TERRAINS = 14


def quick_codes(table: RuleTable) -> NDArray[np.int16] | None:
    """Tabulate the first form for everything that knitting can read, if no rule reads more.

    Returns
    -------
    ((count + 2) · 256,) of ring sets, by terrain and the bits of same neighbours; (65 536,) of
    others, by four values of four bits in the order of the kind's slots; None if a rule needs more
    """
    if not table.forms or len(table.forms) > 32_000:
        return None
    if not all(table.is_sure(form) for form in table.forms):
        return None
    base = base_places(table.kind)
    for form in table.forms:
        for need in form.needs:
            if need.place not in base or need.off is not None:
                return None
    return _quick_ring(table) if table.kind is SetKind.RING else _quick_four(table)


def _quick_ring(table: RuleTable) -> NDArray[np.int16] | None:
    """Tabulate by sets of patterns: whole numbers of 256 bits, one for each way of neighbours."""
    places = base_places(SetKind.RING)[1:]
    values = table.count + 2
    every = (1 << 256) - 1
    same = dict(zip(places, _patterns()))
    left = [every] * values
    out = np.zeros((values, 256), np.int16)
    for number, form in enumerate(table.forms, 1):
        own = next((need.mask for need in form.needs if need.place == MIDDLE), 0)
        fits = every
        for need in form.needs:
            if need.place == MIDDLE:
                continue
            # A terrain by name is clear only if it is the middle's own, or all others.
            if need.like or need.mask == own:
                fits &= same[need.place]
            elif need.unlike or need.mask == (1 << values) - 1 & ~own:
                fits &= every & ~same[need.place]
            else:
                return None
        for value in range(values):
            hit = fits & left[value] if own >> value & 1 else 0
            if hit:
                left[value] &= ~hit
                bits = np.frombuffer(hit.to_bytes(32, "little"), np.uint8)
                out[value, np.unpackbits(bits, bitorder="little").astype(np.bool_)] = number
    return out.ravel()


@lru_cache(maxsize=1)
def _patterns() -> tuple[int, ...]:
    """Give for each neighbour the patterns (bits of 256) in which it is the same."""
    at = np.arange(256)
    planes = [np.packbits((at >> n & 1).astype(np.bool_), bitorder="little") for n in range(8)]
    return tuple(int.from_bytes(each.tobytes(), "little") for each in planes)


def _quick_four(table: RuleTable) -> NDArray[np.int16] | None:
    if table.count > _NIBBLE_TERRAINS:
        return None
    places = base_places(table.kind)
    # Only the values that there are: four terrains have 1296 combinations, not 65 536.
    every = np.indices((table.count + 2,) * 4).reshape(4, -1)
    at = (every << np.array([[0], [4], [8], [12]])).sum(axis=0)
    values = dict(zip(places, every))
    found = np.zeros(at.size, np.int16)
    for number, form in reversed(list(enumerate(table.forms, 1))):
        fits = at > 0 if not form.on_nothing else at >= 0
        for need in form.needs:
            own = values[need.place]
            if need.like:
                fits &= own == values[need.like]
            elif need.unlike:
                fits &= own != values[need.unlike]
            else:
                lut = np.array([bool(need.mask >> n & 1) for n in range(16)])
                fits &= lut[own]
        found[fits] = number
    out = np.zeros(65_536, np.int16)
    out[at] = found
    return out
