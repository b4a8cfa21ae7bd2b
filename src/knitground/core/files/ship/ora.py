"""Ship OpenRaster: a picture with the map's layers, for paint programs."""

from __future__ import annotations

import io
import zipfile
from xml.sax.saxutils import quoteattr

import numpy as np

from knitground.core.base.errors import PlaceError
from knitground.core.base.progress import Progress, no_progress
from knitground.core.base.tongue import say
from knitground.core.files.images import png_bytes
from knitground.core.files.ship.kinds import ShipFormat, ShipJob
from knitground.core.files.ship.png import map_picture
from knitground.core.model.layers import Holds, Layer
from knitground.core.model.map import Map
from knitground.core.model.tileset import Picture
from knitground.core.render.compose import tint_factors

_MOST_PIXELS = 8192 * 8192
_SMALL = 256
_NEVER = (1980, 1, 1, 0, 0, 0)
"""The date of all that is packed: two runs give the same bytes."""


def _names(job: ShipJob, map_: Map, options: object = None) -> list[str]:
    return [f"{job.stem(map_)}.ora"]


def _files(
    job: ShipJob, map_: Map, options: object, progress: Progress = no_progress
) -> dict[str, bytes]:
    """Make `MAP.ora`: a PNG for each layer, the stack, the whole, and a small picture.

    A tint multiplies what lies beneath; layers that are hidden are in it, hidden. Interleaved
    layers come one after the other: a picture has no depth.
    """
    wide, high = map_.lattice.extent
    if wide * high > _MOST_PIXELS:
        raise PlaceError(
            say(
                "“{name}” would be {wide} × {high} px a layer, more than {most_pixels} "
                "pixels: ship it as PNG, in chunks",
                name=map_.name,
                wide=wide,
                high=high,
                most_pixels=_MOST_PIXELS,
            )
        )
    whole = map_picture(job.project, map_, 0, atlas=job.atlas(map_))
    lines: list[str] = []
    parts: dict[str, bytes] = {}
    for n, layer in enumerate(map_.layers):
        progress((n + 1) / (len(map_.layers) + 1))
        name = f"data/layer{n:02}.png"
        parts[name] = png_bytes(_picture(job, map_, layer, whole.shape))
        way = "svg:multiply" if layer.holds is Holds.COLOURS else "svg:src-over"
        strength = 1.0 if layer.holds is Holds.COLOURS else layer.opacity
        lines.insert(0, f'<layer name={quoteattr(layer.name)} src="{name}" x="0" y="0" '
                     f'opacity="{strength:g}" composite-op="{way}" '
                     f'visibility="{"visible" if layer.visible else "hidden"}"/>')  # fmt: skip
    if map_.background is not None:
        paper = np.empty_like(whole)
        paper[:] = (*bytes.fromhex(map_.background[1:]), 255)
        parts["data/background.png"] = png_bytes(paper)
        lines.append('<layer name="background" src="data/background.png" x="0" y="0"/>')
    stack = "\n".join(["<?xml version='1.0' encoding='UTF-8'?>",
                       f'<image version="0.0.3" w="{wide}" h="{high}">', "<stack>", *lines,
                       "</stack>", "</image>", ""])  # fmt: skip
    every = max(1, -(-max(wide, high) // _SMALL))
    parts["Thumbnails/thumbnail.png"] = png_bytes(np.ascontiguousarray(whole[::every, ::every]))
    parts["mergedimage.png"] = png_bytes(whole)
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w") as file:
        _put(file, "mimetype", b"image/openraster")
        _put(file, "stack.xml", stack.encode())
        for name, data in parts.items():
            _put(file, name, data)
    return {f"{job.stem(map_)}.ora": packed.getvalue()}


def _put(file: zipfile.ZipFile, name: str, data: bytes) -> None:
    about = zipfile.ZipInfo(name, _NEVER)
    about.external_attr = 0o644 << 16
    file.writestr(about, data)  # as it is: PNGs are packed already


def _picture(job: ShipJob, map_: Map, layer: Layer, shape: tuple[int, ...]) -> Picture:
    if layer.holds is not Holds.COLOURS:
        whole, layer.opacity = layer.opacity, 1.0  # the stack weakens it
        try:
            return map_picture(job.project, map_, 0, atlas=job.atlas(map_), layers=[layer],
                               background=False)  # fmt: skip
        finally:
            layer.opacity = whole
    out = np.full(shape, 255, np.uint8)
    factors = tint_factors(layer.cells, layer.opacity)
    ys, xs = np.arange(shape[0]) + 0.5, np.arange(shape[1]) + 0.5
    down, across = layer.shift
    rows, cols = map_.lattice.cells_at(xs[None] - across, ys[:, None] - down)
    rows, cols = np.broadcast_arrays(rows, cols)
    inside = (rows >= 0) & (rows < map_.height) & (cols >= 0) & (cols < map_.width)
    found = factors[rows[inside], cols[inside]]
    for n, shift in enumerate((16, 8, 0)):
        out[..., n][inside] = (found >> np.uint32(shift)) & np.uint32(255)
    return out


ORA = ShipFormat(
    "ora",
    say("OpenRaster — a picture with layers"),
    say("Opens in paint programs, layer by layer"),
    _names,
    _files,
)
