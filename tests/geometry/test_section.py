"""Regions placed, cut and named."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from blunt_ember.case.document.bodies import Section
from blunt_ember.errors import CaseError
from blunt_ember.geometry.section import SectionGeometry
from blunt_ember.mesh.any_body import geometry_of


def section(**regions: dict[str, Any]) -> SectionGeometry:
    entries = {name: {"shape": "rectangle", **entry} for name, entry in regions.items()}
    return geometry_of(Section.model_validate({"kind": "section", "regions": entries}))


def test_regions_stand_beside_each_other() -> None:
    geometry = section(
        a={"size": ["2 m", "1 m"], "at": ["1 m", "1 m"]},
        b={"size": ["1 m", "1 m"], "right_of": "a"},
        c={"size": ["0.5 m", "1 m"], "left_of": "a"},
        d={"size": ["2 m", "3 m"], "above": "a"},
        e={"size": ["2 m", "0.2 m"], "below": "a"},
    )
    boxes = {region.name: region.box for region in geometry.regions}
    assert boxes["b"] == pytest.approx((3.0, 1.0, 4.0, 2.0))
    assert boxes["c"] == pytest.approx((0.5, 1.0, 1.0, 2.0))
    assert boxes["d"] == pytest.approx((1.0, 2.0, 3.0, 5.0))
    assert boxes["e"] == pytest.approx((1.0, 0.8, 3.0, 1.0))
    assert {"a|b", "a|c", "a|d", "a|e"} == {surface.name for surface in geometry.interfaces}


def test_a_later_region_cuts_an_earlier_one_and_names_stay() -> None:
    geometry = section(wall={"size": ["4 m", "2 m"]}, post={"size": ["1 m", "3 m"], "at": ["1 m", "-0.5 m"]})
    lengths = {name: surface.length for name, surface in geometry.surfaces.items()}
    assert lengths == pytest.approx(
        {
            "wall.left": 2,
            "wall.right": 2,
            "wall.bottom": 3,
            "wall.top": 3,
            "wall|post": 4,
            "post.left": 1,
            "post.right": 1,
            "post.bottom": 1,
            "post.top": 1,
        }
    )
    outer = sum(surface.length for surface in geometry.outer_surfaces)
    assert outer == pytest.approx(2 * (4 + 3), rel=1e-12)


def test_touching_within_round_off_is_touching() -> None:
    geometry = section(
        a={"size": ["0.1 m", "1 m"]},
        b={"size": ["0.2 m", "1 m"], "at": ["0.1 m + 1e-13 m", "0 m"]},
        c={"size": ["1 m", "1 m"], "at": ["0.1 m + 0.2 m", "0 m"]},
    )
    assert [surface.name for surface in geometry.interfaces] == ["a|b", "b|c"]
    assert len(np.unique(geometry.arrangement.points[:, 0])) == 4


def test_a_region_that_is_covered_is_named() -> None:
    with pytest.raises(CaseError, match=r"body.regions.core: nothing is left of it: later regions cover all of it"):
        section(core={"size": ["1 m", "1 m"]}, lid={"size": ["2 m", "2 m"]})
