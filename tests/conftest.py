from __future__ import annotations

from collections import Counter
from typing import Any

import pytest
from hypothesis import settings

from blunt_ember.gallery.families import family

# A change is judged by the same examples each time; `make attack` draws fresh ones (--hypothesis-profile=fresh).
settings.register_profile("kept", derandomize=True)
settings.register_profile("fresh", derandomize=False)
settings.load_profile("kept")


def pytest_addoption(parser: pytest.Parser) -> None:
    parser.addoption("--every-parameter", action="store_true", help="also those of a test that is marked one_in")


def pytest_collection_modifyitems(config: pytest.Config, items: list[pytest.Item]) -> None:
    """Of the parameters of a test that is marked ``one_in(n)`` try each n-th; `make attack` tries them all."""
    if config.getoption("--every-parameter"):
        return
    seen: Counter[Any] = Counter()
    kept: list[pytest.Item] = []
    left: list[pytest.Item] = []
    for item in items:
        mark = item.get_closest_marker("one_in")
        name = item.nodeid.partition("[")[0]
        (kept if mark is None or seen[name] % mark.args[0] == 0 else left).append(item)
        seen[name] += 1
    config.hook.pytest_deselected(items=left)
    items[:] = kept


@pytest.fixture
def wall_data() -> dict[str, Any]:
    """Data of the kiln wall, to be changed at will."""
    from blunt_ember.case.case import case_to_text
    from blunt_ember.case.files import json_text

    return json_text.loads(case_to_text(family("composite-wall").case()))
