"""Reading and writing pictures, with bounds on what is accepted."""

from __future__ import annotations

import io
import os
import struct
import warnings
import zlib
from collections.abc import Iterator
from contextlib import ExitStack, contextmanager
from pathlib import Path
from tempfile import TemporaryFile
from threading import Lock
from typing import IO

import numpy as np
from numpy.typing import NDArray
from PIL import Image, UnidentifiedImageError

from knitground.core.base.errors import PictureError
from knitground.core.base.progress import Progress, no_progress
from knitground.core.base.tongue import say
from knitground.core.files.reading import plain_file
from knitground.core.model.limits import MAX_SHEET_PIXELS, MAX_SHEETS_BYTES, MAX_SIDE_PX
from knitground.core.model.tileset import Picture, SheetFile

FORMATS = ("PNG", "GIF", "WEBP", "BMP", "TGA", "TIFF", "JPEG")
Image.MAX_IMAGE_PIXELS = None  # ours is stated in `_check_size`, and checked before unpacking
_BROKEN = (
    OSError, SyntaxError, ValueError, EOFError, OverflowError, struct.error, zlib.error,
    LookupError, TypeError,
)  # fmt: skip
"""What Pillow raises where a file ends too early, or says what can not be."""
_BAND_PIXELS = 4 * 1024 * 1024
SUFFIXES = (".png", ".gif", ".webp", ".bmp", ".tga", ".tif", ".tiff", ".jpg", ".jpeg")
MAX_PICTURE_BYTES = 200 * 1024 * 1024
"""A sheet of the most pixels, not packed at all, and some more for what stands before them."""
_MAX_FRAMES_PIXELS = MAX_SHEET_PIXELS // 2
"""All frames of an animation: they are there as frames and as a sheet for a while."""
_ONE_AT_A_TIME = Lock()


def read_picture(path: Path) -> Picture:
    """Read a picture as straight RGBA, (height, width, 4) uint8.

    Palette, grey and CMYK pictures are converted, 16-bit ones brought down to 8 bits; of an
    animation the first frame is taken.

    Raises
    ------
    PictureError
        The file is missing, is not a picture, is broken, has a side of 0 or over 16 384 px,
        or more than 41 943 040 pixels.
        Its size is checked before anything is unpacked.
    """
    return picture_of(sheet_bytes(path), path.name)


def read_sheet(path: Path, room: int | None = None) -> SheetFile:
    """Read a picture and keep its file: what is saved later is that, byte for byte.

    Raises
    ------
    PictureError
        As `read_picture`, or it takes more than `room` bytes of memory.
    """
    data = sheet_bytes(path)
    return SheetFile(picture_of(data, path.name, room), data, path.absolute())


def sheet_bytes(path: Path) -> bytes:
    """Read the file of a picture, byte for byte; its size in pixels is looked at before.

    Raises
    ------
    PictureError
        It is missing, no plain file, no picture, or too large.
    """
    with plain_file(path, MAX_PICTURE_BYTES, PictureError, say("choose another file")) as file:
        with _opened(file, path.name):
            pass
        file.seek(0)
        return file.read()


def picture_of(data: bytes, name: str, room: int | None = None) -> Picture:
    """Read the bytes of a picture's file as `read_picture` does; `name` names it in errors.

    With `room`, what is left of a project's memory for sheets, it is known before the first pixel
    is read whether this one fits.
    """
    with _opened(io.BytesIO(data), name) as image:
        if room is not None and len(data) + 4 * image.width * image.height > room:
            raise PictureError(
                say(
                    "{name} does not fit: all sheets of a project together take at most "
                    "{max_sheets_bytes} MB of memory; use fewer, or smaller ones",
                    name=name,
                    max_sheets_bytes=MAX_SHEETS_BYTES >> 20,
                )
            )
        return _rgba(image)


