"""Projects that came from elsewhere: whatever they hold, nobody's files but theirs are touched."""

import io
import json
import os
import random
import shutil
import subprocess
import sys
import time
from contextlib import suppress

import numpy as np
import pytest
from PIL import Image
from tests.files.test_hostile import ODD, change, places
from tests.strangers import Stranger, small_project, snapshot, times

from knitground.cli.main import run
from knitground.core.base.errors import Cancelled, KnitError, PictureError, PlaceError
from knitground.core.files.images import (
    conversion,
    frame_times,
    png_bytes,
    read_frames,
    read_picture,
)
from knitground.core.files.made import MADE, MadeFolder, NotOursError, write_asked, write_made
from knitground.core.files.opening import open_project
from knitground.core.files.recipefile import read_recipe
from knitground.core.files.rulesfile import read_rules
from knitground.core.files.saving import save_project
from knitground.core.files.vault import ASIDE, JOURNAL, settle, waiting, write_together


def verbs(folder, out):
    """Every verb that reads or writes a project, a tileset or a sheet."""
    tiles, sheet = folder / "sheet.tiles.json", folder / "sheet.png"
    return [
        ("knit", folder, "--map", "yard"), ("knit", folder, "--map", "yard", "--bridge"),
        ("grow", folder, "--map", "yard"),
        ("grow", folder, "--map", "yard", "--count", 1, "--to", out, "--processes", 1),
        ("ship", folder, "--to", out), ("ship", folder, "--to", folder),
        ("marks", tiles, "--set", "pair", "--save"), ("coverage", tiles, "--set", "pair"),
        ("rules", tiles, "--set", "pair"), ("sets", tiles), ("grids", sheet),
        ("cut", sheet, "--tile", 8, "--to", folder),
        ("cut", sheet, "--tile", 8, "--relay", "--to", folder / "art"),
    ]  # fmt: skip


def call(monkeypatch, capsys, words):
    monkeypatch.setattr(sys, "argv", ["knitground", *map(str, words)])
    code = run()
    return code, capsys.readouterr().err


def test_a_strangers_project_touches_nothing_outside_its_folder(tmp_path, monkeypatch, capsys):
    stranger = Stranger(tmp_path, 11)
    out = tmp_path / "out"
    for number in range(times(120, 10_000)):
        folder = stranger.next()
        every = verbs(folder, out)
        with stranger.eye() as found:
            for words in (every[number % len(every)], stranger.rng.choice(every)):
                code, said = call(monkeypatch, capsys, words)
                assert code in (0, 1, 2), (words, said)
                assert all(line.startswith("knitground: ") for line in said.splitlines()), said
            for read in (read_rules, read_recipe):
                for path in (p for p in folder.glob("own.*.json") if not p.is_symlink()):
                    with suppress(KnitError):
                        read(path)
            with suppress(KnitError):
                save_project(open_project(folder).project, folder)
        stranger.assert_untouched(found)


def test_the_eye_sees(tmp_path):
    stranger = Stranger(tmp_path, 1)
    with stranger.eye() as found:
        (stranger.outside / "kept.png").read_bytes()
        os.rename(stranger.outside / "list.json", stranger.outside / "other.json")  # noqa: PTH104
    assert len(found) == 3
    with pytest.raises(AssertionError):
        stranger.assert_untouched([])


@pytest.mark.parametrize(
    "tasks",
    [
        [["../x", 0, True, True, False]],
        [["/tmp/x", 0, True, True, False]],
        [["sheet.png", 1, True, True, False]],
        [["sheet.png", 0, 1, True, False]],
        [["sheet.png", 0, True, True, False], ["SHEET.PNG", 1, True, True, False]],
        [[".git/hooks/pre-commit", 0, False, False, False]],
        [],
    ],
)
def test_a_journal_that_no_save_wrote_is_told_and_left_alone(tmp_path, tasks):
    folder = small_project(tmp_path / "p")
    (tmp_path / "x").write_text("mine")
    journal = folder / JOURNAL
    journal.mkdir()
    (journal / "list.json").write_text(json.dumps(tasks))
    (journal / "new0").write_text("theirs")
    before = snapshot(tmp_path)
    opened = open_project(folder)
    assert snapshot(tmp_path) == before
    assert len(opened.warnings) == 1
    assert opened.warnings[0].startswith(".knit-save in p is not what a save left")
    opened.project.name = "Other"
    save_project(opened.project, folder)
    assert not journal.exists()
    assert (folder / f"{ASIDE}-1" / "new0").read_text() == "theirs"
    assert open_project(folder).project.name == "Other"
    assert not open_project(folder).warnings


