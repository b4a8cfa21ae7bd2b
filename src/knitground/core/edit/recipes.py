"""Edits of recipes: steps added, changed, moved, copied; and layers that a recipe made, kept."""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import replace
from enum import StrEnum
from typing import Any

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.errors import EditError, GrowError
from knitground.core.base.tongue import later, say
from knitground.core.edit.atoms import Atom, SetField
from knitground.core.edit.changed import Changed, What
from knitground.core.edit.document import Document, Edit
from knitground.core.edit.maps import unpainted
from knitground.core.edit.selecting import Selection
from knitground.core.grow.kinds import STEP_KINDS
from knitground.core.grow.stepkind import Start, StepKind
from knitground.core.model.conditions import Area, Condition, Look
from knitground.core.model.layers import (
    GroundLayer,
    GrownLayer,
    Layer,
    MarkerLayer,
    TileLayer,
    TintLayer,
)
from knitground.core.model.limits import MAX_NAME
from knitground.core.model.map import Map
from knitground.core.model.project import Project
from knitground.core.model.recipe import MixStep, Recipe, RewriteStep, Step, UnknownStep


def step_title(step: Step) -> str:
    """How a step is called: its own name, else its kind's."""
    if isinstance(step, UnknownStep):
        return step.name or say("“{kind}” (unknown here)", kind=step.kind)
    return step.name or STEP_KINDS[type(step)].title


def fitting_layers(map_: Map, kind: type) -> list[Layer]:
    """List the layers on which a kind of step can work."""
    about = STEP_KINDS.get(kind)
    if about is None:
        return []
    return [
        layer
        for layer in map_.layers
        if isinstance(layer, about.layers)
        and not (
            about.sets and isinstance(layer, GroundLayer) and layer.kind_of_set not in about.sets
        )
    ]


class Over(StrEnum):
    """What becomes of terrain that was painted by hand where steps are to work."""

    OWN = later("on a layer of its own")
    ROUND = later("round what is painted")
    INSTEAD = later("instead of it")


def step_layer(map_: Map, kind: type, near: Layer | None = None) -> Layer | None:
    """Give the layer that a new step works on: `near` if that fits, else the first that does."""
    fits = fitting_layers(map_, kind)
    layer = near if near in fits else next(iter(fits), None)
    if STEP_KINDS[kind].alone and not _is_free(map_, layer):
        layer = next((each for each in fits if _is_free(map_, each)), layer)
    return layer


def painted_cells(map_: Map, layer: Layer | None) -> NDArray[np.bool_] | None:
    """Tell which cells of a ground layer were painted by hand: (height, width).

    Painted is what differs from what lies there most: that is what the map was filled with. None if
    nothing was, or if steps make the layer already.
    """
    if not isinstance(layer, GroundLayer) or not _is_free(map_, layer):
        return None
    differs = layer.terrain != np.bincount(layer.terrain.ravel()).argmax()
    near = differs[:-1, :-1] | differs[:-1, 1:] | differs[1:, :-1] | differs[1:, 1:]
    return near if near.any() else None


def add_step(
    project: Project,
    map_: Map,
    kind: type,
    near: Layer | None = None,
    over: Over = Over.INSTEAD,
) -> Edit:
    """Add a step of a kind behind the others, with settings that show something.

    It works on `step_layer`; where there is none a grown, tint or marker layer comes with it.

    Parameters
    ----------
    over : what becomes of terrain painted on that layer

    Raises
    ------
    EditError
        There is no ground layer for it, or no mix, set or rule list that it needs.
    """
    about = STEP_KINDS[kind]
    atoms: list[Atom] = []
    layer = step_layer(map_, kind, near)
    painted = painted_cells(map_, layer)
    if layer is None:
        layer, atoms = _with_layer(map_, about)
    elif over is Over.OWN and isinstance(layer, GroundLayer):
        layer, atoms = _beside(map_, layer)
    elif isinstance(layer, GroundLayer) and painted is not None:
        atoms += unpainted(map_, layer)
    step = about.begin(Start(project, map_, layer))
    if over is Over.ROUND and painted is not None:
        free = Condition(look=Look.AREA, area=Area.of(0, 0, ~painted))
        step = replace(step, where=(*step.where, free))
    recipe = map_.recipe
    step = replace(step, salt=recipe.free_salt() if recipe.steps else None)
    new = replace(recipe, steps=(*recipe.steps, step))
    atoms.append(SetField(map_, "recipe", new, Changed(What.RECIPE, map_)))
    return Edit(say("Add {title}", title=about.title.lower()), tuple(atoms))


