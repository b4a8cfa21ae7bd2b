"""What a person reads, in their language: complete, with the same values, and English else."""

import ast
import gettext
import re
from itertools import chain
from pathlib import Path
from string import Formatter

import numpy as np
import pytest
from tools.translate import catalog_of, texts, updated

import knitground
from knitground.core.base import tongue
from knitground.core.base.tongue import TONGUES, languages, say, say_many, speak, spoken
from knitground.core.edit.likelysets import colour_word
from knitground.core.model.terrain import Slot
from knitground.ui.common import language as chosen
from knitground.ui.common.menus import MENUS
from knitground.ui.help.pages import FOLDER, PAGES

OTHERS = languages()[1:]
SOURCE = Path(knitground.__file__).parent


@pytest.fixture
def german():
    """Speak German for one test; tables that were made before stay English."""
    speak("de")
    yield
    speak("en")


def fields(text):
    return sorted({name for _, name, _, _ in Formatter().parse(text) if name is not None})


def test_german_is_there():
    assert OTHERS == ["de"]
    assert set(languages()) == set(chosen.NAMES)


@pytest.mark.parametrize("language", OTHERS)
def test_every_text_is_said_with_the_same_values(language):
    catalog, wrong = catalog_of(language), []
    for text in texts():
        one = text if isinstance(text, str) else text[0]
        found = catalog.get(one)
        said = found.string if found else ""
        forms = [said] if isinstance(text, str) else list(said)
        for form, english in zip(forms, [text] if isinstance(text, str) else text, strict=True):
            same_ends = (form[:1] == " ", form[-1:] == " ") == (
                english[:1] == " ",
                english[-1:] == " ",
            )
            if not form or fields(form) != fields(english) or not same_ends:
                wrong.append((english, form))
    assert wrong == []


@pytest.mark.parametrize("language", OTHERS)
def test_what_is_read_is_what_translators_wrote(language):
    """“tools/translate.py” was run after the last change of a text."""
    written = {each.id: each.string for each in catalog_of(language) if each.id}
    assert {each.id: each.string for each in updated(language) if each.id} == written
    with (TONGUES / f"{language}.mo").open("rb") as file:
        packed = gettext.GNUTranslations(file)
    for text, said in written.items():
        if isinstance(text, str):
            assert packed.gettext(text) == said
        else:
            assert (packed.ngettext(*text, 1), packed.ngettext(*text, 2)) == said


@pytest.mark.parametrize("language", OTHERS)
def test_the_help_has_the_same_pages_and_headings(language):
    for key in PAGES[:-1]:
        english, other = (
            (folder / f"{key}.md").read_text(encoding="utf-8")
            for folder in (FOLDER, FOLDER / language)
        )
        for mark in (
            r"^## ",
            r"!\[.*\]\(",
            r"^\* ",
            r"^\d\. ",
            r"\]\((\w+)(?:\.md)?\)",
            r"`[^`]+`",
        ):
            assert len(re.findall(mark, english, re.M)) == len(re.findall(mark, other, re.M)), (
                key,
                mark,
            )
        for picture in re.findall(r"\((\.\./\w+\.png)\)", other):
            assert (FOLDER / language / picture).is_file()


def test_texts_are_said_and_counted(german):
    assert spoken() == "de"
    assert say("Undo") == "Rückgängig"
    assert say("{count} of {name}", count=3, name="sand") == "3 von sand"
    assert say_many("{count} gap", "{count} gaps", 1) == "1 Lücke"
    assert say_many("{count} gap", "{count} gaps", 2) == "2 Lücken"
    assert say("no such text {x}") == "no such text {x}"
    assert say("") == ""
    assert [slot.title for slot in (Slot.NE, Slot.SE, Slot.MIDDLE)] == ["NO", "SO", "Mitte"]


def test_a_language_that_is_not_there_is_english():
    for language in ("xx", "", "../de", "de\0"):
        speak(language)
        assert (spoken(), say("Undo")) == ("en", "Undo")


