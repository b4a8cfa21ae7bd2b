"""Relief: which way each pixel of a sheet faces, made from its art or painted elsewhere.

A relief is a picture as large as the sheet. Red is how far a pixel faces right (128: not at all),
green how far it faces up, blue how far it faces who looks at it; (128, 128, 255) lies flat.
"""

from __future__ import annotations

from copy import copy
from dataclasses import replace
from enum import Enum

import numpy as np
from numpy.typing import NDArray

from knitground.core.model.project import Project
from knitground.core.model.slicing import Slicing
from knitground.core.model.tileset import Picture, Tileset
from knitground.core.render.pixels import Pixels
from knitground.core.slicing.grid import clear_see_through, lay_grid

FLAT = (128, 128, 255)
_SEEN = 128
"""Opacity from which on a pixel belongs to what it shows."""
Field = NDArray[np.float32]


class By(Enum):
    """What of the art tells how high a pixel lies."""

    BRIGHTNESS = "brightness"
    OUTLINE = "outline"
    BOTH = "both"


def made_relief(
    picture: Picture, slicing: Slicing, by: By = By.BOTH, strength: float = 1.0, round_px: int = 4
) -> Picture:
    """Make the relief of a sheet, tile by tile: what lies beside a tile says nothing of it.

    Parameters
    ----------
    picture : (height, width, 4) uint8
    strength : how steep it is; 0 lies flat, less than 0 goes inwards
    round_px : by the outline: pixels from there to where it lies flat

    Returns
    -------
    (height, width, 4) uint8, opaque

    Notes
    -----
    Own derivation. By brightness a pixel lies as high as it is bright, smoothed by one pixel; by
    the outline it lies on a quarter of a circle that rises from there. The normal is (-slope right,
    slope down, 1) of that, made one long. At the borders of a tile slopes are those just inside.
    """
    from scipy.ndimage import distance_transform_edt, gaussian_filter  # late: slow to import

    grid = lay_grid(slicing, picture.shape[1], picture.shape[0])
    out = flat_relief(picture)
    for row in range(grid.rows):
        for col in range(grid.columns):
            left, top, wide, high = slicing.tile_area(row, col)
            part = clear_see_through(picture[top : top + high, left : left + wide].copy(), slicing)
            seen = part[..., 3] >= _SEEN
            if not seen.any() or min(part.shape[:2]) < 2:
                continue
            height = np.zeros(part.shape[:2], np.float32)
            if by is not By.OUTLINE:
                bright = part[..., :3].astype(np.float32) @ np.array((0.3, 0.59, 0.11), np.float32)
                bright[~seen] = bright[seen].mean()
                height += gaussian_filter(bright, 0.8, mode="nearest") / 48
            if by is not By.BRIGHTNESS and not seen.all():
                far = distance_transform_edt(np.pad(seen, 1, mode="edge"))[1:-1, 1:-1]
                part_up = np.clip(far / max(1, round_px), 0, 1)
                height += np.sqrt(1 - (1 - part_up) ** 2) * (round_px / 2)
            down, right = np.gradient(height * np.float32(strength))
            normal = np.stack([-right, down, np.ones_like(height)], axis=-1)
            normal /= np.linalg.norm(normal, axis=-1, keepdims=True)
            pixels = np.rint(normal * 127 + 128).clip(0, 255)
            pixels[~seen] = FLAT
            out[top : top + high, left : left + wide, :3] = pixels
    return out


def flat_relief(picture: Picture) -> Picture:
    """Give the relief of a sheet that lies flat: as large as the sheet."""
    out = np.empty_like(picture)
    out[..., :3], out[..., 3] = FLAT, 255
    return out


def has_relief(project: Project) -> bool:
    """Whether any sheet has one."""
    return any(each.relief is not None for each in project.tilesets)


def relief_project(project: Project) -> Project:
    """Give a project whose sheets show which way pixels face, as opaque as the art is."""
    return Project(project.name, None, [_as_picture(each) for each in project.tilesets], [], [])


def _as_picture(owner: Tileset) -> Tileset:
    out = copy(owner)
    out.is_relief = True
    if owner.picture is None:
        return out
    picture = np.empty_like(owner.picture)
    picture[..., :3] = FLAT
    if owner.relief is not None and owner.relief.shape[:2] == owner.picture.shape[:2]:
        picture[..., :3] = owner.relief[..., :3]
    picture[..., 3] = clear_see_through(owner.picture.copy(), owner.slicing)[..., 3]
    out.picture = picture
    out.slicing = replace(owner.slicing, see_through=())
    return out


def facing(pixels: Pixels) -> Field:
    """Read composed reliefs: (height, width, 3), right, down, and towards who looks at it.

    Where nothing lies it is flat.
    """
    alpha = (pixels >> 24).astype(np.float32)
    out = np.empty((*pixels.shape, 3), np.float32)
    for n, shift in enumerate((16, 8, 0)):
        value = ((pixels >> np.uint32(shift)) & np.uint32(255)).astype(np.float32)
        out[..., n] = (value / np.maximum(alpha, 1) * 255 - 128) / 127
    out[..., 1] *= -1
    out[alpha < 1] = 0, 0, 1
    return out
