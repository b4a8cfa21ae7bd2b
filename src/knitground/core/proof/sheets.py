"""Sheets that are missing, and sheets and sets that nothing uses."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import fields, is_dataclass

from knitground.core.model.layers import GroundLayer, MarkerLayer
from knitground.core.model.rules import RuleList
from knitground.core.model.tile import TileRef
from knitground.core.proof.finding import Check, Finding, Group
from knitground.core.proof.proving import Proving


def _missing(at: Proving) -> Iterator[Finding]:
    for owner in at.project.tilesets:
        if owner.picture is None:
            yield Finding(
                "missing", f"the sheet of “{owner.name}”, {owner.sheet}, is missing or can not be "
                "read", owner.name, hurt=1.0,
            )  # fmt: skip


def _used(at: Proving) -> tuple[set[str], set[tuple[str, str]]]:
    """Give names of sheets and of sets that anything of the project uses."""
    sheets: set[str] = set()
    sets: set[tuple[str, str]] = set()
    project = at.project
    for map_ in project.maps:
        for layer in map_.layers:
            if isinstance(layer, GroundLayer):
                sheets.add(layer.tileset)
                sets.add((layer.tileset, layer.set_name))
            if isinstance(layer, MarkerLayer):
                sheets |= {each.tile.tileset for each in layer.markers if each.tile is not None}
        sheets |= {tile.tileset for tile in map_.legend.tiles if tile is not None}
        for step in map_.recipe.steps:
            sheets |= {name for of in ("tileset", "sheet") if (name := getattr(step, of, ""))}
            sets.add((getattr(step, "tileset", ""), getattr(step, "set_name", "")))
    for mix in project.mixes:
        sheets |= {each.tile.tileset for each in mix.entries}
    for patch in project.tray:
        sheets |= {tile.tileset for row in patch.rows for tile in row if tile is not None}
    every: list[RuleList] = [*project.rule_lists]
    for owner in project.tilesets:
        sheets |= {frame.tileset for fact in owner.facts.values() for frame in fact.frames}
        for kit in owner.sets:
            every.append(kit.rules)
            if (owner.name, kit.name) in sets:
                sheets |= set(kit.guests)
    for rules in every:
        sheets |= {tile.tileset for tile in _tiles_in(rules)}
    return sheets, sets


def _tiles_in(value: object) -> Iterator[TileRef]:
    """List all tiles that anything of a list of rules names."""
    if isinstance(value, TileRef):
        yield value
    elif isinstance(value, tuple):
        for each in value:
            yield from _tiles_in(each)
    elif is_dataclass(value):
        for each in fields(value):
            yield from _tiles_in(getattr(value, each.name))


def _unused(at: Proving) -> Iterator[Finding]:
    sheets, sets = _used(at)
    for owner in at.project.tilesets:
        if owner.name not in sheets:
            yield Finding("unused", f"nothing uses the sheet “{owner.name}”", owner.name, hurt=0.1)
            continue
        for kit in owner.sets:
            if (owner.name, kit.name) not in sets and not kit.rules.rules:
                yield Finding(
                    "unused", f"no map uses the set “{kit.name}” of “{owner.name}”",
                    f"{owner.name} {kit.name}", hurt=0.1,
                )  # fmt: skip


MISSING = Check(
    "missing", Group.FILES, "Missing sheets", "Sheets whose picture is not there, or broken",
    _missing, stage="slice", of_map=False, of_cells=False,
)  # fmt: skip
UNUSED = Check(
    "unused", Group.FILES, "Unused", "Sheets and sets that no map, mix or rule uses", _unused,
    stage="slice", of_map=False,
)  # fmt: skip
