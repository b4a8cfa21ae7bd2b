"""Edits of a map's layers."""

from __future__ import annotations

from collections.abc import Iterable

from knitground.core.base.errors import EditError
from knitground.core.base.tongue import say
from knitground.core.edit.atoms import Atom, SetField
from knitground.core.edit.changed import Changed, What
from knitground.core.edit.document import Edit
from knitground.core.edit.maps import mixes_following
from knitground.core.edit.rules import rules_for_layer
from knitground.core.model.layers import GroundLayer, Layer
from knitground.core.model.limits import MAX_SHIFT
from knitground.core.model.map import Map
from knitground.core.model.project import Project
from knitground.core.model.recipe import RewriteStep


def add_layer(map_: Map, layer: Layer, at: int | None = None) -> Edit:
    """Add a layer in front of all, or at a place counted from the back."""
    _check_name(layer.name)
    layers = list(map_.layers)
    layers.insert(len(layers) if at is None else at, layer)
    return _layers_edit(map_, layers, say("Add layer “{name}”", name=layer.name))


def delete_layer(map_: Map, layer: Layer) -> Edit:
    """Delete a layer."""
    layers = [each for each in map_.layers if each is not layer]
    return _layers_edit(map_, layers, say("Delete layer “{name}”", name=layer.name))


def move_layer(map_: Map, layer: Layer, to: int) -> Edit:
    """Move a layer to another place, counted from the back."""
    layers = [each for each in map_.layers if each is not layer]
    layers.insert(max(0, min(to, len(layers))), layer)
    if layers == map_.layers:
        return Edit(say("Move layer"), ())
    return _layers_edit(map_, layers, say("Move layer “{name}”", name=layer.name))


def _layers_edit(map_: Map, layers: list[Layer], name: str) -> Edit:
    return Edit(name, (SetField(map_, "layers", layers, Changed(What.LAYERS, map_)),))


def rename_layer(map_: Map, layer: Layer, name: str, project: Project | None = None) -> Edit:
    """Give a layer another name; two layers may share one.

    With `project`, rules that name the layer follow, if no other map uses them; so do mixes, if no
    other layer has its name.
    """
    _check_name(name)
    new = name.strip()
    changed = Changed(What.LAYERS, map_, layer)
    atoms: list[Atom] = [SetField(layer, "name", new, changed)]
    if project is not None:
        here, elsewhere = _lists_of([map_]), _lists_of(m for m in project.maps if m is not map_)
        only = here - elsewhere
        lists = [rules_for_layer(each, layer.name, new) if each.name in only else each
                 for each in project.rule_lists]  # fmt: skip
        if lists != project.rule_lists:
            atoms.append(SetField(project, "rule_lists", lists, Changed(What.RULES)))
        others = (each for owner in project.maps for each in owner.layers if each is not layer)
        if all(each.name != layer.name for each in others):
            atoms += mixes_following(project, {layer.name: new})
    return Edit(say("Rename layer “{name}”", name=layer.name), tuple(atoms))


def _lists_of(maps: Iterable[Map]) -> set[str]:
    """Name the rule lists that the recipes of maps use."""
    return {step.rules for each in maps for step in each.recipe.steps
            if isinstance(step, RewriteStep)}  # fmt: skip


def show_layer(map_: Map, layer: Layer, visible: bool) -> Edit:
    """Show or hide a layer."""
    changed = Changed(What.LAYERS, map_, layer)
    name = say(
        "{words} layer “{name}”", words=say("Show") if visible else say("Hide"), name=layer.name
    )
    return Edit(name, (SetField(layer, "visible", visible, changed),))


def lock_layer(map_: Map, layer: Layer, locked: bool) -> Edit:
    """Lock a layer against drawing, or unlock it."""
    changed = Changed(What.LOCK, map_, layer)
    name = say(
        "{words} layer “{name}”", words=say("Lock") if locked else say("Unlock"), name=layer.name
    )
    return Edit(name, (SetField(layer, "locked", locked, changed),))


def interleave_layer(map_: Map, layer: Layer, on: bool) -> Edit:
    """Draw a layer line by line with its neighbours that are drawn so, or whole as before."""
    changed = Changed(What.LAYERS, map_, layer)
    name = say(
        "{words} “{name}” by depth",
        words=say("Sort") if on else say("Do not sort"),
        name=layer.name,
    )
    return Edit(name, (SetField(layer, "interleaved", on, changed),))


def fade_layer(map_: Map, layer: Layer, opacity: float) -> Edit:
    """Let a layer hide more or less of what lies behind it: 0 to 1."""
    changed = Changed(What.LAYERS, map_, layer)
    atom = SetField(layer, "opacity", opacity, changed)
    return Edit(say("Opacity of “{name}” {opacity:.0%}", name=layer.name, opacity=opacity), (atom,))


def place_layer(map_: Map, layer: Layer, offset: tuple[int, int], height: int) -> Edit:
    """Draw a layer further right and down, and so many pixels above the ground."""
    for what, value in (
        (say("offset x"), offset[0]),
        (say("offset y"), offset[1]),
        ("height", height),
    ):
        if not -MAX_SHIFT <= value <= MAX_SHIFT:
            raise EditError(
                say(
                    "{what} {value} px is out of bounds: give -{max_shift} to {max_shift} px",
                    what=what,
                    value=value,
                    max_shift=MAX_SHIFT,
                )
            )
    if (offset, height) == (layer.offset, layer.height):
        return Edit(say("Offset and height"), ())
    changed = Changed(What.LAYERS, map_, layer)
    name = say(
        "Offset {offset}, {offset2} and height {height} of “{name}”",
        offset=offset[0],
        offset2=offset[1],
        height=height,
        name=layer.name,
    )
    atoms = (
        SetField(layer, "offset", offset, changed), SetField(layer, "height", height, changed),
    )  # fmt: skip
    return Edit(name, atoms)


def reseed_layer(map_: Map, layer: GroundLayer, seed: int) -> Edit:
    """Draw all variants of a ground layer anew."""
    changed = Changed(What.KNITTING, map_, layer)
    return Edit(
        say("Reroll variants of “{name}”", name=layer.name),
        (SetField(layer, "seed", seed, changed),),
    )


def use_set(map_: Map, layer: GroundLayer, tileset: str, set_name: str) -> Edit:
    """Knit a ground layer from another terrain set."""
    changed = Changed(What.KNITTING, map_, layer)
    atoms: tuple[Atom, ...] = (
        SetField(layer, "tileset", tileset, changed),
        SetField(layer, "set_name", set_name, changed),
    )
    return Edit(say("Knit “{name}” from “{set_name}”", name=layer.name, set_name=set_name), atoms)


def _check_name(name: str) -> None:
    if not name.strip():
        raise EditError(say("a layer needs a name: type one"))
