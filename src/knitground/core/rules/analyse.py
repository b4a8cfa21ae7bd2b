"""Analysis of a list of rules: which situations each takes, what hides it, what nobody takes.

A *situation* is one of the ways in which what knitting reads round a cell can lie: four values of a
corner or edge set; of a ring set the cell's terrain and which of its eight neighbours are the same.
Rules may look further. Whether one is hidden is worked out over all that any rule reads: places are
cut into classes of values that no rule tells apart, and each rule is a set of combinations of
values. While the combinations are few they are listed as bits; else it is asked of each situation
whether a combination is left that no earlier rule takes. Both are exact, but for lists so large
that the search is broken off, which is told.
"""

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
from knitground.core.rules.table import Form, RuleTable

_MOST_LISTED = 1 << 18
_MOST_SITUATIONS = 4096
_MOST_STEPS = 60_000
Key = tuple[int, ...]
Box = dict[Place, int]
"""Bits of the values that fit, by place; a place that is not there may show anything."""


@dataclass(frozen=True)
class RuleFact:
    """What the analysis says of one rule.

    Parameters
    ----------
    takes, could : situations in which it takes some cells, and in which it would by itself
    hidden_by : numbers of the rules that together hide it, if it never fires
    marks_hide : whether marks are among what hides it
    problem : why it can not be used, or what of it is missing
    """

    number: int
    takes: int = 0
    could: int = 0
    hidden_by: tuple[int, ...] = ()
    marks_hide: bool = False
    problem: str = ""

    @property
    def never_fires(self) -> bool:
        """Whether it can be used, but others take all that it fits."""
        return self.could > 0 and self.takes == 0


@dataclass(frozen=True)
class RuleReport:
    """What is known of a list: a fact a rule, by number, and whether all of it is exact."""

    facts: Mapping[int, RuleFact]
    exact: bool = True


@dataclass
class _Case:
    """What is analysed by itself: of a ring set one terrain of the middle (or several alike)."""

    forms: list[tuple[Form, Box]]
    marks: list[Box]
    times: int = 1
    own: int = 0


@dataclass
class _Found:
    takes: dict[int, int] = field(default_factory=dict)
    could: dict[int, int] = field(default_factory=dict)
    hidden_by: dict[int, set[int]] = field(default_factory=dict)
    by_marks: set[int] = field(default_factory=set)
    exact: bool = True


def analyse_rules(table: RuleTable, marked: Iterable[Key] = ()) -> RuleReport:
    """Work out what each rule of a list takes, and what hides those that take nothing.

    Parameters
    ----------
    table : the compiled rules
    marked : keys that the set's marks have tiles for, as `KnitTable.variants` has them; they count
        where the rules come after the marks

    Returns
    -------
    a fact for each rule that is on; rules with a chance or only on some rows hide nothing
    """
    found = _Found()
    keys = [] if table.first else list(marked)
    for case in _cases(table, keys):
        _analyse_case(table, case, found)
    facts = {number: RuleFact(number, problem=words) for number, words in table.problems.items()}
    for place, rule in enumerate(table.rules):
        if not rule.on:
            continue
        hidden = sorted(found.hidden_by.get(place, ()))
        takes = found.takes.get(place, 0)
        facts[rule.number] = RuleFact(
            rule.number,
            takes,
            found.could.get(place, 0),
            () if takes else tuple(table.rules[each].number for each in hidden),
            not takes and place in found.by_marks,
            table.problems.get(rule.number, ""),
        )
    return RuleReport(facts, found.exact)


# Cases: forms as boxes of values


def _cases(table: RuleTable, marked: Sequence[Key]) -> list[_Case]:
    if table.kind is not SetKind.RING:
        marks = [dict(zip(base_places(table.kind), (1 << mark for mark in key))) for key in marked]
        forms = [(form, box) for form in table.forms for box in _boxes_of(table, form, None)]
        return [_Case(forms, marks)]
    cases: dict[object, _Case] = {}
    for own in range(1, table.count + 1):
        forms = [(form, box) for form in table.forms for box in _boxes_of(table, form, own)]
        marks = [_ring_box(table, own, key[1]) for key in marked if key[0] == own]
        # Terrains that no rule tells apart come to the same: counted once, times their number.
        named = any(not _is_plain(table, own, mask) for _, box in forms for mask in box.values())
        likeness = own if named else tuple(
            (form.rule, form.turn, tuple((p, _plain(own, m)) for p, m in sorted(box.items())))
            for form, box in forms
        )  # fmt: skip
        key = (likeness, tuple(key[1] for key in marked if key[0] == own))
        if key in cases:
            cases[key].times += 1
        else:
            cases[key] = _Case(forms, marks, own=own)
    return list(cases.values())