def _is_free(map_: Map, layer: Layer | None) -> bool:
    steps = map_.recipe.steps
    return layer is not None and all(each.layer != layer.number for each in steps)


def painted_over(map_: Map, recipe: Recipe) -> list[GroundLayer]:
    """List the layers that steps of a recipe would lay anew where they were painted by hand.

    One that holds the same everywhere was only filled.
    """
    made = {each.layer for each in recipe.steps if each.active}
    return [
        layer
        for layer in map_.layers
        if isinstance(layer, GroundLayer) and layer.number in made and layer.painted.any()
        and (layer.terrain[:-1, :-1] != layer.terrain[0, 0]).any()
    ]  # fmt: skip


def cells_painted(layer: GroundLayer) -> NDArray[np.bool_]:
    """Tell which cells of a layer show what was painted by hand since it was grown."""
    at = layer.painted
    return np.asarray(at[:-1, :-1] | at[:-1, 1:] | at[1:, :-1] | at[1:, 1:])


def grow_over(map_: Map, layer: GroundLayer, over: Over, recipe: Recipe) -> tuple[Edit, Recipe]:
    """Let a recipe's steps work where a layer was painted by hand since it was grown.

    Returns
    -------
    an edit that brings what is needed for it, and the recipe as it is to be run then
    """
    steps = recipe.steps
    atoms: list[Atom]
    if over is Over.OWN:
        made, atoms = _beside(map_, layer)
        steps = tuple(
            replace(each, layer=made.number) if each.layer == layer.number else each
            for each in steps
        )
    else:
        atoms = unpainted(map_, layer)
    if over is Over.ROUND:
        cells = Area.of(0, 0, cells_painted(layer))
        off = Condition(look=Look.AREA, area=cells, negated=True)
        steps = tuple(
            replace(each, where=(*each.where, off)) if each.layer == layer.number else each
            for each in steps
        )
    return Edit(say("Grow {over}", over=over), tuple(atoms)), replace(recipe, steps=steps)


def grow_round(doc: Document, map_: Map, recipe: Recipe, over: Over | None, cure: str) -> Recipe:
    """Make room for a recipe that runs where nobody can be asked.

    Parameters
    ----------
    over : what becomes of terrain that was painted by hand since it was grown
    cure : in words, how that is said

    Returns
    -------
    the recipe as it is to be run

    Raises
    ------
    GrowError
        Terrain was painted by hand, and it is not said what becomes of it.
    """
    for layer in painted_over(map_, recipe):
        if over is None:
            count = int(cells_painted(layer).sum())
            raise GrowError(
                say(
                    "“{name}” was painted in {count} cells since it was grown, and growing lays "
                    "its terrain anew: say {cure}",
                    name=layer.name,
                    count=count,
                    cure=cure,
                )
            )
        edit, recipe = grow_over(map_, layer, over, recipe)
        doc.apply(edit)
    return recipe


def _beside(map_: Map, layer: GroundLayer) -> tuple[Layer, list[Atom]]:
    """Make another ground layer of the same set in front of one, which stays as it is."""
    made = map_.new_ground_layer(
        say("{name}, grown", name=layer.name)[:MAX_NAME],
        layer.tileset,
        layer.set_name,
        layer.kind_of_set,
    )
    at = map_.layers.index(layer) + 1
    layers = [*map_.layers[:at], made, *map_.layers[at:]]
    return made, [SetField(map_, "layers", layers, Changed(What.LAYERS, map_, made))]


