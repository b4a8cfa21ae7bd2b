import io
import struct
import zlib

import numpy as np
import pytest
from PIL import Image

from knitground.core.base.errors import PictureError
from knitground.core.base.progress import no_progress
from knitground.core.files import images
from knitground.core.files.images import png_bytes, read_picture
from knitground.core.files.sheetreading import read_sheets
from knitground.core.model.project import Project
from knitground.core.model.slicing import Slicing
from knitground.core.model.tileset import Tileset


def saved(path, image, **options):
    image.save(path, **options)
    return path


def sample(mode):
    return Image.fromarray(np.random.default_rng(3).integers(0, 256, (6, 9, 3), np.uint8)).convert(
        mode
    )


@pytest.mark.parametrize(
    ("mode", "suffix"),
    [("RGB", "png"), ("RGBA", "png"), ("P", "png"), ("L", "png"), ("1", "png"), ("RGB", "bmp"),
     ("RGB", "tga"), ("RGB", "tiff"), ("CMYK", "tiff"), ("P", "gif"), ("RGB", "webp")],
)  # fmt: skip
def test_all_kinds_become_rgba(tmp_path, mode, suffix):
    image = sample(mode)
    options = {"lossless": True} if suffix == "webp" else {}
    picture = read_picture(saved(tmp_path / f"a.{suffix}", image, **options))
    assert picture.shape == (6, 9, 4)
    if suffix != "gif":
        assert (picture == np.array(image.convert("RGBA"))).all()


@pytest.mark.parametrize("mode", ["RGB", "RGBA", "P", "L", "1"])
@pytest.mark.parametrize("clear", [False, True])
def test_a_large_picture_in_bands_is_what_it_is_at_once(tmp_path, monkeypatch, mode, clear):
    options = {"transparency": 1} if clear and mode in "PL1" else {}
    options |= {"transparency": (3, 3, 3)} if clear and mode == "RGB" else {}
    path = saved(tmp_path / "a.png", sample(mode), **options)
    whole = read_picture(path)
    monkeypatch.setattr("knitground.core.files.images._BAND_PIXELS", 20)  # two rows at a time
    assert (read_picture(path) == whole).all()


def test_sixteen_bits_are_brought_down(tmp_path):
    values = np.array([[0, 257, 65535]], np.uint16)
    path = saved(tmp_path / "deep.png", Image.fromarray(values))
    assert read_picture(path)[0, :, 0].tolist() == [0, 1, 255]


def test_an_animation_gives_its_first_frame(tmp_path):
    frames = [Image.new("RGB", (4, 4), colour) for colour in ("red", "blue")]
    frames[0].save(tmp_path / "a.gif", save_all=True, append_images=frames[1:])
    assert read_picture(tmp_path / "a.gif")[0, 0].tolist() == [255, 0, 0, 255]


def png_that_says(width, height):
    """A PNG whose head tells a size that its data does not have."""

    def chunk(kind, data):
        body = kind + data
        return struct.pack(">I", len(data)) + body + struct.pack(">I", zlib.crc32(body))

    head = struct.pack(">IIBBBBB", width, height, 8, 6, 0, 0, 0)
    return (
        b"\x89PNG\r\n\x1a\n"
        + chunk(b"IHDR", head)
        + chunk(b"IDAT", zlib.compress(b""))
        + chunk(b"IEND", b"")
    )


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"hello", "not a picture"),
        (b"", "not a picture"),
        (png_bytes(np.zeros((40, 40, 4), np.uint8))[:60], "broken or cut short"),
        (png_that_says(60_000, 60_000), "60000 × 60000|more pixels than 16384"),
        (png_that_says(16_385, 1), "16385 × 1 px"),
        (png_that_says(0, 5), "0 × 5|not a picture|broken"),
    ],
)
def test_what_is_not_a_picture_is_refused(tmp_path, data, words):
    path = tmp_path / "bad.png"
    path.write_bytes(data)
    with pytest.raises(PictureError, match=words) as caught:
        read_picture(path)
    assert "bad.png" in str(caught.value)


def test_missing_files_and_folders(tmp_path):
    for path in (tmp_path / "none.png", tmp_path):
        with pytest.raises(PictureError, match=r"no plain file|can not be read"):
            read_picture(path)


def test_png_bytes_are_the_same_each_time_and_come_back():
    picture = np.random.default_rng(1).integers(0, 256, (5, 6, 4), np.uint8)
    data = png_bytes(picture)
    assert data == png_bytes(picture.copy())
    assert (np.array(Image.open(io.BytesIO(data))) == picture).all()


def test_what_does_not_fit_into_a_project_is_told_before_a_pixel_is_read(tmp_path, monkeypatch):
    picture = np.random.default_rng(3).integers(0, 255, (64, 64, 4), np.uint8)
    paths = [tmp_path / f"{name}.png" for name in "abc"]
    for path in paths:
        path.write_bytes(png_bytes(picture))
    size = picture.nbytes + paths[0].stat().st_size
    unpacked, plain = [], images._rgba
    monkeypatch.setattr(images, "_rgba", lambda image: unpacked.append(1) or plain(image))
    found = read_sheets(paths, 2 * size + 10, no_progress)
    assert [each.name for each in found.read] == ["a", "b"]
    assert len(unpacked) == 2
    assert len(found.said) == 1
    assert "c.png does not fit" in found.said[0]
    assert "512 MB" in found.said[0]
    project = Project("P", tilesets=found.read)
    assert project.sheets_room == 2**29 - 2 * size
    again = Tileset("again", "a.png", 64, 64, Slicing(8, 8), picture=found.read[0].picture)
    project.tilesets.append(again)
    assert project.sheets_room >= 2**29 - 2 * size, "one picture counts once"