def test_what_is_no_file_of_a_save_keeps_a_journal_from_being_swept_away(tmp_path):
    (tmp_path / JOURNAL).mkdir()
    (tmp_path / JOURNAL / "letter.txt").write_text("dear")
    settle(tmp_path)
    assert "letter.txt" in waiting(tmp_path).words
    write_together(tmp_path, {"a": b"1"})
    assert (tmp_path / f"{ASIDE}-1" / "letter.txt").read_text() == "dear"


def test_a_save_never_follows_a_link_out_of_its_folder(tmp_path):
    folder = small_project(tmp_path / "p")
    project = open_project(folder).project
    (folder / "yard.map.json").unlink()
    (folder / "yard.map.json").symlink_to(tmp_path / "elsewhere.json")
    project.maps[0].seed = 9
    with pytest.raises(PlaceError, match="link out of the project's folder"):
        save_project(project, folder)
    assert not (tmp_path / "elsewhere.json").exists()
    assert not (folder / JOURNAL).exists()


def test_what_was_put_back_after_a_fault_is_only_what_had_been_put(tmp_path, monkeypatch):
    from knitground.core.files import vault

    write_together(tmp_path, {"a": b"1", "b": b"1"})
    real, calls = vault.rename, []

    def fail(old, new):
        calls.append(new.name)
        if new.name == "b":
            raise PermissionError(1, "Operation not permitted")
        real(old, new)

    monkeypatch.setattr(vault, "rename", fail)  # as in a sticky folder: b belongs to another
    with pytest.raises(PlaceError, match="b can not be written"):
        write_together(tmp_path, {"a": b"2", "b": b"2"})
    assert (tmp_path / "a").read_bytes() == b"1"
    assert sorted(each.name for each in tmp_path.iterdir()) == ["a", "b"]
    assert calls.count("b") == 1, "what was never put is not put back"


# What is made


def test_what_is_made_here_replaces_only_itself(tmp_path):
    write_made(tmp_path, {"a.png": b"1", "b.png": b"1"})
    write_made(tmp_path, {"a.png": b"2"})
    (tmp_path / "b.png").write_bytes(b"changed by hand")
    (tmp_path / "c.png").write_bytes(b"mine")
    before = snapshot(tmp_path)
    for name in ("b.png", "c.png"):
        with pytest.raises(NotOursError, match=rf"{name} in .* was not made here"):
            write_made(tmp_path, {"a.png": b"3", name: b"3"})
    assert snapshot(tmp_path) == before
    write_made(tmp_path, {"c.png": b"mine"})  # the same already
    write_made(tmp_path, {"b.png": b"3"}, overwrite=True)
    assert write_made(tmp_path, {"b.png": b"4"}) == [tmp_path / "b.png"]
    assert set(json.loads((tmp_path / MADE).read_text())["files"]) == {"a.png", "b.png", "c.png"}


def test_sources_and_projects_files_are_refused_by_whatever_way(tmp_path):
    folder = small_project(tmp_path / "p")
    (folder / "art").mkdir()
    (tmp_path / "way").symlink_to(folder)
    (folder / "art" / "x.json").symlink_to(folder / "yard.map.json")
    for where, name in (
        (folder, "sheet.png"), (tmp_path / "way", "sheet.png"), (folder, "YARD.map.json"),
        (folder / "art", "x.json"), (folder / "art" / "..", "project.knit.json"),
    ):  # fmt: skip
        with pytest.raises(PlaceError, match="is a file of the project there"):
            write_made(where, {name: b"x"}, overwrite=True)
    with pytest.raises(PlaceError, match="is a file of the project there"):
        write_asked(folder / "sheet.tiles.json", b"x")
    other = tmp_path / "other"
    other.mkdir()
    (other / "s.png").write_bytes(b"source")
    (tmp_path / "to").symlink_to(other)
    with pytest.raises(PlaceError, match="is what this is made of"):
        write_made(tmp_path / "to", {"s.png": b"x"}, sources=[other / "s.png"], overwrite=True)
    with pytest.raises(PlaceError, match="“-” is no folder"):
        MadeFolder(other.with_name("-").relative_to(tmp_path))
    (folder / "sheet.tiles.json").write_text("{")
    with pytest.raises(PlaceError, match="project that can not be read"):
        write_made(folder / "art", {"new.png": b"x"})


