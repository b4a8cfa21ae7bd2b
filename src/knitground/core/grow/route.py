"""Routes: cheapest ways between places, over what terrain costs.

Shortest paths by buckets of equal distance (R. Dial, 1969), a whole bucket at a time; costs are
whole numbers. Places are joined one after the other to the ways that are there, the nearest first.
"""

from __future__ import annotations

from itertools import pairwise
from typing import Any

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.errors import GrowError
from knitground.core.base.hashing import cell_numbers, mix_one
from knitground.core.base.tongue import say
from knitground.core.chance.draw import MIX_SLOTS, draw_cells, slot_table
from knitground.core.grow.distance import parts_of
from knitground.core.grow.stepkind import As, Setting, Start, StepKind
from knitground.core.grow.work import Grown, Mask, Work
from knitground.core.knit.sides import with_sides
from knitground.core.model.lattice import Cell
from knitground.core.model.layers import GroundLayer, GrownLayer, MarkerLayer
from knitground.core.model.recipe import RouteEnd, RouteStep
from knitground.core.model.terrain import SetKind

Costs = NDArray[np.int32]
Path = list[Cell]
"""Cells that follow each other side by side; on a map that wraps taken modulo its size."""
PLAIN, DEAR, KNOWN = 8, 64, 3
_FAR = np.int32(2**30)
_WIDE = 4
"""Cheapest steps to a bucket: fewer take more rounds, more look at cells again and again."""
_LEAST_PATCH = 6


def run_route(work: Work, step: RouteStep) -> list[Grown]:
    """Lay ways; places that can not be reached are told."""
    layer = work.layer(step.layer, GroundLayer | GrownLayer, say("ground or grown"))  # type: ignore[arg-type]
    costs = route_costs(work, step)
    ends = route_ends(work, step, costs)
    if len(ends) < 2:
        raise GrowError(
            say(
                "{number} joins {between}, and there are {count}: it takes two",
                number=work.number,
                between=step.between,
                count=len(ends),
            )
        )
    wrap = work.goes_round and step.between is not RouteEnd.BORDERS
    ways = _ways_there(work, layer)
    paths, lost = join_places(costs, ends, wrap=wrap, ways=ways if step.joins else None)
    through = work.goes_round and step.between is RouteEnd.BORDERS
    made = _lay(work, step, layer, paths, through=through)
    cells = len({(r % work.size[0], c % work.size[1]) for path in paths for r, c in path})
    words = say(
        "{count} of {count2} places joined, {cells} cells of way",
        count=len(ends) - len(lost),
        count2=len(ends),
        cells=cells,
    )
    if lost:
        names = (work.map.lattice.name_of(*each) for each in lost[:3])
        where = ", ".join(say("row {row}, column {col}", row=row, col=col) for row, col in names)
        words += say(" · no way to {where}", where=where)
    return [Grown(layer, made, (), words=words)]


def route_costs(work: Work, step: RouteStep) -> Costs:
    """Give what it costs to enter each cell; 0 is never."""
    rows, cols = np.arange(work.size[0]), np.arange(work.size[1])
    numbers = cell_numbers(rows, cols, mix_one(work.seed, 1)) >> 16
    costs = np.full(work.size, PLAIN, np.int32)
    costs += (numbers / 65536.0 * step.wobble * 3 * PLAIN).astype(np.int32)
    if step.ground and (step.dear or step.never):
        ground = work.layer(step.ground, GroundLayer, "ground")
        slots = work.slots(ground)
        for names, cost in ((step.dear, DEAR), (step.never, 0)):
            marks = [mark for name in names if (mark := work.mark(ground, name))]
            costs[np.isin(slots, marks).any(axis=0)] = cost
    costs[~work.mask(step)] = 0
    return costs


def route_ends(work: Work, step: RouteStep, costs: Costs) -> list[Cell]:
    """List the places to join."""
    high, wide = work.size
    if step.between is RouteEnd.MARKERS:
        lattice = work.map.lattice
        found = []
        for marker in work.markers(step.kind):
            row, col = lattice.cell_at(*marker.middle)
            if 0 <= row < high and 0 <= col < wide and (row, col) not in found:
                found.append((row, col))
        return found
    if step.between is RouteEnd.BORDERS:
        return _border_ends(work, costs)
    ground = work.layer(step.ground or step.layer, GroundLayer, "ground")
    marks = [mark for name in step.seek if (mark := work.mark(ground, name))]
    shown: Mask = np.all(np.isin(work.slots(ground), marks), axis=0)
    numbers, count = parts_of(shown, wrap=work.goes_round)
    ends = []
    for number in range(1, count + 1):
        rows, cols = np.nonzero(numbers == number)
        if rows.size >= _LEAST_PATCH:
            middle = (rows - np.median(rows)) ** 2 + (cols - np.median(cols)) ** 2
            at = int(middle.argmin())
            ends.append((int(rows[at]), int(cols[at])))
    return ends[:64]


