"""What is done with rules of the list: added, doubled, moved, switched, deleted."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import TYPE_CHECKING

from knitground.core.edit.hand import TileInHand
from knitground.core.edit.ruledrafts import new_rule
from knitground.core.edit.rulehome import RuleHome, rule_words
from knitground.core.edit.rules import (
    add_rule,
    delete_rules,
    duplicate_rule,
    move_above,
    move_rules,
    set_default,
    switch_group,
)
from knitground.core.model.mix import MixEntry
from knitground.core.model.rules import (
    Result,
    ResultKind,
    RewriteRule,
    Rule,
)

if TYPE_CHECKING:
    from knitground.ui.stages.rules.bench import RulesBench


class RuleActs:
    """Acts on the rules of a bench."""

    def __init__(self, bench: RulesBench) -> None:
        self.bench = bench

    def add_neighbour(self) -> None:
        """Add a neighbour rule, with what is in hand as its result."""
        hand = self.bench.session.hand
        tiles = (MixEntry(hand.tile),) if isinstance(hand, TileInHand) else ()
        self.add_rule(lambda home: new_rule(home, Result(ResultKind.TILES, tiles)))

    def add_rewrite(self) -> None:
        """Add a rewrite rule; what is selected on the map is what it looks for."""
        if self.bench.home is None or self.bench.home.kit is not None:
            self.bench.lists.new_list()
        self.add_rule(lambda _: RewriteRule(0, ()))
        if self.bench.session.selection is not None:
            self.bench.rewrite.read_selection()

    def add_rule(self, make: Callable[[RuleHome], Rule]) -> None:
        if self.bench.do(lambda home: add_rule(home, make(home))) and self.bench.home is not None:
            self.bench.refresh()
            self.bench.list.choose(self.bench.home.rules.rules[-1].number)
            self.bench.tabs.setCurrentIndex(0)
            self.bench.show_rule()

    def duplicate(self) -> None:
        """Put a copy of the chosen rule behind it."""
        if self.bench.isVisible() and self.bench.list.rule is not None:
            number = self.bench.list.number
            self.bench.do(lambda home: duplicate_rule(home, number))

    def delete_rule(self) -> None:
        """Delete the chosen rule."""
        if self.bench.list.rule is not None:
            number = self.bench.list.number
            self.bench.do(lambda home: delete_rules(home, [number]))

    def move(self, numbers: list[int], to: int) -> None:
        self.bench.do(lambda home: move_rules(home, numbers, to))

    def toggle(self, number: int) -> None:
        rule = self.bench.list.rule
        if rule is not None:
            words = "Switch off" if rule.on else "Switch on"
            new = replace(rule, on=not rule.on)
            self.bench.put_rules(new, f"{words} {rule_words(rule)}", None)

    def toggle_group(self, group: str) -> None:
        """Switch all rules of a group off, or on if all are off."""
        self.bench.do(lambda home: switch_group(home, group))

    def lift(self, number: int) -> None:
        """Move a rule above those that hide it."""
        fact = self.bench.counter.report.facts.get(number) if self.bench.counter.report else None
        if fact is not None:
            self.bench.do(lambda home: move_above(home, number, fact.hidden_by))

    def choose_default(self) -> None:
        """Take the tile in hand as the default tile; chosen again, there is none."""
        hand = self.bench.session.hand
        if self.bench.home is None:
            return
        if isinstance(hand, TileInHand) and hand.tile != self.bench.home.rules.default:
            tile = hand.tile
            self.bench.do(lambda home: set_default(home, tile))
        elif self.bench.home.rules.default is not None:
            self.bench.do(lambda home: set_default(home, None))
        else:
            self.bench.session.warn(
                "Take the tile in hand that cells are to show which nothing takes"
            )