@contextmanager
def _opened(file: IO[bytes], name: str) -> Iterator[Image.Image]:
    """Open a picture and check its size by its header; whatever is wrong with it is ours to say."""
    try:
        with ExitStack() as stack:
            stack.enter_context(_silence())
            image = stack.enter_context(Image.open(file, formats=FORMATS))
            _check_size(name, image.width, image.height)
            if image.format == "TIFF":
                stack.enter_context(_heard(name))
            yield image
    except UnidentifiedImageError as error:
        raise PictureError(
            say(
                "{name} is not a picture that can be read: give a PNG, GIF, WebP, BMP, TGA, "
                "TIFF or JPEG",
                name=name,
            )
        ) from error
    except MemoryError as error:
        raise PictureError(
            say("{name} needs more memory than there is: cut it up", name=name)
        ) from error
    except _BROKEN as error:
        raise PictureError(
            say(
                "{name} is broken or cut short ({error}): save it again in the paint program",
                name=name,
                error=str(error)[:200],
            )
        ) from error


@contextmanager
def _silence() -> Iterator[None]:
    """Keep Pillow's warnings from the terminal: what matters becomes an error of ours."""
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        yield


@contextmanager
def _heard(name: str) -> Iterator[None]:
    """Take what a library of C says on stderr about a picture's lines for what it is: an error.

    It goes on after broken lines, with lines made up, and says so on the terminal only.
    """
    with _ONE_AT_A_TIME, TemporaryFile() as said:
        try:
            kept = os.dup(2)
        except OSError:  # there is no stderr
            yield
            return
        try:
            os.dup2(said.fileno(), 2)
            yield
        finally:
            os.dup2(kept, 2)
            os.close(kept)
        said.seek(0)
        lines = said.read(100_000).decode("utf-8", "replace").splitlines()
    errors = [each for each in lines if each.strip() and "Warning" not in each]
    if errors:
        raise PictureError(
            say(
                "{name} is broken or cut short ({errors}): save it again in the paint program",
                name=name,
                errors=errors[0][:200],
            )
        )


def conversion(path: Path) -> str | None:
    """Say in words what reading a picture changes about it; None if nothing is lost."""
    try:
        with _opened(io.BytesIO(sheet_bytes(path)), path.name) as image:
            mode = image.mode
    except PictureError:
        return None
    if mode.startswith("I") or mode == "F":
        return say("{name} has more than 8 bits a channel: brought down to 8", name=path.name)
    return say("{name} is in CMYK: converted to RGB", name=path.name) if mode == "CMYK" else None


def read_frames(path: Path, progress: Progress = no_progress) -> list[Picture]:
    """Read all frames of an animation, each (height, width, 4) uint8; none of a still picture.

    Raises
    ------
    PictureError
        As `read_picture`, or the frames together would be larger than half the largest sheet.
    Cancelled
        From `progress`.
    """
    with _opened(io.BytesIO(sheet_bytes(path)), path.name) as image:
        count = getattr(image, "n_frames", 1)
        if count <= 1:
            return []
        if count * image.width * image.height > _MAX_FRAMES_PIXELS:
            raise PictureError(
                say(
                    "{name} has {count} frames of {width} × {height} px, more than "
                    "{max_frames_pixels} px in all: save fewer, or smaller ones",
                    name=path.name,
                    count=count,
                    width=image.width,
                    height=image.height,
                    max_frames_pixels=_MAX_FRAMES_PIXELS,
                )
            )
        frames, pixels = [], 0
        for number, each in enumerate(_each_frame(image, path.name)):
            progress(number / count)
            pixels += each.width * each.height
            if pixels > _MAX_FRAMES_PIXELS:
                raise PictureError(
                    say("{name} has frames that grow: save it again", name=path.name)
                )
            frames.append(np.array(each.convert("RGBA"), np.uint8))
    return frames


def frame_times(path: Path) -> list[int]:
    """Read how long each frame of an animation shows, in milliseconds; 100 where it says none."""
    with _opened(io.BytesIO(sheet_bytes(path)), path.name) as image:
        times = [each.info.get("duration", 0) for each in _each_frame(image, path.name)]
    return [max(1, min(600_000, round(time))) if time else 100 for time in times]


