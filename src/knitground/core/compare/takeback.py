"""Taking back what is different: one difference, or all of a map, as one step."""

from __future__ import annotations

from collections.abc import Iterable
from copy import copy, deepcopy
from typing import Any

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.errors import EditError
from knitground.core.base.tongue import say
from knitground.core.base.window import whole
from knitground.core.compare.differences import Difference
from knitground.core.edit.atoms import Atom, SetField
from knitground.core.edit.changed import Changed, What
from knitground.core.edit.document import Edit
from knitground.core.edit.layers import add_layer, delete_layer
from knitground.core.edit.maps import set_wrap
from knitground.core.edit.sheets import add_tileset, remove_tileset
from knitground.core.model.layers import GroundLayer, Layer, PinnedLayer
from knitground.core.model.map import Map
from knitground.core.model.project import Project

_OF_PROJECTS = {
    "shape_kinds": What.SHAPES, "tray": What.TRAY, "excused": What.PROOF, "name": What.PROPERTIES,
    "profiles": What.SHIPPING,
}  # fmt: skip
_OF_MAPS = {
    "background": What.LAYERS, "screen": What.LAYERS, "properties": What.PROPERTIES,
    "recipe": What.RECIPE,
}  # fmt: skip


def taken_back(before: Project, now: Project, difference: Difference) -> Edit:
    """Take one difference back: what it is of is as it was before.

    Raises
    ------
    EditError
        It can not be taken back alone.
    """
    made = _OF_PARTS[difference.part](before, now, difference)
    if isinstance(made, Edit):
        return Edit(say("Take back “{name}”", name=difference.name), made.atoms)
    atoms = tuple(made)
    if not atoms:
        raise _not_alone(difference)
    return Edit(say("Take back “{what}”", what=difference.layer or difference.name), atoms)


def whole_back(before: Project, now: Project, difference: Difference) -> Edit:
    """Take all of the map of a difference back, whatever is different of it.

    Raises
    ------
    EditError
        It is of no map.
    """
    if difference.part != "map":
        raise _not_alone(difference)
    return Edit(say("Take back “{name}”", name=difference.name),
                (_listed(before, now, difference.name, "maps", What.MAPS),))  # fmt: skip


def _not_alone(difference: Difference) -> EditError:
    return EditError(
        say(
            "“{name}” {words}: that can not be taken back alone; open the other project for it",
            name=difference.name,
            words=difference.words,
        )
    )


def _listed(before: Project, now: Project, name: str, field: str, what: What) -> Atom:
    """Put what has a name in a list of the project as it was, or take it out."""
    # A copy: the other project is compared with again, and must stay what it is.
    old = next((each for each in getattr(before, field) if each.name == name), None)
    old = old.copy() if isinstance(old, Map) else old
    there: list[Any] = list(getattr(now, field))
    place = next((n for n, each in enumerate(there) if each.name == name), len(there))
    there[place : place + 1] = [] if old is None else [old]
    return SetField(now, field, there, Changed(what, old if isinstance(old, Map) else None))


def _fields(now: Any, old: Any, names: Iterable[str], changed: Changed) -> list[Atom]:
    return [SetField(now, name, copy(getattr(old, name)), changed) for name in names]


def _of_project(before: Project, now: Project, difference: Difference) -> list[Atom]:
    return [atom for name in difference.fields
            for atom in _fields(now, before, [name], Changed(_OF_PROJECTS[name]))]  # fmt: skip


def _of_mixes(before: Project, now: Project, difference: Difference) -> list[Atom]:
    return [_listed(before, now, difference.name, "mixes", What.MIXES)]


def _of_rules(before: Project, now: Project, difference: Difference) -> list[Atom]:
    return [_listed(before, now, difference.name, "rule_lists", What.RULES)]


def _of_sheets(before: Project, now: Project, difference: Difference) -> list[Atom] | Edit:
    old, owner = (each.tileset_named(difference.name) for each in (before, now))
    if owner is None:
        assert old is not None
        return add_tileset(now, deepcopy(old))
    if old is None:
        return remove_tileset(now, owner)
    if not difference.tiles:
        return []  # with its cut or its picture go marks and facts: nobody can tell which
    facts = dict(owner.facts)
    for tile in difference.tiles:
        at = tile.row, tile.col
        facts.pop(at, None)
        if at in old.facts:
            facts[at] = old.facts[at]
    return [SetField(owner, "facts", facts, Changed(What.SLICING, tileset=owner))]


