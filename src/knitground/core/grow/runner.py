"""Running a recipe: every step in order, from one seed; what is the same as last time is kept."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Sequence
from dataclasses import replace
from functools import partial
from hashlib import blake2b
from threading import Lock
from time import perf_counter
from typing import Any

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.digest import digest_of
from knitground.core.base.errors import GrowError, KnitError
from knitground.core.base.progress import Progress, no_progress
from knitground.core.base.tongue import say
from knitground.core.base.window import Box
from knitground.core.grow.kinds import STEP_KINDS
from knitground.core.grow.mixfill import fill_from_mix
from knitground.core.grow.rewriting import live_rules
from knitground.core.grow.work import Grown, Work
from knitground.core.model.layers import (
    Cells,
    GroundLayer,
    GrownLayer,
    Holds,
    Layer,
    TintLayer,
)
from knitground.core.model.map import Map
from knitground.core.model.project import Project
from knitground.core.model.recipe import MixStep, RewriteStep, Step, UnknownStep

KEPT_BYTES = 256 * 1024 * 1024
Key = bytes


class Kept:
    """What steps made, by the step and all that it read: asked again, it need not run again."""

    def __init__(self, most: int = KEPT_BYTES) -> None:
        self._most = most
        self._found: OrderedDict[Key, tuple[list[Grown], int, tuple[Any, ...]]] = OrderedDict()
        self._bytes = 0
        self._lock = Lock()

    def get(self, key: Key, legend: Sequence[Any]) -> list[Grown] | None:
        """Give what is kept of a step, made with this legend or an earlier, shorter one of it."""
        with self._lock:
            found = self._found.get(key)
            if found is None or tuple(legend[: len(found[2])]) != found[2]:
                return None
            self._found.move_to_end(key)
            return found[0]

    def put(self, key: Key, made: list[Grown], legend: Sequence[Any]) -> None:
        """Keep what a step made; the longest unused goes if there is too much."""
        size = sum(getattr(each.made, "nbytes", 1024) for each in made)
        with self._lock:
            if key in self._found:
                self._bytes -= self._found.pop(key)[1]
            self._found[key] = (made, size, tuple(legend))
            self._bytes += size
            while self._bytes > self._most and len(self._found) > 1:
                _, (_, gone, _) = self._found.popitem(last=False)
                self._bytes -= gone


def run_recipe(
    project: Project,
    map_: Map,
    progress: Progress = no_progress,
    *,
    kept: Kept | None = None,
    until: int | None = None,
    skipped: list[str] | None = None,
    show: Callable[[Grown], object] | None = None,
    anew: int | None = None,
) -> list[Grown]:
    """Run a map's recipe without changing the map.

    Parameters
    ----------
    kept : where results are kept from run to run
    until : run only so many steps
    skipped : gets, in words, the steps that can not run and are passed over; without it the first
        such step ends the run
    show : takes what a step that runs long has made so far
    anew : the step from which on nothing that is kept is used

    Raises
    ------
    GrowError
        The recipe is empty, or a step can not run.
    Cancelled
        From `progress`.
    """
    steps = map_.recipe.steps
    if not steps:
        raise GrowError(
            say("the recipe of map “{name}” has no step yet: add one in Grow", name=map_.name)
        )
    results: list[Grown] = []
    last = len(steps) if until is None else min(until, len(steps))
    known = _known(project) if kept is not None else b""
    for place, step in enumerate(steps[:last]):
        progress(place / last)
        if not step.active or isinstance(step, UnknownStep):
            continue
        part = partial(_part_of, progress, place, last)
        work = Work(project, map_, place, results, part, show)
        try:
            fresh = anew is not None and place >= anew
            results += run_step(work, step, kept, fresh=fresh, known=known)
        except GrowError as error:
            if skipped is None:
                raise
            skipped.append(str(error))
    progress(1.0)
    return results


def run_step(
    work: Work, step: Step, kept: Kept | None = None, *, fresh: bool = False, known: bytes = b""
) -> list[Grown]:
    """Run one step on what is there by now.

    Parameters
    ----------
    kept : where results are kept
    fresh : run it though what it makes is kept
    known : digest of what the project says, if that is known already
    """
    key = _key(work, step, known or _known(work.project)) if kept is not None else b""
    legend = work.map.legend.tiles
    found = kept.get(key, legend) if kept is not None and not fresh else None
    if found is not None:
        layers = {each.number: each for each in work.map.layers}
        return [replace(each, layer=layers[each.layer.number], step=work.place) for each in found]
    begun = perf_counter()
    made = STEP_KINDS[type(step)].run(work, step)
    seconds = perf_counter() - begun
    made = [replace(each, seconds=seconds / len(made), step=work.place) for each in made]
    if work.map.wrap and not (work.goes_round or STEP_KINDS[type(step)].over_border):
        no_further = say("does not look across the border of a staggered map")
        made = [replace(each, words=" · ".join(filter(None, (each.words, no_further))))
                for each in made]  # fmt: skip
    if kept is not None:
        kept.put(key, made, legend)
    return made


def last_made(grown: Sequence[Grown]) -> list[Grown]:
    """Of what steps made, in order, keep for each layer what it is in the end."""
    last = {each.layer.number: each for each in grown}
    return list(last.values())


def grown_cells(
    project: Project,
    map_: Map,
    layer: GrownLayer,
    box: Box,
    progress: Progress = no_progress,
) -> Cells:
    """Give what the recipe grows in a box of a layer, pins apart; empty if no step makes it.

    A part is what the same part of the whole is. On a map that wraps the box may reach over the
    border.

    Raises
    ------
    Cancelled
        From `progress`.
    """
    own = _makers(project, map_, layer)
    if not own:
        return np.zeros((box.height, box.width), np.int32)
    place, step = own[-1]
    if isinstance(step, RewriteStep):
        return live_rules(project, map_, step, place).cells(box)[layer.number]
    if isinstance(step, MixStep) and not _reads_more(own, map_):
        return fill_from_mix(project, map_, step, place, box)
    made = run_recipe(project, map_, progress, until=place + 1, skipped=[])
    found = next((each.made for each in reversed(made) if each.layer is layer), None)
    if found is None:
        return np.zeros((box.height, box.width), np.int32)
    return map_.lattice.read(np.asarray(found, np.int32), box)


def needs_whole_run(project: Project, map_: Map, layer: GrownLayer) -> bool:
    """Whether even a single cell of a layer is told by running the recipe on the whole map."""
    return _reads_more(_makers(project, map_, layer), map_)


def _makers(project: Project, map_: Map, layer: GrownLayer) -> list[tuple[int, Step]]:
    """List the steps that make a layer, and their places."""
    return [
        (place, step)
        for place, step in enumerate(map_.recipe.steps)
        if step.active and _makes(project, map_, step, place, layer)
    ]


def _reads_more(makers: list[tuple[int, Step]], map_: Map) -> bool:
    """Whether a part of what steps make in the end depends on more than what lies there."""
    if not makers or isinstance(makers[-1][1], RewriteStep):
        return False
    step = makers[-1][1]
    limited = bool(step.where) or map_.lattice.exists is not None
    return len(makers) > 1 or not isinstance(step, MixStep) or limited


def _makes(project: Project, map_: Map, step: Step, place: int, layer: GrownLayer) -> bool:
    if isinstance(step, RewriteStep):
        try:
            live = live_rules(project, map_, step, place)
        except KnitError:
            return False
        return any(each is layer for each in live.layers.values())
    return not isinstance(step, UnknownStep) and step.layer == layer.number


def _part_of(progress: Progress, place: int, count: int, done: float) -> None:
    progress((place + done) / count)


# What a step read


def _key(work: Work, step: Step, known: bytes) -> Key:
    """Digest a step and all that it may read: all layers as they are, and what sets and mixes say.

    More than it reads in truth: then it runs once too often, never once too rarely.
    """
    out = blake2b(digest_size=20)
    map_ = work.map
    settings = (replace(step, name=""), work.seed, map_.height, map_.width, map_.wrap,
                *map_.lattice.cell_size, map_.recipe.salt_of(work.place))  # fmt: skip
    out.update(repr(settings).encode())
    out.update(known)
    made = {each.layer.number: each.made for each in work.before}
    for layer in map_.layers:
        out.update(repr((layer.number, layer.kind, layer.name)).encode())
        now = made.get(layer.number)
        if layer.holds is Holds.MARKERS:
            out.update(repr(getattr(layer, layer.grown) if now is None else now).encode())
            continue
        if isinstance(layer, GroundLayer):
            out.update(repr((layer.tileset, layer.set_name, layer.kind_of_set)).encode())
        if now is not None:
            _feed(out, now)
        elif not _is_unread(work.project, step, layer):
            _feed(out, layer.terrain if isinstance(layer, GroundLayer) else work.cells(layer))
            if isinstance(step, RewriteStep):
                _feed(out, layer.cells)
        if isinstance(layer, GrownLayer):
            _feed(out, layer.pinned)
    return out.digest()


def _is_unread(project: Project, step: Step, layer: Layer) -> bool:
    """Whether what lies on a layer before the run is sure not to be read: the step makes it anew.

    Else what a run lays on its layers would make all steps run again the next time.
    """
    if step.layer == layer.number and not step.where:
        return STEP_KINDS[type(step)].covers
    if not isinstance(layer, TintLayer) or isinstance(step, RewriteStep):
        return False
    if isinstance(step, MixStep):
        falls = [each.fall for each in project.mixes if each.name == step.mix]
        if any(layer.name in (each.tint, each.of) for each in falls):
            return False
    return all(each.layer != layer.number for each in step.where)


def _known(project: Project) -> bytes:
    """Digest what a project says of tiles, sets, mixes and rules, the same for a whole run."""
    out = blake2b(digest_size=20)
    for tileset in project.tilesets:
        out.update(repr((tileset.name, tileset.slicing, sorted(tileset.facts.items()))).encode())
        for kit in tileset.sets:
            out.update(repr((kit.name, kit.kind, kit.terrains, kit.rules)).encode())
            _feed(out, kit.marks)
            for name, marks in sorted(kit.guests.items()):
                out.update(name.encode())
                _feed(out, marks)
    out.update(repr((project.mixes, project.rule_lists)).encode())
    return out.digest()


def _feed(out: Any, array: NDArray[Any]) -> None:
    out.update(digest_of(array))