def _each_frame(image: Image.Image, name: str) -> Iterator[Image.Image]:
    for number in range(getattr(image, "n_frames", 1)):
        image.seek(number)
        _check_size(name, image.width, image.height)  # a frame may say that it is larger
        yield image


def _check_size(name: str, width: int, height: int) -> None:
    if not (1 <= width <= MAX_SIDE_PX and 1 <= height <= MAX_SIDE_PX):
        raise PictureError(
            say(
                "{name} says it is {width} × {height} px: a sheet has sides of 1 to "
                "{max_side_px} px; cut it into smaller sheets",
                name=name,
                width=width,
                height=height,
                max_side_px=MAX_SIDE_PX,
            )
        )
    if width * height > MAX_SHEET_PIXELS:
        raise PictureError(
            say(
                "{name} is {width} × {height} px, more than {max_sheet_pixels} px in all: "
                "cut it into smaller sheets",
                name=name,
                width=width,
                height=height,
                max_sheet_pixels=MAX_SHEET_PIXELS,
            )
        )


def _rgba(image: Image.Image) -> Picture:
    deep = image.mode.startswith("I") or image.mode == "F"
    most = _largest(image) if deep else 0.0
    out = np.empty((image.height, image.width, 4), np.uint8)
    step = max(1, _BAND_PIXELS // image.width)  # a large one is never there twice over
    for top in range(0, image.height, step):
        band = image.crop((0, top, image.width, min(top + step, image.height)))
        if deep:
            values = _finite(band) / (65535.0 if most > 255 else 255.0) * 255
            out[top : top + step] = values.clip(0, 255).round().astype(np.uint8)[..., None]
            out[top : top + step, :, 3] = 255
        else:
            out[top : top + step] = np.asarray(band.convert("RGBA"))
    return out


def _largest(image: Image.Image) -> float:
    found = 0.0
    step = max(1, _BAND_PIXELS // image.width)
    for top in range(0, image.height, step):
        band = image.crop((0, top, image.width, min(top + step, image.height)))
        found = max(found, float(_finite(band).max()))
    return found


def _finite(image: Image.Image) -> NDArray[np.float32]:
    """Give the values of a deep picture; what is no number is 0."""
    values = np.asarray(image).astype(np.float32)
    return np.nan_to_num(values, copy=False, nan=0.0, posinf=0.0, neginf=0.0)


def png_bytes(picture: Picture) -> bytes:
    """Write straight RGBA as PNG; the same pixels always give the same bytes."""
    buffer = io.BytesIO()
    Image.fromarray(np.ascontiguousarray(picture)).save(buffer, "PNG", compress_level=6)
    return buffer.getvalue()


def relief_name(sheet: str) -> str:
    """Name the file of a sheet's relief: it lies beside the sheet."""
    return f"{Path(sheet).stem}-normal.png"


class PngBands:
    """Writes a PNG from bands of rows, the uppermost first: no whole picture is ever in memory.

    Parameters
    ----------
    wide, high : pixels
    """

    def __init__(self, wide: int, high: int) -> None:
        self._packer = zlib.compressobj(6)
        head = struct.pack(
            ">IIBBBBB", wide, high, 8, 6, 0, 0, 0
        )  # 8 bits of red, green, blue, alpha
        self._parts = [b"\x89PNG\r\n\x1a\n", _chunk(b"IHDR", head)]

    def add(self, pixels: Picture) -> None:
        """Add rows: (n, wide, 4) uint8."""
        rows = np.zeros((len(pixels), 1 + pixels.shape[1] * 4), np.uint8)  # 0: as they are
        rows[:, 1:] = pixels.reshape(len(pixels), -1)
        self._put(self._packer.compress(rows.data))

    def _put(self, packed: bytes) -> None:
        if packed:
            self._parts.append(_chunk(b"IDAT", packed))

    def done(self) -> bytes:
        """Give the file."""
        self._put(self._packer.flush())
        return b"".join([*self._parts, _chunk(b"IEND", b"")])


def _chunk(kind: bytes, data: bytes) -> bytes:
    sum_ = zlib.crc32(data, zlib.crc32(kind))
    return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", sum_)
