"""Edits of rules: those of terrain sets, and the project's own lists."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, replace

from knitground.core.base.errors import EditError
from knitground.core.edit.atoms import Atom, SetField
from knitground.core.edit.changed import Changed, What
from knitground.core.edit.document import Edit
from knitground.core.model.mix import MixEntry
from knitground.core.model.patch import Patch
from knitground.core.model.project import Project, free_name
from knitground.core.model.recipe import RewriteStep
from knitground.core.model.rules import (
    SAME,
    Ask,
    AskKind,
    NeighbourRule,
    Result,
    ResultKind,
    RewriteRule,
    Rule,
    RuleList,
    Spot,
    Ways,
)
from knitground.core.model.terrain import ANY, SetKind, TerrainSet
from knitground.core.model.tile import TileRef
from knitground.core.model.tileset import Tileset
from knitground.core.rules.places import MIDDLE, base_places

Follow = Callable[[TileRef], TileRef | None]


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
        return f"{self.kit.name} ({self.kit.kind.value} set)" if self.kit else self.name

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


def homes(project: Project) -> list[RuleHome]:
    """List all places of a project where rules live: terrain sets, then its own lists."""
    sets = [RuleHome(project, owner, kit) for owner in project.tilesets for kit in owner.sets]
    return sets + [RuleHome(project, name=each.name) for each in project.rule_lists]


def rule_words(rule: Rule) -> str:
    """Name a rule: its own name, or its kind and number."""
    kind = "Rule" if isinstance(rule, NeighbourRule) else "Rewrite"
    return rule.name or f"{kind} {rule.number}"


def add_rule(home: RuleHome, rule: Rule, at: int | None = None) -> Edit:
    """Add a rule, at the end or before the `at`-th; it gets a number of its own."""
    rules = list(home.rules.rules)
    rule = replace(rule, number=home.rules.free_number())
    rules.insert(len(rules) if at is None else at, rule)
    return home.put(replace(home.rules, rules=tuple(rules)), f"Add {rule_words(rule)}")


def change_rule(home: RuleHome, number: int, new: Rule, what: str = "") -> Edit:
    """Put another rule in a rule's place; it keeps its number."""
    new = replace(new, number=number)
    rules = tuple(new if each.number == number else each for each in home.rules.rules)
    return home.put(replace(home.rules, rules=rules), what or f"Change {rule_words(new)}")


def delete_rules(home: RuleHome, numbers: Iterable[int]) -> Edit:
    """Delete rules by their numbers."""
    gone = set(numbers)
    rules = tuple(each for each in home.rules.rules if each.number not in gone)
    names = [rule_words(each) for each in home.rules.rules if each.number in gone]
    what = f"Delete {names[0]}" if len(names) == 1 else f"Delete {len(names)} rules"
    return home.put(replace(home.rules, rules=rules), what)


def duplicate_rule(home: RuleHome, number: int) -> Edit:
    """Put a copy of a rule behind it."""
    rules = list(home.rules.rules)
    at = next((n for n, each in enumerate(rules) if each.number == number), None)
    if at is None:
        raise EditError(f"rule {number} is not in the list: choose another")
    copy = replace(rules[at], number=home.rules.free_number())
    rules.insert(at + 1, copy)
    new = replace(home.rules, rules=tuple(rules))
    return home.put(new, f"Duplicate {rule_words(copy)}")


def move_rules(home: RuleHome, numbers: Sequence[int], to: int) -> Edit:
    """Move rules, in their order, before the one that stands `to`-th now."""
    rules = home.rules.rules
    moved = [each for each in rules if each.number in set(numbers)]
    before = [each for each in rules[:to] if each.number not in set(numbers)]
    after = [each for each in rules[to:] if each.number not in set(numbers)]
    what = f"Move {rule_words(moved[0])}" if len(moved) == 1 else f"Move {len(moved)} rules"
    return home.put(replace(home.rules, rules=(*before, *moved, *after)), what)


