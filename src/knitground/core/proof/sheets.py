"""Sheets that are missing or were changed, and sheets, sets and tiles that nothing uses."""

from __future__ import annotations

from collections.abc import Iterator
from hashlib import blake2b

import numpy as np

from knitground.core.knit.layer import marked_tiles
from knitground.core.model.layers import GroundLayer, MarkerLayer
from knitground.core.model.tile import TileRef, tiles_in
from knitground.core.model.tileset import At, Tileset
from knitground.core.proof.finding import Check, Finding, Group
from knitground.core.proof.proving import Proving
from knitground.core.render.tiles import filled_tiles, tile_pixels
from knitground.core.slicing.prints import changed_tiles, prints_of

_NAMED = 6
"""Tiles that a finding names by their numbers."""


def _missing(at: Proving) -> Iterator[Finding]:
    for owner in at.project.tilesets:
        if owner.picture is None:
            yield Finding(
                "missing", f"the sheet of “{owner.name}”, {owner.sheet}, is missing or can not be "
                "read", owner.name, hurt=1.0,
            )  # fmt: skip


def _changed(at: Proving) -> Iterator[Finding]:
    for owner in at.project.tilesets:
        if owner.picture is None or owner.prints is None:
            continue
        if owner.prints.slicing != owner.slicing:
            continue  # it was cut otherwise here, and nobody knows yet what its tiles were like
        now = prints_of(owner.picture, owner.slicing)
        changed = changed_tiles(owner.prints, now)
        # What is no fault is so as the sheet is now: if it is drawn anew it is told again.
        key = f"{owner.name} {blake2b(repr(now.rows).encode(), digest_size=8).hexdigest()}"
        if changed is None:
            yield Finding(
                "changed", f"“{owner.name}” has other rows and columns than when the project was "
                "last saved: its sheet is of another size", key, hurt=0.5,
            )  # fmt: skip
        elif changed:
            numbers = ", ".join(str(owner.number(*each)) for each in changed[:_NAMED])
            more = f" and {len(changed) - _NAMED} more" if len(changed) > _NAMED else ""
            tiles = "tiles" if len(changed) > 1 else "tile"
            look = "look" if len(changed) > 1 else "looks"
            yield Finding(
                "changed", f"{tiles} {numbers}{more} of “{owner.name}” {look} otherwise than when "
                "the project was last saved", key,
                tile=TileRef(owner.name, *changed[0]), count=len(changed), hurt=0.2,
            )  # fmt: skip


def _used(at: Proving) -> tuple[set[str], set[tuple[str, str]], set[tuple[str, int, int]]]:
    """Give names of sheets and of sets that anything of the project uses, and its tiles.

    Tiles that a set in use marks can come by knitting: they are used too.
    """
    project = at.project
    sheets: set[str] = set()
    sets: set[tuple[str, str]] = set()
    named: list[object] = [*project.mixes, *project.rule_lists]
    named += [row for patch in project.tray for row in patch.rows]
    for map_ in project.maps:
        for layer in map_.layers:
            if isinstance(layer, GroundLayer):
                sheets.add(layer.tileset)
                sets.add((layer.tileset, layer.set_name))
            if isinstance(layer, MarkerLayer):
                named += [each.tile for each in layer.markers]
        named += [*map_.legend.tiles, *map_.recipe.steps]
        for step in map_.recipe.steps:
            sheets |= {name for of in ("tileset", "sheet") if (name := getattr(step, of, ""))}
            sets.add((getattr(step, "tileset", ""), getattr(step, "set_name", "")))
    for owner in project.tilesets:
        named += [TileRef(frame.tileset or owner.name, frame.row, frame.col)
                  for fact in owner.facts.values() for frame in fact.frames]  # fmt: skip
        for kit in owner.sets:
            named.append(kit.rules)
            if (owner.name, kit.name) in sets:
                named += marked_tiles(project, owner, kit)[1]
    tiles = {(tile.tileset, tile.row, tile.col) for each in named for tile in tiles_in(each)}
    return sheets | {name for name, _, _ in tiles}, sets, tiles


def _unused(at: Proving) -> Iterator[Finding]:
    sheets, sets, tiles = _used(at)
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
        if owner.picture is None:
            continue
        filled = {(row, col) for row, col in np.argwhere(filled_tiles(owner)).tolist()}
        filled -= owner.left_out
        spare = sorted(each for each in filled if (owner.name, *each) not in tiles)
        idle = [each for each in spare if _shows_something(owner, each)]
        if idle:
            count = len(filled) - len(spare) + len(idle)
            yield Finding(
                "unused", f"{len(idle)} of {count} tiles of “{owner.name}” lie nowhere, and no "
                "mix, rule or set in use has them", f"{owner.name} tiles",
                tile=TileRef(owner.name, *idle[0]), count=len(idle), hurt=0.05,
            )  # fmt: skip


def _shows_something(owner: Tileset, at: At) -> bool:
    """Tell a picture from an empty place, which is of one colour."""
    pixels = tile_pixels(owner, TileRef(owner.name, *at))
    return pixels is not None and bool(np.ptp(pixels))


MISSING = Check(
    "missing", Group.FILES, "Missing sheets", "Sheets whose picture is not there, or broken",
    _missing, stage="slice", of_map=False, of_cells=False,
)  # fmt: skip
CHANGED = Check(
    "changed", Group.FILES, "Changed sheets",
    "Sheets whose tiles look otherwise since the project was last saved: drawn anew elsewhere",
    _changed, stage="slice", of_map=False, of_cells=False,
)  # fmt: skip
UNUSED = Check(
    "unused", Group.FILES, "Unused", "Sheets, sets and tiles that no map, mix or rule uses",
    _unused, stage="slice", of_map=False,
)  # fmt: skip
