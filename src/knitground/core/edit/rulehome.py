"""Where rules live: in a set or in a list of the project; and changing one of them."""

from __future__ import annotations

from dataclasses import dataclass, replace

from knitground.core.base.tongue import say
from knitground.core.edit.atoms import SetField
from knitground.core.edit.changed import Changed, What
from knitground.core.edit.document import Edit
from knitground.core.model.project import Project
from knitground.core.model.rules import (
    NeighbourRule,
    Rule,
    RuleList,
)
from knitground.core.model.terrain import TerrainSet
from knitground.core.model.tileset import Tileset


@dataclass(frozen=True, eq=False)
class RuleHome:
    """Where a list of rules lives: in a terrain set of a tileset, or in the project by its name."""

    project: Project
    tileset: Tileset | None = None
    kit: TerrainSet | None = None
    name: str = ""

    @property
    def rules(self) -> RuleList:
        """The rules as they are now; none if the list is gone."""
        if self.kit is not None:
            return self.kit.rules
        return self.project.rules_named(self.name) or RuleList(self.name)

    @property
    def title(self) -> str:
        """The list in words."""
        return (
            say("{name} ({value} set)", name=self.kit.name, value=say(self.kit.kind.value))
            if self.kit
            else self.name
        )

    @property
    def is_there(self) -> bool:
        """Whether the project still has it."""
        if self.kit is None:
            return self.project.rules_named(self.name) is not None
        return any(self.kit is kit for owner in self.project.tilesets for kit in owner.sets)

    def same_as(self, other: RuleHome | None) -> bool:
        """Whether both are one list."""
        return other is not None and self.kit is other.kit and self.name == other.name

    def put(self, new: RuleList, what: str) -> Edit:
        """Put other rules in the place of those that are there."""
        if new == self.rules:
            return Edit(what, ())
        if self.kit is not None:
            changed = Changed(What.MARKS, tileset=self.tileset)
            return Edit(what, (SetField(self.kit, "rules", new, changed),))
        lists = [new if each.name == self.name else each for each in self.project.rule_lists]
        atom = SetField(self.project, "rule_lists", lists, Changed(What.RULES))
        return Edit(what, (atom,))

    def rule(self, number: int) -> Rule | None:
        """Give a rule by its number."""
        return next((each for each in self.rules.rules if each.number == number), None)


def rule_words(rule: Rule) -> str:
    """Name a rule: its own name, or its kind and number."""
    kind = say("Rule") if isinstance(rule, NeighbourRule) else say("Rewrite")
    return rule.name or f"{kind} {rule.number}"


def change_rule(home: RuleHome, number: int, new: Rule, what: str = "") -> Edit:
    """Put another rule in a rule's place; it keeps its number."""
    new = replace(new, number=number)
    rules = tuple(new if each.number == number else each for each in home.rules.rules)
    return home.put(
        replace(home.rules, rules=rules),
        what or say("Change {rule_words}", rule_words=rule_words(new)),
    )