def move_above(home: RuleHome, number: int, others: Iterable[int]) -> Edit:
    """Move a rule above others that hide it; above the marks too, if they come first."""
    hiding = set(others)
    places = [n for n, each in enumerate(home.rules.rules) if each.number in hiding]
    at = min(places, default=0)
    edit = move_rules(home, [number], at)
    rule = home.rule(number)
    what = f"Move {rule_words(rule) if rule else 'rule'} above what hides it"
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
    what = f"Switch {'on' if on else 'off'} group “{group}”"
    return home.put(replace(home.rules, rules=rules), what)


def set_first(home: RuleHome, first: bool) -> Edit:
    """Let a set's rules come before its marks, or after them."""
    what = "Rules before marks" if first else "Rules after marks"
    return home.put(replace(home.rules, first=first), what)


def set_default(home: RuleHome, tile: TileRef | None) -> Edit:
    """Choose the tile that a cell shows which neither rules nor marks take."""
    return home.put(
        replace(home.rules, default=tile), "Default tile" if tile else "No default tile"
    )


def add_rule_list(project: Project, new: RuleList) -> Edit:
    """Add a list of rules to the project; its name is made one of its own."""
    name = free_name(new.name or "Rules", [each.name for each in project.rule_lists])
    lists = [*project.rule_lists, replace(new, name=name)]
    atom = SetField(project, "rule_lists", lists, Changed(What.RULES))
    return Edit(f"Add rules “{name}”", (atom,))


def rename_rule_list(project: Project, name: str, new: str) -> Edit:
    """Give a rule list another name; recipes follow."""
    if not new.strip() or (new != name and project.rules_named(new)):
        raise EditError(f"there are rules “{new}” already, or it has no name: give another")
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
    return Edit(f"Rename rules “{new}”", tuple(atoms))


def delete_rule_list(project: Project, name: str) -> Edit:
    """Delete a rule list; steps that use it say so and do nothing."""
    lists = [each for each in project.rule_lists if each.name != name]
    atom = SetField(project, "rule_lists", lists, Changed(What.RULES))
    return Edit(f"Delete rules “{name}”", (atom,))


def merge_rules(home: RuleHome, more: RuleList) -> Edit:
    """Add the rules of another list behind those that are there."""
    number = home.rules.free_number()
    added = tuple(replace(rule, number=number + n) for n, rule in enumerate(more.rules))
    if home.kit is not None and any(isinstance(each, RewriteRule) for each in added):
        raise EditError(
            "these rules rewrite layers, which a terrain set has not: read them into a list of "
            "their own"
        )
    new = replace(home.rules, rules=(*home.rules.rules, *added))
    return home.put(new, f"Add {len(added)} rules")


# Rules from marks and from cells


def rules_from_marks(kit: TerrainSet, tiles: Sequence[tuple[TileRef, Sequence[int]]]) -> list[Rule]:
    """Say the marks of tiles as rules, one for each group of tiles with the same marks.

    Parameters
    ----------
    tiles : tiles and their nine marks each
    """
    groups: dict[tuple[int, ...], list[TileRef]] = {}
    for tile, marks in tiles:
        groups.setdefault(tuple(int(each) for each in marks), []).append(tile)
    out: list[Rule] = []
    for marks, group in groups.items():
        stencil, subject = stencil_of_marks(kit, marks)
        shown = tuple(MixEntry(tile) for tile in group)
        name = _name_of(kit, marks)
        out.append(NeighbourRule(0, stencil, name, Result(tiles=shown), subject))
    return out


def stencil_of_marks(kit: TerrainSet, marks: Sequence[int]) -> tuple[tuple[Spot, ...], Ask | None]:
    """Say a tile's marks as a stencil: what it would take to stand there by a rule."""
    places = base_places(kit.kind)
    if kit.kind is not SetKind.RING:
        spots = [
            Spot(y, x, Ask(AskKind.TERRAIN, kit.name_of(marks[slot]) if marks[slot] else ""))
            for slot, (y, x) in zip(kit.kind.slots, places)
            if marks[slot] != ANY
        ]
        return tuple(spots), None
    middle = marks[kit.kind.slots[0]]
    spots = []
    for slot, (y, x) in zip(kit.kind.slots[1:], places[1:]):
        if marks[slot] == ANY:
            continue
        same = marks[slot] == middle
        if not same and slot % 2 and not _both_sides(marks, slot, middle):
            continue  # a corner counts only where both its sides do
        spots.append(Spot(y, x, SAME if same else Ask(AskKind.OTHER)))
    return tuple(spots), Ask(AskKind.TERRAIN, kit.name_of(middle)) if middle else None


