from __future__ import annotations

from typing import Any

import pytest

from blunt_ember.gallery.families import family


@pytest.fixture
def wall_data() -> dict[str, Any]:
    """Data of the kiln wall, to be changed at will."""
    from blunt_ember.case.case import case_to_text
    from blunt_ember.case.files import json_text

    return json_text.loads(case_to_text(family("composite-wall").case()))
