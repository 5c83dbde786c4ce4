"""A region noted in a line."""

from __future__ import annotations

import pytest

from blunt_ember.case.case import Case
from blunt_ember.case.editing.edits import with_value
from blunt_ember.errors import CaseError, ExpressionError
from blunt_ember.gallery.blank import BLANKS
from blunt_ember.noted.region import region_example, with_noted_region

SHELF = {"fireclay": {"k": "1.1 W/(m K)"}}


def noted(kind: str, line: str) -> Case:
    case = with_value(BLANKS[kind].case(), ("parameters",), {"w": "240 mm"})
    return with_noted_region(case, line, SHELF)


@pytest.mark.parametrize(
    ("line", "name", "size", "at", "z"),
    [
        ("floor: 800 x 600 x 180 mm at 0, 0, 1000 mm of brick", "floor", (0.8, 0.6), (0, 0), (1, 1.18)),
        ("floor: 0.8 m x 600 mm × 18 cm at 100, 0, 0 mm of brick", "floor", (0.8, 0.6), (0.1, 0), (0, 0.18)),
        ("slab: 0,8 x 0,6 x 1e-1 m", "slab", (0.8, 0.6), (0, 0), (0, 0.1)),
        ("2*w x w + 10 mm x 1 m", "part 2", (0.48, 0.25), (0, 0), (0, 1)),
        ("room: 600x600x600 mm at w, w, w void", "room", (0.6, 0.6), (0.24, 0.24), (0.24, 0.84)),
        ("low: 1.2 x 1.2 x 0.5 m at 0, 0, -0.5 m of fireclay", "low", (1.2, 1.2), (0, 0), (-0.5, 0)),
    ],
)
def test_a_box_is_noted_by_its_sizes_place_and_material(
    line: str, name: str, size: tuple[float, ...], at: tuple[float, ...], z: tuple[float, ...]
) -> None:
    case = noted("stacked", line)
    region = case.document.body.regions[name]
    assert tuple(each.si for each in region.size) == pytest.approx(size)
    assert tuple(each.si for each in region.at) == pytest.approx(at, abs=1e-12)
    assert tuple(each.si for each in region.z) == pytest.approx(z, abs=1e-12)
    assert bool(region.void) == ("void" in line)
    assert (region.material or "") == (line.split(" of ")[1] if " of " in line else "")
    if region.material == "fireclay":
        assert case.data["materials"]["fireclay"] == SHELF["fireclay"]


def test_what_is_left_out_or_wrong_is_told_with_what_would_be_right() -> None:
    for kind, stacked in (("stacked", True), ("section", False)):
        case = noted(kind, region_example(stacked))
        assert len(case.document.body.regions) == 2
        for wrong in ("", "brick", "10 x mm", "1 x 2 x 3 x 4 mm", "part: 10 x 10 x 10 mm at 0 mm"):
            with pytest.raises((ExpressionError, CaseError)):
                noted(kind, wrong)
    with pytest.raises(ExpressionError, match="'10' has no unit: write '10 mm'"):
        noted("section", "10 x 20")
    with pytest.raises(ExpressionError, match="there is a region 'part' already"):
        noted("section", "part: 10 x 20 mm")
    with pytest.raises(ExpressionError, match="width, depth and height"):
        noted("stacked", "10 x 20 mm")
