"""Proof: what is wrong with the map and the project, before the game finds it."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable
from itertools import islice

from PySide6.QtCore import QTimer
from PySide6.QtGui import QPixmap
from PySide6.QtWidgets import QLabel, QLineEdit, QPushButton, QVBoxLayout, QWidget

from knitground.core.base.tongue import say, say_many
from knitground.core.edit.excuses import accuse, excuse
from knitground.core.model.lattice import Cell
from knitground.core.model.map import Map
from knitground.core.proof.finding import Finding, Group
from knitground.core.proof.picture import cell_on_map, place_picture, tile_picture
from knitground.core.proof.proof import CHECKS, cure
from knitground.ui.common.asking import ask_text
from knitground.ui.common.commands import Commands
from knitground.ui.common.painting import image_of
from knitground.ui.common.widgets import (
    button,
    clear,
    column,
    head,
    note,
    row,
    scrolled,
    tile_pixmap,
)
from knitground.ui.session import Session
from knitground.ui.stages.proof.bars import CheckBars
from knitground.ui.stages.proof.prover import Prover
from knitground.ui.stages.proof.slip import PICTURE, Slip
from knitground.ui.stages.stage import Stage

_PAGE = 8
_MOST_KNOTS = 300
"""Of the worst findings: more would hide the map, and take longer than a frame."""
_ZOOM = 3
_WHO = "proof"


class Knots:
    """Marks the places of findings on the map: knots, and a large one for what is pointed at."""

    def __init__(self, findings: Iterable[Finding], large: Finding | None) -> None:
        self._findings, self._large = list(findings), large

    def cells(self, map_: Map) -> Iterable[tuple[Cell, str]]:
        """Give the cells of a map at which something was found."""
        places = ((each, cell) for each in self._findings if each.map == map_.name
                  for cell in each.places)  # fmt: skip
        for each, cell in islice(places, _MOST_KNOTS):
            yield cell_on_map(map_, each, cell), "knot"
        large = self._large
        if large is not None and large.map == map_.name:
            for cell in large.places:
                yield cell_on_map(map_, large, cell), "large knot"


class ProofBench(Stage):
    """Slips in four groups, with a row of bars that tells how far the checks are."""

    key = "proof"
    wide = 470

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.prover = Prover(session, self)
        self.bars = CheckBars()
        self.bars.chosen.connect(self.show_check)
        self.check = ""
        self.search = QLineEdit()
        self.search.setPlaceholderText(say("find in what was found…"))
        self.search.setClearButtonEnabled(True)
        self.search.textChanged.connect(self.refresh_later)
        self.told = note()
        self.folded: set[str] = {"excused"}
        self.pages: Counter[str] = Counter()
        self.slips: list[Slip] = []
        self.shown_findings: list[Finding] = []
        self._large: Finding | None = None
        self._state: object = None
        self.list = QVBoxLayout()
        self.list.setSpacing(6)
        self.list.setContentsMargins(0, 0, 8, 0)
        inner = QWidget()
        inner.setLayout(self.list)
        self.area = scrolled(inner)
        again = button(say("Check again"), self.prover.again, say("Make all checks anew"), "F5")
        body = column(
            row(head(say("Proof")), 1, again),
            self.told,
            self.bars,
            self.search,
            self.area,
            margins=14,
        )
        body.setStretch(4, 1)
        self.setLayout(body)
        self._soon = QTimer(self, singleShot=True, interval=60)
        self._soon.timeout.connect(self.refresh_later)
        self.prover.changed.connect(self._take_note)
        session.choice.map_changed.connect(self.refresh_later)

    # Showing

    def begin_anew(self) -> None:
        """Narrow nothing: what was looked for in another project is not looked for in this one."""
        self.check, self._large = "", None
        self.folded = {"excused"}
        self.pages.clear()
        self.search.clear()
        super().begin_anew()

    def _take_note(self) -> None:
        self._soon.start()
        proof = self.prover.proof
        self.session.stage_counted.emit(self.key, len(proof.findings))

    def showEvent(self, event: object) -> None:
        self.prover.watch(True)
        super().showEvent(event)
        self._mark()

    def hideEvent(self, event: object) -> None:
        self.prover.watch(False)
        self.session.mark_cells(_WHO, None)

    def show_check(self, key: str) -> None:
        """Show the findings of one check alone, or with "" of all."""
        self.check = key
        self.pages.clear()
        self.refresh()

    def refresh(self) -> None:
        """Show what has been found by now."""
        proof = self.prover.proof
        counts = Counter(each.check for each in proof.findings)
        self.bars.show_checks(self.prover.checks, dict(counts), self.check)
        wanted = self.search.text().strip().casefold()
        found = [each for each in proof.findings if self._fits(each, wanted)]
        excused = [each for each in proof.excused if self._fits(each, wanted)]
        self.told.setText(self._words(len(proof.findings), len(found)))
        state = ([each.key for each in found], [each.key for each in excused], sorted(self.folded),
                 sorted(self.pages.items()), [each.words for each in found[:400]])  # fmt: skip
        self.shown_findings = found
        if state != self._state:
            self._state = state
            self._build(found, excused)
        self._mark()

    def _fits(self, finding: Finding, wanted: str) -> bool:
        if self.check and finding.check != self.check:
            return False
        check = CHECKS[finding.check]
        return not wanted or wanted in f"{finding.words} {check.title} {finding.map}".casefold()

    def _words(self, count: int, shown: int) -> str:
        if self.prover.is_busy:
            words = say("checking…")
        elif not count:
            words = say("Nothing found: all checks are content with this map and the project.")
        else:
            words = say_many(
                "{count} finding, the worst first", "{count} findings, the worst first", count
            )
        if self.check:
            words += say(
                " · only {title} ({shown}): click its bar for all",
                title=CHECKS[self.check].title.lower(),
                shown=shown,
            )
        return words

    def _build(self, found: list[Finding], excused: list[Finding]) -> None:
        focus = next((each.finding.key for each in self.slips if each.hasFocus()), None)
        clear(self.list)
        self.slips = []
        groups: dict[str, list[Finding]] = {each.value: [] for each in Group}
        for each in found:
            groups[CHECKS[each.check].group.value].append(each)
        alike = Counter(each.check for each in found)
        whys = {each.key: each.why or say("said so") for each in self.session.project.excused}
        for name, some in groups.items():
            if some:
                self._add_group(name, say(name), some, alike, {})
        if excused:
            self._add_group("excused", say("Not a fault"), excused, Counter(), whys)
        self.list.addStretch(1)
        again = next((each for each in self.slips if each.finding.key == focus), None)
        if again is not None:
            again.setFocus()

    def _add_group(
        self, key: str, title: str, some: list[Finding], alike: Counter[str], whys: dict[str, str]
    ) -> None:
        folded = key in self.folded
        line = QPushButton(f"{'▸' if folded else '▾'}  {title}  {len(some)}")
        line.setProperty("quiet", "true")
        line.setProperty("left", "true")
        line.setProperty("strong", "true")
        line.setToolTip(say("Fold or unfold these"))
        line.clicked.connect(lambda *_: self._fold(key))
        self.list.addWidget(line)
        if folded:
            return
        page = min(self.pages[key], (len(some) - 1) // _PAGE)
        for each in some[page * _PAGE : (page + 1) * _PAGE]:
            slip = Slip(each, self._picture(each), alike[each.check], whys.get(each.key, ""))
            slip.wanted.connect(self._go)
            slip.cured.connect(lambda finding: self.cure([finding]))
            slip.all_cured.connect(self._cure_all)
            slip.excused.connect(self.judge)
            slip.pointed.connect(self._point)
            slip.stepped.connect(self._step)
            self.slips.append(slip)
            self.list.addWidget(slip)
        if len(some) > _PAGE:
            last = (len(some) - 1) // _PAGE
            first = page * _PAGE + 1
            words = QLabel(
                say(
                    "{first} to {number} of {count}",
                    first=first,
                    number=min(len(some), first + _PAGE - 1),
                    count=len(some),
                )
            )
            back = button("‹", lambda: self._turn(key, page - 1), say("The ones before"))
            on = button("›", lambda: self._turn(key, page + 1), say("The next ones"))
            back.setEnabled(page > 0)
            on.setEnabled(page < last)
            self.list.addLayout(row(1, back, words, on, 1))

    def _fold(self, key: str) -> None:
        self.folded ^= {key}
        self.refresh()

    def _turn(self, key: str, page: int) -> None:
        self.pages[key] = page
        self.refresh()

    def _picture(self, finding: Finding) -> QPixmap | None:
        """Draw the place at three times its size, the fault in the middle; or the tile."""
        session, small = self.session, (PICTURE.width() // _ZOOM, PICTURE.height() // _ZOOM)
        map_ = session.project.map_named(finding.map)
        if map_ is not None and finding.places:
            atlas = session.atlases.of(map_)
            pixels = place_picture(session.doc, atlas, map_, finding, *small)
            if pixels is None:
                return None
            return QPixmap.fromImage(image_of(pixels).copy()).scaled(PICTURE)
        tile = tile_picture(session.doc, finding)
        return tile_pixmap(tile, PICTURE.height()) if tile is not None else None

    def _mark(self) -> None:
        if self.isVisible():
            self.session.mark_cells(_WHO, Knots(self.shown_findings, self._large))

    # What can be done

    def _point(self, finding: Finding | None) -> None:
        self._large = finding
        self._mark()

    def _step(self, slip: Slip, by: int) -> None:
        place = self.slips.index(slip) + by
        if 0 <= place < len(self.slips):
            self.slips[place].setFocus()
            self.area.ensureWidgetVisible(self.slips[place])

    def _go(self, slip: Slip) -> None:
        finding = slip.finding
        map_ = self.session.project.map_named(finding.map)
        if map_ is None or not finding.places:
            if finding.tile is not None:
                self.session.choose_tileset(
                    self.session.project.tileset_named(finding.tile.tileset)
                )
            self.session.note(
                say("Mend it in {stage}", stage=say(CHECKS[finding.check].stage.capitalize()))
            )
            return
        self.session.choose_map(map_)
        layer = map_.layer_numbered(finding.layer)
        if layer is not None:
            self.session.choose_layer(layer)
        self.session.cell_wanted.emit(*cell_on_map(map_, finding, finding.places[slip.place]))
        slip.setFocus()

    def cure(self, findings: list[Finding]) -> None:
        """Mend findings as one step."""
        doc = self.session.doc
        self.session.run_long(
            say("Mending…"), lambda progress: cure(doc, findings, progress), self.session.apply
        )

    def _cure_all(self, finding: Finding) -> None:
        self.cure([each for each in self.shown_findings if each.check == finding.check])

    def judge(self, finding: Finding) -> None:
        """Say that a finding is no fault, with a word why; or that it is one after all."""
        project = self.session.project
        if any(each.key == finding.key for each in project.excused):
            self.session.do(lambda: accuse(project, [finding.key]))
            return
        why = ask_text(self.window(), say("Not a fault"), say("Why? (it may stay empty)"))
        if why is not None:
            self.session.do(lambda: excuse(project, [finding.key], why))

    def add_commands(self, commands: Commands) -> None:
        commands.add("Check again", self.prover.again, "F5")
        commands.add("Next finding", lambda: self.next_finding(1), "F8")
        commands.add("The finding before", lambda: self.next_finding(-1), "Shift+F8")

    def next_finding(self, by: int) -> None:
        """Go to the next finding, whatever stage is shown."""
        if not self.isVisible():
            self.session.stage_wanted.emit(self.key)
        self.catch_up()
        if not self.slips:
            self.session.note(
                say("Nothing was found") if not self.prover.is_busy else say("Still checking")
            )
            return
        at = next((n for n, each in enumerate(self.slips) if each.hasFocus()), -1 if by > 0 else 0)
        slip = self.slips[(at + by) % len(self.slips)]
        slip.setFocus()
        self.area.ensureWidgetVisible(slip)
        slip.go()
