"""Edits of rules: those of terrain sets, and the project's own lists."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import replace

from knitground.core.base.errors import EditError
from knitground.core.base.tongue import say
from knitground.core.edit.atoms import Atom, SetField
from knitground.core.edit.changed import Changed, What
from knitground.core.edit.document import Edit
from knitground.core.edit.ruledrafts import plain_rule
from knitground.core.edit.rulehome import RuleHome, rule_words
from knitground.core.model.mix import MixEntry
from knitground.core.model.patch import Patch
from knitground.core.model.project import Project, free_name
from knitground.core.model.recipe import RewriteStep
from knitground.core.model.rules import (
    Ask,
    AskKind,
    RewriteRule,
    Rule,
    RuleList,
)
from knitground.core.model.tile import TileRef

Follow = Callable[[TileRef], TileRef | None]


def homes(project: Project) -> list[RuleHome]:
    """List all places of a project where rules live: terrain sets, then its own lists."""
    sets = [RuleHome(project, owner, kit) for owner in project.tilesets for kit in owner.sets]
    return sets + [RuleHome(project, name=each.name) for each in project.rule_lists]


def add_rule(home: RuleHome, rule: Rule, at: int | None = None) -> Edit:
    """Add a rule, at the end or before the `at`-th; it gets a number of its own."""
    rules = list(home.rules.rules)
    rule = replace(rule, number=home.rules.free_number())
    rules.insert(len(rules) if at is None else at, rule)
    return home.put(
        replace(home.rules, rules=tuple(rules)),
        say("Add {rule_words}", rule_words=rule_words(rule)),
    )


def delete_rules(home: RuleHome, numbers: Iterable[int]) -> Edit:
    """Delete rules by their numbers."""
    gone = set(numbers)
    rules = tuple(each for each in home.rules.rules if each.number not in gone)
    names = [rule_words(each) for each in home.rules.rules if each.number in gone]
    what = (
        say("Delete {names}", names=names[0])
        if len(names) == 1
        else say("Delete {count} rules", count=len(names))
    )
    return home.put(replace(home.rules, rules=rules), what)


def duplicate_rule(home: RuleHome, number: int) -> Edit:
    """Put a copy of a rule behind it."""
    rules = list(home.rules.rules)
    at = next((n for n, each in enumerate(rules) if each.number == number), None)
    if at is None:
        raise EditError(say("rule {number} is not in the list: choose another", number=number))
    copy = replace(rules[at], number=home.rules.free_number())
    rules.insert(at + 1, copy)
    new = replace(home.rules, rules=tuple(rules))
    return home.put(new, say("Duplicate {rule_words}", rule_words=rule_words(copy)))


def move_rules(home: RuleHome, numbers: Sequence[int], to: int) -> Edit:
    """Move rules, in their order, before the one that stands `to`-th now."""
    rules = home.rules.rules
    moved = [each for each in rules if each.number in set(numbers)]
    before = [each for each in rules[:to] if each.number not in set(numbers)]
    after = [each for each in rules[to:] if each.number not in set(numbers)]
    what = (
        say("Move {rule_words}", rule_words=rule_words(moved[0]))
        if len(moved) == 1
        else say("Move {count} rules", count=len(moved))
    )
    return home.put(replace(home.rules, rules=(*before, *moved, *after)), what)


def move_above(home: RuleHome, number: int, others: Iterable[int]) -> Edit:
    """Move a rule above others that hide it; above the marks too, if they come first."""
    hiding = set(others)
    places = [n for n, each in enumerate(home.rules.rules) if each.number in hiding]
    at = min(places, default=0)
    edit = move_rules(home, [number], at)
    rule = home.rule(number)
    what = say("Move {words} above what hides it", words=rule_words(rule) if rule else say("rule"))
    field = edit.atoms[0] if edit.atoms else None
    new = home.rules
    if isinstance(field, SetField):
        new = field.new if home.kit is not None else next(
            each for each in field.new if each.name == home.name
        )  # fmt: skip
    if home.kit is not None and not hiding and not new.first:
        new = replace(new, first=True)
    return home.put(new, what)


def switch_group(home: RuleHome, group: str) -> Edit:
    """Switch all rules of a group off, or on if all of them are off."""
    on = not any(each.on for each in home.rules.rules if each.group == group)
    rules = tuple(
        replace(each, on=on) if each.group == group else each for each in home.rules.rules
    )
    what = say("Switch {words} group “{group}”", words=say("on") if on else say("off"), group=group)
    return home.put(replace(home.rules, rules=rules), what)


def set_first(home: RuleHome, first: bool) -> Edit:
    """Let a set's rules come before its marks, or after them."""
    what = say("Rules before marks") if first else say("Rules after marks")
    return home.put(replace(home.rules, first=first), what)


def set_default(home: RuleHome, tile: TileRef | None) -> Edit:
    """Choose the tile that a cell shows which neither rules nor marks take."""
    return home.put(
        replace(home.rules, default=tile), say("Default tile") if tile else say("No default tile")
    )


def add_rule_list(project: Project, new: RuleList) -> Edit:
    """Add a list of rules to the project; its name is made one of its own."""
    name = free_name(new.name or say("Rules"), [each.name for each in project.rule_lists])
    lists = [*project.rule_lists, replace(new, name=name)]
    atom = SetField(project, "rule_lists", lists, Changed(What.RULES))
    return Edit(say("Add rules “{name}”", name=name), (atom,))


