"""Colours by role, in two themes, and how they reach Qt."""

from __future__ import annotations

import re
from dataclasses import dataclass
from html import unescape
from time import perf_counter
from typing import Any

from PySide6.QtCore import QEvent, QObject, QRectF, Qt, QTimer
from PySide6.QtGui import QColor, QFont, QPainter, QPalette, QPen
from PySide6.QtWidgets import (
    QAbstractButton,
    QApplication,
    QProxyStyle,
    QPushButton,
    QStyle,
    QStyleFactory,
    QStyleOption,
    QStyleOptionComplex,
    QWidget,
)
from shiboken6 import createdByPython, isValid

from knitground.ui.common.pulse import until_in_pulse


@dataclass(frozen=True)
class Theme:
    """Named roles; every colour of the window comes from here or from the project."""

    name: str
    window: str
    panel: str
    sunken: str
    ink: str
    ink2: str
    line: str
    accent: str
    on_accent: str
    madder: str
    good: str
    warning: str
    canvas: str
    edge: str
    """Borders of fields: 3 : 1 against what lies on either side."""
    faded: str
    """Text of what can not be used now; it can be read all the same."""

    def colour(self, role: str) -> QColor:
        """Return a role's colour."""
        return QColor(getattr(self, role))


LINEN = Theme(
    "Linen", "#EFEAE0", "#F8F5EE", "#E3DCCD", "#2B2A33", "#625D69", "#CFC6B4",
    "#3B4C8C", "#FFFFFF", "#A23D27", "#4B672E", "#82550A", "#84898A",
    "#7D7568", "#6E6977",
)  # fmt: skip
LOOM = Theme(
    "Loom", "#22242A", "#2A2D34", "#1B1D22", "#E8E4DA", "#B0ACA4", "#4A4F5A",
    "#8FA3E8", "#1B1D22", "#E07A5F", "#9BBF6B", "#E2B04A", "#4A4E52",
    "#868B95", "#9A968F",
)  # fmt: skip
THEMES = {theme.name: theme for theme in (LINEN, LOOM)}

_BY_PALETTE = Theme(
    "by palette", "palette(window)", "palette(alternate-base)", "palette(midlight)",
    "palette(window-text)", "palette(placeholder-text)", "palette(mid)", "palette(highlight)",
    "palette(highlighted-text)", "", "palette(link-visited)", "palette(bright-text)", "",
    "palette(dark)", "palette(shadow)",
)  # fmt: skip
"""What a style sheet calls the roles: one sheet does for all themes, with another palette each."""

_active = [LINEN]
TEXT_SIZES = (12, 13, 14, 15, 16, 18)
TEXT_PX = 13
"""Pixels of a letter's height, as people may have them, and as they are at first."""
_text = [TEXT_PX]


def theme() -> Theme:
    """Return the theme in use."""
    return _active[0]


_BOXES = (
    QStyle.PrimitiveElement.PE_FrameLineEdit,
    QStyle.PrimitiveElement.PE_IndicatorCheckBox,
)
_FIELDS = (QStyle.ComplexControl.CC_SpinBox, QStyle.ComplexControl.CC_ComboBox)


def _draw_edge(painter: QPainter, option: QStyleOption) -> None:
    """Draw the border of a field so that it can be told from what lies round it."""
    if option.state & QStyle.StateFlag.State_HasFocus:
        return  # the accent colour is there
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(QPen(theme().colour("edge"), 1))
    painter.drawRoundedRect(QRectF(option.rect).adjusted(0.5, 0.5, -0.5, -0.5), 2, 2)
    painter.restore()


def name_by_tip(widget: QWidget) -> None:
    """Let a part that can have the keyboard be read by what its tooltip says, if it has no name."""
    if widget.focusPolicy() is Qt.FocusPolicy.NoFocus or widget.accessibleName():
        return
    text = getattr(widget, "text", None)
    words = text() if isinstance(widget, QAbstractButton) and callable(text) else ""
    hint = getattr(widget, "placeholderText", None)
    spoken = widget.toolTip() or (hint() if callable(hint) else "")
    if spoken and not words:
        widget.setAccessibleName(_plain(spoken))


def _plain(tip: str) -> str:
    return unescape(_TAG.sub(" ", tip)).strip() if "<" in tip else tip


