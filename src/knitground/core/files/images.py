"""Reading and writing pictures, with bounds on what is accepted."""

from __future__ import annotations

import io
import struct
import zlib
from collections.abc import Iterator
from pathlib import Path

import numpy as np
from PIL import Image, UnidentifiedImageError

from knitground.core.base.errors import PictureError
from knitground.core.files.reading import MAX_BYTES, read_file
from knitground.core.model.limits import MAX_SIDE_PX
from knitground.core.model.tileset import Picture, SheetFile

FORMATS = ("PNG", "GIF", "WEBP", "BMP", "TGA", "TIFF", "JPEG")
Image.MAX_IMAGE_PIXELS = None  # ours is stated in `_check_size`, and checked before unpacking
_BROKEN = (OSError, SyntaxError, ValueError, EOFError, OverflowError, struct.error, zlib.error)
_BAND_PIXELS = 4 * 1024 * 1024
SUFFIXES = (".png", ".gif", ".webp", ".bmp", ".tga", ".tif", ".tiff", ".jpg", ".jpeg")


def read_picture(path: Path) -> Picture:
    """Read a picture as straight RGBA, (height, width, 4) uint8.

    Palette, grey and CMYK pictures are converted, 16-bit ones brought down to 8 bits; of an
    animation the first frame is taken.

    Raises
    ------
    PictureError
        The file is missing, is not a picture, is broken, or has a side of 0 or over 16 384 px.
        Its size is checked before anything is unpacked.
    """
    return picture_of(sheet_bytes(path), path.name)


def read_sheet(path: Path) -> SheetFile:
    """Read a picture and keep its file: what is saved later is that, byte for byte.

    Raises
    ------
    PictureError
        As `read_picture`.
    """
    data = sheet_bytes(path)
    return SheetFile(picture_of(data, path.name), data, path.absolute())


def sheet_bytes(path: Path) -> bytes:
    """Read the file of a picture, byte for byte.

    Raises
    ------
    PictureError
        It is missing, no plain file, or over 1 GiB.
    """
    return read_file(path, MAX_BYTES, PictureError, "choose another file")


def picture_of(data: bytes, name: str) -> Picture:
    """Read the bytes of a picture's file as `read_picture` does; `name` names it in errors."""
    try:
        # The size is checked against our own limit, before the pixels are unpacked.
        with Image.open(io.BytesIO(data), formats=FORMATS) as image:
            _check_size(name, image.width, image.height)
            return _rgba(image)
    except UnidentifiedImageError as error:
        raise PictureError(
            f"{name} is not a picture that can be read: "
            "give a PNG, GIF, WebP, BMP, TGA, TIFF or JPEG"
        ) from error
    except MemoryError as error:
        raise PictureError(f"{name} needs more memory than there is: cut it up") from error
    except _BROKEN as error:
        raise PictureError(
            f"{name} is broken or cut short ({error}): save it again in the paint program"
        ) from error


def conversion(path: Path) -> str | None:
    """Say in words what reading a picture changes about it; None if nothing is lost."""
    try:
        with Image.open(io.BytesIO(sheet_bytes(path)), formats=FORMATS) as image:
            mode = image.mode
    except (*_BROKEN, PictureError):
        return None
    if mode.startswith("I") or mode == "F":
        return f"{path.name} has more than 8 bits a channel: brought down to 8"
    return f"{path.name} is in CMYK: converted to RGB" if mode == "CMYK" else None


def read_frames(path: Path) -> list[Picture]:
    """Read all frames of an animation, each (height, width, 4) uint8; one for other pictures.

    Raises
    ------
    PictureError
        As `read_picture`, or the frames together would be larger than the largest sheet.
    """
    data = sheet_bytes(path)
    first = picture_of(data, path.name)
    try:
        with Image.open(io.BytesIO(data), formats=FORMATS) as image:
            count = getattr(image, "n_frames", 1)
            if count * first.shape[0] * first.shape[1] > MAX_SIDE_PX * MAX_SIDE_PX // 4:
                raise PictureError(
                    f"{path.name} has {count} frames of {image.width} × {image.height} px, too "
                    "many for one sheet: save fewer"
                )
            frames = [np.array(each.convert("RGBA"), np.uint8) for each in _each_frame(image)]
    except _BROKEN as error:
        raise PictureError(f"{path.name} is broken or cut short ({error})") from error
    return frames if len(frames) > 1 else [first]


def frame_times(path: Path) -> list[int]:
    """Read how long each frame of an animation shows, in milliseconds; 100 where it says none."""
    try:
        with Image.open(io.BytesIO(sheet_bytes(path)), formats=FORMATS) as image:
            times = [each.info.get("duration", 0) for each in _each_frame(image)]
    except _BROKEN as error:
        raise PictureError(f"{path.name} is broken or cut short ({error})") from error
    return [max(1, min(600_000, round(time))) if time else 100 for time in times]


def _each_frame(image: Image.Image) -> Iterator[Image.Image]:
    for number in range(getattr(image, "n_frames", 1)):
        image.seek(number)
        yield image


def _check_size(name: str, width: int, height: int) -> None:
    if not (1 <= width <= MAX_SIDE_PX and 1 <= height <= MAX_SIDE_PX):
        raise PictureError(
            f"{name} says it is {width} × {height} px: a sheet has sides of 1 to "
            f"{MAX_SIDE_PX} px; cut it into smaller sheets"
        )


def _rgba(image: Image.Image) -> Picture:
    if image.mode.startswith("I") or image.mode == "F":
        values = np.asarray(image, np.float64)
        top = 65535.0 if values.size and values.max() > 255 else 255.0
        grey = np.clip(values / top * 255, 0, 255).round().astype(np.uint8)
        out = np.full((*grey.shape, 4), 255, np.uint8)
        out[..., :3] = grey[..., None]
        return out
    out = np.empty((image.height, image.width, 4), np.uint8)
    step = max(1, _BAND_PIXELS // image.width)  # a large one is never there twice over
    for top in range(0, image.height, step):
        band = image.crop((0, top, image.width, min(top + step, image.height)))
        out[top : top + step] = band.convert("RGBA")
    return out


def png_bytes(picture: Picture) -> bytes:
    """Write straight RGBA as PNG; the same pixels always give the same bytes."""
    buffer = io.BytesIO()
    Image.fromarray(np.ascontiguousarray(picture)).save(buffer, "PNG", compress_level=6)
    return buffer.getvalue()