def plain_mix(home: RuleHome, mark: int) -> str:
    """Name the mix that a terrain's plain cells are drawn from; “” is the set's own tiles."""
    rule = _plain_rule(home, mark)
    return rule.result.mix if rule else ""


def set_plain_mix(home: RuleHome, mark: int, mix: str) -> Edit:
    """Draw the cells that show one terrain all over from a mix, by a rule at the end of the list.

    Parameters
    ----------
    home : of a terrain set
    mark : the terrain
    mix : “” for the set's own tiles again
    """
    assert home.kit is not None
    name = home.kit.name_of(mark)
    old = _plain_rule(home, mark)
    if not mix:
        others = tuple(each for each in home.rules.rules if each is not old)
        return home.put(replace(home.rules, rules=others), f"Plain {name} from the set")
    if not home.rules.first:
        raise EditError(
            f"the marks of “{home.kit.name}” come before its rules, and a mix for plain {name} is"
            " a rule: tick “rules before marks” on stage Rules first"
        )
    result = Result(ResultKind.MIX, mix=mix)
    what = f"Plain {name} from mix “{mix}”"
    if old is not None:
        return change_rule(home, old.number, replace(old, result=result, on=True), what)
    stencil, subject = stencil_of_marks(home.kit, [mark] * 9)
    rule = NeighbourRule(home.rules.free_number(), stencil, f"Plain {name}", result, subject)
    return home.put(replace(home.rules, rules=(*home.rules.rules, rule)), what)


def _plain_rule(home: RuleHome, mark: int) -> NeighbourRule | None:
    assert home.kit is not None
    form = stencil_of_marks(home.kit, [mark] * 9)
    for rule in home.rules.rules:
        if not isinstance(rule, NeighbourRule) or rule.result.kind is not ResultKind.MIX:
            continue
        plain = rule.ways is Ways.AS_DRAWN and rule.chance == 1 and rule.every[:2] == (1, 1)
        if plain and (rule.stencil, rule.subject) == form:
            return rule
    return None


def _both_sides(marks: Sequence[int], slot: int, middle: int) -> bool:
    return marks[(slot - 1) % 8] == middle and marks[(slot + 1) % 8] == middle


def _name_of(kit: TerrainSet, marks: Sequence[int]) -> str:
    shown = [kit.name_of(marks[slot]) for slot in kit.kind.slots if marks[slot] not in (0, ANY)]
    return ", ".join(dict.fromkeys(shown))[:60]


def stencil_from_cell(kit: TerrainSet, values: dict[tuple[int, int], int]) -> NeighbourRule:
    """Make a rule of what lies round a cell: values of its places, by place."""
    own = values.get(MIDDLE, 0)
    spots = []
    for (y, x), value in sorted(values.items()):
        if kit.kind is SetKind.RING:
            if (y, x) != MIDDLE:
                spots.append(Spot(y, x, SAME if value == own else Ask(AskKind.OTHER)))
        else:
            spots.append(Spot(y, x, Ask(AskKind.TERRAIN, kit.name_of(value) if value else "")))
    subject = None
    if kit.kind is SetKind.RING and own:
        subject = Ask(AskKind.TERRAIN, kit.name_of(own))
    return NeighbourRule(0, tuple(spots), subject=subject)


def new_rule(home: RuleHome, result: Result) -> Rule:
    """Make a rule that asks nothing yet, with a result."""
    ways = Ways.TURNED if home.kit is None else Ways.AS_DRAWN
    return NeighbourRule(0, (), result=result, ways=ways)


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