def test_no_verb_writes_over_a_source_or_a_project(tmp_path, monkeypatch, capsys):
    folder = small_project(tmp_path / "p")
    (folder / "sheet-r000-c000.png").write_bytes(b"mine")
    before = snapshot(tmp_path)
    for words in (
        ("cut", folder / "sheet.png", "--tile", 8, "--relay", "--to", folder),
        ("cut", folder / "sheet.png", "--tile", 8, "--to", folder),
        ("ship", folder, "--to", "-"),
    ):
        code, said = call(monkeypatch, capsys, words)
        assert (code, said.count("\n")) == (2, 1)
        assert snapshot(tmp_path) == before
    picture = png_bytes(np.zeros((8, 8, 4), np.uint8))
    (tmp_path / "yard-1.png").write_bytes(picture)
    words = ("grow", folder, "--map", "yard", "--count", 1, "--to", tmp_path, "--processes", 1)
    code, said = call(monkeypatch, capsys, words)
    assert code == 2
    assert "yard-1.png" in said
    assert (tmp_path / "yard-1.png").read_bytes() == picture
    assert call(monkeypatch, capsys, (*words, "--overwrite", "--allow-gaps"))[0] == 0
    assert call(monkeypatch, capsys, (*words, "--allow-gaps"))[0] == 0, "ours by now"


# Pictures


def saved(image, kind, **more):
    out = io.BytesIO()
    image.save(out, kind, **more)
    return out.getvalue()


def pictures():
    """A small picture in every form that is read, deep and packed ones too."""
    rng = np.random.default_rng(5)
    cells = rng.integers(0, 256, (3, 3, 4), np.uint8).repeat(8, 0).repeat(8, 1)
    rgba = Image.fromarray(cells)
    rgb, grey = rgba.convert("RGB"), rgba.convert("L")
    deep = np.linspace(0, 1, 576, dtype=np.float32).reshape(24, 24)
    deep[3, 4:9] = (np.nan, np.inf, -np.inf, np.nan, 2e38)
    out = [
        saved(rgba, "PNG"), saved(rgb.quantize(16), "PNG"), saved(grey, "PNG"),
        saved(Image.fromarray(np.full((24, 24), 900, np.uint16)), "PNG"),
        saved(rgba, "WEBP"), saved(rgb, "BMP"), saved(rgba, "TGA"), saved(rgb, "JPEG"),
        saved(rgb.convert("CMYK"), "JPEG"), saved(Image.fromarray(deep), "TIFF"),
        saved(rgba, "GIF", save_all=True, append_images=[grey, rgb], duration=[50, 0, 70]),
        saved(rgba, "PNG", save_all=True, append_images=[rgba.rotate(90)], duration=40),
    ]  # fmt: skip
    packings = ("raw", "tiff_lzw", "tiff_deflate", "packbits", "jpeg")
    out += [saved(rgb, "TIFF", compression=each) for each in packings]
    return out + [saved(grey.convert("1"), "TIFF", compression=f"group{n}") for n in (3, 4)]


def mutated(data, rng):
    data = bytearray(data)
    for _ in range(rng.choice([1, 1, 2, 6])):
        at = rng.randrange(min(len(data), rng.choice([40, 200, 10**6])))
        data[at] = rng.choice([0, 1, 127, 128, 255, rng.randrange(256)])
    if rng.random() < 0.2:
        del data[rng.randrange(len(data)) :]
    return bytes(data)


def test_whatever_a_picture_holds_only_our_own_words_reach_the_terminal(
    tmp_path, monkeypatch, capfd
):
    rng, path, every = random.Random(7), tmp_path / "any.tif", pictures()
    for number in range(times(100, 2000)):
        data = every[number % len(every)]
        path.write_bytes(data if number < len(every) else mutated(data, rng))
        for words in (("grids", path), ("cut", path, "--tile", 8, "--to", tmp_path / "out"),
                      ("sets", path, "--tile", 8))[: 3 if number < 60 else 1]:  # fmt: skip
            monkeypatch.setattr(sys, "argv", ["knitground", *map(str, words)])
            code = run()
            said = capfd.readouterr().err
            assert code in ((0, 1) if number < len(every) else (0, 1, 2)), said
            assert all(line.startswith("knitground: ") for line in said.splitlines()), said
        for read in (read_frames, frame_times, conversion):
            with suppress(KnitError):
                read(path)
        assert capfd.readouterr().err == ""


