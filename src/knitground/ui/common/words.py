"""Sentences for the interface that more than one place needs."""

from __future__ import annotations

from html import escape


def percent(part: float) -> str:
    """Write a part of 1 in percent: two digits, never 0 % for what is not nothing.

    Examples
    --------
    >>> percent(0.5), percent(0.034), percent(0.0004), percent(0)
    ('50 %', '3.4 %', '< 0.1 %', '0 %')
    """
    value = part * 100
    if value == 0:
        return "0 %"
    if value < 0.1:
        return "< 0.1 %"
    return f"{value:.1f} %" if value < 10 else f"{value:.0f} %"


def bytes_text(count: int) -> str:
    """Write a file's size for people."""
    if count < 1024:
        return f"{count} B"
    return f"{count / 1024:.0f} KB" if count < 1024 * 1024 else f"{count / 1024 / 1024:.1f} MB"


def tip(text: str, keys: str = "") -> str:
    """Write a tooltip with its shortcut; names in it are shown as they are."""
    return tip_of(f"{text} ({keys})" if keys else text)


def tip_of(text: str) -> str:
    """Write a tooltip with a name in it: what looks like a tag there is no tag.

    Examples
    --------
    >>> tip_of("Take “sand” in hand")
    'Take “sand” in hand'
    >>> tip_of("Take “<b>sand” in hand")
    '<qt>Take “&lt;b&gt;sand” in hand</qt>'
    """
    if "<" not in text:
        return text
    return f"<qt>{escape(text, quote=False)}</qt>".replace("\n", "<br>")


def on_button(name: str) -> str:
    """Write a name for a button, a tab or a menu: “&” in it marks no key.

    Examples
    --------
    >>> on_button("Sand & sea")
    'Sand && sea'
    """
    return name.replace("&", "&&")
