"""Lessons: showing cells with the wrong tile, and taking the rule that is proposed."""

from __future__ import annotations

from PySide6.QtCore import QRectF, QSize
from PySide6.QtGui import QPaintEvent
from PySide6.QtWidgets import QFrame, QWidget

from knitground.core.base.errors import EditError
from knitground.core.base.tongue import say, say_many
from knitground.core.edit.lesson import Lesson, lesson_on
from knitground.core.edit.rulehome import RuleHome
from knitground.core.edit.rulestats import layers_with
from knitground.core.model.layers import Layer
from knitground.core.model.map import Map
from knitground.core.model.rules import NeighbourRule
from knitground.ui.common.commands import with_key
from knitground.ui.common.painting import painting
from knitground.ui.common.widgets import button, column, note, primary, row
from knitground.ui.session import Session
from knitground.ui.stages.rules.guests import Teacher
from knitground.ui.stages.rules.part import Bench
from knitground.ui.stages.rules.pictures import Pictures, draw_result, draw_stencil


class Proposed(QWidget):
    """Draws the rule that is proposed: its stencil and what it lays."""

    def __init__(self, pictures: Pictures) -> None:
        super().__init__()
        self.pictures = pictures
        self.home: RuleHome | None = None
        self.rule: NeighbourRule | None = None
        self.setFixedSize(QSize(132, 80))
        self.setAccessibleName(say("The rule that is proposed"))

    def show_rule(self, home: RuleHome | None, rule: NeighbourRule | None) -> None:
        """Show a rule of a list, or none."""
        self.home, self.rule = home, rule
        self.setVisible(home is not None and rule is not None)
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        if self.home is None or self.rule is None:
            return
        with painting(self) as painter:
            draw_stencil(painter, QRectF(2, 2, 76, 76), self.rule, self.home, self.pictures)
            right = QRectF(90, 22, 40, 50)
            draw_result(painter, right, self.rule.result, self.pictures, self.home.project)


class LessonBar:
    """The button that begins a lesson, and the bar that is shown while one goes on."""

    def __init__(self, session: Session, bench: Bench, pictures: Pictures) -> None:
        self.session, self.bench = session, bench
        self.proposed = Proposed(pictures)
        self.proposed.hide()
        self.button = button(
            say("Teach from map"),
            self.toggle,
            say("Show cells with the wrong tile, and get the rule"),
            "Shift+T",
        )
        self.button.setCheckable(True)
        self.words = note()
        self.take_button = primary(
            say("Take the rule"), self.take, say("Take what is proposed"), "Enter"
        )
        stop = button(say("Call off"), self.stop, say("Leave all as it was"), "Esc")
        sheet = button(
            say("Sheet…"), self.bench.show_sheets, say("Take the right tile in hand from a sheet")
        )
        self.bar = QFrame()
        self.bar.setProperty("panel", "true")
        told = row(self.proposed, self.words)
        told.setStretch(1, 1)
        lines = column(told, row(sheet, 1, self.take_button, stop), spacing=4)
        lines.setContentsMargins(8, 8, 8, 8)
        self.bar.setLayout(lines)
        self.bar.hide()

    def from_menu(self) -> None:
        """Go to the stage and begin a lesson, or call it off."""
        self.session.stage_wanted.emit(self.bench.key)
        self.button.setChecked(not self.button.isChecked())
        self.toggle()

    def toggle(self) -> None:
        """Begin a lesson on the layer that is worked on, or call it off."""
        if not self.button.isChecked():
            self.stop()
            return
        map_, home = self.session.map, self.bench.home
        lesson = self._begin(map_, home) if home and map_ else None
        if lesson is None:
            self.button.setChecked(False)
            return
        teacher = Teacher(self.session, lesson, self._show)
        self.session.take_clicks(teacher)
        self.session.mark_cells("rules", teacher)
        teacher.take_hand()
        self.bar.show()
        self._show()

    def _begin(self, map_: Map, home: RuleHome) -> Lesson | None:
        """Begin a lesson on the layer that is worked on, or on the first that follows the rules."""
        doc = self.session.doc
        own: list[Layer] = [*layers_with(home, map_)]
        if home.kit is None:
            own = [live.layers[""] for live in doc.rewriter.lives(map_)
                   if live.step.rules == home.name and "" in live.layers]  # fmt: skip
        layer = self.session.layer
        if own and not any(layer is each for each in own):
            self.session.choose_layer(own[0])
        layer = self.session.layer
        if layer is None:
            self.session.warn(say("A lesson needs a layer: choose one"))
            return None
        try:
            return lesson_on(doc, map_, layer, home)
        except EditError as error:
            self.session.warn(str(error))
            return None

    def _show(self) -> None:
        guest = self.session.taker
        if not isinstance(guest, Teacher):
            return
        found = guest.proposal
        self.take_button.setEnabled(found is not None)
        self.proposed.show_rule(self.bench.home, found.rule if found is not None else None)
        if guest.lesson.tile is None:
            words = say("Take the right tile in hand: with “Sheet…”, or from the map by ")
            words += f"{with_key('Pick')}."
        elif found is None:
            words = say("Click a cell with the wrong tile. Ctrl+click: stays as it is.")
        else:
            changes = int(found.changed.sum())
            asked = len(found.rule.stencil)
            words = say_many(
                "{count} cell would change; {asked} places asked, number {place} of the "
                "list. Another wrong cell widens it, Ctrl+click keeps one as it is.",
                "{count} cells would change; {asked} places asked, number {place} of the "
                "list. Another wrong cell widens it, Ctrl+click keeps one as it is.",
                changes,
                asked=asked,
                place=found.place,
            )
            if found.not_told:
                words += say(
                    " {not_told} cells that look right can not be told apart.",
                    not_told=found.not_told,
                )
        self.words.setText(words)

    def take(self) -> None:
        """Take the rule that is proposed."""
        guest = self.session.taker
        if isinstance(guest, Teacher) and guest.proposal is not None:
            proposal = guest.proposal
            edit = guest.lesson.edit(proposal)
            self.stop()
            self.session.apply(edit)
            self.bench.choose_rule(proposal.number)

    def stop(self) -> None:
        """End a lesson; all is as it was."""
        self.button.setChecked(False)
        self.bar.hide()
        self.session.take_clicks(None)
        self.session.mark_cells("rules", None)
