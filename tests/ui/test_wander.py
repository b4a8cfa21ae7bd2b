"""A short walk of the wanderer; `tools/wander.py` walks further."""

import pytest
from tests.strangers import times
from tools.wander import Wanderer


@pytest.fixture(autouse=True)
def own_house(houses):
    yield
    houses.leave()


@pytest.mark.parametrize("seed", times([1], [1, 2, 3]))
def test_random_acts_lose_nothing_and_leave_the_window_usable(window, tmp_path, seed):
    wanderer = Wanderer(window, tmp_path, seed)
    assert wanderer.run(150, 50) == [], "\n".join(wanderer.log[-25:])
    assert len(wanderer.log) == 150
