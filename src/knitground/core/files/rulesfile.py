"""Lists of rules as files of their own, to be copied between projects."""

from __future__ import annotations

from pathlib import Path

from knitground.core.files.formats import RULES_FORMAT, RULES_VERSION, RulesFile
from knitground.core.files.jsontext import model_bytes, read_model
from knitground.core.files.made import write_asked
from knitground.core.files.reading import read_file
from knitground.core.model.rules import RuleList


def write_rules(path: Path, rules: RuleList) -> None:
    """Write a list of rules to a file; the file is whole or as it was.

    Raises
    ------
    KnitError
        It can not be written, or is a file of a project.
    """
    write_asked(path, model_bytes(RulesFile(rules=rules)))


def read_rules(path: Path) -> RuleList:
    """Read a list of rules from a file.

    Raises
    ------
    FormatError
        It can not be read, is broken, of another format or version, or a value is out of bounds.
    """
    file = read_model(read_file(path), path.name, RulesFile, RULES_FORMAT, RULES_VERSION)
    return file.rules
