"""Pointer and keyboard on the map: strokes, picks, pans, drops."""

from __future__ import annotations

from dataclasses import replace

from PySide6.QtCore import QEvent, QPointF, Qt
from PySide6.QtGui import (
    QAccessible,
    QAccessibleEvent,
    QDragEnterEvent,
    QDragMoveEvent,
    QDropEvent,
    QEnterEvent,
    QKeyEvent,
    QMouseEvent,
    QNativeGestureEvent,
    QPointingDevice,
    QTabletEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QAbstractSpinBox, QApplication, QLineEdit

from knitground.core.base.tongue import say
from knitground.core.edit.desk import Pointer
from knitground.core.edit.hand import PatchInHand
from knitground.core.edit.planning import outside, refusal
from knitground.core.edit.sizes import Margins
from knitground.core.model.patch import Patch
from knitground.ui.common.touch import moved_by
from knitground.ui.mapside.canvas.picture import MapPicture
from knitground.ui.mapside.layerlooks import under_pointer
from knitground.ui.mapside.tools.tool import PATCH_KIND, Tool

_ARROWS = {
    Qt.Key.Key_Left: (0, -1),
    Qt.Key.Key_Right: (0, 1),
    Qt.Key.Key_Up: (-1, 0),
    Qt.Key.Key_Down: (1, 0),
}


class MapView(MapPicture):
    """Turns the pointer and the keyboard into strokes of a tool."""

    # Pointer

    def _pointer(self, at: QPointF) -> Pointer:
        x, y = self.layer_camera_now().to_picture(at.x(), at.y())
        if self.session.sight.repeat and self.shown_map is not None:
            # In the repeated view every copy can be drawn in.
            home = self.shown_map.lattice.home(x, y)
            away = round(x - home[0], 6), round(y - home[1], 6)
            if away in self.shown_map.lattice.copies:
                x, y = home
        return Pointer(round(x, 6), round(y, 6))  # on the line if it is, however it was reckoned

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.setFocus(Qt.FocusReason.MouseFocusReason)
        busy = {self._pan_button, self.gesture_button} - {None, event.button()}
        if any(each in event.buttons() for each in busy if each is not None):
            return  # one thing at a time: another button means nothing now
        if self.gesture_button is not None:
            self.session.finish_gesture()  # its release went elsewhere
        pans = event.button() == Qt.MouseButton.MiddleButton or (
            self._space and event.button() == Qt.MouseButton.LeftButton
        )
        if pans:
            self._pan_from, self._pan_button = event.position(), event.button()
            self.setCursor(Qt.CursorShape.ClosedHandCursor)
        elif event.button() == Qt.MouseButton.LeftButton:
            self.cell_cursor = None
            if self._grips_border(event.position()):
                self.gesture_button = event.button()
                self.session.begin_gesture(self)
                return
            self._held.used()
            self._press(self._pointer(event.position()), event.modifiers(), event.button())
        elif event.button() == Qt.MouseButton.RightButton and self.gesture is None:
            taker = self.session.taker
            if taker is not None and taker.click(self._pointer(event.position()), other=True):
                return
            self._begin(
                self.tool_of("pick"), self._pointer(event.position()), event.modifiers(),
                event.button(),
            )  # fmt: skip

    def _grips_border(self, at: QPointF) -> bool:
        if self.shown_map is None or self.session.sight.repeat or self.gesture is not None:
            return False
        return self.border.press(at, self.camera, self.shown_map)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._pan_from is not None:
            step = event.position() - self._pan_from
            self._pan_from = event.position()
            self.pan(step.x(), step.y())
            return
        self.pointer = self._pointer(event.position())
        self.cell_cursor = None
        if self._follow_border(event.position()):
            return
        self._move_gesture(self.pointer)
        self.tell_soon()
        self.update()

    def _follow_border(self, at: QPointF) -> bool:
        """Let the pointer drag the map's border, or tell that it could."""
        if self.shown_map is None or self.gesture is not None or self.session.sight.repeat:
            return False
        dragged = self.border.move(at, self.camera, self.shown_map)
        if not self._space:
            self.setCursor(self.border.cursor or Qt.CursorShape.CrossCursor)
        if dragged:
            self.update()
        return dragged

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if event.button() == self._pan_button:
            self._pan_from = self._pan_button = None
            self.setCursor(Qt.CursorShape.CrossCursor)
        elif event.button() == self.gesture_button:
            if self.border.is_gripped:
                self.gesture_button = None
                self.session.end_gesture(self)
                self.border.release()
                self.update()
            else:
                self._release()

    def tabletEvent(self, event: QTabletEvent) -> None:
        """Note how far a pen is pressed; what it does then comes as from a mouse."""
        pressed = event.type() is not QEvent.Type.TabletRelease and bool(event.buttons())
        self.session.tools.note_pen(event.pressure() if pressed else 1.0)
        self._rubs = pressed and event.pointerType() is QPointingDevice.PointerType.Eraser
        event.ignore()

    def wheelEvent(self, event: QWheelEvent) -> None:
        moved = moved_by(event)
        if moved is not None:
            self.pan(moved.x(), moved.y())
            return
        notches = event.angleDelta().y()
        if notches == 0:
            return
        step = 1 if notches > 0 else -1
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.session.set_size(self.session.desk().size + step)
        else:
            self._zoom_at(step, event.position())

    def _zoom_at(self, steps: int, at: QPointF) -> None:
        if steps and self.camera.zoom_by(steps, at.x(), at.y()):
            self.pointer = self._pointer(at)
            self._fresh_view = False
            self._moved()

    def event(self, event: QEvent) -> bool:
        if event.type() is QEvent.Type.NativeGesture:
            steps = self._pinch.steps(event)
            if steps is not None and isinstance(event, QNativeGestureEvent):
                self._zoom_at(steps, event.position())
                return True
        return super().event(event)

    def pan(self, x: float, y: float) -> None:
        """Move the picture by screen pixels."""
        self.camera.left += x
        self.camera.top += y
        self.overview.update()
        self._fresh_view = False
        self.update()

    def enterEvent(self, event: QEnterEvent) -> None:
        self.entered.emit()
        self.pointer = self._pointer(event.position())
        focused = QApplication.focusWidget()
        if not isinstance(focused, QLineEdit | QAbstractSpinBox):
            # Keys such as W and the arrows go to what is under the pointer.
            self.setFocus(Qt.FocusReason.MouseFocusReason)
        self.update()

    def leaveEvent(self, event: object) -> None:
        if self.gesture is None:
            self.pointer = None
            self.session.pointed.emit("")
            self.update()

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().hasFormat(PATCH_KIND):
            event.acceptProposedAction()

    def dragMoveEvent(self, event: QDragMoveEvent) -> None:
        """Show where the patch that is carried here would lie."""
        patch = self._carried(event)
        if patch is None:
            return
        if self.session.hand != PatchInHand(patch):
            self.session.take(PatchInHand(patch))
            self.session.choose_tool("paint")
        self.pointer = self._pointer(event.position())
        event.acceptProposedAction()
        self.update()

    def dropEvent(self, event: QDropEvent) -> None:
        """Lay the patch that was carried here."""
        if self._carried(event) is not None:
            self._press(self._pointer(event.position()), Qt.KeyboardModifier.NoModifier, None)
            self._release()
            event.acceptProposedAction()

    def _carried(self, event: QDropEvent) -> Patch | None:
        name = bytes(event.mimeData().data(PATCH_KIND).data()).decode(errors="replace")
        return next((each for each in self.session.project.tray if each.name == name), None)

    # Strokes

    def _press(
        self, at: Pointer, modifiers: Qt.KeyboardModifier, button: Qt.MouseButton | None
    ) -> None:
        self.pointer = at
        taker = self.session.taker
        other = bool(modifiers & Qt.KeyboardModifier.ControlModifier)
        if self.gesture is None and taker is not None and taker.click(at, other=other):
            return
        if self.gesture is not None and not self.gesture.is_open:
            # Begun with the keyboard, and now the mouse is pressed: it ends there.
            self._move_gesture(at)
            self._release()
            return
        desk = self.gesture.desk if self.gesture is not None else self.session.desk()
        rubs = self._rubs and self.gesture is None
        desk = replace(desk, tool="erase") if rubs else desk
        refused = refusal(desk, at)
        if refused:
            if self.shown_map is not None and outside(self.shown_map, at):
                self._offer_growth(at)
            else:
                self.session.warn(say("Nothing laid: {refused}", refused=refused))
            return
        rubber = self.tool_of("erase").on_desk(desk) if rubs else None
        self._begin(rubber or self.gesture or self.tool_of(), at, modifiers, button)

    def _begin(
        self, tool: Tool, at: Pointer, modifiers: Qt.KeyboardModifier,
        button: Qt.MouseButton | None,
    ) -> None:  # fmt: skip
        """Let a tool begin; until it ends it is this view's gesture, whatever tool is chosen."""
        self.pointer = at
        if self.gesture is None:
            self.session.finish_gesture()
        if tool.begin(at, modifiers):
            self.gesture = tool
            self.gesture_button = None if tool.is_open else button
            self.session.begin_gesture(self)
        else:
            self._forget_gesture()
        self.update()

    def _move_gesture(self, at: Pointer) -> None:
        """Let the gesture go on to a place."""
        if self.gesture is not None:
            self.gesture.move(at)

    def _forget_gesture(self) -> Tool | None:
        tool, self.gesture, self.gesture_button = self.gesture, None, None
        self.session.end_gesture(self)
        return tool

    def finish_gesture(self) -> None:
        """End what goes on here as it stands; a border that is dragged is let go of."""
        gripped = self.border.cancel()
        tool = self._forget_gesture()
        if tool is not None and not gripped:
            tool.finish() if tool.key != "pick" else tool.call_off()
        self._held.ended()
        self.update()

    def cancel_gesture(self) -> None:
        """Call off what goes on here; nothing has changed."""
        self.border.cancel()
        tool = self._forget_gesture()
        if tool is not None:
            tool.call_off()
        self._held.ended()
        self.update()

    def hideEvent(self, event: object) -> None:
        # The release would go elsewhere.
        if self.gesture is not None or self.border.is_gripped:
            self.session.finish_gesture()

    def _offer_growth(self, at: Pointer) -> None:
        """Offer to grow the map so far that a place outside lies on it."""
        map_ = self.shown_map
        assert map_ is not None
        row, col = map_.lattice.name_of(*at.cell(map_))
        rows, columns = map_.lattice.counted
        margins = Margins(
            max(0, -row), max(0, -col), max(0, row + 1 - rows), max(0, col + 1 - columns)
        )
        self.session.offer(
            say(
                "Nothing laid: that is outside the map of {columns} × {rows} cells",
                columns=columns,
                rows=rows,
            ),
            {say("Grow the map here"): lambda: self.session.resize_map(map_, margins)},
        )

    def _release(self) -> None:
        if self.gesture is not None and not self.gesture.is_open:
            tool = self._forget_gesture()
            if tool is not None:
                tool.end()
            self._held.ended()
            self.update()

    def cancel(self) -> bool:
        """Call off what goes on here; returns whether there was anything."""
        if self.gesture is None and not self.border.is_gripped:
            return False
        return self.session.cancel_gesture()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key = Qt.Key(event.key())
        shift = event.modifiers() == Qt.KeyboardModifier.ShiftModifier
        if key in _ARROWS and (shift or not event.modifiers()) and self.session.grid is not None:
            down, across = _ARROWS[key]
            if not shift:  # with it along rows and columns, however these lie on the screen
                down, across = self.session.grid.lattice.towards(down, across)
            row, col = self.cell_cursor or self._cell_in_view()
            moved = (row, col) if self.cell_cursor is None else (row + down, col + across)
            self._set_cursor(*moved)
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.cell_cursor is not None:
            self._enter(*self.cell_cursor, event.modifiers())
        elif key == Qt.Key.Key_Escape:
            if not self.cancel() and not self.session.drop_floating():
                self.cell_cursor = None
                self.update()
        elif key == Qt.Key.Key_Space and not event.isAutoRepeat():
            self._space = True
            self.setCursor(Qt.CursorShape.OpenHandCursor)
        elif key == Qt.Key.Key_W and not event.modifiers():
            self.asks_why = True
            self.update()
        else:
            super().keyPressEvent(event)

    def _enter(self, row: int, col: int, modifiers: Qt.KeyboardModifier) -> None:
        """Lay at the cell cursor; a tool that drags begins there, and ends at the next Enter."""
        self._set_cursor(row, col)
        if self.pointer is None:
            return
        self._held.used()
        if self.gesture is None or self.gesture.is_open:
            self._press(self.pointer, modifiers, None)
            if self.gesture is not None and (self.gesture.drags or self.gesture.is_open):
                self._move_gesture(self.pointer)
                return
        self._release()

    def keyReleaseEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Space and not event.isAutoRepeat():
            self._space = False
            self.setCursor(Qt.CursorShape.CrossCursor)
        elif event.key() == Qt.Key.Key_W and not event.isAutoRepeat():
            self.asks_why = False
            self.update()
        elif not event.isAutoRepeat() and self._held.let_go(
            event.key(), stroking=self.gesture is not None
        ):
            self.update()
        else:
            super().keyReleaseEvent(event)

    def _set_cursor(self, row: int, col: int) -> None:
        grid = self.session.grid
        if grid is None:
            return
        row, col = grid.lattice.nearest(row, col)
        self.cell_cursor = (row, col)
        x, y = grid.lattice.middle(row, col)
        self.pointer = Pointer(x, y)
        self.keep_in_view(x, y)
        self._move_gesture(self.pointer)
        self.tell()
        # Whoever can not see the cursor hears where it is, and what lies there.
        self.setAccessibleDescription(under_pointer(self.session, self.pointer))
        told = QAccessibleEvent(self, QAccessible.Event.DescriptionChanged)
        QAccessible.updateAccessibility(told)
        self.update()

    def show_cell(self, row: int, col: int) -> None:
        """Bring a cell to the middle and put the cell cursor on it."""
        grid = self.session.grid
        if grid is None:
            return
        x, y = grid.lattice.middle(row, col)
        self.camera.centre(x, y, self.width(), self.height())
        self._set_cursor(row, col)
        self._moved()

    def _cell_in_view(self) -> tuple[int, int]:
        middle = self.pointer or self._pointer(QPointF(self.width() / 2, self.height() / 2))
        grid = self.session.grid
        assert grid is not None
        return grid.lattice.nearest(*middle.cell(grid))