def _values(table: RuleTable) -> int:
    """Bits of all values on the map; shifted by `_off` they are those off it."""
    return (1 << (table.count + 1)) - 1


def _both(table: RuleTable, mask: int) -> int:
    """Let values count on the map and off it, where what is nearest stands for them."""
    inside = mask & _values(table)
    return inside | inside << (table.count + 1)


def _is_plain(table: RuleTable, own: int, mask: int) -> bool:
    """Whether a mask of a ring's neighbour tells apart no more than same, other and off."""
    width = table.count + 1
    for part in (mask & _values(table), mask >> width):
        if (part & ~(1 << own)) not in (0, _values(table) & ~(1 << own)):
            return False
    return True


def _plain(own: int, mask: int) -> tuple[bool, bool, int]:
    return bool(mask >> own & 1), bool(mask & 1), mask.bit_length()


def _boxes_of(table: RuleTable, form: Form, own: int | None) -> list[Box]:
    """Give a form as boxes of values: one, or one for each terrain that “same” may stand for."""
    models = {need.like or need.unlike for need in form.needs} - {None}
    if own is not None:
        boxes = [_box(table, form, own)]
    elif models:
        boxes = [_box(table, form, value) for value in range(1, table.count + 1)]
    else:
        boxes = [_box(table, form, None)]
    out = [box for box in boxes if box is not None]
    if form.on_nothing or table.kind is SetKind.RING:
        return out
    return [part for box in out for part in _touching(table, box)]


def _touching(table: RuleTable, box: Box) -> list[Box]:
    """Leave out the cells that show nothing at all: boxes that do not overlap."""
    parts: list[Box] = []
    rest = dict(box)
    for place in base_places(table.kind):
        mask = rest.get(place, _values(table))
        if mask & ~1:
            parts.append({**rest, place: mask & ~1})
        if not mask & 1:
            return parts
        rest[place] = 1
    return parts


def _box(table: RuleTable, form: Form, model: int | None) -> Box | None:
    """Give a form as a box, with a value for the place that others are compared with."""
    box: Box = {}
    base = base_places(table.kind)
    ring = table.kind is SetKind.RING
    for need in form.needs:
        if need.off:
            mask = _values(table) << (table.count + 1)
        elif need.like or need.unlike:
            assert model is not None
            same = 1 << model
            mask = _both(table, same if need.like else _values(table) & ~same)
        else:
            mask = _both(table, need.mask)
        at_home = need.place in base and (not ring or need.place == MIDDLE)
        if at_home:
            mask &= _values(table)
        box[need.place] = box.get(need.place, mask) & mask
    likes = {need.like or need.unlike for need in form.needs} - {None}
    for place in likes:
        assert place is not None
        assert model is not None
        box[place] = box.get(place, _values(table)) & 1 << model
    if ring and model is not None:
        if not box.get(MIDDLE, 1 << model) >> model & 1:
            return None
        box.pop(MIDDLE, None)
    return box if all(box.values()) else None


def _ring_box(table: RuleTable, own: int, bits: int) -> Box:
    """Give what marks of a ring set fit: corners count only where both their sides do."""
    places = base_places(SetKind.RING)[1:]
    same, every = 1 << own, _values(table)
    box: Box = {}
    for n, place in enumerate(places):
        if bits >> n & 1:
            box[place] = _both(table, same)
        elif n % 2 == 0 or (bits >> (n - 1) & 1 and bits >> (n + 1) % 8 & 1):
            box[place] = _both(table, every & ~same)
    return box


# Analysing one case


def _analyse_case(table: RuleTable, case: _Case, found: _Found) -> None:
    axes = sorted({place for _, box in case.forms for place in box}
                  | {place for box in case.marks for place in box})  # fmt: skip
    classes = {place: _classes(table, case, place) for place in axes}
    if prod(len(each) for each in classes.values()) <= _MOST_LISTED:
        _by_listing(table, case, classes, found)
    else:
        _by_search(table, case, found)


