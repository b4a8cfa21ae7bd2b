"""Fields: what is shown is not told, what is typed stays and is told once."""

from dataclasses import dataclass
from enum import StrEnum

import pytest
from PySide6.QtCore import Qt
from PySide6.QtGui import QIcon
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QLineEdit, QMessageBox, QTabBar, QVBoxLayout, QWidget
from shiboken6 import isValid
from tests.ui.conftest import settle

from knitground.ui.common.form import DIFFERENT, Choice, Form, Slide
from knitground.ui.common.tasks import wait_for_jobs
from knitground.ui.mapside.dialogs import NewMapDialog
from knitground.ui.stages.slice.reliefdialog import ReliefDialog
from knitground.ui.stages.terrains.setdialog import SetDialog


class Way(StrEnum):
    ALONG = "along"
    ACROSS = "across"


@dataclass(frozen=True)
class Thing:
    name: str = "reed"
    part: float = 0.5
    many: int = 3
    on: bool = True
    way: Way = Way.ACROSS
    tag: str = "wet"


class Asked:
    def __init__(self, qtbot):
        self.whole = QWidget()
        qtbot.addWidget(self.whole)
        layout = QVBoxLayout(self.whole)
        self.form = Form(self.whole)
        self.told = []
        self.form.typed.connect(lambda of, value, key: self.told.append((of, value, key)))
        self.name = self.form.line("name", "What it is called", empty="no name")
        self.part = self.form.whole("part", 0, 100, "How much of it", times=100, suffix=" %")
        self.many = self.form.number("many", 0, 50, "How many", at_once=False)
        self.on = self.form.check("on", "on", "Whether it is")
        self.way = self.form.choice("way", "Which way", [(e.value, e) for e in Way])
        self.tag = self.form.word("tag", "A tag", empty="none")
        self.other = QLineEdit()
        for each in (self.name, self.part, self.many, self.on, self.way, self.tag, self.other):
            layout.addWidget(each)
        self.whole.show()

    def type(self, field, text, key=None):
        field.setFocus()
        field.selectAll()
        QTest.keyClicks(field, text)
        if key is not None:
            QTest.keyClick(field, key)


@pytest.fixture
def asked(qtbot):
    return Asked(qtbot)


def test_what_is_shown_is_not_told_and_stands_in_every_field(asked):
    asked.form.show(Thing())
    assert asked.told == []
    assert (asked.name.text(), asked.part.value(), asked.many.value()) == ("reed", 50, 3)
    assert (asked.on.isChecked(), asked.way.value, asked.tag.currentText()) == (
        True, Way.ACROSS, "wet",
    )  # fmt: skip
    asked.form.show({"part": 0.25, "somewhere": 4})
    assert asked.told == []
    assert (asked.part.value(), asked.name.text()) == (25, "reed"), "what it has none of stays"


def test_each_field_tells_its_name_and_the_value_in_the_things_own_measure(asked):
    asked.form.show(Thing())
    asked.part.setValue(75)
    assert asked.told.pop() == ("part", 0.75, asked.part), "a number's steps are one"
    QTest.mouseClick(asked.on, Qt.MouseButton.LeftButton, pos=asked.on.rect().center())
    asked.on.click()
    QTest.keyClick(asked.way, Qt.Key.Key_Up)
    of, value, key = asked.told.pop()
    assert (of, value, key) == ("way", Way.ALONG, None)
    assert isinstance(value, Way), "not the text that Qt makes of it"
    assert {(of, key) for of, _, key in asked.told} == {("on", None)}


def test_a_line_is_told_once_and_only_if_it_is_another(asked):
    asked.form.show(Thing())
    asked.type(asked.name, "reed", Qt.Key.Key_Return)
    asked.other.setFocus()
    assert asked.told == []
    asked.type(asked.name, " rush ", Qt.Key.Key_Return)
    asked.other.setFocus()
    assert asked.told == [("name", "rush", None)]


def test_what_is_being_typed_stays_while_it_is_shown_again(asked):
    asked.form.show(Thing())
    asked.type(asked.name, "half a na")
    asked.form.show(Thing(part=0.1))
    assert asked.name.text() == "half a na"
    asked.type(asked.many, "7")
    asked.form.show(Thing(many=3, part=0.2))
    assert asked.many.text() == "7", "the number that it stood for has not changed"
    QTest.keyClick(asked.many, Qt.Key.Key_Return)
    assert ("name", "half a na", None) in asked.told, "told when the keys went elsewhere"
    assert asked.told[-1][:2] == ("many", 7.0)


