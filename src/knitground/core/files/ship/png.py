"""Ship PNG: a map as one picture."""

from __future__ import annotations

from pathlib import Path
from typing import NamedTuple

import numpy as np

from knitground.core.base.errors import PlaceError
from knitground.core.base.progress import Progress, no_progress
from knitground.core.base.window import read
from knitground.core.files.images import png_bytes
from knitground.core.files.made import write_asked
from knitground.core.files.ship.kinds import ShipFormat, ShipJob
from knitground.core.model.lattice import Rect
from knitground.core.model.map import Map
from knitground.core.model.project import Project
from knitground.core.model.tileset import Picture
from knitground.core.render.atlas import Atlas
from knitground.core.render.pixels import over, straight
from knitground.core.render.stack import draw_map, stack_of

MAX_PIXELS = 16_384 * 16_384
_BAND_PIXELS = 4 * 1024 * 1024


class MapPicture(NamedTuple):
    """A picture of a map; a notebook shows it. `pixels` (h, w, 4) uint8, straight RGBA."""

    pixels: Picture

    def _repr_png_(self) -> bytes:
        return png_bytes(self.pixels)

    def save(self, path: str | Path) -> None:
        """Write it as a PNG; raises a PlaceError where a file of a project lies."""
        write_asked(Path(path), png_bytes(self.pixels))


def map_picture(
    project: Project,
    map_: Map,
    level: int = 0,
    progress: Progress = no_progress,
    atlas: Atlas | None = None,
) -> Picture:
    """Draw the visible layers of a knitted map: (height, width, 4) uint8, straight alpha.

    Parameters
    ----------
    level : 0 for full size, n for 1 / 2ⁿ of it

    Raises
    ------
    PlaceError
        The picture would have more than 16 384 × 16 384 pixels.
    """
    level = min(level, map_.lattice.level_count - 1)
    lattice = map_.lattice.at_level(level)
    width, height = lattice.extent
    if width * height > MAX_PIXELS:
        raise PlaceError(
            f"“{map_.name}” would be {width} × {height} px, more than "
            f"{MAX_PIXELS} pixels: ship it at a smaller scale"
        )
    atlas = atlas or Atlas(project, map_)
    out = np.zeros((height, width, 4), np.uint8)
    if map_.background is not None:
        out[:] = (*bytes.fromhex(map_.background[1:]), 255)
    shown = any(layer.visible for layer in map_.layers)
    step = max(1, _BAND_PIXELS // width)
    for top in range(0, height if shown else 0, step):
        progress(top / height)
        band = Rect(0, top, width, min(step, height - top))
        pixels = draw_map(
            map_,
            atlas,
            stack_of(map_, atlas, band, level, lambda layer, box: read(layer.cells, box)),
        )
        if map_.background is not None:
            colour = np.uint32(0xFF000000 | int(map_.background[1:], 16))
            pixels = over(pixels, np.full_like(pixels, colour))
        out[top : top + len(pixels)] = straight(pixels)
    return out


def _names(job: ShipJob, map_: Map) -> list[str]:
    return [f"{job.stem(map_)}.png"]


def _files(job: ShipJob, map_: Map, progress: Progress = no_progress) -> dict[str, bytes]:
    picture = map_picture(job.project, map_, job.level, progress, job.atlas(map_))
    return {name: png_bytes(picture) for name in _names(job, map_)}


PNG = ShipFormat(
    "png", "PNG — the map as one picture", "One picture of all visible layers", _names, _files,
    usual=True, has_scale=True,
)  # fmt: skip
