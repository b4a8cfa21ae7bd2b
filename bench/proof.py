"""Benchmarks of Proof and Walk: all checks of a large map, figures that wander, a tick of one.

`python bench/proof.py` prints a table; exits 1 if a limit is broken.
"""

from __future__ import annotations

import os
import sys
import tempfile
from pathlib import Path
from typing import TYPE_CHECKING

sys.path.insert(0, str(Path(__file__).parents[1]))

from bench.run import Row, ratio, tell_rows, timed

if TYPE_CHECKING:
    from knitground.core.model.map import Map
    from knitground.core.model.project import Project


def busy_map(project: Project, side: int) -> Map:
    """Make a map of eight layers: ground of three terrains, things with shapes, spawn points."""
    import numpy as np
    from scipy.ndimage import gaussian_filter

    from knitground.core.model.map import Map
    from knitground.core.model.marker import Marker, Shape
    from knitground.core.model.tile import TileRef

    rng = np.random.default_rng(1)
    map_ = Map("Busy", side, side, 16, 16)
    for n in range(3):
        ground = map_.new_ground_layer(f"ground {n}", "pans", "Pans")
        field = gaussian_filter(rng.normal(size=ground.terrain.shape), 6)
        ground.terrain[:] = 1 + np.digitize(field, np.quantile(field, [0.4, 0.7]))
        map_.layers.append(ground)
    for n in range(4):
        things = map_.new_tile_layer(f"things {n}")
        places = [map_.legend.place(TileRef("props", *at)) for at in np.ndindex(3, 6)]
        mask = rng.random((side, side)) < 0.15
        things.cells[mask] = rng.choice(places, int(mask.sum()))
        map_.layers.append(things)
    markers = map_.new_marker_layer("places")
    markers.markers = tuple(
        Marker(n, Shape.POINT, (map_.lattice.middle(*rng.integers(0, side, 2).tolist()),),
               f"start {n}", "spawn point") for n in range(1, 200)
    )  # fmt: skip
    map_.layers.append(markers)
    return map_


def rows(folder: Path) -> list[Row]:
    """Measure 1024² × 8 layers, and 256² of them with a thousand figures."""
    from scipy.ndimage import maximum_filter1d

    from knitground.core.edit.document import Document
    from knitground.core.files.opening import open_project
    from knitground.core.proof.proof import CHECKS, run_check
    from knitground.core.render.atlas import Atlas
    from knitground.core.walk.cover import covered
    from knitground.core.walk.figure import Figure, Keys, Walk
    from knitground.core.walk.solids import Solids
    from knitground.core.walk.wander import wander
    from knitground.demo.project import write_demo

    write_demo(folder / "demo")
    project = open_project(folder / "demo").project
    large, small = busy_map(project, 1024), busy_map(project, 256)
    project.maps = [large, small]
    doc = Document(project)
    doc.ensure_all(large)
    whole = sum(timed(lambda check=check: run_check(doc, check, large if check.of_map else None))
                for check in CHECKS.values())  # fmt: skip
    solids = Solids(doc, small, side=1024)
    figure, room = Figure(10, 19, 96.0), (0, 0, solids.wide, solids.high)
    mask = solids.seen(*room).view("uint8")
    wandering = ratio(
        "1000 figures, ten seconds, 256²", "the mask grown by a figure, twice",
        lambda: wander(solids, figure, room),
        lambda: [maximum_filter1d(mask, 10, axis=axis) for axis in (0, 1) * 2], 3, 3,
    )  # fmt: skip
    walk, atlas = Walk(Solids(doc, large), figure), Atlas(project, large)
    at, ways, times = walk.begin(8000, 8000), (Keys(1, 0), Keys(1, 1), Keys(0, 1)), []

    def tick(n: int) -> None:
        nonlocal at
        at = walk.step(at, ways[n // 50 % 3])
        covered(doc, large, atlas, figure, at)

    for n in range(600):
        times.append(timed(lambda n=n: tick(n)) * 1000)
    times.sort()
    return [
        Row("all checks, 1024² × 8 layers", "s, 10 asked", whole * 1000, 1, whole, 10),
        wandering,
        *(Row(f"a tick of Walk, {word}", "ms, 16 asked", times[n], 1, times[n], 16)
          for word, n in (("50th", 300), ("95th", 570), ("worst", -1))),
    ]  # fmt: skip


def main() -> int:
    """Measure all rows."""
    with tempfile.TemporaryDirectory() as name:
        return tell_rows(rows(Path(name)))


if __name__ == "__main__":
    os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
    sys.exit(main())
