"""What a person reads, in their language.

Texts are written in English where they are used, inside `say()`; what they are in another language
is looked up in `tongues/LANGUAGE.mo`. A text with values in it is one text, so that each language
may put them where it wants. Tables of texts are made while modules are imported: `speak()` comes
before that, once. Scripts, the command line and files speak English, whatever the window speaks.
"""

from __future__ import annotations

import gettext
from collections.abc import Mapping
from pathlib import Path

TONGUES = Path(__file__).parents[2] / "tongues"
"""The languages besides English: what translators write (`.po`), and what is read (`.mo`)."""
ENGLISH = "en"

_spoken: gettext.NullTranslations = gettext.NullTranslations()
_language = ENGLISH


def languages() -> list[str]:
    """Give the languages that there are, by their two letters."""
    return [ENGLISH, *sorted(file.stem for file in TONGUES.glob("*.mo"))]


def speak(language: str) -> None:
    """Say everything from now on in a language, in English if it is not known."""
    global _spoken, _language
    _spoken, _language = gettext.NullTranslations(), ENGLISH
    if language in languages()[1:]:
        _language = language
        with (TONGUES / f"{language}.mo").open("rb") as file:
            _spoken = gettext.GNUTranslations(file)


def spoken() -> str:
    """Give the language that is spoken, by its two letters."""
    return _language


def say(text: str, /, **values: object) -> str:
    """Say a text in the language of the person; values take the places of their names in braces.

    Examples
    --------
    >>> say("{count} of {name}", count=3, name="sand")
    '3 of sand'
    >>> say("“{x}” is the letter x")
    '“{x}” is the letter x'
    """
    return _filled(_spoken.gettext(text) if text else "", values)


def say_many(one: str, many: str, count: int, /, **values: object) -> str:
    """Say a text that has another form for one; `{count}` in it is how many there are.

    Examples
    --------
    >>> say_many("{count} gap", "{count} gaps", 1), say_many("{count} gap", "{count} gaps", 0)
    ('1 gap', '0 gaps')
    """
    return _filled(_spoken.ngettext(one, many, count), {"count": count, **values})


def _filled(text: str, values: Mapping[str, object]) -> str:
    return text.format(**values) if values else text


def quoted(name: object, /) -> str:
    """Put what a person calls something between the marks of their language."""
    return say("“{name}”", name=name)


def later(text: str, /) -> str:
    """Note a text that is a name in the program here, and said where a person reads it."""
    return text
