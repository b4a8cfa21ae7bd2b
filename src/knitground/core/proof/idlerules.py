"""Rules that never fire, because others take all that they fit."""

from __future__ import annotations

from collections.abc import Iterator

from knitground.core.base.tongue import say
from knitground.core.edit.rulehome import RuleHome
from knitground.core.knit.layer import set_table
from knitground.core.model.rules import NeighbourRule
from knitground.core.proof.finding import Check, Finding, Group
from knitground.core.proof.proving import Proving
from knitground.core.rules.analyse import analyse_rules
from knitground.core.rules.table import compile_rules, stock_of


def _find(at: Proving) -> Iterator[Finding]:
    for owner in at.project.tilesets:
        for kit in owner.sets:
            if not kit.rules.rules:
                continue
            home = RuleHome(at.project, owner, kit)
            table, small = set_table(at.project, owner, kit)
            compiled = compile_rules(kit.rules, kit, stock_of(at.project, small))
            marked = () if kit.rules.first else tuple(table.variants)
            facts = analyse_rules(compiled, marked).facts
            for place, rule in enumerate(kit.rules.rules, 1):
                fact = facts.get(rule.number)
                if fact is None or not isinstance(rule, NeighbourRule) or not rule.on:
                    continue
                if fact.never_fires or fact.problem:
                    hidden = ", ".join(str(_place(kit.rules.rules, n)) for n in fact.hidden_by)
                    why = fact.problem or (
                        say("rule {hidden} takes all that it fits", hidden=hidden) if hidden
                        else say("marks take all that it fits")
                    )  # fmt: skip
                    yield Finding(
                        "rules",
                        say(
                            "rule {place} “{name}” of {title} never fires: {why}",
                            place=place,
                            name=rule.name,
                            title=home.title,
                            why=why,
                        ),
                        f"{owner.name} {kit.name} {rule.number}",
                        hurt=0.5,
                    )


def _place(rules: tuple[object, ...], number: int) -> int:
    return next((n for n, each in enumerate(rules, 1) if getattr(each, "number", 0) == number), 0)


CHECK = Check(
    "rules",
    Group.SENSE,
    say("Idle rules"),
    say("Rules that never fire, and what hides them"),
    _find,
    stage="rules",
    of_map=False,
    of_cells=False,
)
