"""`knitground proof`: find what is wrong with a project before a game does."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import click

from knitground import __version__
from knitground.cli.output import as_json, examples, map_called, opened, progress, tell
from knitground.core.edit.document import Document
from knitground.core.files.opening import project_file
from knitground.core.model.map import Map
from knitground.core.model.project import Project
from knitground.core.proof.finding import Finding
from knitground.core.proof.proof import CHECKS, Proof, prove

_SARIF = "https://json.schemastore.org/sarif-2.1.0.json"
_BAD = 0.8
"""From so much hurt on a finding is an error to tools that read SARIF."""


@click.command(
    "proof",
    epilog=examples(
        "proof Harbour",
        "proof Harbour --only gaps --only seams --json",
        "proof Harbour --sarif > findings.sarif",
    ),
)
@click.argument("project", type=click.Path(path_type=Path))
@click.option("--map", "name", metavar="NAME", help="Look at one map only.")
@click.option(
    "--only", "only", multiple=True, metavar="CHECK",
    help="Make one check only; may be given several times.",
)  # fmt: skip
@click.option("--sarif", "as_sarif", is_flag=True, help="Print a SARIF 2.1.0 log.")
@as_json
def proof_command(
    project: Path, name: str | None, only: tuple[str, ...], as_sarif: bool, as_json: bool
) -> int:
    """Find what is wrong with PROJECT; exits 1 if anything is.

    What was said to be no fault in the window is left out.
    """
    found = opened(project)
    model = found.project
    maps = [map_called(model, name)] if name is not None else None
    with progress("Checking") as told:
        proof = prove(Document(model), maps, only or None, told)
    if as_sarif:
        tell(_sarif(project_file(project), model, proof), [], True)
    else:
        lines = [_line(model, each) for each in proof.findings]
        lines += [f"the check “{CHECKS[key].title}” could not be made: {words}"
                  for key, words in proof.failed.items()]  # fmt: skip
        count = len(proof.findings)
        apart = f", {len(proof.excused)} said to be no fault" if proof.excused else ""
        lines.append(f"{count} finding{'' if count == 1 else 's'}{apart}")
        tell([_as_dict(model, each) for each in proof.findings], lines, as_json)
    for key, words in proof.failed.items():
        click.echo(f"knitground: the check “{key}” could not be made: {words}", err=True)
    return 1 if proof.findings or proof.failed or found.warnings else 0


def _cells(map_: Map, finding: Finding) -> list[tuple[int, int]]:
    """Give rows and columns as people count them."""
    return [map_.lattice.name_of(*cell) for cell in finding.places]


def _line(model: Project, finding: Finding) -> str:
    map_ = model.map_named(finding.map)
    where = f"“{finding.map}”" if map_ is not None else "project"
    if map_ is not None and finding.places:
        row, col = _cells(map_, finding)[0]
        more = f" and {finding.count - 1} more" if finding.count > 1 else ""
        where += f", column {col}, row {row}{more}"
    return f"{CHECKS[finding.check].title} · {where}: {finding.words}"


def _as_dict(model: Project, finding: Finding) -> dict[str, Any]:
    map_ = model.map_named(finding.map)
    layer = map_.layer_numbered(finding.layer) if map_ is not None else None
    tile = finding.tile
    return {
        "check": finding.check,
        "group": CHECKS[finding.check].group.value,
        "words": finding.words,
        "map": finding.map or None,
        "layer": layer.name if layer is not None else None,
        "cells": _cells(map_, finding) if map_ is not None else [],
        "count": finding.count,
        "tile": [tile.tileset, tile.row, tile.col] if tile is not None else None,
        "hurt": round(finding.hurt, 2),
        "key": finding.key,
    }


def _sarif(file: Path, model: Project, proof: Proof) -> dict[str, Any]:
    """Give the findings as the OASIS format for results of checks, version 2.1.0."""
    rules = [
        {"id": key, "name": check.title, "shortDescription": {"text": check.hint}}
        for key, check in CHECKS.items()
    ]
    results = [
        {
            "ruleId": each.check,
            "level": "error" if each.hurt >= _BAD else "warning",
            "message": {"text": _line(model, each)},
            "locations": [{"physicalLocation": {"artifactLocation": {"uri": file.name}}}],
            "partialFingerprints": {"finding/v1": each.key},
        }
        for each in proof.findings
    ]
    tool = {"driver": {"name": "Knit Ground", "version": __version__, "rules": rules}}
    return {"$schema": _SARIF, "version": "2.1.0", "runs": [{"tool": tool, "results": results}]}
