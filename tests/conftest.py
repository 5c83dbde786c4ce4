from __future__ import annotations

from typing import Any

import pytest
from hypothesis import settings

from blunt_ember.gallery.families import family

# A change is judged by the same examples each time; `make attack` draws fresh ones (--hypothesis-profile=fresh).
settings.register_profile("kept", derandomize=True)
settings.register_profile("fresh", derandomize=False)
settings.load_profile("kept")


@pytest.fixture
def wall_data() -> dict[str, Any]:
    """Data of the kiln wall, to be changed at will."""
    from blunt_ember.case.case import case_to_text
    from blunt_ember.case.files import json_text

    return json_text.loads(case_to_text(family("composite-wall").case()))
