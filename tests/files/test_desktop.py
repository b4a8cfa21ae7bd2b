"""At home on the desktop: entry, icon, file type, man page, completion, recent files, the wheel."""

import configparser
import shutil
import subprocess
import sys
import zipfile
from pathlib import Path
from xml.etree import ElementTree

import pytest
from click.testing import CliRunner

from knitground import __version__
from knitground.cli.main import commands
from knitground.desktop import install as desktop
from knitground.desktop.manpage import man_page, roff
from knitground.ui.project.memory import Memory
from knitground.ui.project.recentfiles import note_recent

RUN = """
from pathlib import Path
import knitground
from knitground.core.files.opening import open_project
from knitground.demo.project import write_demo
from knitground.desktop.install import ICON
from knitground.ui.project.memory import Memory
from knitground.ui.shell import Shell
from knitground.ui.start import make_app
from knitground.ui.window import Window
assert ICON.exists()
app, shell = make_app(), Shell()
window = Window(shell, Memory(Path("memory")))
shell.show()
write_demo(Path("demo"))
window.session.open(open_project(Path("demo")).project)
app.processEvents()
pages = window.show_help("begin").pages
room = Path(knitground.__file__).parents[1]
print(f"{room}: {len(window.session.project.maps)} maps, {len(pages)} pages", flush=True)
import os
os._exit(0)
"""
HOME = Path(__file__).parents[2]
ENTRY = "applications/org.knitground.KnitGround.desktop"


def entry_of(text):
    parser = configparser.ConfigParser(interpolation=None, strict=True)
    parser.optionxform = str
    parser.read_string(text)
    return parser["Desktop Entry"]


def test_one_command_puts_all_into_the_menus_and_takes_it_out(tmp_path):
    theirs = tmp_path / "applications/theirs.desktop"
    theirs.parent.mkdir()
    theirs.write_text("[Desktop Entry]\n")
    done = CliRunner().invoke(commands, ["desktop", "--to", str(tmp_path)])
    assert done.exit_code == 0, done.output
    written = [Path(line.removeprefix("written: ")) for line in done.output.splitlines()]
    assert all(each.read_bytes() for each in written)
    assert len(written) >= 7
    entry = entry_of((tmp_path / ENTRY).read_text())
    command = entry["Exec"].split(" open ")[0].strip('"')
    assert Path(command).exists()  # a desktop has another PATH than a shell
    assert entry["MimeType"] == "application/x-knitground-project;"
    assert (tmp_path / f"icons/hicolor/scalable/apps/{entry['Icon']}.svg").exists()
    for kind in ("bash-completion/completions/knitground", "zsh/site-functions/_knitground"):
        assert "_KNITGROUND_COMPLETE" in (tmp_path / kind).read_text()
    again = CliRunner().invoke(commands, ["desktop", "--to", str(tmp_path)])
    assert again.exit_code == 0
    gone = CliRunner().invoke(commands, ["desktop", "--to", str(tmp_path), "--remove", "--json"])
    assert gone.exit_code == 0
    assert not any(each.exists() for each in written)
    assert theirs.exists()
    assert not (tmp_path / "metainfo").exists()
    nothing = CliRunner().invoke(commands, ["desktop", "--to", str(tmp_path), "--remove", "--json"])
    assert nothing.output.strip() == "[]"


def test_a_folder_that_can_not_be_written_is_told(tmp_path):
    (tmp_path / "applications").write_text("a file")
    done = subprocess.run(
        [sys.executable, "-m", "knitground", "desktop", "--to", str(tmp_path)],
        capture_output=True, text=True, check=False,
    )  # fmt: skip
    assert done.returncode == 2
    assert str(tmp_path / "applications") in done.stderr
    assert len(done.stderr.splitlines()) == 1


def test_names_with_blanks_and_signs_are_quoted_as_the_entry_wants_it():
    assert desktop.exec_line(["/usr/bin/knitground"]) == "/usr/bin/knitground"
    assert desktop.exec_line(["/a b/k"]) == '"/a b/k"'
    assert desktop.exec_line(["/a/50%"]) == '"/a/50%%"'
    assert desktop.exec_line(['/a"b']) == r'"/a\\"b"'


@pytest.mark.parametrize("name", ["xml", "metainfo.xml", "svg"])
def test_its_files_are_sound_and_of_one_name(name):
    root = ElementTree.parse(desktop.DATA / f"{desktop.APP}.{name}").getroot()
    if name == "xml":
        globs = [each.get("pattern") for each in root.iter() if each.tag.endswith("glob")]
        assert "project.knit.json" in globs
    if name == "metainfo.xml":
        assert root.findtext("id") == desktop.APP
        assert root.find("releases/release").get("version") == __version__
        assert root.findtext("launchable") == f"{desktop.APP}.desktop"
    if name == "svg":
        assert root.get("viewBox") == "0 0 128 128"


