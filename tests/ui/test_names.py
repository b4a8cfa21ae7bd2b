"""Names that people give are shown as they are, whatever is in them and however long they are."""

import re
from pathlib import Path

import pytest
from PySide6.QtCore import QRect, Qt
from PySide6.QtGui import QKeySequence
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QPushButton
from tests.ui.conftest import LEFT, click, settle

import knitground.ui
from knitground.core.edit.layers import lock_layer, rename_layer
from knitground.core.edit.maps import rename_map
from knitground.core.edit.terrainlist import add_terrain, change_terrain
from knitground.core.edit.tiles import add_tag
from knitground.core.edit.tray import rename_patch
from knitground.ui.common.commands import with_key
from knitground.ui.common.flow import Flow
from knitground.ui.stages.draw.bench import TABS


def test_what_looks_like_a_tag_in_a_name_is_shown_as_it_is(window):
    session = window.session
    layer = session.map.layers[0]
    session.apply(rename_layer(session.map, layer, "<b>Salt"))
    settle()
    card = window.mapside.strip.cards[0]
    plain = Qt.TextFormat.PlainText
    assert (card.name.text(), card.name.textFormat()) == ("<b>Salt", plain)
    assert card.toolTip().startswith("<qt>&lt;b&gt;Salt: click")
    session.apply(lock_layer(session.map, layer, True))
    click(window.mapside.view, window.mapside.view.screen_at(5, 5))
    assert "<b>Salt" in window.notices.text.text()
    assert window.notices.text.textFormat() == plain


def test_an_ampersand_in_a_name_marks_no_key(window):
    session = window.session
    owner = session.project.tilesets[0]
    session.apply(change_terrain(session.project, owner, owner.sets[0], 1, name="salt & mud"))
    for name in ("Sand & foam", "Sand & sea"):
        session.apply(rename_map(session.project, session.map, name))
    window.show_stage("draw")
    settle()
    assert window.mapside.tabs.tabText(0) == "Sand && sea"
    assert "Sand && foam" in window.commands.named("Undo").action.text()
    buttons = [each for each in window.stage.findChildren(QPushButton) if "mud" in each.text()]
    assert [each.text() for each in buttons] == ["salt && mud"]
    QTest.mouseClick(buttons[0], LEFT)
    assert session.hand.name == "salt & mud"
    session.apply(rename_patch(session.project, session.project.tray[0], "crates & nets"))
    window.stage.tabs.setCurrentIndex(TABS.index("Tray"))
    settle()
    assert "crates && nets\n" in window.stage.tray.cards[0].text()


@pytest.mark.parametrize(("wide", "rows"), [(1000, 1), (260, 2), (140, 3), (40, 6)])
def test_parts_that_have_no_room_beside_others_begin_a_new_row(qtbot, wide, rows):
    flow, told = Flow(), []
    qtbot.addWidget(flow)
    flow.laid.connect(told.append)
    flow.put([QPushButton("w" * n) for n in (1, 2, 3, 4, 3, 2)])
    flow.resize(wide, 200)
    flow.show()
    settle()
    rects = [each.geometry() for each in flow.parts]
    tops = sorted({each.top() for each in rects})
    assert abs(len(tops) - rows) <= 1  # fonts differ
    assert (len(tops) == 1) == (rows == 1)
    assert all(QRect(0, 0, wide, told[-1]).contains(each) for each in rects)
    assert not any(a.intersects(b) for n, a in enumerate(rects) for b in rects[:n])
    flow.put([QPushButton("w")])
    assert told[-1] == flow.parts[0].sizeHint().height() == flow.minimumHeight()
    assert len([each for each in flow.findChildren(QPushButton) if each.isVisible()]) == 1


def test_all_terrains_can_be_reached_however_long_their_names_are(window):
    session = window.session
    owner = session.project.tilesets[0]
    window.show_stage("terrains")
    settle()
    chips = window.stage.chips
    before = chips.area.height()
    for n in range(4):
        session.apply(add_terrain(owner, owner.sets[0], f"shallow water by the harbour {n}"))
    settle()
    assert chips.area.height() > before
    for part in chips.flow.parts:
        assert part.geometry().right() <= chips.area.viewport().width()
    for _ in range(4):
        session.undo()
    settle()
    assert chips.area.height() == before


def test_many_tags_stand_in_as_many_rows_as_they_need(window):
    session = window.session
    tileset = session.project.tilesets[1]
    session.choose_tileset(tileset)
    window.show_stage("tiles")
    bench = window.stage
    bench.tabs.setCurrentIndex(1)
    for n in range(8):
        session.apply(add_tag(tileset, [(0, 1)], f"blocks & hides {n}"))
    bench.sheet.choose([(0, 1)])
    settle()
    assert [each.text() for each in bench.tags.parts] == [
        f"blocks && hides {n}  ×" for n in range(8)
    ]
    assert all(each.geometry().right() < bench.tags.width() for each in bench.tags.parts)
    bench.tags.parts[3].click()
    settle()
    assert "blocks & hides 3" not in tileset.fact(0, 1).tags
    assert len(bench.tags.parts) == 7


def test_texts_that_name_a_key_name_the_one_that_the_command_has(window):
    """Nowhere in the program stands a command with a key that is not its own."""
    keys = {each.text: each.keys for each in window.commands.all if each.keys}
    tools = {tool.name: tool.shortcut for tool in window.mapside.view._tools.values()}
    assert with_key("Select") == f"Select ({tools['Select']})"
    assert with_key("Pick") == f"Pick ({tools['Pick']})"
    assert with_key("No such command") == "No such command"
    every = keys | tools
    source = Path(knitground.ui.__file__).parent
    named = re.compile(r"(\w[\w ×…-]*?) \(((?:Ctrl\+|Shift\+|Alt\+)*(?:[A-Z]|F\d+|Del))\)")
    for path in source.rglob("*.py"):
        for text in re.findall(r'"([^"\n]*)"', path.read_text(encoding="utf-8")):
            for name, key in named.findall(text):
                called = [each for each in every if name.endswith(each)]
                assert all(every[each] == key for each in called), (path.name, text)
    shown = {w.toolTip() for w in QApplication.allWidgets() if w.toolTip()}
    known = {*every.values(), *(QKeySequence(k).toString() for k in every.values())}
    for text in shown:
        found = re.search(r" \(((?:Ctrl\+|Shift\+|Alt\+)+[A-Z])\)$", text)
        assert found is None or found[1] in known, text