def _with_layer(map_: Map, about: StepKind) -> tuple[Layer, list[Atom]]:
    made: Layer
    if GrownLayer in about.layers:
        made = map_.new_grown_layer(say("Grown"))
    elif TintLayer in about.layers:
        made = map_.new_tint_layer(say("Tint"))
    elif MarkerLayer in about.layers:
        made = map_.new_marker_layer(say("Markers"))
    else:
        raise EditError(
            say("{title} needs a ground layer", title=about.title)
            + (say(" with a corner or ring set") if about.sets else "")
            + say(": add one with “+ layer”")
        )
    told = Changed(What.LAYERS, map_, made)
    return made, [SetField(map_, "layers", [*map_.layers, made], told)]


# Steps moved and copied


def _with_steps(map_: Map, steps: Sequence[Step], name: str) -> Edit:
    recipe = replace(map_.recipe, steps=tuple(steps))
    if recipe == map_.recipe:
        return Edit(name, ())
    return Edit(name, (SetField(map_, "recipe", recipe, Changed(What.RECIPE, map_)),))


def salted(recipe: Recipe) -> list[Step]:
    """Give the steps with salts of their own, so that they draw the same wherever they stand."""
    return [replace(each, salt=recipe.salt_of(n)) for n, each in enumerate(recipe.steps)]


def put_step(map_: Map, place: int, step: Step) -> Edit:
    """Put a step in another one's place."""
    steps = list(map_.recipe.steps)
    steps[place] = step
    return _with_steps(map_, steps, say("Change step {place}", place=place + 1))


def put_steps(map_: Map, steps: Sequence[Step]) -> Edit:
    """Put all steps in place of those that are there."""
    return _with_steps(map_, steps, say("Change steps"))


def remove_step(map_: Map, place: int) -> Edit:
    """Take a step out; what it made stays until the recipe runs."""
    steps = salted(map_.recipe)
    del steps[place]
    return _with_steps(map_, steps, say("Take a step out"))


def move_step(map_: Map, place: int, to: int) -> Edit:
    """Let a step stand at another place; all draw the same as before."""
    steps = salted(map_.recipe)
    if not 0 <= to < len(steps):
        raise EditError(
            say("there is no place {to}: the recipe has {count} steps", to=to + 1, count=len(steps))
        )
    steps.insert(to, steps.pop(place))
    return _with_steps(map_, steps, say("Move a step"))


def duplicate_step(map_: Map, place: int) -> Edit:
    """Add a copy of a step behind it, which draws numbers of its own."""
    steps = salted(map_.recipe)
    copy = replace(steps[place], salt=map_.recipe.free_salt())
    steps.insert(place + 1, copy)
    return _with_steps(map_, steps, say("Double a step"))


def reroll_step(map_: Map, place: int) -> Edit:
    """Let a step draw other numbers, and only that one."""
    steps = salted(map_.recipe)
    steps[place] = replace(steps[place], salt=map_.recipe.free_salt())
    return _with_steps(map_, steps, say("Reroll step {place}", place=place + 1))


def layer_names(map_: Map) -> dict[int, tuple[str, str]]:
    """Give the kinds and names of a map's layers by their numbers."""
    return {each.number: (each.kind, each.name) for each in map_.layers}


def paste_steps(target: Map, steps: Sequence[Step], names: Mapping[int, tuple[str, str]]) -> Edit:
    """Add steps of another map behind a map's own; layers are found again by their names.

    Layers that the map lacks are left as numbers of none: such steps say so and are passed over.

    Parameters
    ----------
    names : kinds and names of the layers that the steps work on, by number
    """
    own = {(each.kind, each.name): each.number for each in target.layers}
    free = target.recipe.free_salt()

    def found(number: int) -> int:
        return own.get(names.get(number, ("", "")), 0) if number else 0

    made: list[Step] = salted(target.recipe)
    for n, step in enumerate(steps):
        made.append(replace(renumbered(step, found), salt=free + n))
    return _with_steps(target, made, say("Paste {count} steps", count=len(steps)))


