"""Grids of both axes put together, and how well their numbers go together."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from knitground.core.slicing.axisfeatures import AxisGrids
from knitground.core.slicing.evidence import Profile
from knitground.core.slicing.pitches import Numbers

_KEPT = 24
_SQUARES = 6


@dataclass(frozen=True, eq=False)
class Pairs:
    """Grids of a sheet, (n,): `across` and `down` are places in the axes of their `ground`."""

    axes: list[tuple[AxisGrids, AxisGrids]]
    ground: Numbers
    across: Numbers
    down: Numbers
    features: dict[str, Profile]

    def __len__(self) -> int:
        return len(self.ground)

    def some(self, chosen: list[int]) -> Pairs:
        """Only some of the pairs."""
        features = {name: values[chosen] for name, values in self.features.items()}
        return Pairs(
            self.axes, self.ground[chosen], self.across[chosen], self.down[chosen], features
        )

    def shape(self, n: int) -> tuple[int, int]:
        """Columns and rows."""
        across, down = self.axes[int(self.ground[n])]
        return int(across.count[self.across[n]]), int(down.count[self.down[n]])

    def numbers(self, n: int) -> tuple[int, int, int, int, int, int]:
        """Tile, margin and spacing, each across and down, in px.

        A lone side takes the spacing of the other.
        """
        across, down = self.axes[int(self.ground[n])]
        a, d = int(self.across[n]), int(self.down[n])
        space_x, space_y = int(across.spacing[a]), int(down.spacing[d])
        space_x = space_y if across.count[a] == 1 else space_x
        space_y = space_x if down.count[d] == 1 else space_y
        return (
            int(across.tile[a]), int(down.tile[d]), int(across.margin[a]), int(down.margin[d]),
            space_x, space_y,
        )  # fmt: skip


def pair_up(across: AxisGrids, down: AxisGrids) -> Pairs:
    """Pair the best grids of both axes for one ground: those, lone sides, and squares of these."""
    a, d = _best(across), _best(down)
    a = np.union1d(a, _with_tile(across, down.tile[d[:_SQUARES]]))
    d = np.union1d(d, _with_tile(down, across.tile[a[:_SQUARES]]))
    first, second = (each.ravel() for each in np.meshgrid(a, d, indexing="ij"))
    several = across.count[first] * down.count[second] > 1
    first, second = first[several], second[several]
    pairs = Pairs([(across, down)], np.zeros(first.size, np.intp), first, second, {})
    if first.size:
        pairs.features.update(_features(across, down, first, second))
    return pairs


def join_axes(parts: list[Pairs]) -> Pairs:
    """Put the pairs of several grounds together."""
    axes = [each.axes[0] for each in parts]
    ground = np.concatenate([np.full(len(each), n, np.intp) for n, each in enumerate(parts)])
    full = [each for each in parts if len(each)]
    names = list(full[0].features) if full else []
    features = {name: np.concatenate([each.features[name] for each in full]) for name in names}
    for side in (0, 1):
        if full:
            top = max(float(pair[side].rating.max()) for pair in axes)
            tops = np.array([float(pair[side].rating.max()) - top for pair in axes])
            key = "ground across" if side == 0 else "ground down"
            features[key] = tops[ground]
    if full:
        features["ground"] = features.pop("ground across") + features.pop("ground down")
    return Pairs(
        axes, ground, np.concatenate([each.across for each in parts]),
        np.concatenate([each.down for each in parts]), features,
    )  # fmt: skip


def _best(axis: AxisGrids) -> Numbers:
    order = np.argsort(-axis.rating, kind="stable")[:_KEPT]
    lone = np.flatnonzero(axis.count == 1)
    return np.concatenate([order, lone[~np.isin(lone, order)][:4]])


def _with_tile(axis: AxisGrids, tiles: Numbers) -> Numbers:
    """The best grid of each of some tile sizes."""
    out = []
    for tile in np.unique(tiles).tolist():
        same = np.flatnonzero(axis.tile == tile)
        if same.size:
            out.append(int(same[np.argmax(axis.rating[same])]))
    return np.array(out, np.intp)


def _features(across: AxisGrids, down: AxisGrids, a: Numbers, d: Numbers) -> dict[str, Profile]:
    rating_a = across.rating[a] - across.rating.max()
    rating_d = down.rating[d] - down.rating.max()
    tile_a, tile_d = across.tile[a].astype(float), down.tile[d].astype(float)
    lone_a, lone_d = across.count[a] == 1, down.count[d] == 1
    lone = lone_a | lone_d
    square = tile_a == tile_d
    many = across.count[a] * down.count[d]
    ratio = np.log(tile_a / tile_d)
    space_a, space_d = across.spacing[a], down.spacing[d]
    margin_a, margin_d = across.margin[a], down.margin[d]

    def both(kind: NDArray[np.bool_]) -> Profile:
        return kind.astype(float)

    evidence_a, evidence_d = _evidence(across, a), _evidence(down, d)
    weaker = np.where(lone, np.maximum(evidence_a, evidence_d), np.minimum(evidence_a, evidence_d))
    double = both((tile_a == 2 * tile_d) | (tile_d == 2 * tile_a))
    return {
        "weaker axis": np.minimum(rating_a, rating_d),
        "stronger axis": np.maximum(rating_a, rating_d),
        "evidence": np.minimum(weaker, 6.0),
        "square": both(square & ~lone),
        "square strip": both(square & lone & (many >= 3)),
        "square pair": both(square & lone & (many < 3)),
        "double": double * ~lone,
        "double strip": double * lone,
        "ratio": np.where(lone, 0.0, np.abs(ratio)),
        "ratio of strip": np.where(lone, np.abs(ratio), 0.0),
        "far ratio": both(np.abs(ratio) > np.log(4.0)),
        "lone axis": both(lone),
        "thin lone": both((lone_a & (tile_a < 12)) | (lone_d & (tile_d < 12))),
        "same spacing": both((space_a == space_d) & ~lone & (space_a > 0)),
        "no spacing": both((space_a == 0) & (space_d == 0) & ~lone),
        "one spacing": both(((space_a > 0) != (space_d > 0)) & ~lone),
        "strip with spacing": both(((space_a > 0) | (space_d > 0)) & lone),
        "same margin": both((margin_a == margin_d) & ~lone & (margin_a > 0)),
        "no margin": both((margin_a == 0) & (margin_d == 0)),
        "one margin": both(((margin_a > 0) != (margin_d > 0)) & ~lone),
        "strip, one margin": both(((margin_a > 0) != (margin_d > 0)) & lone),
        "one repeated": both((across.repeated[a] != down.repeated[d]) & ~lone),
        "both fit": both(
            ((across.features["fits"][a] > 0) | lone_a) & ((down.features["fits"][d] > 0) | lone_d)
        ),
        "lines both ways": np.minimum(_drawn(across, a), _drawn(down, d)),
        "many": np.log(many),
        "two or three": both(many <= 3),
        "large": both((tile_a > 128) | (tile_d > 128)),
    }


def _drawn(axis: AxisGrids, at: Numbers) -> Profile:
    """How far gutters, or the rims of a lone tile, are lines that somebody drew."""
    return axis.features["gutters drawn"][at] + np.minimum(axis.features["lone rim drawn"][at], 1.0)


def _evidence(axis: AxisGrids, at: Numbers) -> Profile:
    names = ("gain clear", "gain seam", "gain step", "gain drop")
    return np.asarray(np.sum([axis.features[name][at] for name in names], axis=0))