def _domain(table: RuleTable, place: Place) -> int:
    base = base_places(table.kind)
    home = place in base and (table.kind is not SetKind.RING or place == MIDDLE)
    return _values(table) if home else _both(table, _values(table))


def _classes(table: RuleTable, case: _Case, place: Place) -> list[int]:
    """Cut a place's values into classes that nothing tells apart: masks, each of one class."""
    parts = [_domain(table, place)]
    masks = {box[place] for _, box in case.forms if place in box}
    masks |= {box[place] for box in case.marks if place in box}
    if place in base_places(table.kind):
        if table.kind is SetKind.RING:
            masks.add(_both(table, 1 << case.own))
        else:
            masks |= {1 << value for value in range(table.count + 1)}
    for mask in sorted(masks):
        parts = [half for part in parts for half in (part & mask, part & ~mask) if half]
    return parts


def _by_listing(
    table: RuleTable, case: _Case, classes: dict[Place, list[int]], found: _Found
) -> None:
    """List all combinations of classes, a bit each: sets of them are whole numbers."""
    space = _Space(table, case, classes)
    left = space.every
    taken: list[tuple[int, int]] = []
    for box in case.marks:
        left &= ~space.region(box)
    taken.append((-1, space.every & ~left))
    for rule, forms in _by_rule(case.forms):
        own = reduce(or_, [space.region(box) for _, box in forms], 0)
        takes = own & left
        _count(found, rule, space.count(own) * case.times, space.count(takes) * case.times)
        if not takes:
            _note_hidden(found, rule, [by for by, region in taken if region & own])
        elif table.is_sure(forms[0][0]):
            taken.append((rule, takes))
            left &= ~takes


def _note_hidden(found: _Found, rule: int, by: Iterable[int]) -> None:
    hidden = found.hidden_by.setdefault(rule, set())
    for each in by:
        if each >= 0:
            hidden.add(each)
        else:
            found.by_marks.add(rule)


def _count(found: _Found, rule: int, could: int, takes: int) -> None:
    found.could[rule] = found.could.get(rule, 0) + could
    found.takes[rule] = found.takes.get(rule, 0) + takes


def _by_rule(forms: Sequence[tuple[Form, Box]]) -> list[tuple[int, list[tuple[Form, Box]]]]:
    out: dict[int, list[tuple[Form, Box]]] = {}
    for form, box in forms:
        out.setdefault(form.rule, []).append((form, box))
    return sorted(out.items())


class _Space:
    """All combinations of classes of the places that rules read, numbered, as bits of a number."""

    def __init__(self, table: RuleTable, case: _Case, classes: dict[Place, list[int]]) -> None:
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
            own = _both(table, 1 << case.own)
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


# Searching


def _by_search(table: RuleTable, case: _Case, found: _Found) -> None:
    """Ask of each rule and situation whether any combination is left to it."""
    domain = {place: _domain(table, place)
              for box in [*(b for _, b in case.forms), *case.marks] for place in box}  # fmt: skip
    situations = _situations(table, case)
    search = _Search(domain)
    earlier: list[tuple[int, Box]] = [(-1, box) for box in case.marks]
    for rule, forms in _by_rule(case.forms):
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
        _count(found, rule, len(could) * case.times, len(takes) * case.times)
        if not takes:
            _note_hidden(found, rule, hiding)
        if table.is_sure(forms[0][0]):
            earlier += [(rule, box) for _, box in forms]
    found.exact &= search.exact and situations is not None


def _situations(table: RuleTable, case: _Case) -> NDArray[np.int64] | None:
    """List situations as masks of the base places, (n, places); None if there are too many."""
    base = base_places(table.kind)
    if table.kind is SetKind.RING:
        own = _both(table, 1 << case.own)
        other = _both(table, _values(table)) & ~own
        if own.bit_length() > 62 or other.bit_length() > 62:
            return None
        return np.array(list(product((own, other), repeat=8)), np.int64)
    if (table.count + 1) ** len(base) > _MOST_SITUATIONS:
        return None
    values = [1 << value for value in range(table.count + 1)]
    return np.array(list(product(values, repeat=len(base))), np.int64)


def _parts(
    table: RuleTable, case: _Case, box: Box, situations: NDArray[np.int64] | None
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