def renumbered(step: Step, found: Callable[[int], int]) -> Step:
    """Give a step other numbers of layers."""
    changes: dict[str, Any] = {"layer": found(step.layer)}
    for name in ("on", "source", "ground", "example"):
        number = getattr(step, name, None)
        if isinstance(number, int) and not isinstance(number, bool) and number:
            changes[name] = found(number)
    changes["where"] = tuple(
        replace(each, layer=found(each.layer)) if each.layer else each for each in step.where
    )
    return replace(step, **changes)


def terrain_renamed(step: Step, numbers: Collection[int], names: Mapping[str, str | None]) -> Step:
    """Let a step follow terrains that have another name, or none any more.

    Parameters
    ----------
    numbers : of the layers that use the set
    names : new by old ones; None for terrains that are gone
    """
    changes: dict[str, Any] = {}

    def follow(of: str) -> None:
        value = getattr(step, of, None)
        if isinstance(value, str) and value in names:
            changes[of] = names[value] or ""
        elif isinstance(value, tuple):
            new = (names.get(name, name) for name in value)
            changes[of] = tuple(name for name in new if name is not None)

    if step.layer in numbers and not isinstance(step, MixStep):
        for of in ("terrain", "wall"):
            follow(of)
        shares: dict[str, float] = {}
        old: tuple[tuple[str, float], ...] = getattr(step, "shares", ())
        for name, share in old:
            new = names.get(name, name)
            if new is not None:
                shares[new] = shares.get(new, 0.0) + share
        if old:
            changes["shares"] = tuple(shares.items())
    if getattr(step, "ground", 0) in numbers:
        for of in ("seek", "dear", "never"):
            follow(of)
    where = tuple(
        replace(each, names=tuple(
            new for name in each.names if (new := names.get(name, name)) is not None
        )) if each.layer in numbers and each.look is not Look.TAG else each
        for each in step.where
    )  # fmt: skip
    if where != step.where:
        changes["where"] = where
    return replace(step, **changes) if changes else step


# What was grown, kept


def keep_area(map_: Map, chosen: Selection) -> Edit:
    """Let no step of the recipe change the chosen cells any more."""
    if not map_.recipe.steps:
        raise EditError(
            say("“{name}” has no recipe that could change them: add a step in Grow", name=map_.name)
        )
    mask = map_.lattice.marked(chosen.box, chosen.mask)
    area = Area.of(0, 0, mask)
    kept = Condition(look=Look.AREA, area=area, negated=True)
    steps = [
        each if isinstance(each, UnknownStep | RewriteStep)
        else replace(each, where=(*each.where, kept))
        for each in salted(map_.recipe)
    ]  # fmt: skip
    return _with_steps(map_, steps, say("Keep {number} cells as they are", number=int(mask.sum())))


def make_plain(map_: Map, layer: Layer) -> Edit:
    """Turn a grown layer into one of tiles laid by hand; the recipe makes it no more.

    Raises
    ------
    EditError
        It is no grown layer.
    """
    if not isinstance(layer, GrownLayer):
        raise EditError(
            say(
                "“{name}” is no grown layer: choose one, or copy what “{name}” shows",
                name=layer.name,
            )
        )
    plain = TileLayer(
        layer.name, layer.number, visible=layer.visible, locked=layer.locked,
        cells=layer.cells.copy(), opacity=layer.opacity, offset=layer.offset,
        height=layer.height,
    )  # fmt: skip
    layers = [plain if each is layer else each for each in map_.layers]
    atoms: list[Atom] = [SetField(map_, "layers", layers, Changed(What.LAYERS, map_, plain))]
    recipe = map_.recipe
    steps = [each for each in salted(recipe) if each.layer != layer.number]
    if len(steps) != len(recipe.steps):
        new = replace(recipe, steps=tuple(steps))
        atoms.append(SetField(map_, "recipe", new, Changed(What.RECIPE, map_)))
    return Edit(say("Make “{name}” plain", name=layer.name), tuple(atoms))