def test_what_a_person_calls_holds_no_braces(german):
    """A name with braces in it is put in, and not read as a text with values."""
    assert say("Delete layer “{name}”", name="{name} {0} {") == "Ebene „{name} {0} {“ löschen"


@pytest.mark.parametrize(
    ("given", "wanted"),
    [
        ({"LANG": "de_AT.UTF-8"}, "de"), ({"LANG": "C"}, "en"), ({}, "en"),
        ({"LANG": "fr_FR.UTF-8"}, "en"), ({"LANGUAGE": "fr:de:en", "LANG": "en_GB.UTF-8"}, "de"),
        ({"LC_ALL": "en_US.UTF-8", "LANG": "de_DE"}, "en"),
        ({"LC_MESSAGES": "de", "LANG": "C"}, "de"), ({"LANG": "de-DE"}, "de"),
        ({"LANG": "::"}, "en"),
    ],
)  # fmt: skip
def test_the_desktop_says_which_language(monkeypatch, given, wanted):
    for name in ("LANGUAGE", "LC_ALL", "LC_MESSAGES", "LANG"):
        monkeypatch.delenv(name, raising=False)
    for name, value in given.items():
        monkeypatch.setenv(name, value)
    assert chosen.of_desktop() == wanted


@pytest.mark.parametrize(
    ("kept", "wanted"),
    [
        ('{"language": "de"}', "de"), ('{"language": ""}', "en"), ('{"language": "xx"}', "en"),
        ('{"language": 3}', "en"), ("[]", "en"), ("{", "en"), ("", "en"), ("null", "en"),
        ('{"language": ["de"]}', "en"),
    ],
)  # fmt: skip
def test_what_was_chosen_goes_before_the_desktop(monkeypatch, tmp_path, kept, wanted):
    for name in ("LANGUAGE", "LC_ALL", "LC_MESSAGES", "LANG"):
        monkeypatch.delenv(name, raising=False)
    file = chosen.memory_file(tmp_path)
    file.write_text(kept, encoding="utf-8")
    monkeypatch.setattr(chosen, "memory_file", lambda: file)
    try:
        chosen.begin_to_speak()
        assert spoken() == wanted
    finally:
        speak("en")


def test_terrains_are_named_in_words_that_tell_them_apart(german):
    dark = np.full((2, 2, 4), (10, 60, 20, 255), np.uint8)
    assert colour_word(dark) == "dunkelgrün"
    light = np.full((2, 2, 4), (245, 248, 250, 255), np.uint8)
    assert colour_word(light) == "weiß"


# Nothing is shown that is not said

FOR_PICTURES = {"tour.py", "touracts.py", "example.py"}
NOT_READ = {
    "menus.py", "stagekinds.py",  # keys: said where they are shown, and in the catalog
    "gridweights.py", "axisfeatures.py", "pairs.py", "likely.py",  # names of features
    "formats.py", "recipeformats.py", "ora.py", "ways.py", "recentfiles.py", "theme.py",  # files
    "language.py", "play/window.py", "start.py",  # before any language, and on the shell
}  # fmt: skip
"""Modules, by the end of their path, whose texts nobody reads as they stand."""
KEYS_AND_NAMES = {
    "Knit Ground", "Harl Pans", "Untitled", "Esc", "Del", "Home", "Enter", "Update", "Warning",
    "Geometry", "Ribbon", "Slip", "Strip", "folder of {}", "compared projects", "shipped files",
    "spawn point", "path stop", "grown by", "blocks light", "to here", "from here",
    "waits to be laid out", "large knot", "first map put away", "first map done", "text size",
    "map sizes", "pen size", "width {}", "of the desktop", "Grown", "Markers", "Tint", "Tiles",
    "Stage {}", "Theme {}", "Language {}", "a { color: {}; }", "map {}", "{} tiles",
    "layer of “{}”", "to the right of", "where they meet", "whole number", "as they are",
    "half cell", "same tile", "each by itself", "in exact shares", "never side by side",
    "in clumps", "mix fill", " px", " ms", "layer ", "%(asctime)s %(levelname)s %(message)s",
}  # fmt: skip
"""Names that the program goes by, values of files, and what is a name everywhere."""


