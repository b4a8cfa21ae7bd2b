"""Scatter: tiles and patches of any footprint, whole, apart from each other, where they may lie.

The largest footprints first; anchors in the order of counted numbers, the dense places sooner; a
plain loop, for what may lie depends on all that lies by then.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.errors import GrowError
from knitground.core.base.hashing import cell_numbers, mix_one
from knitground.core.base.tongue import say
from knitground.core.grow.noise import noise_on
from knitground.core.grow.stepkind import DENSITY, MIX, ON_GROWN, As, Setting, StepKind
from knitground.core.grow.work import Grown, Mask, Work
from knitground.core.model.layers import Cells, GrownLayer
from knitground.core.model.map import Map
from knitground.core.model.mix import Mix
from knitground.core.model.project import Project
from knitground.core.model.recipe import ScatterStep


@dataclass(frozen=True, eq=False)
class Strewn:
    """One thing to scatter: places of the legend (h, w), 0 for holes; its share and name."""

    cells: Cells
    weight: float
    name: str

    @property
    def size(self) -> int:
        """Cells that it takes."""
        return int(np.count_nonzero(self.cells))


def strewn_of(project: Project, map_: Map, mix: Mix) -> list[Strewn]:
    """Make the things of a mix for a map."""
    out = []
    for number, entry in enumerate(mix.entries):
        if entry.weight <= 0:
            continue
        if entry.patch is None:
            cells = np.array([[map_.legend.place(entry.tile)]], np.int32)
            owner = project.tileset_named(entry.tile.tileset)
            known = owner.fact(entry.tile.row, entry.tile.col).name if owner else ""
            count = owner.number(entry.tile.row, entry.tile.col) if owner else 0
            name = known or f"{entry.tile.tileset} {count}"
        else:
            cells = np.array(
                [[map_.legend.place(t) if t else 0 for t in row] for row in entry.patch.rows],
                np.int32,
            )
            name = entry.patch.name
        out.append(Strewn(cells, entry.weight, name or say("entry {number}", number=number + 1)))
    return out


def run_scatter(work: Work, step: ScatterStep) -> list[Grown]:
    """Scatter a mix over a grown layer, beside what earlier steps laid there."""
    layer = work.layer(step.layer, GrownLayer, "grown")
    mix = next((each for each in work.project.mixes if each.name == step.mix), None)
    if mix is None:
        raise GrowError(
            say(
                "{number} draws from mix “{mix}”, which is not there",
                number=work.number,
                mix=step.mix,
            )
        )
    things = strewn_of(work.project, work.map, mix)
    if not things:
        raise GrowError(
            say(
                "{number}: mix “{mix}” has nothing with a weight over 0",
                number=work.number,
                mix=step.mix,
            )
        )
    dense = work.where(step.where)
    cells = work.own_cells(layer)
    taken = (cells > 0) | layer.pinned
    free = np.ones(work.size, np.bool_) if dense is None else dense > 0
    weights = _weights(work, step, dense)
    made, counts, wanted = scatter(
        things, free & ~taken, taken, step, work.seed, wrap=work.goes_round, weights=weights
    )
    room = max(1, int(free.sum()))
    laid = float(np.count_nonzero(made)) / room
    words = ", ".join(f"{n} {each.name}" for each, n in zip(things, counts))
    short = [(each.name, n, want) for each, n, want in zip(things, counts, wanted) if n < want]
    if short:
        words += say(" · no room for ") + ", ".join(
            f"{want - n} {name}" for name, n, want in short[:3]
        )
    out = np.where(made > 0, made, cells)
    return [Grown(layer, out, ((step.mix, step.density, laid),), words=words)]


def _weights(
    work: Work, step: ScatterStep, dense: NDArray[np.float32] | None
) -> NDArray[np.float64] | None:
    if not step.clumps and (dense is None or bool(((dense == 0) | (dense == 1)).all())):
        return None
    out = np.ones(work.size) if dense is None else dense.astype(np.float64)
    if step.clumps:
        field = noise_on(
            work.map.lattice, work.size, max(2.0, step.clumps), 2, mix_one(work.seed, 17)
        )
        out = out * np.exp(np.clip(2.5 * field, -8, 8))
    return out


def scatter(
    things: list[Strewn],
    free: Mask,
    taken: Mask,
    step: ScatterStep,
    seed: int,
    *,
    wrap: bool,
    weights: NDArray[np.float64] | None = None,
    anchors: list[tuple[int, int]] | None = None,
) -> tuple[Cells, list[int], list[int]]:
    """Lay things.

    Parameters
    ----------
    free : (h, w) cells that may be taken
    taken : cells from which the gap is kept
    weights : how much sooner a place is taken than another
    anchors : gets the upper left cells of all that was laid

    Returns
    -------
    (h, w) places of the legend, 0 where nothing was laid; how many of each thing were laid, and how
    many were asked for
    """
    out = np.zeros(free.shape, np.int32)
    room = int(free.sum())
    total = sum(each.weight for each in things)
    wanted = [round(step.density * room * each.weight / total / each.size) for each in things]
    ground = _Ground(free, taken, step.gap, wrap=wrap)
    ground.anchors = anchors
    counts = [0] * len(things)
    order = sorted(range(len(things)), key=lambda n: (-things[n].size, n))
    for n in order:
        counts[n] = ground.lay(
            things[n].cells, wanted[n], out, mix_one(seed, 23, n), step.alike, weights
        )
    return out, counts, wanted


class _Ground:
    """Which cells are taken, and which are too near to what was laid."""

    def __init__(self, free: Mask, taken: Mask, gap: int, *, wrap: bool) -> None:
        self.free, self.gap, self.wrap = free, gap, wrap
        self.size = free.shape
        self.anchors: list[tuple[int, int]] | None = None
        self.near = _grown(taken, gap, wrap=wrap) if gap else taken.copy()

    def lay(
        self,
        cells: Cells,
        count: int,
        out: Cells,
        seed: int,
        alike: int,
        weights: NDArray[np.float64] | None,
    ) -> int:
        """Lay up to `count` of one footprint; returns how many there was room for."""
        if count <= 0:
            return 0
        high, wide = cells.shape
        rows, cols = np.nonzero(cells)
        fits = self._anchors(rows, cols)
        places = np.flatnonzero(fits)
        if not places.size:
            return 0
        rows, cols = np.arange(self.size[0]), np.arange(self.size[1])
        numbers = cell_numbers(rows, cols, seed).ravel()[places]
        if weights is None:
            order = places[np.argsort(numbers, kind="stable")]
        else:
            # The first of exponential times with these rates: chance without putting back.
            waits = -np.log((numbers + 1.0) / 2.0**32) / np.maximum(weights.ravel()[places], 1e-12)
            order = places[np.argsort(np.round(waits, 9), kind="stable")]
        if high == wide == 1 and not self.gap and not alike:
            chosen = order[:count]
            out.ravel()[chosen] = cells[0, 0]
            self.near.ravel()[chosen] = True
            if self.anchors is not None:
                self.anchors += [divmod(at, self.size[1]) for at in chosen.tolist()]
            return len(chosen)
        return self._one_by_one(order, count, cells, out, alike)

    def _one_by_one(
        self, order: NDArray[np.intp], count: int, cells: Cells, out: Cells, alike: int
    ) -> int:
        height, width = self.size
        high, wide = cells.shape
        offsets = [(int(r), int(c), int(cells[r, c])) for r, c in zip(*np.nonzero(cells))]
        own = np.zeros(self.size, np.bool_)
        laid = 0
        near = self.near
        for place in order.tolist():
            row, col = divmod(place, width)
            spots = [((row + r) % height, (col + c) % width) for r, c, _ in offsets]
            if any(near[at] for at in spots) or (alike and any(own[at] for at in spots)):
                continue
            for at, (_, _, value) in zip(spots, offsets):
                out[at] = value
            self._close(near, row, row + high, col, col + wide, self.gap, spots)
            if alike:
                self._close(own, row, row + high, col, col + wide, alike)
            laid += 1
            if self.anchors is not None:
                self.anchors.append((row, col))
            if laid == count:
                break
        return laid

    def _anchors(self, rows: NDArray[np.intp], cols: NDArray[np.intp]) -> Mask:
        """Tell at which cells the upper left of a footprint may lie."""
        open_ = self.free & ~self.near
        out = np.ones(self.size, np.bool_)
        for row, col in zip(rows.tolist(), cols.tolist()):
            moved = np.roll(open_, (-row, -col), (0, 1))
            if not self.wrap:
                if row:
                    moved[-row:] = False
                if col:
                    moved[:, -col:] = False
            out &= moved
        return out

    def _close(
        self,
        near: Mask,
        top: int,
        bottom: int,
        left: int,
        right: int,
        gap: int,
        spots: list[tuple[int, int]] | None = None,
    ) -> None:
        """Let nothing come nearer to a box than the gap."""
        if spots is not None and not gap:
            for at in spots:
                near[at] = True
            return
        height, width = self.size
        top, bottom, left, right = top - gap, bottom + gap, left - gap, right + gap
        if not self.wrap:
            near[max(0, top) : bottom, max(0, left) : right] = True
        elif top >= 0 and left >= 0 and bottom <= height and right <= width:
            near[top:bottom, left:right] = True
        else:
            near[np.ix_(np.arange(top, bottom) % height, np.arange(left, right) % width)] = True


def _grown(mask: Mask, by: int, *, wrap: bool) -> Mask:
    """Mark all within a square of so many places round each that is marked."""
    from scipy.ndimage import maximum_filter1d  # late: slow to import

    out = mask.astype(np.uint8)
    for axis in (0, 1):
        out = maximum_filter1d(out, 2 * by + 1, axis, mode="wrap" if wrap else "constant")
    return out.astype(np.bool_)


SCATTER = StepKind(
    ScatterStep,
    say("Scatter"),
    say("Tiles and patches, whole and apart from each other"),
    ON_GROWN,
    run_scatter,
    lambda at: ScatterStep(at.layer.number, at.mix),
    (
        MIX,
        DENSITY,
        Setting(
            "gap", say("Gap"), As.SLIDER, say("Free cells round each"), 0, 12, unit=say(" cells")
        ),
        Setting(
            "alike",
            say("Alike"),
            As.SLIDER,
            say("Free cells between two of the same kind"),
            0,
            24,
            unit=say(" cells"),
        ),
        Setting(
            "clumps",
            say("Clumps"),
            As.SLIDER,
            say("Cells from one clump to the next; 0 is even"),
            0,
            48,
            unit=say(" cells"),
        ),
    ),
    alone=True,
)
