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
from dataclasses import dataclass
from functools import reduce
from math import prod
from operator import or_

from knitground.core.model.terrain import SetKind
from knitground.core.rules.places import MIDDLE, Place, base_places
from knitground.core.rules.ruletable import Form, RuleTable
from knitground.core.rules.search import (
    Box,
    Case,
    Found,
    Space,
    both_of,
    by_rule,
    by_search,
    count_taken,
    domain_of,
    note_hidden,
    values_of,
)

_MOST_LISTED = 1 << 18
Key = tuple[int, ...]


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
    found = Found()
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


def _cases(table: RuleTable, marked: Sequence[Key]) -> list[Case]:
    if table.kind is not SetKind.RING:
        marks = [dict(zip(base_places(table.kind), (1 << mark for mark in key))) for key in marked]
        forms = [(form, box) for form in table.forms for box in _boxes_of(table, form, None)]
        return [Case(forms, marks)]
    cases: dict[object, Case] = {}
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
            cases[key] = Case(forms, marks, own=own)
    return list(cases.values())


def _is_plain(table: RuleTable, own: int, mask: int) -> bool:
    """Whether a mask of a ring's neighbour tells apart no more than same, other and off."""
    width = table.count + 1
    for part in (mask & values_of(table), mask >> width):
        if (part & ~(1 << own)) not in (0, values_of(table) & ~(1 << own)):
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
        mask = rest.get(place, values_of(table))
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
            mask = values_of(table) << (table.count + 1)
        elif need.like or need.unlike:
            assert model is not None
            same = 1 << model
            mask = both_of(table, same if need.like else values_of(table) & ~same)
        else:
            mask = both_of(table, need.mask)
        at_home = need.place in base and (not ring or need.place == MIDDLE)
        if at_home:
            mask &= values_of(table)
        box[need.place] = box.get(need.place, mask) & mask
    likes = {need.like or need.unlike for need in form.needs} - {None}
    for place in likes:
        assert place is not None
        assert model is not None
        box[place] = box.get(place, values_of(table)) & 1 << model
    if ring and model is not None:
        if not box.get(MIDDLE, 1 << model) >> model & 1:
            return None
        box.pop(MIDDLE, None)
    return box if all(box.values()) else None


def _ring_box(table: RuleTable, own: int, bits: int) -> Box:
    """Give what marks of a ring set fit: corners count only where both their sides do."""
    places = base_places(SetKind.RING)[1:]
    same, every = 1 << own, values_of(table)
    box: Box = {}
    for n, place in enumerate(places):
        if bits >> n & 1:
            box[place] = both_of(table, same)
        elif n % 2 == 0 or (bits >> (n - 1) & 1 and bits >> (n + 1) % 8 & 1):
            box[place] = both_of(table, every & ~same)
    return box


# Analysing one case


def _analyse_case(table: RuleTable, case: Case, found: Found) -> None:
    axes = sorted({place for _, box in case.forms for place in box}
                  | {place for box in case.marks for place in box})  # fmt: skip
    classes = {place: _classes(table, case, place) for place in axes}
    if prod(len(each) for each in classes.values()) <= _MOST_LISTED:
        _by_listing(table, case, classes, found)
    else:
        by_search(table, case, found)


def _classes(table: RuleTable, case: Case, place: Place) -> list[int]:
    """Cut a place's values into classes that nothing tells apart: masks, each of one class."""
    parts = [domain_of(table, place)]
    masks = {box[place] for _, box in case.forms if place in box}
    masks |= {box[place] for box in case.marks if place in box}
    if place in base_places(table.kind):
        if table.kind is SetKind.RING:
            masks.add(both_of(table, 1 << case.own))
        else:
            masks |= {1 << value for value in range(table.count + 1)}
    for mask in sorted(masks):
        parts = [half for part in parts for half in (part & mask, part & ~mask) if half]
    return parts


def _by_listing(
    table: RuleTable, case: Case, classes: dict[Place, list[int]], found: Found
) -> None:
    """List all combinations of classes, a bit each: sets of them are whole numbers."""
    space = Space(table, case, classes)
    left = space.every
    taken: list[tuple[int, int]] = []
    for box in case.marks:
        left &= ~space.region(box)
    taken.append((-1, space.every & ~left))
    for rule, forms in by_rule(case.forms):
        own = reduce(or_, [space.region(box) for _, box in forms], 0)
        takes = own & left
        count_taken(found, rule, space.count(own) * case.times, space.count(takes) * case.times)
        if not takes:
            note_hidden(found, rule, [by for by, region in taken if region & own])
        elif table.is_sure(forms[0][0]):
            taken.append((rule, takes))
            left &= ~takes


# Searching
