"""The window in German: another process, since texts in tables are made while modules come in."""

import json
import os
import subprocess
import sys
from pathlib import Path

import pytest
from tools.translate import catalog_of

from knitground.core.files.opening import open_project
from knitground.core.files.saving import save_project
from knitground.core.files.ship.ship import FORMATS, ship

SCRIPT = """
import json, os, sys, traceback
from pathlib import Path

from knitground.ui.common.language import begin_to_speak

begin_to_speak()

from PySide6.QtWidgets import QApplication, QComboBox, QDialogButtonBox, QListWidget, QTabBar

from knitground.core.files.opening import open_project
from knitground.core.files.saving import save_project
from knitground.core.files.ship.ship import FORMATS, ship
from knitground.ui import tour
from knitground.ui.help.window import HelpWindow
from knitground.ui.project.memory import Memory
from knitground.ui.shell import Shell
from knitground.ui.start import make_app
from knitground.ui.window import Window

demo, out = Path(sys.argv[1]), Path(sys.argv[2])
app = make_app()
shell = Shell()
window = Window(shell, Memory(out / "memory"))
shell.resize(1280, 800)
shell.show()
window.files.open_project(demo)
tour.settle(3)
seen, wide, faults = set(), {}, []
sys.excepthook = lambda *fault: faults.append("".join(traceback.format_exception(*fault)))


def look():
    tour.settle(3)
    for each in QApplication.allWidgets():
        for name in ("text", "toolTip", "placeholderText", "accessibleName", "title", "prefix",
                     "suffix", "specialValueText"):
            read = getattr(each, name, None)
            said = read() if callable(read) and not isinstance(each, HelpWindow) else ""
            seen.add(said if isinstance(said, str) else "")
        if isinstance(each, QComboBox):
            seen.update(each.itemText(n) for n in range(each.count()))
        if isinstance(each, QTabBar):
            seen.update(each.tabText(n) for n in range(each.count()))
        if isinstance(each, QListWidget):
            seen.update(each.item(n).text() for n in range(each.count()))
        seen.update(each.text() for each in each.actions())


for key, stage in window.stages.items():
    window.show_stage(key)
    look()
    wide[key] = window.stage.minimumSizeHint().width()
    for bar in stage.findChildren(QTabBar):
        for n in range(bar.count()):
            if bar.isTabVisible(n):
                bar.setCurrentIndex(n)
                look()
for map_ in window.session.project.maps:
    window.session.choose_map(map_)
    window.show_stage("draw")
    for layer in map_.layers:
        window.session.choose_layer(layer)
        look()
tour.take_pictures(window, out / "pictures")
tour._proof(window)
look()
bench = window.stages["proof"]
bench.slips[0].pointed.emit(bench.slips[0].finding)
window.mapside.view.grab()
had = {layer.name for layer in window.session.map.layers}
menu = window.mapside.strip.layers.kind_menu()
for each in menu.actions()[-3:]:
    each.trigger()
    look()
added = sorted({layer.name for layer in window.session.map.layers} - had)
window.show_help("begin")
tour.settle(3)
pages = [window._help.list.item(n).text() for n in range(window._help.list.count())]
for place in ("map#layers", "keys", "sets"):
    window._help.go_to(place)
    tour.settle(1)
    pages.append(window._help.browser.toPlainText()[:40])
    pages.append(window._help.browser.textCursor().block().text())
buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Cancel)
project = open_project(demo).project
ship(project, project.maps, out / "shipped", list(FORMATS))
save_project(project, out / "saved")
titles = [each.title for each in window.commands.all]
told = [sorted(seen), titles, pages, buttons.buttons()[0].text(), wide, added, faults]
print(json.dumps(told), flush=True)
os._exit(0)  # Python would take the window apart in any order
"""


