"""Brings the languages of the window up to date: what is said in the code, into `tongues/*.po`.

    python tools/translate.py            add new texts, take gone ones out, pack what is read
    python tools/translate.py --new fr   begin a language

A translator fills in `msgstr` with any editor of such files, or as plain text. Texts that are not
said yet stand in English in the window. The tests hold each language to all texts, with the same
values in braces.
"""

from __future__ import annotations

import ast
import io
import sys
from collections.abc import Iterator
from dataclasses import fields
from datetime import UTC, datetime
from enum import Enum
from pathlib import Path
from typing import Literal, get_args, get_origin, get_type_hints

from babel.messages.catalog import Catalog
from babel.messages.mofile import write_mo
from babel.messages.pofile import read_po, write_po

from knitground.core.base.tongue import TONGUES
from knitground.core.files.ship.ship import FORMATS
from knitground.core.model.lattice import Corner
from knitground.core.model.layers import (
    GroundLayer,
    GrownLayer,
    MarkerLayer,
    TileLayer,
    TintLayer,
)
from knitground.core.model.marker import Shape
from knitground.core.model.mix import FallWay
from knitground.core.model.shapes import ShapeForm
from knitground.core.model.terrain import SetKind, Slot
from knitground.ui.common.menus import MENUS

SOURCE = Path(__file__).parents[1] / "src" / "knitground"
LAYER_KINDS = (TileLayer, GrownLayer, TintLayer, MarkerLayer, GroundLayer)
KEYS = ("Ctrl", "Shift", "Alt", "Del", "Esc", "Enter", "Home", "Space")
_HEAD = "# What Knit Ground says. Brought up to date by tools/translate.py."
_DAY = datetime(2026, 12, 2, tzinfo=UTC)
Text = str | tuple[str, str]
"""A text, or the two forms of one that counts."""


def texts() -> dict[Text, set[str]]:
    """Find all that is said, with the files that say it."""
    found: dict[Text, set[str]] = {}
    for file in sorted(SOURCE.rglob("*.py")):
        for text in _said_in(ast.parse(file.read_text(encoding="utf-8"))):
            found.setdefault(text, set()).add(str(file.relative_to(SOURCE)))
    for text, where in _in_tables():
        found.setdefault(text, set()).add(where)
    found.pop("", None)
    return found


def _said_in(tree: ast.AST) -> Iterator[Text]:
    for node in ast.walk(tree):
        if not isinstance(node, ast.Call) or not isinstance(node.func, ast.Name):
            continue
        name = node.func.id
        if name == "map" and isinstance(node.args[0], ast.Name) and node.args[0].id == "later":
            for each in ast.walk(node.args[1]):
                if isinstance(each, ast.Constant):
                    yield each.value
        first = [each.value for each in node.args[:2] if isinstance(each, ast.Constant)]
        if name == "say_many":
            yield first[0], first[1]
        elif name in ("say", "later") and first:  # else it is a name from a table, noted there
            yield first[0]


def _in_tables() -> Iterator[tuple[str, str]]:
    """Give what is a name in the program, or a value in files, and said where it is shown."""
    for menu, groups in MENUS:
        for text in (menu, *(each for group in groups for each in group)):
            yield text, "ui/common/menus.py"
    kinds: tuple[type[Enum], ...] = (SetKind, Shape, ShapeForm, FallWay, Corner)
    for kind in kinds:
        for each in kind:
            yield each.value, f"{kind.__module__}".replace("knitground.", "").replace(".", "/")
    for slot in Slot:
        if slot is not Slot.MIDDLE:
            yield slot.name, "core/model/terrain.py"
    for layer in LAYER_KINDS:
        for each in fields(layer):
            yield each.name.replace("_", " "), "core/compare/differences.py"
    for key in KEYS:
        yield key, "ui/common/words.py"
    for form in FORMATS.values():
        hints = get_type_hints(form.options)
        for each in fields(form.options):
            if get_origin(hints[each.name]) is Literal:
                for value in get_args(hints[each.name]):
                    if any(letter.isalpha() for letter in value):
                        yield value, "core/files/ship"


def catalog_of(language: str) -> Catalog:
    """Read what is translated to a language, nothing if it has no file yet."""
    file = TONGUES / f"{language}.po"
    if not file.exists():
        return Catalog(language)
    with file.open("rb") as source:
        return read_po(source, language)


def updated(language: str) -> Catalog:
    """Give a language's file as it should be: all texts, and none that is not said any more."""
    old = catalog_of(language)
    new = Catalog(
        language, project="Knit Ground", version="1", fuzzy=False, header_comment=_HEAD,
        msgid_bugs_address="-", last_translator="-", language_team="-",
    )  # fmt: skip
    # No day in it: the same texts are the same file.
    new.creation_date = new.revision_date = _DAY
    for text, where in sorted(texts().items(), key=lambda each: (min(each[1]), str(each[0]))):
        known = old.get(text[0] if isinstance(text, tuple) else text)
        said = known.string if known and _same_form(known.id, text) else ""
        new.add(text, said, locations=[(name, None) for name in sorted(where)])
    return new


def _same_form(known: Text | list[str], text: Text) -> bool:
    return isinstance(known, str) == isinstance(text, str)


def packed(catalog: Catalog) -> bytes:
    """Pack what is read when the program starts."""
    out = io.BytesIO()
    write_mo(out, catalog)
    return out.getvalue()


def written(catalog: Catalog) -> bytes:
    """Write what translators read."""
    out = io.BytesIO()
    write_po(out, catalog, width=100, omit_header=False)
    return out.getvalue()


def main(words: list[str]) -> None:
    """Bring all languages up to date."""
    known = [file.stem for file in sorted(TONGUES.glob("*.po"))]
    for language in [*known, *(words[1:2] if words[:1] == ["--new"] else [])]:
        catalog = updated(language)
        (TONGUES / f"{language}.po").write_bytes(written(catalog))
        (TONGUES / f"{language}.mo").write_bytes(packed(catalog))
        lacking = [each.id for each in catalog if each.id and not _is_said(each.string)]
        print(f"{language}: {len(catalog)} texts, {len(lacking)} not said yet")


def _is_said(said: str | tuple[str, ...]) -> bool:
    return bool(said) and (isinstance(said, str) or all(said))


if __name__ == "__main__":
    main(sys.argv[1:])