def _border_ends(work: Work, costs: Costs) -> list[Cell]:
    """Find where ways may meet the borders: near their middles, the same on opposite ones."""
    high, wide = work.size
    if work.map.lattice.exists is not None:  # the map's border is not that of its array
        rows, columns = work.map.lattice.counted
        middles = ((rows // 2, 0), (rows // 2, columns - 1), (0, columns // 2),
                   (rows - 1, columns // 2))  # fmt: skip
        found = (work.map.lattice.cell_named(*each) for each in middles)
        return [each for each in dict.fromkeys(found) if costs[each] > 0]
    cheap = np.where(costs > 0, costs, _FAR).astype(np.int64)

    def best(line: NDArray[np.int64]) -> int:
        away = np.abs(np.arange(len(line)) - len(line) / 2 + 0.5)
        return int((line + away * 0.5).argmin())

    row = best(cheap[:, 0] + cheap[:, -1])
    col = best(cheap[0] + cheap[-1])
    ends = [(row, 0), (row, wide - 1), (0, col), (high - 1, col)]
    return [each for each in ends if costs[each] > 0]


def _ways_there(work: Work, layer: GroundLayer | GrownLayer) -> Mask:
    """Tell where ways lie already."""
    if isinstance(layer, GrownLayer):
        return work.cells(layer) > 0
    return np.asarray((work.slots(layer) > 0).any(axis=0))


def join_places(
    costs: Costs, ends: list[Cell], *, wrap: bool, ways: Mask | None = None
) -> tuple[list[Path], list[Cell]]:
    """Join places, each by the cheapest way to what is joined by then.

    Parameters
    ----------
    costs : (h, w) of entering a cell, 0 is never
    ways : cells that are ways by now, cheap to follow

    Returns
    -------
    the ways, and the places that can not be reached
    """
    costs = costs.copy()
    if ways is not None:
        costs[ways & (costs > 0)] = KNOWN
    lost = [end for end in ends if costs[end] == 0]
    open_ = [end for end in ends if costs[end] > 0]
    if not open_:
        return [], lost
    search = _Search(costs, wrap=wrap)
    reached = [open_.pop(0)]
    paths: list[Path] = []
    while open_:
        search.run(search.numbers(reached), search.numbers(open_))
        far = search.distances
        near = [end for end in open_ if far[end] < _FAR]
        if not near:
            return paths, lost + open_
        end = min(near, key=lambda each: (int(far[each]), each))
        path = way_back(costs, far, end, wrap=wrap)
        paths.append(path)
        reached = [(row % costs.shape[0], col % costs.shape[1]) for row, col in path]
        open_.remove(end)
    return paths, lost


def distances(costs: Costs, sources: Mask, *, wrap: bool, until: list[Cell] | None = None) -> Costs:
    """Give what it costs to come from the nearest source to each cell.

    Parameters
    ----------
    costs : (h, w) int32 of entering a cell, 1 to 255; 0 is never
    until : stop when the nearest of these is reached

    Returns
    -------
    (h, w) int32; 2³⁰ where no way leads; what is farther than where it stopped may be too much

    Notes
    -----
    Cells wait in buckets by what they cost, a few of the cheapest steps to a bucket; the cheapest
    bucket is emptied until nothing comes back to it, and all of it is final then (U. Meyer,
    P. Sanders, “Δ-stepping: a parallelizable shortest path algorithm”, 2003).
    """
    search = _Search(costs, wrap=wrap)
    search.run(search.numbers(np.argwhere(sources)), search.numbers(until or []))
    return np.ascontiguousarray(search.distances)


class _Search:
    """Distances on a flat field with a rim; `alias` leads from the rim to the far side.

    More sources may come after it has run: what is nearer by them is found, all else stands.
    """

    def __init__(self, costs: Costs, *, wrap: bool) -> None:
        high, wide = costs.shape
        self.size = (high + 2, wide + 2)
        field = np.pad(costs, 1).ravel()  # the rim is never entered: neighbours are at fixed steps
        self.open = field > 0
        self.costs = np.where(self.open, field, _FAR)
        self.alias = None
        if wrap:
            alias = np.pad(np.arange(high * wide, dtype=np.int32).reshape(high, wide), 1,
                           mode="wrap")  # fmt: skip
            self.alias = (alias + (2 * (alias // wide) + wide + 3)).ravel()
        self.steps = (-wide - 2, wide + 2, -1, 1)
        self.far = np.full(field.size, _FAR, np.int32)
        self._width = 0
        self._buckets: dict[int, list[NDArray[Any]]] = {}
        self._last = np.empty(field.size, np.int32)

    def numbers(self, cells: Any) -> NDArray[np.intp]:
        """Number cells, [(row, column), …], as the flat field does."""
        at = np.asarray(cells, np.intp).reshape(-1, 2)
        numbers: NDArray[np.intp] = (at[:, 0] + 1) * self.size[1] + at[:, 1] + 1
        return numbers

    @property
    def distances(self) -> Costs:
        """What it costs to come to each cell, (h, w)."""
        far: Costs = self.far.reshape(self.size)[1:-1, 1:-1]
        return far

    def run(self, start: NDArray[np.intp], targets: NDArray[np.intp]) -> None:
        """Spread from more sources until one of the targets is reached, if there are any."""
        far, buckets = self.far, self._buckets
        far[start] = 0
        if not self._width:
            open_ = self.costs[self.open & (far > 0)]
            self._width = _WIDE * int(open_.min()) if open_.size else int(_FAR)
        width = self._width
        buckets.setdefault(0, []).append(start)
        while buckets:
            lap = min(buckets)
            if targets.size and (far.take(targets) < lap * width).any():
                return
            found = buckets.pop(lap)
            here = self._once(found[0] if len(found) == 1 else np.concatenate(found))
            here = here[far.take(here) >= lap * width]
            reached = self._spread(here)
            levels = far.take(reached) // width - lap
            due, begin = reached.take(np.argsort(levels, kind="stable")), 0
            for away, count in enumerate(np.bincount(levels).tolist()):
                if count:
                    buckets.setdefault(lap + away, []).append(due[begin : begin + count])
                    begin += count

    def _once(self, places: NDArray[Any]) -> NDArray[Any]:
        """Leave out places that are there twice."""
        numbers = np.arange(places.size, dtype=np.int32)
        self._last[places] = numbers
        first = self._last.take(places) == numbers
        kept: NDArray[Any] = places[first]
        return kept

    def _spread(self, here: NDArray[Any]) -> NDArray[Any]:
        """Go on from final places; returns the neighbours that are nearer by it."""
        own, reached = self.far.take(here), []
        for step in self.steps:
            to: NDArray[Any] = here + step
            if self.alias is not None:
                to = self.alias.take(to)
            new = own + self.costs.take(to)  # of what is never entered 2³⁰ and more: never nearer
            better = np.flatnonzero(new < self.far.take(to))
            to = to.take(better)
            self.far[to] = new.take(better)
            reached.append(to)
        return np.concatenate(reached)


def way_back(costs: Costs, far: Costs, end: Cell, *, wrap: bool) -> Path:
    """Follow falling distances from a place to the nearest source; the same way every time."""
    high, wide = costs.shape
    path = [end]
    at = end
    while far[at[0] % high, at[1] % wide] > 0:
        here = int(far[at[0] % high, at[1] % wide])
        cost = int(costs[at[0] % high, at[1] % wide])
        # Straight on first, so that ways do not zigzag where both cost the same.
        last = (at[0] - path[-2][0], at[1] - path[-2][1]) if len(path) > 1 else (0, 0)
        steps = sorted(((-1, 0), (0, -1), (1, 0), (0, 1)), key=lambda each: each != last)
        for down, across in steps:
            r, c = at[0] + down, at[1] + across
            if not wrap and not (0 <= r < high and 0 <= c < wide):
                continue
            if int(far[r % high, c % wide]) == here - cost:
                at = (r, c)
                break
        else:
            break
        path.append(at)
    return path


def _lay(
    work: Work,
    step: RouteStep,
    layer: GroundLayer | GrownLayer,
    paths: list[Path],
    *,
    through: bool,
) -> NDArray[np.generic]:
    """Lay the ways on the layer: sides, places or tiles."""
    high, wide = work.size
    if isinstance(layer, GroundLayer) and layer.kind_of_set is SetKind.EDGE:
        return _lay_sides(work, step, layer, paths, through=through)
    mask = np.zeros(work.size, np.bool_)
    for path in paths:
        for row, col in path:
            mask[row % high, col % wide] = True
    mask = _wider(mask, step.width, wrap=work.goes_round)
    if isinstance(layer, GrownLayer):
        return _lay_tiles(work, step, layer, mask)
    places = work.places(layer)
    on = mask
    if layer.kind_of_set is SetKind.CORNER:
        on = np.zeros(places.shape, np.bool_)
        rows, cols = np.nonzero(mask)
        for down in (0, 1):
            for across in (0, 1):
                on[(rows + down) % places.shape[0], (cols + across) % places.shape[1]] = True
    places[on] = work.mark(layer, step.terrain)
    # Where ways are, they stay: what touches them gives way.
    strength = np.where(on, 1 << 20, 0).astype(np.int64)
    return work.as_terrain(layer, work.joined(layer, places, strength))


def _wider(mask: Mask, width: int, *, wrap: bool) -> Mask:
    out = mask
    for number in range(width - 1):
        step = 1 if number % 2 == 0 else -1
        out = out | _moved(out, step, 0, wrap=wrap) | _moved(out, 0, step, wrap=wrap)
        out |= _moved(_moved(mask, step, 0, wrap=wrap), 0, step, wrap=wrap)
    return out


def _moved(mask: Mask, down: int, across: int, *, wrap: bool) -> Mask:
    out = np.roll(mask, (down, across), (0, 1))
    if not wrap:
        if down:
            out[0 if down > 0 else -1] = False
        if across:
            out[:, 0 if across > 0 else -1] = False
    return out


def _lay_sides(
    work: Work, step: RouteStep, layer: GroundLayer, paths: list[Path], *, through: bool
) -> NDArray[np.generic]:
    high, wide = work.size
    north = np.zeros((high + 1, wide + 1), np.bool_)
    west = np.zeros((high + 1, wide + 1), np.bool_)
    for path in paths:
        for (r0, c0), (r1, c1) in pairwise(path):
            if r0 != r1:
                north[max(r0, r1) % high, c0 % wide] = True
            else:
                west[r0 % high, max(c0, c1) % wide] = True
        if through:
            for row, col in (path[0], path[-1]):
                west[row, 0] |= col in (0, wide - 1)
                north[0, col] |= row in (0, high - 1)
    if work.goes_round:
        north[-1], west[:, -1] = north[0], west[:, 0]
        north[:, -1], west[-1] = north[:, 0], west[0]
    sides = np.array(work.terrain(layer), np.uint16)
    return with_sides(sides, north, west, work.mark(layer, step.terrain))


def _lay_tiles(work: Work, step: RouteStep, layer: GrownLayer, mask: Mask) -> NDArray[np.generic]:
    mix = next((each for each in work.project.mixes if each.name == step.mix), None)
    entries = [each for each in mix.entries if each.weight > 0] if mix else []
    if not entries:
        raise GrowError(
            say(
                "{number} lays tiles of mix “{mix}”, which is not there or empty: choose one",
                number=work.number,
                mix=step.mix,
            )
        )
    places = np.array([work.map.legend.place(each.tile) for each in entries], np.int32)
    table = slot_table(places, [each.weight for each in entries], MIX_SLOTS)
    rows, cols = np.arange(work.size[0]), np.arange(work.size[1])
    drawn = draw_cells(table, rows, cols, work.seed, layer.number)
    return np.where(mask, drawn, work.own_cells(layer))


def _begin(at: Start) -> RouteStep:
    number, grounds = at.layer.number, at.grounds
    points = sum(len(each.markers) for each in at.map.layers if isinstance(each, MarkerLayer))
    between = RouteEnd.MARKERS if points > 1 else RouteEnd.BORDERS
    on_ground = isinstance(at.layer, GroundLayer)
    mix = at.project.mixes[0].name if at.project.mixes and not on_ground else ""
    terrain = at.terrain if on_ground else ""
    return RouteStep(number, terrain, mix, between=between, ground=grounds[0] if grounds else 0)


ROUTE = StepKind(
    RouteStep,
    say("Route"),
    say("Ways between markers, borders or patches of terrain"),
    (GroundLayer, GrownLayer),
    run_route,
    _begin,
    (
        Setting("terrain", say("Lays"), As.TERRAIN, say("The terrain of the way")),
        Setting("mix", say("Tiles of"), As.MIX, say("What is laid on a grown layer")),
        Setting(
            "between", say("Joins"), As.CHOICE, say("What it leads to"), options=tuple(RouteEnd)
        ),
        Setting(
            "kind",
            say("Kind"),
            As.MARKER,
            say("Markers of this kind; empty is all of them"),
            only=("between", (RouteEnd.MARKERS,)),
        ),
        Setting("ground", say("Over"), As.GROUND, say("The ground layer that makes going dear")),
        Setting(
            "seek",
            say("Patches"),
            As.TERRAINS,
            say("Patches of this terrain are joined"),
            on="ground",
            only=("between", (RouteEnd.REGIONS,)),
        ),
        Setting(
            "dear",
            say("Dear"),
            As.TERRAINS,
            say("Terrains that it goes round if it can"),
            on="ground",
        ),
        Setting(
            "never", say("Never"), As.TERRAINS, say("Terrains that it never crosses"), on="ground"
        ),
        Setting(
            "width",
            say("Width"),
            As.SLIDER,
            say("Cells; ways of edge sets are one"),
            1,
            8,
            unit=say(" cells"),
        ),
        Setting("wobble", say("Wobble"), As.PART, say("How much chance bends it")),
        Setting(
            "joins", say("joins ways that are there"), As.CHECK, say("Ways are cheap to follow")
        ),
    ),
)