@pytest.fixture(scope="module")
def spoken(demo_folder, tmp_path_factory):
    """What the window says in German, and the folder with what it wrote."""
    out = tmp_path_factory.mktemp("german")
    keys = ("LC_ALL", "LC_MESSAGES", "LANG")
    env = {name: value for name, value in os.environ.items() if name not in keys}
    env |= {"LANGUAGE": "de", "XDG_CONFIG_HOME": str(out), "QT_QPA_PLATFORM": "offscreen"}
    done = subprocess.run([sys.executable, "-c", SCRIPT, str(demo_folder), str(out)], env=env,
                          capture_output=True, text=True, check=False)  # fmt: skip
    assert done.returncode == 0, done.stderr[-2000:]
    return (*json.loads(done.stdout.splitlines()[-1]), out)


def english_only():
    """Texts that are other words in German."""
    said = {each.id: each.string for each in catalog_of("de") if isinstance(each.id, str)}
    return {text for text in said if text and "{" not in text} - set(said.values())


def test_nothing_in_the_window_is_english(spoken, demo_folder):
    seen, project = set(spoken[0]), open_project(demo_folder).project
    assert len(seen) > 800
    theirs = {
        *(each.name for map_ in project.maps for each in (map_, *map_.layers)),
        *(each.kind for map_ in project.maps for layer in map_.layers
          for each in getattr(layer, "markers", ())),
        *(each.name for each in project.shape_kinds), *(each.name for each in project.mixes),
        *(terrain.name for owner in project.tilesets for kit in owner.sets
          for terrain in kit.terrains),
        *(tag for owner in project.tilesets for fact in owner.facts.values() for tag in fact.tags),
    }  # fmt: skip
    assert (seen & english_only()) - theirs == set()
    assert {"Kennungen raten", "Ausliefern", "Würfeln"} <= seen


def test_commands_and_help_are_german(spoken):
    titles, pages, cancel = spoken[1:4]
    assert "Bearbeiten › Rückgängig" in titles
    assert "Fenster › Sprache des Desktops" in titles
    assert not {part for title in titles for part in title.split(" › ")} & english_only()
    assert pages[:2] == ["Anfangen", "Schneiden"]
    # Headings are found by the same names in every language.
    assert pages[-6].startswith("Die Karte")
    assert pages[-5] == "Ebenen"
    assert pages[-4].startswith("Tasten und Maus")
    assert pages[-2].startswith("Welcher Satz ist meiner?")
    assert cancel.replace("&", "") == "Abbrechen"  # Qt's own words


def test_nothing_goes_wrong_in_german(spoken):
    """All scenes of the pictures, a finding that is pointed at, and a layer of each kind."""
    assert spoken[6] == []
    assert spoken[5] == ["Farbe", "Gewachsen", "Marker"]


def test_benches_are_not_much_wider_in_german(spoken, window):
    """What a bench needs at least still leaves room for the map at 1280 px."""
    for key, wide in spoken[4].items():
        assert wide <= (1120 if key == "slice" else 660), key


def test_what_is_written_is_the_same_in_every_language(spoken, demo_folder, tmp_path):
    project = open_project(demo_folder).project
    ship(project, project.maps, tmp_path / "shipped", list(FORMATS))
    save_project(project, tmp_path / "saved")
    out = Path(spoken[-1])
    for folder in ("shipped", "saved"):
        ours = {each.relative_to(tmp_path): each.read_bytes()
                for each in (tmp_path / folder).rglob("*") if each.is_file()}  # fmt: skip
        theirs = {each.relative_to(out): each.read_bytes()
                  for each in (out / folder).rglob("*") if each.is_file()}  # fmt: skip
        assert len(ours) > 10
        assert ours == theirs


def test_another_language_is_chosen_in_the_menu(window):
    window.commands.named("Language Deutsch").action.trigger()
    assert window.memory.get("language", "") == "de"
    assert "Deutsch" in window.notices.text.text()
    window.commands.named("Language of the desktop").action.trigger()
    assert window.memory.get("language", "x") == ""
