"""`knitground knit`: knit a map again and report gaps."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import click
import numpy as np

from knitground.cli.output import (
    allowing_gaps,
    as_json,
    dry_run,
    examples,
    map_called,
    opened,
    tell,
    tell_faults,
)
from knitground.core.edit.rules import homes
from knitground.core.edit.rulestats import rule_stats
from knitground.core.files.opening import project_file
from knitground.core.files.saving import save_project
from knitground.core.grow.parting import mend_layer
from knitground.core.grow.rewriting import rewrite_map
from knitground.core.knit.bridge import build_graph
from knitground.core.knit.layer import knit_map, layer_table
from knitground.core.knit.missing import key_words, missing_keys
from knitground.core.model.layers import GroundLayer
from knitground.core.model.map import Map
from knitground.core.model.project import Project
from knitground.core.model.terrain import SetKind


@click.command(
    "knit",
    epilog=examples(
        'knit Harbour --map "North basin"',
        'knit Harbour --map "North basin" --bridge --quiet',
    ),
)
@click.argument("project", type=click.Path(path_type=Path))
@click.option("--map", "name", required=True, metavar="NAME", help="The map.")
@click.option("--bridge", is_flag=True, help="Put terrain between what has no tiles, and save.")
@allowing_gaps
@dry_run
@as_json
def knit_command(project: Path, name: str, bridge: bool, allow_gaps: bool, as_json: bool) -> int:
    """Knit a map of PROJECT and report gaps; exits 1 if there are any, or a sheet is missing.

    Cells are worked out from terrain whenever a project is opened, so nothing is written unless
    --bridge changes the terrain.
    """
    found_project = opened(project)
    model = found_project.project
    map_ = map_called(model, name)
    bridged = _bridge(model, map_) if bridge else 0
    if bridged:
        save_project(model, project_file(project).parent)
    gaps = knit_map(model, map_)
    grounds = [layer for layer in map_.layers if isinstance(layer, GroundLayer)]
    missing: list[tuple[str, str, list[str], int]] = []
    for layer in grounds:
        found = model.set_of(layer.tileset, layer.set_name)
        if found:
            table = layer_table(model, map_, layer)
            for key, cells in missing_keys(table, layer, map_.wrap):
                names = [found[1].name_of(mark) for mark in key]
                missing.append((layer.name, key_words(found[1], key), names, cells))
    rewrite_map(model, map_)
    rules = _rule_counts(model, map_)
    cells = map_.height * map_.width * len(grounds)
    value = {
        "cells": cells,
        "gaps": gaps,
        "bridged": bridged,
        "missing": [
            {"layer": layer, "shows": words, "marks": names, "cells": count}
            for layer, words, names, count in missing
        ],
        "rules": rules,
    }
    lines = [f"{cells} cells knitted, {gaps} gaps, {bridged} vertices bridged"]
    lines += [f"missing on {layer}: {words} ({count} cells)" for layer, words, _, count in missing]
    lines += [f"rules {each['list']}: {each['place']} “{each['name']}” took {each['cells']} cells"
              for each in rules]  # fmt: skip
    tell(value, lines, as_json)
    told = found_project.warnings or ([f"{gaps} gaps"] if gaps else [])
    return tell_faults({}, told, allowed=allow_gaps)


def _rule_counts(model: Project, map_: Map) -> list[dict[str, Any]]:
    """Count the cells of a map that each rule took, of terrain sets and of live lists."""
    out: list[dict[str, Any]] = []
    for home in homes(model):
        stats = rule_stats(home, map_)
        if not stats.used:
            continue
        for place, rule in enumerate(home.rules.rules, 1):
            fired = stats.fired.get(rule.number)
            out.append({
                "list": home.title, "place": place, "name": rule.name,
                "cells": fired.count if fired else 0,
                "problem": stats.problems.get(rule.number, ""),
            })  # fmt: skip
    return out


def _bridge(model: Project, map_: Map) -> int:
    """Mend the terrain of every ground layer; returns the number of vertices changed."""
    changed = 0
    for layer in map_.layers:
        if not isinstance(layer, GroundLayer) or layer.kind_of_set is not SetKind.CORNER:
            continue  # only terrain on vertices needs bridges as a whole
        graph = build_graph(layer_table(model, map_, layer))
        mended = mend_layer(graph, layer.terrain, map_.lattice)
        grid = np.s_[:-1, :-1] if map_.wrap else np.s_[:, :]  # each place once
        changed += int((mended[grid] != layer.terrain[grid]).sum())
        layer.terrain[:] = mended
    return changed
