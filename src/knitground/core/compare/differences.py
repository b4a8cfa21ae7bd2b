"""What is different between two projects: maps by their cells, all else by its parts."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, fields
from typing import Any

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.progress import Progress, no_progress
from knitground.core.base.tongue import say, say_many
from knitground.core.base.window import Box
from knitground.core.edit.document import Document
from knitground.core.model.layers import Layer
from knitground.core.model.map import Map, grid_of
from knitground.core.model.project import Project
from knitground.core.model.terrain import TerrainSet
from knitground.core.model.tile import TileRef
from knitground.core.model.tileset import Tileset

Mask = NDArray[np.bool_]
_OF_LAYERS = {"cells", "pinned", "terrain", "painted", "markers", "laid"}
"""Fields of layers that are told as cells or markers, not as settings."""
_OF_PROJECTS = {
    "name": say("is called otherwise"),
    "shape_kinds": say("has other kinds of shapes"),
    "tray": say("has other patches in its tray"),
    "excused": say("has other findings that are no fault"),
    "profiles": say("ships otherwise"),
}
_OF_MAPS = {
    "wrap": say("wraps, or no more"), "background": say("has another background"),
    "screen": say("has another screen"), "properties": say("has other properties"),
    "recipe": say("has another recipe"), "grid": say("has another grid"),
}  # fmt: skip


@dataclass(frozen=True)
class Difference:
    """One thing that is different.

    Parameters
    ----------
    part : what it is of: “map”, “sheet”, “set”, “mix”, “rules”, “project”
    name : of that, as it is called now, or as it was called if it is gone
    words : what is different
    layer, number : of the layer, if it is one's
    fields : of what it is, those that are different
    cells : (rows, columns) of the map: those that show something else now; None if it is no matter
        of cells
    tiles : whose marks or facts are different
    """

    part: str
    name: str
    words: str
    layer: str = ""
    cells: Mask | None = None
    tiles: tuple[TileRef, ...] = ()
    number: int = 0
    fields: tuple[str, ...] = ()

    @property
    def count(self) -> int:
        """Cells or tiles that are different; 1 if it is neither."""
        if self.cells is not None:
            return int(self.cells.sum())
        return max(1, len(self.tiles))


def differences(
    before: Document, now: Document, progress: Progress = no_progress
) -> list[Difference]:
    """List what is different now.

    Maps, sheets, sets, mixes and rule lists are the same if they have the same name: one that was
    renamed is one that is gone, and another that is new.

    Raises
    ------
    Cancelled
        From `progress`.
    """
    out = list(_sheets(before.project, now.project))
    old = {each.name: each for each in before.project.maps}
    names = [*dict.fromkeys([*old, *(each.name for each in now.project.maps)])]
    for n, name in enumerate(names):
        progress(n / len(names))
        one, other = old.get(name), now.project.map_named(name)
        if one is None or other is None:
            out.append(Difference("map", name, say("is new") if one is None else say("is gone")))
        else:
            out += _map(before, now, one, other)
    out += _named("mix", before.project.mixes, now.project.mixes)
    out += _named("rules", before.project.rule_lists, now.project.rule_lists)
    for field, words in _OF_PROJECTS.items():
        if getattr(before.project, field) != getattr(now.project, field):
            out.append(Difference("project", now.project.name, words, fields=(field,)))
    progress(1.0)
    return out


def _named(part: str, old: Sequence[Any], new: Sequence[Any]) -> Iterator[Difference]:
    before, now = ({each.name: each for each in some} for some in (old, new))
    for name in dict.fromkeys([*before, *now]):
        if name not in before or name not in now:
            yield Difference(part, name, say("is new") if name in now else say("is gone"))
        elif before[name] != now[name]:
            yield Difference(part, name, say("is different"))


def _sheets(before: Project, now: Project) -> Iterator[Difference]:
    old = {each.name: each for each in before.tilesets}
    for name in dict.fromkeys([*old, *(each.name for each in now.tilesets)]):
        one, other = old.get(name), now.tileset_named(name)
        if one is None or other is None:
            yield Difference("sheet", name, say("is new") if one is None else say("is gone"))
            continue
        if one.slicing != other.slicing:
            yield Difference("sheet", name, say("is cut otherwise"))
        if not _same_picture(one, other):
            yield Difference("sheet", name, say("has another picture"))
        facts = [at for at in sorted({*one.facts, *other.facts})
                 if one.fact(*at) != other.fact(*at)]  # fmt: skip
        if facts:
            yield Difference(
                "sheet",
                name,
                say("tiles with other weights, names, shapes or animations"),
                tiles=tuple(TileRef(name, *at) for at in facts),
            )
        yield from _sets(one, other)


def _same_picture(one: Tileset, other: Tileset) -> bool:
    if one.picture is other.picture or one.picture is None or other.picture is None:
        return one.picture is other.picture
    return one.picture.shape == other.picture.shape and bool((one.picture == other.picture).all())


def _sets(one: Tileset, other: Tileset) -> Iterator[Difference]:
    old = {each.name: each for each in one.sets}
    for name in dict.fromkeys([*old, *(each.name for each in other.sets)]):
        a, b = old.get(name), other.set_named(name)
        title = f"{other.name} · {name}"
        if a is None or b is None:
            yield Difference("set", title, say("is new") if a is None else say("is gone"))
            continue
        if (a.kind, a.terrains) != (b.kind, b.terrains):
            yield Difference("set", title, say("has other terrains"), fields=("terrains",))
        tiles = _marked_otherwise(one, other, a, b)
        if tiles:
            yield Difference("set", title, say("tiles with other marks"), tiles=tuple(tiles),
                             fields=("marks", "guests"))  # fmt: skip
        if a.rules != b.rules:
            yield Difference("set", title, say("has other rules"), fields=("rules",))


def _marked_otherwise(one: Tileset, other: Tileset, a: TerrainSet, b: TerrainSet) -> list[TileRef]:
    out: list[TileRef] = []
    size = max(one.rows, other.rows), max(one.columns, other.columns)
    for guest in [None, *sorted({*a.guests, *b.guests})]:
        if guest is not None:
            shapes = [each.guests[guest].shape for each in (a, b) if guest in each.guests]
            size = max(each[0] for each in shapes), max(each[1] for each in shapes)
        off = (a.marks_within(*size, guest) != b.marks_within(*size, guest)).any(axis=2)
        out += [TileRef(guest or other.name, row, col) for row, col in np.argwhere(off).tolist()]
    return out


def _map(before: Document, now: Document, one: Map, other: Map) -> Iterator[Difference]:
    for field, words in _OF_MAPS.items():
        if getattr(one, field) != getattr(other, field):
            yield Difference("map", other.name, words, fields=(field,))
    size = (one.height, one.width), (other.height, other.width)
    if size[0] != size[1] or one.lattice.cell_size != other.lattice.cell_size:
        yield Difference(
            "map",
            other.name,
            say(
                "has another size: {width} × {height} cells before, {width2} × {height2} now",
                width=one.width,
                height=one.height,
                width2=other.width,
                height2=other.height,
            ),
        )
    old = {each.number: each for each in one.layers}
    for number in dict.fromkeys([*old, *(each.number for each in other.layers)]):
        a, b = old.get(number), other.layer_numbered(number)
        if a is None or b is None:
            layer = a or b
            assert layer is not None
            words = say("is new") if a is None else say("is gone")
            yield Difference(
                "map",
                other.name,
                say("layer “{name}” {words}", name=layer.name, words=words),
                layer.name,
                number=number,
            )
        else:
            yield from _layer(before, now, one, other, a, b)
    order = [each.number for each in one.layers if other.layer_numbered(each.number)]
    if order != [each.number for each in other.layers if each.number in old]:
        yield Difference("map", other.name, say("its layers lie in another order"),
                         fields=("layers",))  # fmt: skip


def _layer(
    before: Document, now: Document, one: Map, other: Map, a: Layer, b: Layer
) -> Iterator[Difference]:
    if type(a) is not type(b):
        yield Difference(
            "map",
            other.name,
            say("layer “{name}” is of another kind", name=b.name),
            b.name,
            number=b.number,
        )
        return
    settings = [
        each.name
        for each in fields(a)
        if each.name not in _OF_LAYERS and getattr(a, each.name) != getattr(b, each.name)
    ]
    if settings:
        words = ", ".join(say(each.replace("_", " ")) for each in settings)
        yield Difference(
            "map",
            other.name,
            say("layer “{name}” has another {words}", name=b.name, words=words),
            b.name,
            number=b.number,
            fields=tuple(settings),
        )
    markers = getattr(a, "markers", ()), getattr(b, "markers", ())
    if markers[0] != markers[1]:
        count = len(set(markers[0]) ^ set(markers[1])) or 1
        yield Difference(
            "map",
            other.name,
            say_many(
                "{count} other marker on “{name}”",
                "{count} other markers on “{name}”",
                count,
                name=b.name,
            ),
            b.name,
            number=b.number,
            fields=("markers",),
        )
    if a.cells.shape != b.cells.shape or not a.cells.size:
        return
    off = _told_apart(before, one, a) != _told_apart(now, other, b)
    if off.any():
        yield Difference(
            "map",
            other.name,
            say(
                "{number} cells of “{name}” show something else", number=int(off.sum()), name=b.name
            ),
            b.name,
            off,
            number=b.number,
        )


def _told_apart(doc: Document, map_: Map, layer: Layer) -> NDArray[Any]:
    """Give cells by what they show, whatever the legend: colours as they are, tiles by a hash."""
    grid = grid_of(map_, layer)
    cells = doc.cells(grid, layer, Box(0, 0, grid.height, grid.width))
    if not layer.holds_tiles:
        return cells
    codes = np.array([hash(("", 0, 0, 0) if tile is None else tile) for tile in map_.legend.tiles])
    return np.where(cells > 0, codes[np.clip(cells, 0, len(codes) - 1)], cells)
