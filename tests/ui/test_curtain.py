"""Opening a large project in the window: what is in view is seen before all of it is read."""

from threading import Event

import numpy as np
import pytest
from PySide6.QtCore import QPoint, QRect
from PySide6.QtGui import QImage
from PySide6.QtTest import QTest
from tests.ui.conftest import settle_view, wake

from knitground.core.base.errors import FormatError
from knitground.core.files import cells, opening, packing
from knitground.core.files.saving import save_project
from knitground.ui.common.tasks import wait_for_jobs


@pytest.fixture
def held(window, monkeypatch, tmp_path):
    """The demo, kept as very large projects are; its map is read no further until `go` is set."""
    monkeypatch.setattr(cells, "ROWS_LIMIT", 0)
    monkeypatch.setattr(packing, "_BLOCK_CELLS", 1024)
    monkeypatch.setattr(opening, "LOOK_CELLS", 100)
    project = window.session.project
    project.maps[:] = [project.map_named("Harbour pans")]
    folder = tmp_path / "large"
    save_project(project, folder)
    go, real = Event(), opening.map_from_file

    def read(model, name):
        assert go.wait(20)
        return real(model, name)

    monkeypatch.setattr(opening, "map_from_file", read)
    yield folder, go
    go.set()
    wait_for_jobs()


def seen(window, place):
    image = window.shell.pages.grab(place).toImage().convertToFormat(QImage.Format.Format_RGB32)
    rows = np.frombuffer(image.constBits(), np.uint32).reshape(image.height(), -1)
    return rows[:, : image.width()].copy()


def until(what):
    for _ in range(1000):
        QTest.qWait(5)
        if what():
            return
    raise AssertionError("it did not come to that")


def test_the_middle_of_the_map_is_seen_while_the_rest_is_read(window, held):
    folder, go = held
    window.show_stage("draw")
    wake(window)
    view, curtain, before = window.mapside.view, window.files.curtain, window.session.project
    assert not curtain.isVisible()
    window.files.open_project(folder)
    until(curtain.isVisible)
    assert window.session.project is before, "it is not open yet"
    pages = window.shell.pages
    middle = QRect(view.mapTo(pages, QPoint(0, 0)), view.size()).center()
    place = QRect(middle - QPoint(60, 40), middle + QPoint(59, 39))
    early = seen(window, place)
    assert len(np.unique(early)) > 10
    go.set()
    until(lambda: window.session.project is not before)
    until(lambda: not curtain.isVisible())
    window.session.show(grid=False)
    view.leaveEvent(None)
    settle_view(view)
    assert view.camera.zoom >= 1
    if view.camera.zoom == 1:
        late = seen(window, place)
        assert (late == early).mean() > 0.99
    assert window.session.map.name == "Harbour pans"


def test_it_is_drawn_back_when_the_rest_can_not_be_read(window, held, monkeypatch):
    folder, go = held
    window.show_stage("draw")
    wake(window)
    before, curtain = window.session.project, window.files.curtain

    def broken(_model, _name):
        assert go.wait(20)
        raise FormatError("large.map.json, block 9 is broken")

    monkeypatch.setattr(opening, "map_from_file", broken)
    window.files.open_project(folder)
    until(curtain.isVisible)
    go.set()
    until(lambda: not curtain.isVisible())
    assert window.session.project is before
    assert "Not opened: large.map.json, block 9 is broken" in window.notices.text.text()


def test_where_no_map_is_in_view_none_is_shown(window, held):
    folder, go = held
    window.show_stage("slice")
    before = window.session.project
    assert window.files.curtain.look() is None
    go.set()
    window.files.open_project(folder)
    until(lambda: window.session.project is not before)
    assert not window.files.curtain.isVisible()