class _Style(QProxyStyle):
    """Fusion with our own focus ring, two pixels wide in the accent colour."""

    def drawPrimitive(
        self,
        element: QStyle.PrimitiveElement,
        option: QStyleOption,
        painter: QPainter,
        widget: QWidget | None = None,
    ) -> None:
        if element == QStyle.PrimitiveElement.PE_FrameFocusRect:
            painter.save()
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.setPen(QPen(theme().colour("accent"), 2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            rect = QRectF(option.rect)
            # A button's frame is told without its padding: the ring goes round that as well.
            out = (-6, -3, 6, 3) if isinstance(widget, QPushButton) else (1, 1, -1, -1)
            painter.drawRoundedRect(rect.adjusted(*out), 4, 4)
            painter.restore()
            return
        super().drawPrimitive(element, option, painter, widget)
        if element in _BOXES:
            _draw_edge(painter, option)

    def drawComplexControl(
        self,
        control: QStyle.ComplexControl,
        option: QStyleOptionComplex,
        painter: QPainter,
        widget: QWidget | None = None,
    ) -> None:
        super().drawComplexControl(control, option, painter, widget)
        if control in _FIELDS:
            _draw_edge(painter, option)

    def polish(self, what: Any) -> Any:  # three functions of Qt have this name
        if isinstance(what, QWidget):
            name_by_tip(what)
        return super().polish(what)


_TAG = re.compile("<[^>]*>")
_WEARS = "knitground_wears"
_PULSE_S = 0.01
"""How long widgets that nobody sees are dressed before the interface has its turn again."""


class _Wardrobe(QObject):
    """Dresses widgets anew: those that are seen at once, all others bit by bit.

    A widget keeps the colours that it took from the palette once. Setting the style sheet again
    would make it take them anew, but works out sizes, texts and layouts of all widgets as well,
    which takes six times as long and can not be done bit by bit.
    """

    def __init__(self, app: QApplication) -> None:
        super().__init__(app)
        self._app = app
        self._to_do: list[QWidget] = []
        """Of our own making only: Qt deletes some that are its own, and nobody is told."""
        self._timer = QTimer(self)
        self._timer.timeout.connect(self._go_on)

    def dress_all(self) -> None:
        """Let all widgets take their colours anew."""
        for each in self._app.allWidgets():
            if each.isVisible() or not (each.parent() or createdByPython(each)):
                self._dress(each)
        self._to_do = [each for each in self._app.topLevelWidgets() if createdByPython(each)]
        self._timer.start()
        self._app.installEventFilter(self)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """Dress what comes into view before its turn has come."""
        if event.type() is QEvent.Type.Show and isinstance(watched, QWidget):
            self._dress(watched)
        return False

    def _go_on(self) -> None:
        until = until_in_pulse(_PULSE_S)
        while self._to_do:
            self._dress_all_of(self._to_do.pop())
            if perf_counter() > until:
                return
        self._timer.stop()
        self._app.removeEventFilter(self)

    def _dress_all_of(self, widget: QWidget) -> None:
        """Dress a widget and the parts that Qt has given it; ours in it have their own turn."""
        if not isValid(widget):
            return
        self._dress(widget)
        for child in widget.children():
            if isinstance(child, QWidget):
                if createdByPython(child):
                    self._to_do.append(child)
                else:
                    self._dress_all_of(child)

    def _dress(self, widget: QWidget) -> None:
        name = theme().name
        if widget.property(_WEARS) != name:
            style = self._app.style()
            style.unpolish(widget)
            style.polish(widget)
            widget.update()
            widget.setProperty(_WEARS, name)


_wardrobe: list[_Wardrobe] = []


def use(app: QApplication, chosen: Theme) -> None:
    """Dress the whole program in a theme."""
    _active[0] = chosen
    app.setPalette(_palette(chosen))
    if _wardrobe:
        _wardrobe[0].dress_all()
        return
    _wardrobe.append(_Wardrobe(app))
    app.setStyle(_Style(QStyleFactory.create("Fusion")))
    set_text_size(app, TEXT_PX)


def text_scale() -> float:
    """How many times as large as at first letters are: for those that are painted."""
    return _text[0] / TEXT_PX


def text_px() -> int:
    """How large the text of the window is, in pixels."""
    return _text[0]


def set_text_size(app: QApplication, size: int) -> None:
    """Write all text of the window larger or smaller: so many pixels, within `TEXT_SIZES`."""
    _text[0] = min(TEXT_SIZES, key=lambda each: abs(each - size))
    font = QFont(app.font())
    font.setPixelSize(_text[0])
    font.setKerning(False)
    app.setFont(font)
    app.setStyleSheet(_sheet(_BY_PALETTE, _text[0] - TEXT_PX))


def _palette(t: Theme) -> QPalette:
    palette = QPalette()
    role = QPalette.ColorRole
    field = "#FFFFFF" if t is LINEN else "#343842"
    for which, value in (
        (role.Window, t.window),
        (role.WindowText, t.ink),
        (role.Base, field),
        (role.AlternateBase, t.panel),
        (role.Text, t.ink),
        (role.Button, t.panel),
        (role.ButtonText, t.ink),
        (role.BrightText, t.warning),
        (role.Highlight, t.accent),
        (role.HighlightedText, t.on_accent),
        (role.Link, t.accent),
        (role.ToolTipBase, t.ink),
        (role.ToolTipText, t.panel),
        (role.PlaceholderText, t.ink2),
        (role.Mid, t.line),
        (role.Dark, t.edge),
        (role.Shadow, t.faded),
        (role.Light, t.panel),
        (role.Accent, t.accent),
        (role.Midlight, t.sunken),
        (role.LinkVisited, t.good),
    ):
        palette.setColor(which, QColor(value))
    for which in (role.Text, role.ButtonText, role.WindowText):
        palette.setColor(QPalette.ColorGroup.Disabled, which, QColor(t.faded))
    return palette


def _sheet(t: Theme, larger: int) -> str:
    return f"""
    QMenuBar {{ background: {t.panel}; border-bottom: 1px solid {t.line}; }}
    QMenuBar::item {{ padding: 4px 8px; background: transparent; }}
    QMenuBar::item:selected {{ background: {t.sunken}; }}
    QMenu {{ background: {t.panel}; border: 1px solid {t.line}; padding: 4px; }}
    QMenu::item {{ padding: 5px 24px 5px 12px; border-radius: 4px; }}
    QMenu::item:selected {{ background: {t.accent}; color: {t.on_accent}; }}
    QMenu::item:disabled {{ color: {t.faded}; }}
    QMenu::separator {{ height: 1px; background: {t.line}; margin: 4px 8px; }}
    QToolTip {{ background: palette(tooltip-base); color: palette(tooltip-text);
        border: 0; padding: 4px 6px; }}
    QFrame[panel="true"] {{ background: {t.panel}; border: 1px solid {t.line};
        border-radius: 4px; }}
    QFrame[panel="true"][chosen="true"] {{ border-color: {t.accent}; }}
    QLabel[role="head"] {{ font-size: {15 + larger}px; font-weight: 600; }}
    QLabel[role="note"] {{ font-size: {11 + larger}px; color: {t.ink2}; }}
    QLabel[role="good"] {{ color: {t.good}; }}
    QLabel[role="warning"] {{ color: {t.warning}; }}
    QPushButton, QToolButton {{ background: {t.window}; border: 1px solid {t.line};
        border-radius: 4px; padding: 4px 10px; min-height: 18px; }}
    QPushButton:hover, QToolButton:hover {{ background: {t.sunken}; }}
    QPushButton[left="true"] {{ text-align: left; padding-left: 8px; }}
    QPushButton[strong="true"] {{ font-weight: 600; }}
    QPushButton[quiet="true"] {{ background: transparent; border: 0; color: {t.ink2};
        font-size: {11 + larger}px; padding: 2px 6px; min-height: 14px; }}
    QPushButton[quiet="true"]:hover {{ background: {t.sunken}; color: {t.ink}; }}
    QPushButton:pressed {{ background: {t.line}; }}
    QPushButton[primary="true"] {{ background: {t.accent}; color: {t.on_accent};
        border-color: {t.accent}; font-weight: 600; }}
    QPushButton[primary="true"]:disabled {{ background: {t.sunken}; color: {t.ink2};
        border-color: {t.line}; }}
    QPushButton:checked, QToolButton:checked {{ background: {t.accent}; color: {t.on_accent};
        border-color: {t.accent}; }}
    QToolButton[flat="true"] {{ background: transparent; border: 0; padding: 2px;
        min-height: 12px; }}
    QToolButton[flat="true"]:hover {{ background: {t.sunken}; }}
    QSpinBox, QDoubleSpinBox, QComboBox, QLineEdit {{ min-height: 22px; }}
    QTabBar::tab {{ background: {t.sunken}; border: 1px solid {t.line}; border-bottom: 0;
        padding: 5px 14px; border-top-left-radius: 4px; border-top-right-radius: 4px;
        margin-right: 3px; color: {t.ink2}; }}
    QTabBar::tab:selected {{ background: {t.panel}; color: {t.ink}; font-weight: 600; }}
    QScrollArea {{ border: 0; background: transparent; }}
    QScrollArea > QWidget > QWidget {{ background: transparent; }}
    QScrollBar:vertical {{ background: transparent; width: 12px; margin: 0; }}
    QScrollBar:horizontal {{ background: transparent; height: 12px; margin: 0; }}
    QScrollBar::handle {{ background: {t.ink2}; border-radius: 3px; margin: 3px;
        min-width: 24px; min-height: 24px; }}
    QScrollBar::handle:hover {{ background: {t.ink}; }}
    QScrollBar::add-line, QScrollBar::sub-line {{ width: 0; height: 0; }}
    QScrollBar::add-page, QScrollBar::sub-page {{ background: transparent; }}
    QAbstractScrollArea::corner {{ background: transparent; }}
    QListWidget {{ border: 1px solid {t.line}; border-radius: 4px; }}
    QSplitter::handle {{ background: {t.window}; }}
    """
