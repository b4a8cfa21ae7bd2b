"""Numbers are typed key by key into every field of every stage, under several countries' habits."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PySide6.QtCore import QLocale, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QLineEdit, QMenu
from shiboken6 import isValid
from tests.strangers import NIGHT
from tests.ui.conftest import rest, settle

from knitground.core.base.numbers import begins_number, plain_number
from knitground.core.edit.hand import MixInHand
from knitground.core.edit.recipes import add_step
from knitground.core.model.layers import MarkerLayer
from knitground.core.model.mix import FallWay
from knitground.core.model.properties import Property, PropertyKind
from knitground.core.model.solvestep import SolveStep
from knitground.ui.common.numbers import NumberBox, WholeBox
from knitground.ui.common.propertyeditor import PropertyEditor
from knitground.ui.common.tasks import wait_for_jobs
from knitground.ui.mapside.dialogs import NewMapDialog, ResizeDialog
from knitground.ui.mapside.mockupdialog import MockupDialog
from knitground.ui.stages.draw.bench import TABS
from knitground.ui.stages.grow.pairsdialog import PairsDialog
from knitground.ui.stages.slice.relaydialog import RelayDialog
from knitground.ui.stages.terrains.setdialog import SetDialog
from knitground.ui.stages.tiles.terrainshapes import TerrainShapesDialog

COUNTRIES = ("C", "de_DE", "fr_FR", "ar_EG", "hi_IN")


@pytest.fixture(params=COUNTRIES)
def country(request, window):
    before = window.shell.locale()
    here = QLocale(request.param)
    QLocale.setDefault(here)
    window.shell.setLocale(here)  # as if it had been made there
    yield request.param
    window.shell.setLocale(before)
    QLocale.setDefault(QLocale.c())


def fields_in(widget):
    return [
        box
        for kind in (WholeBox, NumberBox)
        for box in widget.findChildren(kind)
        if box.isVisible() and box.isEnabled() and not box.isReadOnly()
    ]


def another(box, mark):
    """Text of a number that the field may hold and does not, and the number."""
    low, high = box.minimum(), box.maximum()
    if isinstance(box, NumberBox):
        for value in (1.5, 12.5, 0.5, 2.5):
            if low < value < high and abs(box.value() - value) > 0.01:
                return str(value).replace(".", mark), value
    for value in (12, 23, 3, 4, 2, 1):
        if low < value < high and box.value() != value:
            return str(value), value
    return None


def type_in(box, text):
    """Type as a person does, with the window following after each key; returns what it shows."""
    box.window().activateWindow()
    settle()
    box.setFocus()
    box.selectAll()
    editor = box.findChild(QLineEdit)
    for key in text:
        QTest.keyClick(editor, key)
        settle()
        if not isValid(box) or QApplication.focusWidget() not in (box, editor):
            return None  # it is another field by now, or has lost the keys
    value = box.valueFromText(box.text())
    QTest.keyClick(editor, Qt.Key.Key_Return)
    settle()
    # A field that was typed in may be made anew once it is left.
    return box.value() if isValid(box) else value


def words_of(box):
    return f"{type(box).__name__} “{box.toolTip() or box.accessibleName()}” {box.text()}"


def try_all(widget, done, mark, wrong, tried):
    """Type into every field that shows, and find what was typed."""
    for box in fields_in(widget):
        if not isValid(box) or not box.isVisible():
            continue
        wanted = another(box, mark)
        if wanted is None or (not NIGHT and box.toolTip() in tried):
            continue
        tried.add(box.toolTip())
        text, value = wanted
        words = words_of(box)
        kept = type_in(box, text)
        if kept is None or abs(kept - value) > 1e-6:
            wrong.append((words, text, kept))
        done.append(words)


STAGES = ("slice", "rules", "draw", "grow", "tiles", "terrains", "ship")


def stages(window, names=STAGES):
    """Bring up every view that has number fields, one after the other."""
    session, project = window.session, window.session.project
    for name in names:
        window.show_stage(name)
        rest(window)
        bench = window.stages[name]
        if name == "tiles":
            bench.sheet.choose([(0, 0), (0, 1)])
            for page in range(bench.tabs.count()):
                bench.tabs.setCurrentIndex(page)
                settle()
                yield name
        elif name == "terrains":
            bench.sheet.choose(0, 0)
            settle()
            yield name
        elif name == "rules":
            for at in range(bench.homes.count()):
                bench.homes.setCurrentIndex(at)
                bench.homes.activated.emit(at)
                settle()
                for rule in bench.home.rules.rules if bench.home else ():
                    bench.choose_rule(rule.number)
                    settle()
                    yield name
        elif name == "draw":
            bench.tabs.setCurrentIndex(TABS.index("Mixes"))
            for way in FallWay:
                mix = project.mixes[0]
                session.take(MixInHand(mix.name, mix))
                bench.mixes._change_fall(mix, way=way)
                settle()
                yield name
            layer = next(e for e in session.map.layers if isinstance(e, MarkerLayer))
            session.choose_layer(layer)
            bench.tabs.setCurrentIndex(TABS.index("Markers"))
            session.choose_markers([layer.markers[0].number])
            settle()
            yield name
        elif name == "grow":
            for map_ in project.maps:
                session.choose_map(map_)
                settle()
                for place in range(len(map_.recipe.steps)):
                    bench.open_card(place)
                    settle()
                    yield name
        else:
            yield name


def test_what_is_typed_in_any_field_of_any_stage_is_what_is_meant(window, country):
    done, wrong, tried = [], [], set()
    # By day each country has stages of its own: all are tried, and all countries are.
    names = STAGES if NIGHT else STAGES[COUNTRIES.index(country) :: len(COUNTRIES)]
    for turn, _ in enumerate(stages(window, names)):
        try_all(window.shell, done, ".,"[turn % 2], wrong, tried)
    assert not wrong, "\n".join(map(str, wrong))
    kinds = {words.split("”")[0] for words in done}
    assert len(kinds) > (33 if NIGHT else 1), sorted(kinds)
    if NIGHT:
        assert any("Weight of this tile among the results" in each for each in kinds)


def dialogs(window):
    session, project = window.session, window.session.project
    tileset = project.tilesets[0]
    picture = np.zeros((64, 64, 4), np.uint8)
    yield NewMapDialog(session, window.shell)
    yield ResizeDialog(session.map, window.shell)
    yield RelayDialog(tileset, window.shell)
    yield SetDialog(session, tileset.sets[0], window.shell)
    yield MockupDialog(session, picture, "x", window.shell)
    yield TerrainShapesDialog(project, tileset, "wall", window.shell)
    session.apply(add_step(project, session.map, SolveStep))
    yield PairsDialog(session, session.map, len(session.map.recipe.steps) - 1, window.shell)
    menu = QMenu(window.shell)
    action = window.mapside.strip._place_action(menu, session.map, session.map.layers[0])
    yield action.defaultWidget()
    menu.deleteLater()


def test_what_is_typed_in_any_dialog_is_what_is_meant(window, country):
    done, wrong = [], []
    for dialog in dialogs(window):
        dialog.show()
        settle()
        before = len(done)
        try_all(dialog, done, ",", wrong, set())
        assert not wrong, "\n".join(map(str, wrong))
        assert len(done) > before, type(dialog)
        dialog.hide()
        dialog.deleteLater()
        wait_for_jobs()
        settle()


def test_a_property_of_kind_number_is_typed_with_point_or_comma(window, country):
    session = window.session
    window.show_stage("tiles")
    bench = window.stages["tiles"]
    bench.sheet.choose([(0, 0)])
    bench.tabs.setCurrentIndex(2)
    editor = bench.findChild(PropertyEditor)
    for text, kept in (("1,5", "1.5"), ("2.25", "2.25"), ("٣٫٥", "3.5")):
        editor.put.emit(Property("speed", "0", PropertyKind.NUMBER), "", False)
        settle()
        field = editor.fields["speed"][2]
        field.setFocus()
        field.selectAll()
        field.insert(text)
        QTest.keyClick(field, Qt.Key.Key_Return)
        settle()
        fact = session.tileset.fact(0, 0)
        assert [each.value for each in fact.properties if each.name == "speed"] == [kept]


@given(st.floats(-1e6, 1e6), st.sampled_from(".,٫"), st.integers(0, 4))
def test_any_number_is_read_as_it_was_written(value, mark, digits):
    text = f"{value:.{digits}f}"
    assert float(plain_number(text.replace(".", mark))) == float(text)
    for end in range(len(text) + 1):
        assert begins_number(text[:end].replace(".", mark), parts=True, below_zero=True)


@given(st.text("0123456789.,- e", max_size=7))
def test_what_may_mean_two_things_is_no_number(text):
    found = plain_number(text)
    marks = sum(each in ".," for each in text)
    assert found is None or marks <= 1
    if marks > 1 or " " in text.strip():
        assert found is None
