"""Adding a kind is one module and one line: made-up ones, added here, work in the real window."""

import sys
from dataclasses import dataclass
from types import ModuleType

import numpy as np
from PySide6.QtCore import QRect
from PySide6.QtGui import QColor
from PySide6.QtWidgets import QLabel
from tests.ui.conftest import pixels, settle

from knitground.core.edit.recipes import add_step, put_step
from knitground.core.grow.kinds import STEP_KINDS
from knitground.core.grow.runner import run_recipe
from knitground.core.grow.stepkind import ON_GROWN, As, Setting, StepKind
from knitground.core.grow.work import Grown
from knitground.core.model.conditions import AnyStep
from knitground.core.model.tile import TileRef
from knitground.ui import stagekinds, stages
from knitground.ui.common.widgets import column
from knitground.ui.mapside import inhand
from knitground.ui.mapside.canvas import picture
from knitground.ui.mapside.canvas.over import Overlay
from knitground.ui.session import Session
from knitground.ui.stages.stage import Stage


@dataclass(frozen=True)
class ChequerStep(AnyStep):
    layer: int
    side: int = 2


def run_chequer(work, step):
    layer = work.map.layer_numbered(step.layer)
    rows, cols = np.mgrid[: work.map.height, : work.map.width] // step.side
    tile = work.map.legend.place(TileRef(work.project.tilesets[0].name, 0, 0))
    return [Grown(layer, np.where((rows + cols) % 2, tile, 0).astype(np.int32))]


CHEQUER = StepKind(
    ChequerStep, "Chequer", "Every other block", ON_GROWN, run_chequer,
    lambda at: ChequerStep(at.layer.number),
    (Setting("side", "Side", As.SLIDER, "Cells of a block", 1, 9, unit=" cells"),),
)  # fmt: skip


def test_a_made_up_step_is_offered_has_a_card_and_grows(window, monkeypatch):
    monkeypatch.setitem(STEP_KINDS, ChequerStep, CHEQUER)
    session, bench = window.session, window.stages["grow"]
    session.choose_map(next(m for m in session.project.maps if m.recipe.steps))
    window.show_stage("grow")
    settle()
    session.apply(add_step(session.project, session.map, ChequerStep))
    settle()
    card = bench.cards[-1]
    bench.open_card(card.place)
    assert "Chequer" in card.title.text()
    card.fields["side"].setValue(5)
    settle()
    step = session.map.recipe.steps[-1]
    assert step == ChequerStep(step.layer, 5, salt=step.salt)
    made = run_recipe(session.project, session.map)[-1].made
    assert (made[:5, :5] == 0).all()
    assert (made[:5, 5:10] > 0).all()
    session.apply(put_step(session.map, card.place, ChequerStep(step.layer, 1)))
    assert (run_recipe(session.project, session.map)[-1].made[0, 1::2] > 0).all()


class Spot(Overlay):
    def draw(self, on):
        on.painter.fillRect(QRect(3, 3, 5, 5), QColor("#123456"))
        return True


def test_a_made_up_overlay_is_drawn_over_every_view(window, monkeypatch):
    monkeypatch.setattr(picture, "OVERLAYS", (*picture.OVERLAYS, Spot))
    window.session.show(second=True)
    settle()
    shown = pixels(window.mapside.second) & 0xFFFFFF
    assert (shown[3:8, 3:8] == 0x123456).all()
    assert (shown[9:20, 9:20] != 0x123456).all()
    window.session.show(second=False)


class MoodBench(Stage):
    key, wide = "mood", 300

    def __init__(self, session):
        super().__init__(session)
        self.words = QLabel("calm")
        self.setLayout(column(self.words, 1))


def test_a_made_up_stage_is_found_by_its_line(qapp, monkeypatch):
    module = ModuleType("knitground.ui.stages.mood.bench")
    module.MoodBench = MoodBench
    package = ModuleType("knitground.ui.stages.mood")
    package.__path__, package.bench = [], module
    monkeypatch.setitem(sys.modules, "knitground.ui.stages.mood", package)
    monkeypatch.setitem(sys.modules, "knitground.ui.stages.mood.bench", module)
    monkeypatch.setattr(stages, "mood", package, raising=False)
    line = stagekinds.StageKind("mood", "Mood", "How the map feels", "MoodBench")
    monkeypatch.setattr(stages, "STAGES", (line,))
    made = stages.make_stages(Session())
    assert list(made) == ["mood"]
    assert made["mood"].words.text() == "calm"


@dataclass(frozen=True)
class StickInHand:
    length: int

    @property
    def title(self):
        return f"Stick · {self.length}"


def test_a_made_up_thing_in_hand_has_its_picture_and_note(window, monkeypatch):
    kind = inhand.HandKind(
        lambda _, hand: np.full((1, hand.length), 0xFF00FF00, np.uint32),
        lambda hand, _: f"{hand.length} long",
    )
    monkeypatch.setitem(inhand.HAND_KINDS, StickInHand, kind)
    session = window.session
    session.take(StickInHand(7))
    settle()
    assert inhand.hand_pixels(session.project, session.hand).shape == (1, 7)
    assert inhand.hand_note(session.hand, session) == "7 long"
    assert window.mapside.ribbon.hand.text() == "Stick · 7"
    session.take(None)
