"""Sheets that are missing or were changed, and sheets, sets and tiles that nothing uses."""

from __future__ import annotations

from collections.abc import Iterator
from hashlib import blake2b

import numpy as np

from knitground.core.base.tongue import say, say_many
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
                "missing",
                say(
                    "the sheet of “{name}”, {sheet}, is missing or can not be read",
                    name=owner.name,
                    sheet=owner.sheet,
                ),
                owner.name,
                hurt=1.0,
            )


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
                "changed",
                say(
                    "“{name}” has other rows and columns than when the project was last saved: "
                    "its sheet is of another size",
                    name=owner.name,
                ),
                key,
                hurt=0.5,
            )
        elif changed:
            numbers = ", ".join(str(owner.number(*each)) for each in changed[:_NAMED])
            more = (
                say(" and {count} more", count=len(changed) - _NAMED)
                if len(changed) > _NAMED
                else ""
            )
            yield Finding(
                "changed",
                say_many(
                    "tile {numbers}{more} of “{name}” looks otherwise than when the project "
                    "was last saved",
                    "tiles {numbers}{more} of “{name}” look otherwise than when the project "
                    "was last saved",
                    len(changed),
                    numbers=numbers,
                    more=more,
                    name=owner.name,
                ),
                key,
                tile=TileRef(owner.name, *changed[0]),
                count=len(changed),
                hurt=0.2,
            )


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
            yield Finding(
                "unused",
                say("nothing uses the sheet “{name}”", name=owner.name),
                owner.name,
                hurt=0.1,
            )
            continue
        for kit in owner.sets:
            if (owner.name, kit.name) not in sets and not kit.rules.rules:
                yield Finding(
                    "unused",
                    say(
                        "no map uses the set “{name}” of “{name2}”", name=kit.name, name2=owner.name
                    ),
                    f"{owner.name} {kit.name}",
                    hurt=0.1,
                )
        if owner.picture is None:
            continue
        filled = {(row, col) for row, col in np.argwhere(filled_tiles(owner)).tolist()}
        filled -= owner.left_out
        spare = sorted(each for each in filled if (owner.name, *each) not in tiles)
        idle = [each for each in spare if _shows_something(owner, each)]
        if idle:
            count = len(filled) - len(spare) + len(idle)
            yield Finding(
                "unused",
                say(
                    "{count} of {count2} tiles of “{name}” lie nowhere, and no mix, rule or set "
                    "in use has them",
                    count=len(idle),
                    count2=count,
                    name=owner.name,
                ),
                f"{owner.name} tiles",
                tile=TileRef(owner.name, *idle[0]),
                count=len(idle),
                hurt=0.05,
            )


def _shows_something(owner: Tileset, at: At) -> bool:
    """Tell a picture from an empty place, which is of one colour."""
    pixels = tile_pixels(owner, TileRef(owner.name, *at))
    return pixels is not None and bool(np.ptp(pixels))


MISSING = Check(
    "missing",
    Group.FILES,
    say("Missing sheets"),
    say("Sheets whose picture is not there, or broken"),
    _missing,
    stage="slice",
    of_map=False,
    of_cells=False,
)
CHANGED = Check(
    "changed", Group.FILES, say("Changed sheets"),
    say("Sheets whose tiles look otherwise since the project was last saved: drawn anew elsewhere"),
    _changed, stage="slice", of_map=False, of_cells=False,
)  # fmt: skip
UNUSED = Check(
    "unused",
    Group.FILES,
    say("Unused"),
    say("Sheets, sets and tiles that no map, mix or rule uses"),
    _unused,
    stage="slice",
    of_map=False,
)