def _of_sets(before: Project, now: Project, difference: Difference) -> list[Atom]:
    owner_name, _, name = difference.name.partition(" · ")
    old_owner, owner = (each.tileset_named(owner_name) for each in (before, now))
    if owner is None or old_owner is None:
        raise EditError(say("there is no sheet “{owner_name}” any more", owner_name=owner_name))
    changed = Changed(What.MARKS, tileset=owner)
    old, kit = old_owner.set_named(name), owner.set_named(name)
    if old is None or kit is None:
        sets = [each for each in owner.sets if each.name != name] + ([deepcopy(old)] if old else [])
        return [SetField(owner, "sets", sets, changed)]
    if difference.fields == ("terrains",) and old.kind is not kit.kind:
        return []  # maps that use it are knitted in another way: that is no small part
    return _fields(kit, old, difference.fields, changed)


def _of_maps(before: Project, now: Project, difference: Difference) -> list[Atom] | Edit:
    old, map_ = (each.map_named(difference.name) for each in (before, now))
    if old is None or map_ is None:
        return whole_back(before, now, difference)
    if not difference.number:
        return _of_one_map(old, map_, difference)
    layer, was = map_.layer_numbered(difference.number), old.layer_numbered(difference.number)
    if was is None:
        return delete_layer(map_, layer) if layer is not None else []
    if layer is None:
        if (old.height, old.width, old.grid) != (map_.height, map_.width, map_.grid):
            return []
        place = [each.number for each in old.layers].index(was.number)
        return add_layer(map_, _moved_layer(old, map_, was), place)
    if type(layer) is not type(was):
        return []
    return _of_one_layer(old, map_, was, layer, difference)


def _of_one_map(old: Map, map_: Map, difference: Difference) -> list[Atom] | Edit:
    if difference.fields == ("wrap",):
        return set_wrap(map_, old.wrap)
    if difference.fields == ("layers",):
        place = {each.number: n for n, each in enumerate(old.layers)}
        rank = {each.number: place.get(each.number, n) for n, each in enumerate(map_.layers)}
        layers = sorted(map_.layers, key=lambda each: rank[each.number])
        return [SetField(map_, "layers", layers, Changed(What.LAYERS, map_))]
    names = [each for each in difference.fields if each in _OF_MAPS]
    return [atom for name in names
            for atom in _fields(map_, old, [name], Changed(_OF_MAPS[name], map_))]  # fmt: skip


def _of_one_layer(
    old: Map, map_: Map, was: Layer, layer: Layer, difference: Difference
) -> list[Atom]:
    if difference.fields == ("markers",):
        return _fields(layer, was, ("markers",), Changed(What.MARKERS, map_, layer))
    if difference.cells is None:
        out = _fields(layer, was, difference.fields, Changed(What.LAYERS, map_, layer))
        if isinstance(layer, GroundLayer):
            out += _fields(layer, was, ("seed",), Changed(What.KNITTING, map_, layer))
        return out
    ground = isinstance(layer, GroundLayer)
    out = []
    for name, value in _arrays(old, map_, was).items():
        what = What.TERRAIN if ground and name != "cells" else What.CELLS
        out.append(SetField(layer, name, value, Changed(what, map_, layer, whole(value))))
    return out


def _arrays(old: Map, map_: Map, was: Layer) -> dict[str, NDArray[Any]]:
    """Copy the arrays of a layer of another map, its tiles by the legend of this one."""
    out = {name: getattr(was, name).copy() for name in was.arrays}
    if was.holds_tiles:
        cells = out["cells"]
        if isinstance(was, GroundLayer):
            cells = np.where(was.pinned, cells, 0)  # all else is knitted anew
        places = np.zeros(len(old.legend.tiles), np.int32)
        for n in np.unique(cells[cells > 0]).tolist():
            tile = old.legend.tile(n)
            places[n] = map_.legend.place(tile) if tile is not None else 0
        out["cells"] = np.where(cells > 0, places[np.maximum(cells, 0)], cells)
    return out


def _moved_layer(old: Map, map_: Map, was: Layer) -> Layer:
    made = was.copy()
    for name, value in _arrays(old, map_, was).items():
        setattr(made, name, value)
    if isinstance(made, PinnedLayer) and made.pinned.shape != made.cells.shape:
        made.pinned = np.zeros(made.cells.shape, np.bool_)
    return made


_OF_PARTS = {
    "map": _of_maps, "sheet": _of_sheets, "set": _of_sets, "mix": _of_mixes, "rules": _of_rules,
    "project": _of_project,
}  # fmt: skip