def rename_rule_list(project: Project, name: str, new: str) -> Edit:
    """Give a rule list another name; recipes follow."""
    if not new.strip() or (new != name and project.rules_named(new)):
        raise EditError(
            say("there are rules “{new}” already, or it has no name: give another", new=new)
        )
    lists = [replace(each, name=new) if each.name == name else each for each in project.rule_lists]
    atoms: list[Atom] = [SetField(project, "rule_lists", lists, Changed(What.RULES))]
    for map_ in project.maps:
        steps = tuple(
            replace(step, rules=new)
            if isinstance(step, RewriteStep) and step.rules == name
            else step
            for step in map_.recipe.steps
        )
        if steps != map_.recipe.steps:
            recipe = replace(map_.recipe, steps=steps)
            atoms.append(SetField(map_, "recipe", recipe, Changed(What.RECIPE, map_)))
    return Edit(say("Rename rules “{new}”", new=new), tuple(atoms))


def delete_rule_list(project: Project, name: str) -> Edit:
    """Delete a rule list; steps that use it say so and do nothing."""
    lists = [each for each in project.rule_lists if each.name != name]
    atom = SetField(project, "rule_lists", lists, Changed(What.RULES))
    return Edit(say("Delete rules “{name}”", name=name), (atom,))


def merge_rules(home: RuleHome, more: RuleList) -> Edit:
    """Add the rules of another list behind those that are there."""
    number = home.rules.free_number()
    added = tuple(replace(rule, number=number + n) for n, rule in enumerate(more.rules))
    if home.kit is not None and any(isinstance(each, RewriteRule) for each in added):
        raise EditError(
            say(
                "these rules rewrite layers, which a terrain set has not: read them into a list of "
                "their own"
            )
        )
    new = replace(home.rules, rules=(*home.rules.rules, *added))
    return home.put(new, say("Add {count} rules", count=len(added)))


# Rules from marks and from cells


def plain_mix(home: RuleHome, mark: int) -> str:
    """Name the mix that a terrain's plain cells are drawn from; “” is the set's own tiles."""
    rule = plain_rule(home, mark)
    return rule.result.mix if rule else ""


# Following tiles and terrains


def rules_moved(rules: RuleList, follow: Follow) -> RuleList:
    """Let rules follow tiles that lie elsewhere now; what can not follow stays and is told."""

    def tile(ref: TileRef | None) -> TileRef | None:
        return ref if ref is None else follow(ref) or ref

    def ask(each: Ask) -> Ask:
        tiles = tuple(follow(ref) or ref for ref in each.tiles)
        return each if tiles == each.tiles else replace(each, tiles=tiles)

    def rule(each: Rule) -> Rule:
        if isinstance(each, RewriteRule):
            block = tuple(cell._replace(ask=ask(cell.ask)) for cell in each.block)
            outcomes = tuple(
                replace(o, cells=tuple(cell._replace(tile=tile(cell.tile)) for cell in o.cells))
                for o in each.outcomes
            )
            return replace(each, block=block, outcomes=outcomes)
        result = each.result
        tiles = tuple(MixEntry(follow(e.tile) or e.tile, e.weight) for e in result.tiles)
        patch = result.patch
        if patch is not None:
            patch = Patch(patch.name, tuple(tuple(tile(ref) for ref in row) for row in patch.rows))
        stencil = tuple(spot._replace(ask=ask(spot.ask)) for spot in each.stencil)
        subject = ask(each.subject) if each.subject else None
        result = replace(result, tiles=tiles, patch=patch)
        return replace(each, stencil=stencil, subject=subject, result=result)

    new = replace(
        rules, rules=tuple(rule(each) for each in rules.rules), default=tile(rules.default)
    )
    return rules if new == rules else new


def rules_renamed(rules: RuleList, names: dict[str, str | None]) -> RuleList:
    """Let rules follow terrains that have another name; those that are gone are told."""

    def ask(each: Ask) -> Ask:
        new = names.get(each.name) if each.kind is AskKind.TERRAIN and each.name else None
        return replace(each, name=new) if new else each

    def rule(each: Rule) -> Rule:
        if isinstance(each, RewriteRule):
            return replace(each, block=tuple(c._replace(ask=ask(c.ask)) for c in each.block))
        stencil = tuple(spot._replace(ask=ask(spot.ask)) for spot in each.stencil)
        return replace(each, stencil=stencil, subject=ask(each.subject) if each.subject else None)

    new = replace(rules, rules=tuple(rule(each) for each in rules.rules))
    return rules if new == rules else new


def rules_for_layer(rules: RuleList, old: str, new: str) -> RuleList:
    """Let rewrite rules follow a layer that has another name."""

    def rule(each: Rule) -> Rule:
        if not isinstance(each, RewriteRule):
            return each
        block = tuple(c._replace(layer=new) if c.layer == old else c for c in each.block)
        outcomes = tuple(
            replace(o, cells=tuple(c._replace(layer=new) if c.layer == old else c for c in o.cells))
            for o in each.outcomes
        )
        return replace(each, block=block, outcomes=outcomes)

    return replace(rules, rules=tuple(rule(each) for each in rules.rules))


def tile_moves(project: Project, follow: Follow) -> list[Atom]:
    """Let all rules of a project follow tiles."""
    atoms: list[Atom] = []
    for owner in project.tilesets:
        for kit in owner.sets:
            new = rules_moved(kit.rules, follow)
            if new is not kit.rules:
                atoms.append(SetField(kit, "rules", new, Changed(What.MARKS, tileset=owner)))
    lists = [rules_moved(each, follow) for each in project.rule_lists]
    if lists != project.rule_lists:
        atoms.append(SetField(project, "rule_lists", lists, Changed(What.RULES)))
    return atoms
