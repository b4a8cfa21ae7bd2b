"""Names that people give, as names of files: one function, for all scripts and file systems."""

from __future__ import annotations

import unicodedata
from collections.abc import Iterable, Sequence
from hashlib import blake2b

_MOST_BYTES = 120
_RESERVED = {"con", "prn", "aux", "nul", *(f"{n}{d}" for n in ("com", "lpt") for d in range(1, 10))}


def file_stem(name: str) -> str:
    """Make a file's stem out of a name: letters and digits of any script, in lower case.

    It never leads out of a folder. Two names may give the same stem; `file_names` keeps them apart.

    Examples
    --------
    >>> file_stem("Harbour pans"), file_stem("../…"), file_stem("東京"), file_stem("Éclair")
    ('harbour-pans', 'unnamed', '東京', 'eclair')
    """
    return _plain(name)[0]


def _plain(name: str) -> tuple[str, bool]:
    """Give the stem, and whether some of the name had to be cut off."""
    out: list[str] = []
    for each in unicodedata.normalize("NFKD", name).casefold():
        if unicodedata.combining(each) and out and out[-1].isascii():
            continue  # an accent on a Latin letter
        kept = unicodedata.category(each)[0] in "LNM"
        if kept:
            out.append(each)
        elif out and out[-1] != "-":
            out.append("-")
    stem = unicodedata.normalize("NFC", "".join(out)).strip("-")
    short = stem.encode("utf-8", "ignore")[:_MOST_BYTES].decode("utf-8", "ignore").strip("-")
    if short in _RESERVED:
        short += "-"
    return short or "unnamed", short != stem


def file_names(names: Sequence[str], ending: str, taken: Iterable[str] = ()) -> list[str]:
    """Give each name a file name of its own, the same whatever their order.

    A name whose stem another one has too, or that was cut short, gets a few letters of its own.
    File systems that do not tell capitals, or ways of writing an accent, apart are no danger.

    Parameters
    ----------
    taken : file names that are in use already

    Examples
    --------
    >>> file_names(["Pans", "North"], ".map.json")
    ['pans.map.json', 'north.map.json']
    >>> len(set(file_names(["Pans", "pans", "PANS"], ".json", ["north.json"])))
    3
    """
    used = {key_of(each) for each in taken}
    plain = [_plain(name) for name in names]
    keys = [key_of(stem + ending) for stem, _ in plain]
    out: list[str] = []
    for name, (stem, was_cut), key in zip(names, plain, keys):
        file, salt = stem + ending, 0
        nameless = stem == "unnamed" and name != "unnamed"
        if was_cut or nameless or keys.count(key) > 1 or key in used:
            file = f"{stem}-{_letters(name, salt)}{ending}"
            while key_of(file) in used:
                salt += 1
                file = f"{stem}-{_letters(name, salt)}{ending}"
        used.add(key_of(file))
        out.append(file)
    return out


def key_of(file: str) -> str:
    """Give what two file names share if some file system takes them for the same."""
    return unicodedata.normalize("NFKC", file).casefold()


def _letters(name: str, salt: int) -> str:
    data = name.encode("utf-8", "surrogatepass") + salt.to_bytes(4, "little")
    return blake2b(data, digest_size=3).hexdigest()
