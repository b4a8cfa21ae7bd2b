"""The window of the help: pages at the left, narrowed by what is typed, one at the right."""

from __future__ import annotations

from collections.abc import Iterable

from PySide6.QtCore import Qt, QTimer, QUrl
from PySide6.QtGui import QKeyEvent, QTextCursor, QTextDocument
from PySide6.QtWidgets import (
    QAbstractButton,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QSplitter,
    QTextBrowser,
    QTextEdit,
    QWidget,
)

from knitground.core.base.tongue import quoted, say, spoken
from knitground.ui.common.commands import Command
from knitground.ui.common.theme import theme
from knitground.ui.common.widgets import column, note
from knitground.ui.help.pages import ABOUT, Page, folder_of, keys_page, written_pages

_KEY = Qt.ItemDataRole.UserRole


class HelpWindow(QWidget):
    """Shows the pages, beside the window of the program: one works on while one reads."""

    def __init__(self, commands: Iterable[Command], parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Window)
        self.setWindowTitle(say("Help — Knit Ground"))
        self.resize(860, 640)
        self.pages: dict[str, Page] = {
            each.key: each for each in (*written_pages(spoken()), keys_page(commands))
        }
        self.page = ""
        self.field = QLineEdit()
        self.field.setPlaceholderText(say("Search the help…"))
        self.field.setAccessibleName(say("Search the help"))
        self.field.setClearButtonEnabled(True)
        self.field.textChanged.connect(self.search)
        self.list = QListWidget()
        self.list.setAccessibleName(say("Pages"))
        self.list.currentItemChanged.connect(lambda item, _: self._choose(item))
        self.pointed = note()
        self.pointed.hide()
        self.browser = QTextBrowser()
        self.browser.setAccessibleName(say("Page"))
        self.browser.setOpenLinks(False)
        self.browser.setSearchPaths([str(folder_of(spoken()))])
        self.browser.document().setDocumentMargin(16)
        self.browser.anchorClicked.connect(self._follow)
        left, right = QWidget(), QWidget()
        left.setLayout(column(self.field, self.list, spacing=6))
        right.setLayout(column(self.pointed, self.browser, spacing=6))
        splitter = QSplitter()
        splitter.addWidget(left)
        splitter.addWidget(right)
        splitter.setStretchFactor(1, 1)
        splitter.setSizes([210, 650])
        splitter.setChildrenCollapsible(False)
        self.setLayout(column(splitter, margins=10))
        self.search("")

    def search(self, words: str) -> None:
        """List the pages in which all words stand, and show where in the one that is open."""
        chosen = self.page
        self.list.blockSignals(True)
        self.list.clear()
        found = [(page.hits(words), page) for page in self.pages.values()]
        for hits, page in sorted(found, key=lambda each: -each[0]):
            if hits or not words.strip():
                item = QListWidgetItem(page.title)
                item.setData(_KEY, page.key)
                self.list.addItem(item)
        keys = [self.list.item(n).data(_KEY) for n in range(self.list.count())]
        if keys:
            self.list.setCurrentRow(keys.index(chosen) if chosen in keys else 0)
        self.list.blockSignals(False)
        item = self.list.currentItem()
        if item is not None and item.data(_KEY) != self.page:
            self._choose(item)
        self._mark_words()

    def _choose(self, item: QListWidgetItem | None) -> None:
        if item is not None:
            self._show(item.data(_KEY))

    def _show(self, key: str) -> None:
        self.page = key
        self.browser.document().setDefaultStyleSheet(f"a {{ color: {theme().accent}; }}")
        dialect = QTextDocument.MarkdownFeature.MarkdownDialectGitHub
        self.browser.document().setMarkdown(self.pages[key].text, dialect)
        self._space_out()
        self.browser.moveCursor(QTextCursor.MoveOperation.Start)
        self._mark_words()

    def _space_out(self) -> None:
        """Give headings and paragraphs air: Markdown comes without any."""
        block = self.browser.document().begin()
        while block.isValid():
            form, level = block.blockFormat(), block.blockFormat().headingLevel()
            if not block.textList() and QTextCursor(block).currentTable() is None:
                form.setTopMargin(16 if level == 2 else 0)
                form.setBottomMargin(8)
                QTextCursor(block).setBlockFormat(form)
            block = block.next()

    def _mark_words(self) -> None:
        """Mark what is searched for on the page, and show the first of it."""
        marks: list[QTextEdit.ExtraSelection] = []
        for word in self.field.text().split():
            at = self.browser.document().find(word)
            while not at.isNull():
                mark = QTextEdit.ExtraSelection()
                mark.cursor = at
                mark.format.setBackground(theme().colour("accent"))
                mark.format.setForeground(theme().colour("panel"))
                marks.append(mark)
                at = self.browser.document().find(word, at)
        self.browser.setExtraSelections(marks)
        if marks:
            first = min(marks, key=lambda each: each.cursor.position())
            at = QTextCursor(first.cursor)
            at.clearSelection()
            self.browser.setTextCursor(at)

    def go_to(self, place: str) -> None:
        """Show a page, and a heading of it: “map#layers”."""
        key, _, anchor = place.partition("#")
        if key not in self.pages:
            return
        self.field.clear()
        for row in range(self.list.count()):
            if self.list.item(row).data(_KEY) == key:
                self.list.setCurrentRow(row)
        if self.page != key:
            self._show(key)
        anchors = self.pages[key].anchors
        left = anchors.index(anchor) if anchor in anchors else -1
        block = self.browser.document().begin()
        while block.isValid() and left >= 0:
            left -= block.blockFormat().headingLevel() == 2
            if left < 0:
                top = self.browser.document().documentLayout().blockBoundingRect(block).top()
                self.browser.verticalScrollBar().setValue(int(top) - 8)
                self.browser.setTextCursor(QTextCursor(block))
                self.browser.verticalScrollBar().setValue(int(top) - 8)
                return
            block = block.next()

    def _follow(self, url: QUrl) -> None:
        key = url.path().removesuffix(".md")
        self.go_to(f"{key or self.page}#{url.fragment()}")

    def tell_of(self, widget: QWidget | None, page: str) -> None:
        """Show the page about a part of the window, and what the part itself says of it.

        Parameters
        ----------
        page : that of the stage, where nothing nearer is told
        """
        words = words_of(widget)
        self.pointed.setText(say("Under the pointer — {words}", words=words))
        self.pointed.setVisible(bool(words))
        self.show()
        self.raise_()
        self.activateWindow()
        place = place_of(widget) or page
        self.go_to(place)
        # Where a heading stands is known for sure once the page has its width.
        QTimer.singleShot(0, self, lambda: self.go_to(place))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.close()
        else:
            super().keyPressEvent(event)


def words_of(widget: QWidget | None) -> str:
    """Tell of a part of the window what its tooltip says, with its own words before that."""
    while widget is not None and not widget.isWindow():
        if widget.toolTip():
            name = widget.text() if isinstance(widget, QAbstractButton) else ""
            hint = QTextDocument()
            hint.setHtml(widget.toolTip())
            words = hint.toPlainText()
            return f"{quoted(name)}: {words}" if name and name not in words else words
        widget = widget.parentWidget()
    return ""


def place_of(widget: QWidget | None) -> str:
    """Give the page, and heading, about the nearest part of the window that has one."""
    while widget is not None:
        found = ABOUT.get(type(widget).__name__)
        if found is not None:
            return found
        key = getattr(widget, "key", None)
        if isinstance(key, str) and any(each.key == key for each in written_pages()):
            return key
        widget = widget.parentWidget()
    return ""
