"""The card of a rewrite step: which rules, what they read, which layer follows."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

from PySide6.QtWidgets import QCheckBox, QComboBox, QFormLayout, QFrame, QLabel, QSpinBox

from knitground.core.model.layers import GrownLayer
from knitground.core.model.limits import MAX_PASSES
from knitground.core.model.map import Map
from knitground.core.model.recipe import RewriteStep, Step
from knitground.ui.common.widgets import button, column, fill_box, icon_button, note, row
from knitground.ui.session import Session


class RewriteCard(QFrame):
    """Shows one step; `change` gets what it is to become, None if it is to go."""

    def __init__(
        self, session: Session, number: int, change: Callable[[Any, bool], object]
    ) -> None:
        super().__init__()
        self.session, self.number = session, number
        self._change = change
        self._step: RewriteStep | None = None
        self._filling = False
        self.setProperty("panel", "true")
        self.setFrameShape(QFrame.Shape.StyledPanel)
        title = QLabel(f"{number}  Rewrite")
        title.setProperty("role", "head")
        self.layers, self.rules, self.source = QComboBox(), QComboBox(), QComboBox()
        self.layers.setToolTip("The grown layer that follows")
        self.rules.setToolTip("The list of rules, made in Rules")
        self.source.setToolTip("The layer that the rules read")
        for box in (self.layers, self.rules, self.source):
            box.activated.connect(lambda _: self._edited())
        self.passes = QSpinBox()
        self.passes.setRange(1, MAX_PASSES)
        self.passes.setToolTip("How often the rules are tried at most, on what they wrote before")
        self.passes.valueChanged.connect(lambda _: self._edited())
        self.copies = QCheckBox("copies what no rule takes")
        self.copies.clicked.connect(lambda _: self._edited())
        self.words = note("It follows while you draw: no need to run it.")
        remove = icon_button(
            "mdi6.trash-can-outline", lambda: change(None, False), "Take this step out"
        )
        edit = button("Rules…", lambda: session.stage_wanted.emit("rules"), "Go to the rules")
        lines = QFormLayout()
        lines.addRow("Rules", row(self.rules, edit, 1))
        lines.addRow("Reads", row(self.source, self.copies, 1))
        lines.addRow("Passes", row(self.passes, 1))
        self.setLayout(column(
            row(title, 1, QLabel("makes"), self.layers, remove), lines, self.words, margins=12,
        ))  # fmt: skip

    def show_step(self, map_: Map, step: Step, laid: float | None) -> None:
        """Show the step as it is."""
        del laid
        assert isinstance(step, RewriteStep)
        self._step = step
        self._filling = True
        grown = [each for each in map_.layers if isinstance(each, GrownLayer)]
        read = [each for each in map_.layers if each.number != step.layer]
        lists = [each.name for each in self.session.project.rule_lists]
        fill_box(self.layers, [(each.name, each.number) for each in grown], step.layer)
        fill_box(self.source, [(each.name, each.number) for each in read], step.source)
        fill_box(self.rules, [(name, name) for name in lists], step.rules)
        self.passes.setValue(step.passes)
        self.copies.setChecked(step.copies)
        problems = self.session.doc.rewriter.problems.get(map_) or []
        mine = [each for each in problems if each.startswith(f"step {self.number} ")]
        self.words.setText(mine[0] if mine else "It follows while you draw: no need to run it.")
        self._filling = False

    def _edited(self) -> None:
        if self._filling or self._step is None:
            return
        step = replace(
            self._step,
            layer=self.layers.currentData() or self._step.layer,
            source=self.source.currentData() or self._step.source,
            rules=self.rules.currentData() or self._step.rules,
            passes=self.passes.value(),
            copies=self.copies.isChecked(),
        )
        if step != self._step:
            self._change(step, False)
