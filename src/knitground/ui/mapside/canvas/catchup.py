"""What a gesture is behind with: done turn by turn, while input that comes meanwhile waits in line.

A stroke that jumps over hundreds of cells takes longer than a picture may. Whatever comes next (a
key, a command, a press anywhere) has to find all of it; were it let in, it would have to lay the
rest at once. So it waits, and comes in its order when the stroke is there.
"""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QCoreApplication, QEvent, QObject, Qt, QTimer
from PySide6.QtGui import QKeyEvent, QMouseEvent
from PySide6.QtWidgets import QApplication

from knitground.ui.common.inputline import INPUT, InputLine
from knitground.ui.mapside.canvas.picture import MapPicture


class CatchUp(QObject):
    """Lets a view's gesture catch up with the pointer, and keeps input in line until it has.

    Parameters
    ----------
    view : whose gesture it is
    ended : ends a gesture that has been let go of; called when it has caught up
    """

    def __init__(self, view: MapPicture, ended: Callable[[], None]) -> None:
        super().__init__(view)
        self._view = view
        self._ended = ended
        self.is_let_go = False
        """Whether the button is up while the gesture's tool is still behind."""
        self._unwanted = False
        self._paints = False
        """Whether the next turn is for painting what was laid in the last one: both take long."""
        self._turn = QTimer(self, singleShot=True, interval=0)
        self._turn.timeout.connect(self._go_on)
        self._in_line = InputLine(self._turn.start)

    def look(self) -> None:
        """Go on, from the next turn, with what the gesture is behind with."""
        if self._is_behind and not self._turn.isActive():
            self._turn.start()
            self._app.installEventFilter(self)

    @property
    def has_waiting(self) -> bool:
        """Whether input waits for the gesture, or for its turn after it."""
        return bool(self._in_line)

    def let_go(self) -> bool:
        """Note that the button is up; returns whether the gesture goes on until it is there."""
        self.is_let_go = self._is_behind
        self.look()
        return self.is_let_go

    def forget(self) -> None:
        """Note that there is no gesture any more."""
        self.is_let_go = self._unwanted = False

    @property
    def _app(self) -> QCoreApplication:
        app = QCoreApplication.instance()
        assert app is not None, "input comes through it"
        return app

    @property
    def _is_behind(self) -> bool:
        return self._view.gesture is not None and self._view.gesture.is_behind

    def _go_on(self) -> None:
        if self._in_line.hands_on and (
            QApplication.activeModalWidget() or QApplication.activePopupWidget()
        ):
            self._in_line.let_out()  # what waits was not meant for what has come up
        if self._paints:
            self._paints = False
            self._turn.start()
            return
        try:
            if not self._in_line.hands_on:  # else something is waited for, such as a save
                self._do_a_turn()
        finally:  # whatever went wrong: input never waits for ever
            if self._is_behind or self._in_line:
                self._turn.start()
            else:
                self._app.removeEventFilter(self)

    def _do_a_turn(self) -> None:
        gesture = self._view.gesture
        if gesture is not None and gesture.is_behind:
            gesture.catch_up()
            self._view.update()
            self._paints = gesture.is_behind
        if gesture is not None and self.is_let_go and not gesture.is_behind:
            self._end()
        elif not self._is_behind:
            self._in_line.hand_on(lambda: not self._is_behind)
            self._turn.stop()

    def _end(self) -> None:
        """End a gesture that has been let go of; if it was called off then, it can be redone."""
        session, unwanted = self._view.session, self._unwanted
        before = session.doc.history.last
        self._ended()
        if unwanted and session.doc.history.last is not before:
            session.attempt(session.doc.undo)

    # Input

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        kind = event.type()
        if self._in_line.hands_on or not (self._in_line or self._is_behind):
            return False
        if kind is QEvent.Type.ShortcutOverride and self._in_line.will_be_written():
            event.accept()
            return True
        if kind not in INPUT or (not self._in_line and self._is_of_gesture(event)):
            return False
        is_escape = isinstance(event, QKeyEvent) and event.key() == Qt.Key.Key_Escape
        if is_escape and not self._in_line:
            if kind is QEvent.Type.KeyRelease or not self.is_let_go:
                return False  # it calls off what is being drawn
            self._unwanted = True
            return True
        self._in_line.add(watched, event)
        return True

    def _is_of_gesture(self, event: QEvent) -> bool:
        """Whether input belongs to the gesture itself: its moves and its release."""
        if event.type() is QEvent.Type.MouseMove:
            return True
        if not isinstance(event, QMouseEvent) or self.is_let_go:
            return False
        released = event.type() is QEvent.Type.MouseButtonRelease
        return released and event.button() == self._view.gesture_button
