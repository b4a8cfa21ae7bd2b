"""`knitground rules`: what the rules of a terrain set take, what hides them, what nobody takes."""

from __future__ import annotations

from pathlib import Path

import click

from knitground.cli.output import as_json, tell
from knitground.cli.terrains import found_set
from knitground.core.edit.rulehome import RuleHome, rule_words
from knitground.core.edit.rulestats import find_untaken, rule_stats, set_report
from knitground.core.knit.missing import key_words


@click.command("rules")
@click.argument("tileset", type=click.Path(path_type=Path))
@click.option("--set", "name", required=True, metavar="NAME", help="The terrain set.")
@as_json
def rules_command(tileset: Path, name: str, as_json: bool) -> int:
    """Analyse the rules of a terrain set of TILESET (a NAME.tiles.json).

    Exits 1 if a rule never fires or can not be used, or if a situation of the maps of the project
    beside it has no tile.
    """
    project, owner, kit = found_set(tileset, name)
    home = RuleHome(project, owner, kit)
    report, _ = set_report(home)
    cells: dict[int, int] = {}
    for map_ in project.maps:
        for number, fired in rule_stats(home, map_).fired.items():
            cells[number] = cells.get(number, 0) + fired.count
    places = {rule.number: place for place, rule in enumerate(kit.rules.rules, 1)}
    rules = []
    lines = []
    bad = False
    for rule in kit.rules.rules:
        fact = report.facts.get(rule.number)
        value: dict[str, object] = {
            "place": places[rule.number], "name": rule.name, "on": rule.on,
            "takes": fact.takes if fact else 0, "could": fact.could if fact else 0,
            "cells": cells.get(rule.number, 0),
            "hidden_by": [places[n] for n in fact.hidden_by] if fact else [],
            "hidden_by_marks": bool(fact and fact.marks_hide),
            "problem": fact.problem if fact else "",
        }  # fmt: skip
        never = bool(fact and rule.on and fact.never_fires)
        value["never_fires"] = never
        rules.append(value)
        bad |= never or bool(rule.on and fact and fact.problem)
        words = f"{places[rule.number]} “{rule_words(rule)}”: "
        if fact is not None and fact.problem:
            words += fact.problem
        elif never:
            by = [f"rule {n}" for n in value["hidden_by"]]  # type: ignore[attr-defined]
            by += ["the marks"] if value["hidden_by_marks"] else []
            words += f"never fires, hidden by {', '.join(by)}"
        else:
            words += f"takes {value['takes']} of {value['could']} situations, "
            words += f"{value['cells']} cells"
        lines.append(words if rule.on else f"{words} (off)")
    found = find_untaken(home, project.maps)
    untaken = [
        {"shows": key_words(kit, each.key), "key": list(each.key), "cells": each.cells}
        for each in found.untaken
    ]
    lines.append(f"{found.had} of {found.wanted} situations have a tile")
    lines += [f"no tile: {each['shows']} ({each['cells']} cells)" for each in untaken]
    bad |= any(each.cells for each in found.untaken)
    value = {
        "rules": rules, "exact": report.exact, "first": kit.rules.first, "had": found.had,
        "wanted": found.wanted, "untaken": untaken,
    }  # fmt: skip
    tell(value, lines, as_json)
    return 1 if bad else 0