def test_several_that_do_not_agree_say_so_and_are_not_emptied_by_passing_through(asked):
    asked.name.show_value(None)
    assert (asked.name.text(), asked.name.placeholderText()) == ("", DIFFERENT)
    asked.name.setFocus()
    asked.other.setFocus()
    assert asked.told == []
    asked.name.show_value("")
    assert asked.name.placeholderText() == "no name"


def test_a_word_is_one_of_those_known_or_another(asked):
    asked.tag.offer(["dry", "wet"])
    asked.form.show(Thing())
    assert asked.told == []
    asked.type(asked.tag.lineEdit(), "salt", Qt.Key.Key_Return)
    assert asked.told == [("tag", "salt", None)]
    asked.tag.offer(["dry", "salt", "wet"])
    assert asked.tag.currentText() == "salt"
    asked.tag.setCurrentIndex(0)
    asked.tag.activated.emit(0)
    assert asked.told[-1] == ("tag", "dry", None)
    assert len(asked.told) == 2


def test_a_choice_offers_anew_without_telling_and_shows_nothing_that_it_does_not_offer(qtbot):
    box = Choice("Which", [("a", 1), ("b", 2, QIcon())])
    qtbot.addWidget(box)
    found = []
    box.chosen.connect(found.append)
    box.currentIndexChanged.connect(lambda _: found.append("shown"))
    box.show_value(2)
    box.offer([("c", 3), ("a", 1)])
    box.show_value(1)
    assert (found, box.value, box.currentText()) == ([], 1, "a")
    box.show_value(9)
    assert (box.value, box.currentIndex()) == (None, -1)


def test_a_slider_that_is_held_is_moved_by_nobody_else(qtbot):
    slider = Slide(0, 100, "How far")
    qtbot.addWidget(slider)
    found = []
    slider.valueChanged.connect(found.append)
    slider.setSliderDown(True)
    slider.show_value(40)
    assert slider.value() == 0
    slider.setSliderDown(False)
    slider.show_value(40)
    assert (slider.value(), found) == (40, [])
    QApplication.processEvents()


def choose_all(part):
    """Choose each of what every list offers that can be seen, as a person does."""
    tried = 0
    for box in part.findChildren(Choice):
        place = 0
        while isValid(box) and box.isVisible() and box.isEnabled() and place < box.count():
            box.setCurrentIndex(place)
            box.activated.emit(place)
            settle()  # what it stands in may be made anew
            place += 1
            tried += 1
    return tried


@pytest.mark.parametrize("key", ["slice", "tiles", "terrains", "rules", "draw", "grow", "ship"])
def test_every_option_of_every_list_of_every_stage_is_taken(window, key, monkeypatch):
    def call_off(box):  # what was painted is not grown over unasked
        (box.escapeButton() or box.buttons()[-1]).click()
        return 0

    monkeypatch.setattr(QMessageBox, "exec", call_off)
    window.show_stage(key)
    settle()
    stage = window.stages[key]
    tried = choose_all(stage)
    for bar in stage.findChildren(QTabBar):
        for tab in range(bar.count()):
            bar.setCurrentIndex(tab)
            settle()
            tried += choose_all(stage)
    assert tried > 2 or key == "ship"
    assert window.crash.faults == 0
    wait_for_jobs()
    settle()


def test_every_option_of_the_lists_over_the_map_and_of_dialogs_is_taken(window):
    session = window.session
    window.show_stage("draw")
    for tool in ("fill", "pick", "select", "line"):
        session.choose_tool(tool)
        settle()
        choose_all(window.mapside.ribbon)
    for make in (
        lambda: NewMapDialog(session, window.shell),
        lambda: SetDialog(session, session.tileset.sets[0], window.shell),
        lambda: ReliefDialog(session.tileset, window.shell, moves=False),
    ):
        dialog = make()
        dialog.show()
        settle()
        assert choose_all(dialog) > 2
        dialog.close()
        dialog.deleteLater()
        wait_for_jobs()
        settle()
    assert window.crash.faults == 0
