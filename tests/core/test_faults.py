"""A fault of each kind put into the demo project: its check finds it, and so the page of docs."""

from pathlib import Path

import pytest
from tools.faults import PLANTS, picture, planted

from knitground.core.files.opening import open_project
from knitground.core.proof.proof import CHECKS

DOCS = Path(__file__).parents[2] / "docs"


@pytest.mark.parametrize("key", list(CHECKS))
def test_a_planted_fault_is_found_and_pictured(key, demo_folder):
    doc, told = planted(lambda: open_project(demo_folder).project, key)
    assert 1 <= len(told) <= 60
    assert {each.check for each in told} == {key}
    worst = max(told, key=lambda each: (each.hurt, each.count))
    assert f"(`{key}`)" in (DOCS / "proof.md").read_text("utf-8")
    pixels = picture(doc, worst)
    assert (pixels is not None) == (DOCS / "proof" / f"{key}.png").is_file()
    assert pixels is None or pixels[..., 3].any()


def test_each_check_has_a_fault_that_can_be_planted():
    assert set(PLANTS) == set(CHECKS)