def test_a_fax_with_broken_lines_is_broken(tmp_path):
    data = bytearray(pictures()[-1])
    start = data.find(b"\x00", 8)
    path = tmp_path / "fax.tif"
    path.write_bytes(data)
    good = read_picture(path)
    refused = 0
    for at in range(start, min(len(data), start + 60)):
        broken = bytearray(data)
        broken[at] ^= 0x5A
        path.write_bytes(broken)
        try:
            assert read_picture(path).shape[2] == 4
        except KnitError as error:
            assert "fax.tif" in str(error)
            refused += 1
    assert good.shape == (24, 24, 4)
    assert refused > 5


def test_what_a_picture_costs_is_known_from_its_header(tmp_path):
    """A picture of 268 million pixels in a few bytes, and a gigabyte of zeros that says nothing."""
    big, zeros = tmp_path / "big.png", tmp_path / "zeros.png"
    Image.new("1", (16_384, 16_384)).save(big)
    with zeros.open("wb") as file:
        file.truncate(2**30)
    code = (
        "import resource, sys\n"
        "from pathlib import Path\n"
        "from knitground.core.base.errors import KnitError\n"
        "from knitground.core.files.images import read_picture\n"
        "before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss\n"
        "for name in sys.argv[1:]:\n"
        "    try:\n"
        "        read_picture(Path(name))\n"
        "    except KnitError as error:\n"
        "        print(error)\n"
        "print(resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before)\n"
    )
    done = subprocess.run([sys.executable, "-c", code, str(big), str(zeros)], capture_output=True,
                          text=True, check=True)  # fmt: skip
    first, second, grown = done.stdout.splitlines()
    assert "16384 × 16384 px, more than 41943040 px in all" in first
    assert "zeros.png has 1073741824 bytes, more than" in second
    assert int(grown) < 30_000, "kB"


def test_frames_of_an_animation_have_a_bound_and_can_be_called_off(tmp_path):
    path = tmp_path / "large.gif"
    one = Image.new("P", (4000, 4000))
    others = [Image.new("P", (4000, 4000), n) for n in range(1, 5)]
    one.save(path, save_all=True, append_images=others)
    with pytest.raises(PictureError, match=r"5 frames of 4000 × 4000 px, more than 20971520 px"):
        read_frames(path)
    small = tmp_path / "small.gif"
    small.write_bytes(pictures()[10])
    assert len(read_frames(small)) == 3

    def stop(_):
        raise Cancelled("off")

    with pytest.raises(Cancelled):
        read_frames(small, stop)


# Values


def test_any_value_anywhere_is_taken_or_refused_by_every_verb(tmp_path, monkeypatch, capfd):
    stranger, rng = Stranger(tmp_path, 5), random.Random(5)
    good, folder = stranger.good, tmp_path / "changed"
    shutil.copytree(good, folder)
    files = sorted(path for path in folder.glob("*.json") if not path.name.startswith("own."))
    texts = {path: path.read_text() for path in files}
    every = verbs(folder, tmp_path / "out")
    for number in range(times(80, 6000)):
        path = rng.choice(files)
        data = json.loads(texts[path])
        data = change(data, rng.choice(places(data)), rng.choice(ODD))
        path.write_text(json.dumps(data))
        begun = time.monotonic()
        for words in (every[number % len(every)], rng.choice(every)):
            monkeypatch.setattr(sys, "argv", ["knitground", *map(str, words)])
            code, said = run(), capfd.readouterr().err
            assert code in (0, 1, 2), (words, said)
            assert all(line.startswith("knitground: ") for line in said.splitlines()), said
        assert time.monotonic() - begun < 20
        for each in folder.iterdir():  # what a verb has saved, or moved aside
            if each not in texts and each.is_file() and each.name not in ("sheet.png",):
                each.unlink()
        for each, text in texts.items():
            each.write_text(text)