def test_checkers_of_the_desktop_find_nothing():
    for command, file in (
        (["desktop-file-validate"], f"{desktop.APP}.desktop"),
        (["appstreamcli", "validate", "--no-net"], f"{desktop.APP}.metainfo.xml"),
    ):
        if shutil.which(command[0]):
            done = subprocess.run(
                [*command, desktop.DATA / file], capture_output=True, text=True, check=False
            )
            assert done.returncode == 0, done.stdout + done.stderr
    entry = entry_of((desktop.DATA / f"{desktop.APP}.desktop").read_text())
    assert entry["Type"] == "Application"
    assert entry["Categories"].endswith(";")


def test_the_man_page_is_what_the_commands_say():
    page = (desktop.DATA / "knitground.1").read_text()
    assert page == man_page(commands, __version__), "run tools/write_man.py"
    for verb in commands.list_commands(None):
        assert f"\n.SS {roff(verb)}" in page
    if shutil.which("man"):
        done = subprocess.run(
            ["man", "--warnings", "-l", "-E", "UTF-8", str(desktop.DATA / "knitground.1")],
            capture_output=True, text=True, check=False,
            env={"MANWIDTH": "80", "PATH": "/usr/bin:/bin"},
        )  # fmt: skip
        assert "warning" not in done.stderr
        assert "--see-through" in done.stdout.replace("‐", "-")


def test_opened_projects_come_to_the_desktops_recent_files(tmp_path):
    memory = Memory(tmp_path)
    memory.add_recent(tmp_path / "Wide plain é")
    listed = tmp_path / "recently-used.xbel"
    (mark,) = ElementTree.parse(listed).getroot().iter("bookmark")
    assert mark.get("href").endswith("/Wide%20plain%20%C3%A9/project.knit.json")
    memory.add_recent(tmp_path / "Wide plain é")
    memory.add_recent(tmp_path / "other")
    marks = list(ElementTree.parse(listed).getroot().iter("bookmark"))
    assert len(marks) == 2
    text = listed.read_text()
    assert 'count="2"' in text
    assert 'type="application/x-knitground-project"' in text


@pytest.mark.parametrize("broken", [b"", b"<xbel", b"<html/>", b"\xff\xfe",
                                    b'<!DOCTYPE a [<!ENTITY b "c">]><xbel>&b;</xbel>'])  # fmt: skip
def test_a_list_that_is_not_understood_stays_as_it_is(tmp_path, broken):
    listed = tmp_path / "recently-used.xbel"
    listed.write_bytes(broken)
    note_recent(tmp_path / "project.knit.json", listed)
    assert listed.read_bytes() == broken


def test_what_others_noted_stays(tmp_path):
    listed = tmp_path / "recently-used.xbel"
    listed.write_text(
        '<xbel version="1.0"><bookmark href="file:///a.txt" added="2020-01-01T00:00:00Z">'
        "<title>A</title></bookmark></xbel>"
    )
    note_recent(tmp_path / "project.knit.json", listed)
    first, second = ElementTree.parse(listed).getroot().iter("bookmark")
    assert first.findtext("title") == "A"
    assert second.get("href").startswith("file://")


def test_the_wheel_holds_all_that_the_program_reads(tmp_path):
    """Built and unpacked elsewhere, it runs: nothing is read from this checkout."""
    done = subprocess.run(
        [sys.executable, "-m", "hatchling", "build", "-t", "wheel", "-d", str(tmp_path)],
        cwd=HOME, capture_output=True, text=True, check=False,
    )  # fmt: skip
    assert done.returncode == 0, done.stderr
    (wheel,) = tmp_path.glob("*.whl")
    room = tmp_path / "room"
    with zipfile.ZipFile(wheel) as packed:
        names = packed.namelist()
        packed.extractall(room)
    for wanted in (
        "knitground/ui/help/text/begin.md", "knitground/ui/help/text/draw.png",
        "knitground/ui/pictures/start-demo.png", "knitground/desktop/data/knitground.1",
        "knitground/py.typed",
    ):  # fmt: skip
        assert wanted in names
    for wanted in (
        ENTRY,
        "man/man1/knitground.1",
        "metainfo/org.knitground.KnitGround.metainfo.xml",
    ):
        assert any(each.endswith(f".data/data/share/{wanted}") for each in names), wanted
    assert not any("test" in Path(each).name for each in names)
    (tmp_path / "run.py").write_text(RUN)
    ran = subprocess.run(
        [sys.executable, "-P", "run.py"], cwd=tmp_path, capture_output=True, text=True,
        check=False, env={"PYTHONPATH": str(room), "PATH": "/usr/bin:/bin",
                          "QT_QPA_PLATFORM": "offscreen", "HOME": str(tmp_path)},
    )  # fmt: skip
    assert ran.returncode == 0, ran.stderr[-2000:]
    assert ran.stdout.splitlines()[-1] == f"{room}: 5 maps, 14 pages"
