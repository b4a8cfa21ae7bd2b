"""Which situations rules take, searched where there are too many to list."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from functools import reduce
from itertools import product
from math import prod
from operator import or_

import numpy as np
from numpy.typing import NDArray

from knitground.core.model.terrain import SetKind
from knitground.core.rules.places import MIDDLE, Place, base_places
from knitground.core.rules.ruletable import Form, RuleTable

_MOST_SITUATIONS = 4096

_MOST_STEPS = 60_000

Box = dict[Place, int]
"""Bits of the values that fit, by place; a place that is not there may show anything."""


@dataclass
class Case:
    """What is analysed by itself: of a ring set one terrain of the middle (or several alike)."""

    forms: list[tuple[Form, Box]]
    marks: list[Box]
    times: int = 1
    own: int = 0


@dataclass
class Found:
    """What analysis has found so far, by the numbers of rules."""

    takes: dict[int, int] = field(default_factory=dict)
    could: dict[int, int] = field(default_factory=dict)
    hidden_by: dict[int, set[int]] = field(default_factory=dict)
    by_marks: set[int] = field(default_factory=set)
    exact: bool = True


def values_of(table: RuleTable) -> int:
    """Bits of all values on the map; shifted by `_off` they are those off it."""
    return (1 << (table.count + 1)) - 1


def both_of(table: RuleTable, mask: int) -> int:
    """Let values count on the map and off it, where what is nearest stands for them."""
    inside = mask & values_of(table)
    return inside | inside << (table.count + 1)


def domain_of(table: RuleTable, place: Place) -> int:
    """Give the values that a place can have, as bits."""
    base = base_places(table.kind)
    home = place in base and (table.kind is not SetKind.RING or place == MIDDLE)
    return values_of(table) if home else both_of(table, values_of(table))


def note_hidden(found: Found, rule: int, by: Iterable[int]) -> None:
    """Note which rules take what one could take."""
    hidden = found.hidden_by.setdefault(rule, set())
    for each in by:
        if each >= 0:
            hidden.add(each)
        else:
            found.by_marks.add(rule)


def count_taken(found: Found, rule: int, could: int, takes: int) -> None:
    """Add to the situations that a rule could take, and does."""
    found.could[rule] = found.could.get(rule, 0) + could
    found.takes[rule] = found.takes.get(rule, 0) + takes


def by_rule(forms: Sequence[tuple[Form, Box]]) -> list[tuple[int, list[tuple[Form, Box]]]]:
    """Put forms together that are of one rule, in order."""
    out: dict[int, list[tuple[Form, Box]]] = {}
    for form, box in forms:
        out.setdefault(form.rule, []).append((form, box))
    return sorted(out.items())


class Space:
    """All combinations of classes of the places that rules read, numbered, as bits of a number."""

    def __init__(self, table: RuleTable, case: Case, classes: dict[Place, list[int]]) -> None:
        self.axes = list(classes)
        self.classes = classes
        self.shape = [len(classes[place]) for place in self.axes]
        self.size = prod(self.shape)
        self.every = (1 << self.size) - 1
        self._known: dict[tuple[Place, int], int] = {}
        self._bits = {place: self._class_bits(n) for n, place in enumerate(self.axes)}
        base = base_places(table.kind)
        ring = table.kind is SetKind.RING
        self._base = [n for n, place in enumerate(self.axes) if place in base]
        self._far = tuple(n for n, place in enumerate(self.axes) if place not in base)
        unused = [p for p in base if p not in self.axes and not (ring and p == MIDDLE)]
        self._times = prod(2 if ring else table.count + 1 for _ in unused)
        # Of ring sets, which classes of a neighbour are the same terrain, on the map or off it.
        self._same: list[NDArray[np.bool_]] = []
        if ring:
            own = both_of(table, 1 << case.own)
            names = [classes[self.axes[n]] for n in self._base]
            self._same = [np.array([bool(part & own) for part in each]) for each in names]
        self._is_plain = not self._far and all(len(each) == 2 for each in self._same)

    def _class_bits(self, axis: int) -> list[int]:
        """Give, for each class of a place, the combinations in which the place shows it."""
        shape = [-1 if n == axis else 1 for n in range(len(self.shape))]
        at = np.broadcast_to(np.arange(self.shape[axis]).reshape(shape), self.shape).ravel()
        return [_as_number(at == each) for each in range(self.shape[axis])]

    def region(self, box: Box) -> int:
        """Give the combinations that lie in a box."""
        out = self.every
        for place, mask in box.items():
            known = self._known.get((place, mask))
            if known is None:
                fits = zip(self.classes[place], self._bits[place])
                known = reduce(or_, [bits for part, bits in fits if part & mask], 0)
                self._known[place, mask] = known
            out &= known
        return out

    def count(self, region: int) -> int:
        """Count the situations in a region: what rules read further off is folded."""
        if self._is_plain:
            return region.bit_count() * self._times
        whole = np.frombuffer(region.to_bytes(-(-self.size // 8), "little"), np.uint8)
        flat = np.unpackbits(whole, count=self.size, bitorder="little").astype(np.bool_)
        flat = flat.reshape(self.shape)
        if self._far:
            flat = np.asarray(flat.any(axis=self._far))
        for axis, same in enumerate(self._same):
            parts = [flat.compress(same, axis).any(axis), flat.compress(~same, axis).any(axis)]
            flat = np.stack(parts, axis)
        return int(np.count_nonzero(flat)) * self._times


def _as_number(plane: NDArray[np.bool_]) -> int:
    return int.from_bytes(np.packbits(plane, bitorder="little").tobytes(), "little")


def by_search(table: RuleTable, case: Case, found: Found) -> None:
    """Ask of each rule and situation whether any combination is left to it."""
    domain = {place: domain_of(table, place)
              for box in [*(b for _, b in case.forms), *case.marks] for place in box}  # fmt: skip
    situations = _situations(table, case)
    search = _Search(domain)
    earlier: list[tuple[int, Box]] = [(-1, box) for box in case.marks]
    for rule, forms in by_rule(case.forms):
        could: set[int] = set()
        takes: set[int] = set()
        hiding: set[int] = set()
        for _, box in forms:
            near = [(by, before) for by, before in earlier if _meet(box, before)]
            for n, part in _parts(table, case, box, situations):
                could.add(n)
                if n not in takes and search.is_left(part, [before for _, before in near]):
                    takes.add(n)
            hiding |= {by for by, _ in near}
        count_taken(found, rule, len(could) * case.times, len(takes) * case.times)
        if not takes:
            note_hidden(found, rule, hiding)
        if table.is_sure(forms[0][0]):
            earlier += [(rule, box) for _, box in forms]
    found.exact &= search.exact and situations is not None


def _situations(table: RuleTable, case: Case) -> NDArray[np.int64] | None:
    """List situations as masks of the base places, (n, places); None if there are too many."""
    base = base_places(table.kind)
    if table.kind is SetKind.RING:
        own = both_of(table, 1 << case.own)
        other = both_of(table, values_of(table)) & ~own
        if own.bit_length() > 62 or other.bit_length() > 62:
            return None
        return np.array(list(product((own, other), repeat=8)), np.int64)
    if (table.count + 1) ** len(base) > _MOST_SITUATIONS:
        return None
    values = [1 << value for value in range(table.count + 1)]
    return np.array(list(product(values, repeat=len(base))), np.int64)


def _parts(
    table: RuleTable, case: Case, box: Box, situations: NDArray[np.int64] | None
) -> list[tuple[int, Box]]:
    """Cut a box by situations: the number of each that it touches, and what of it lies there."""
    if situations is None:
        return [(0, box)]
    base = base_places(table.kind)[1 if table.kind is SetKind.RING else 0 :]
    fits = np.ones(len(situations), np.bool_)
    for column, place in enumerate(base):
        if place in box:
            fits &= (situations[:, column] & box[place]) != 0
    out = []
    for n in np.flatnonzero(fits).tolist():
        part = dict(box)
        for mask, place in zip(situations[n].tolist(), base):
            part[place] = part.get(place, mask) & mask
        out.append((n, part))
    return out


class _Search:
    """Looks for a combination in a box that lies in none of others (a depth-first search).

    Of the boxes that still meet it the one with the fewest ways out is left first, as in M. Davis,
    G. Logemann, D. Loveland, A machine program for theorem-proving, 1962.
    """

    def __init__(self, domain: Mapping[Place, int]) -> None:
        self._domain = domain
        self._steps = _MOST_STEPS
        self.exact = True

    def is_left(self, box: Box, others: Sequence[Box]) -> bool:
        self._steps -= 1
        if self._steps < 0:
            self.exact = False
            return True
        near = [other for other in others if _meet(box, other)]
        if not near:
            return True
        best: list[tuple[Place, int]] | None = None
        for other in near:
            out = [(place, free) for place, mask in other.items()
                   if (free := box.get(place, self._domain[place]) & ~mask)]  # fmt: skip
            if not out:
                return False
            if best is None or len(out) < len(best):
                best = out
        rest = dict(box)
        for place, free in best or []:
            if self.is_left({**rest, place: free}, near):
                return True
            rest[place] = rest.get(place, self._domain[place]) & ~free
        return False


def _meet(a: Box, b: Box) -> bool:
    small, large = (a, b) if len(a) <= len(b) else (b, a)
    return all(mask & large.get(place, -1) for place, mask in small.items())