def texts_as_they_stand(tree):
    """Give the texts of some code that look like something to read and are not said."""
    above = {child: node for node in ast.walk(tree) for child in ast.iter_child_nodes(node)}
    commands = {text for menu, groups in MENUS for text in (menu, *chain.from_iterable(groups))}
    noted = {node.args[0].value for node in ast.walk(tree)
             if isinstance(node, ast.Call) and getattr(node.func, "id", "") == "later"
             and isinstance(node.args[0], ast.Constant)}  # fmt: skip
    for node in ast.walk(tree):
        if isinstance(node, ast.JoinedStr):
            parts = [each.value if isinstance(each, ast.Constant) else "{}" for each in node.values]
            text = "".join(parts)
        elif isinstance(node, ast.Constant) and isinstance(node.value, str):
            text = node.value
        else:
            continue
        reads = (" " in text.strip() and re.search(r"[A-Za-z]{3}", text)) or re.match(
            r"[A-Z][a-z]+[….]?$", text
        )
        reads = reads or (text != text.strip() and re.search(r"[A-Za-z]{2}", text))
        if not reads or text.startswith("<") or text in KEYS_AND_NAMES | commands | noted:
            continue
        at, inside = node, None
        while inside is None and at in above and not isinstance(above[at], ast.stmt):
            at, before = above[at], at
            if isinstance(at, ast.Call) and before is not at.func:
                inside = getattr(at.func, "id", f".{getattr(at.func, 'attr', '')}")
            elif isinstance(at, ast.JoinedStr):
                inside = "say"  # looked at as a whole
            elif isinstance(at, ast.Compare):
                inside = "say"  # what is compared is noted, or said, where it comes from
        is_doc = isinstance(above.get(node), ast.Expr)
        if not is_doc and inside not in (
            "say", "say_many", "later", "map", "TypeVar", "cast", ".setStyleSheet", ".exception",
            ".warning", ".info", ".map",
        ):  # fmt: skip
            yield node.lineno, text


def test_nothing_stands_in_the_code_that_a_person_reads_unsaid():
    found = []
    for part in ("ui", "core"):
        for file in sorted((SOURCE / part).rglob("*.py")):
            if file.name in FOR_PICTURES or str(file).endswith(
                tuple(f"/{end}" for end in NOT_READ)
            ):
                continue
            tree = ast.parse(file.read_text(encoding="utf-8"))
            found += [(file.name, *each) for each in texts_as_they_stand(tree)]
    assert found == []


def test_a_text_that_is_not_said_is_found():
    code = """
answers = {"Save elsewhere…": 1, say("Cancel"): 2}
add("Islands", say("Islands of {x}", x=1), steps)
label.setText(f"{count} gaps in all")
_NOTED = later("own order")
if way == "own order":
    note(say("It is so"))
"""
    found = [text for _, text in texts_as_they_stand(ast.parse(code))]
    assert found == ["Save elsewhere…", "Islands", "{} gaps in all"]


def test_texts_with_values_are_one_text():
    """A text that is put together in the code could not be put in another order elsewhere."""
    for file in (*(SOURCE / "ui").rglob("*.py"), *(SOURCE / "core").rglob("*.py")):
        for node in ast.walk(ast.parse(file.read_text(encoding="utf-8"))):
            if isinstance(node, ast.Call) and getattr(node.func, "id", "") in ("say", "say_many"):
                first = node.args[0]
                assert not isinstance(first, ast.JoinedStr | ast.BinOp), (file.name, node.lineno)


def test_the_module_says_nothing_while_it_is_imported():
    assert tongue.say("Undo") == "Undo"


def test_what_an_answer_stands_for_is_a_key():
    """Buttons are said; what is asked for afterwards is the same in every language."""
    for file in (SOURCE / "ui").rglob("*.py"):
        for node in ast.walk(ast.parse(file.read_text(encoding="utf-8"))):
            parts = node.elts if isinstance(node, ast.Tuple) else []
            if parts and ast.unparse(parts[-1]).startswith("Role."):
                assert "say(" not in ast.unparse(parts[0]), (file.name, node.lineno)
