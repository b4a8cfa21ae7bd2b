"""The desktop's own list of files that were used lately, which its file chooser and shell show."""

from __future__ import annotations

from contextlib import suppress
from datetime import UTC, datetime
from pathlib import Path
from xml.etree import ElementTree

from knitground.core.base.errors import KnitError
from knitground.core.files.vault import write_together

MIME = "application/x-knitground-project"
_BOOKMARK = "http://www.freedesktop.org/standards/desktop-bookmarks"
_MIME = "http://www.freedesktop.org/standards/shared-mime-info"
_OWNER = "http://freedesktop.org"
_MOST_BYTES = 16 * 1024 * 1024


def note_recent(file: Path, listed: Path) -> None:
    """Note that a file was used, in the desktop's list; a list that can not be read stays as it is.

    Source: Desktop Bookmark Specification 0.9.

    Parameters
    ----------
    file : that was used
    listed : the list, `recently-used.xbel`
    """
    ElementTree.register_namespace("bookmark", _BOOKMARK)
    ElementTree.register_namespace("mime", _MIME)
    with suppress(OSError, ValueError, ElementTree.ParseError, KnitError):
        if listed.exists():
            if listed.stat().st_size > _MOST_BYTES:
                return
            text = listed.read_bytes()
            if b"<!DOCTYPE" in text or b"<!ENTITY" in text:
                return  # no list of ours or a desktop's: what such a text expands to is not known
            root = ElementTree.fromstring(text)
        else:
            root = ElementTree.Element("xbel", {"version": "1.0"})
        if root.tag != "xbel":
            return
        _put(root, file.absolute().as_uri())
        data = ElementTree.tostring(root, encoding="UTF-8", xml_declaration=True)
        write_together(listed.parent, {listed.name: data}, durable=False)


def _put(root: ElementTree.Element, uri: str) -> None:
    now = datetime.now(UTC).strftime("%Y-%m-%dT%H:%M:%S.%fZ")
    found = next((each for each in root.iter("bookmark") if each.get("href") == uri), None)
    if found is None:
        found = ElementTree.SubElement(root, "bookmark", {"href": uri, "added": now})
    found.set("modified", now)
    found.set("visited", now)
    info = found.find("info")
    if info is None:
        info = ElementTree.SubElement(found, "info")
    owned = next((each for each in info.iter("metadata") if each.get("owner") == _OWNER), None)
    if owned is None:
        owned = ElementTree.SubElement(info, "metadata", {"owner": _OWNER})
        ElementTree.SubElement(owned, f"{{{_MIME}}}mime-type", {"type": MIME})
    programs = owned.find(f"{{{_BOOKMARK}}}applications")
    if programs is None:
        programs = ElementTree.SubElement(owned, f"{{{_BOOKMARK}}}applications")
    mine = next((each for each in programs if each.get("name") == "Knit Ground"), None)
    if mine is None:
        facts = {"name": "Knit Ground", "exec": "'knitground open %u'", "count": "0"}
        mine = ElementTree.SubElement(programs, f"{{{_BOOKMARK}}}application", facts)
    count = mine.get("count", "0")
    mine.set("count", str(int(count) + 1 if count.isdecimal() else 1))
    mine.set("modified", now)
