"""The properties of a map: each change is a step of its own, undone as any other."""

from __future__ import annotations

from PySide6.QtWidgets import QDialogButtonBox, QWidget

from knitground.core.base.tongue import say
from knitground.core.edit.changed import Changed
from knitground.core.edit.maps import put_map_property, remove_map_property
from knitground.core.model.map import Map
from knitground.core.model.properties import Property
from knitground.ui.common.dialog import Dialog
from knitground.ui.common.propertyeditor import PropertyEditor
from knitground.ui.common.widgets import column
from knitground.ui.session import Session


class PropertiesDialog(Dialog):
    """Shows the properties of a map and changes them at once."""

    def __init__(self, session: Session, map_: Map, parent: QWidget) -> None:
        super().__init__(parent)
        self.session, self.map = session, map_
        self.setWindowTitle(say("Properties of {name}", name=map_.name))
        self.setMinimumSize(420, 260)
        self.editor = PropertyEditor(say("this map"))
        self.editor.put.connect(self._put)
        self.editor.removed.connect(
            lambda name: session.do(lambda: remove_map_property(map_, name))
        )
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        buttons.rejected.connect(self.reject)
        buttons.button(QDialogButtonBox.StandardButton.Close).setAutoDefault(False)
        self.editor.add.setAutoDefault(False)  # Enter ends the typing of a value, no more
        layout = column(self.editor, buttons)
        layout.setContentsMargins(16, 16, 16, 16)
        self.setLayout(layout)
        session.changed.connect(self._follow)
        self._show()

    def _put(self, new: Property, old: str, keep: bool) -> None:
        self.session.do(lambda: put_map_property(self.map, new, old, keep=keep))

    def _follow(self, change: Changed) -> None:
        if change.map is self.map:
            self._show()

    def _show(self) -> None:
        self.editor.show_properties([(each, True) for each in self.map.properties])
