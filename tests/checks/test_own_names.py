"""Surfaces under the analyst's own names, one or several taken together."""

from __future__ import annotations

from typing import Any

import pytest

from blunt_ember.case.case import Case, case_from_data, case_to_text
from blunt_ember.case.editing.edits import with_value
from blunt_ember.case.editing.removal import without_part, without_surface_name
from blunt_ember.case.editing.renaming import renamed_part, renamed_surface
from blunt_ember.case.faults.structure_faults import unknown_name
from blunt_ember.errors import CaseError
from blunt_ember.flow.flow import Flow
from blunt_ember.gallery.families import family

WETTED = ["fin.top", "fin.bottom", "fin.right"]


def fin(**surfaces: Any) -> Case:
    """The straight fin, its surfaces under names of our own."""
    data = dict(family("straight-fin").case().data)
    data["surfaces"] = {"root": "fin.left", "wetted": WETTED, **surfaces}
    data["surroundings"] = [
        {"on": "root", "temperature": "T_base"},
        {"on": "wetted", "film": {"h": "h", "temperature": "T_air"}},
    ]
    data["questions"] = [
        {"name": "in", "heat_flow": "root"},
        {"name": "out", "heat_flow": "wetted", "direction": "out"},
        {"name": "flux", "heat_flow": "wetted", "direction": "out", "basis": "area"},
        {"name": "coldest", "lowest": "wetted"},
        {"name": "mean", "mean": "wetted"},
        *({"name": f"mean {n}", "mean": surface} for n, surface in enumerate(WETTED)),
    ]
    return case_from_data(data)


def test_a_group_answers_as_its_members_together() -> None:
    outcome = Flow().answered(fin())
    values = {check.name: check.value for check in outcome.checks}
    plain = Flow().answered(family("straight-fin").case())
    assert values["in"] == pytest.approx(plain.checks[0].value, rel=1e-12)
    assert values["out"] == pytest.approx(values["in"], rel=1e-10)
    area = (2 * 0.038 + 0.0016) * 0.060
    assert values["flux"] == pytest.approx(values["out"] / area, rel=1e-12)
    assert values["mean"] == pytest.approx(297.15 + values["flux"] / 42, rel=1e-10)
    means = [values[f"mean {n}"] for n in range(3)]
    assert values["mean"] == pytest.approx((0.038 * (means[0] + means[1]) + 0.0016 * means[2]) / 0.0776, rel=1e-10)
    assert values["coldest"] <= min(means)
    assert outcome.unstated == ()
    assert outcome.ledger is not None
    assert {row.name for row in outcome.ledger.rows} == {"root", *WETTED}


@pytest.mark.parametrize(
    ("surfaces", "path", "said"),
    [
        ({"odd": "fin.lft"}, "surfaces.odd", "did you mean 'fin.left'"),
        ({"odd": []}, "surfaces.odd", "names no surface"),
        ({"odd": ["fin.left", "root"]}, "surfaces.odd", "there is no surface 'root'"),
    ],
)
def test_a_name_for_what_does_not_exist_is_explained(surfaces: dict[str, Any], path: str, said: str) -> None:
    with pytest.raises(CaseError) as caught:
        Flow().answered(fin(**surfaces))
    assert [(f.path, said in f.message) for f in caught.value.faults] == [(path, True)]


def test_of_two_statements_that_cannot_stand_together_the_later_counts_and_says_so() -> None:
    case = with_value(fin(), ("surroundings", 0, "on"), ["fin.left", "wetted"])
    outcome = Flow().answered(case)
    assert outcome.problem is not None and outcome.ledger is not None
    assert set(outcome.problem.held) == {"fin.left"}
    assert {note.path for note in outcome.notes} == {"surroundings[1]"}
    assert any("'fin.top' was said to be held at a temperature before; this later" in n.message for n in outcome.notes)
    same = Flow().answered(fin())
    assert outcome.checks[0].value == pytest.approx(same.checks[0].value, rel=1e-12) and not same.notes


def test_own_names_follow_edits_and_are_kept_while_they_are_used() -> None:
    case = renamed_surface(renamed_part(fin(), ("body", "regions", "fin"), "blade"), "wetted", "skin")
    assert case.data["surfaces"]["skin"] == ["blade.top", "blade.bottom", "blade.right"]
    assert case.data["surroundings"][1]["on"] == "skin"
    assert '"heat_flow": "skin"' in case_to_text(case)
    assert Flow().answered(case).checks[0].value == pytest.approx(Flow().answered(fin()).checks[0].value, rel=1e-12)
    with pytest.raises(CaseError, match="'skin' is still used: the statement on skin"):
        without_surface_name(case, "skin")
    with pytest.raises(CaseError, match="already"):
        renamed_surface(case, "skin", "root")
    free = with_value(case, ("surfaces", "spare"), "blade.top")
    assert "spare" not in without_surface_name(free, "spare").document.surfaces


def test_removing_a_region_takes_its_members_out_of_a_group() -> None:
    data = dict(family("composite-wall").case().data)
    data["surfaces"] = {"ends": ["brick.top", "shell.top"], "skin": "shell.right"}
    data["surroundings"] = [
        data["surroundings"][0],
        {**data["surroundings"][1], "on": "skin"},
        {"on": "ends", "insulated": True},
    ]
    data["questions"] = [{"name": "q", "heat_flow": "skin"}]
    smaller, also = without_part(case_from_data(data), ("body", "regions", "shell"))
    assert smaller.data["surfaces"] == {"ends": ["brick.top"]}
    assert [entry["on"] for entry in smaller.data["surroundings"]] == ["brick.left", "ends"]
    assert smaller.data["questions"] == []
    assert {"the name 'skin'", "the statement on skin", "the question 'q'"} <= set(also)


@pytest.mark.parametrize(
    ("written", "meant"),
    [("b.inner", "b.bore"), ("b.Outside", "b.rim"), ("bb.outer", "b.rim"), ("b.boer", "b.bore"), ("inner", "b.bore")],
)
def test_what_a_side_is_called_elsewhere_is_understood(written: str, meant: str) -> None:
    fault = unknown_name(("on",), "no such surface", written, ["b.rim", "b.bore"])
    assert fault.meant == (written, meant)


def test_a_side_that_is_there_under_its_own_name_is_not_called_otherwise() -> None:
    assert unknown_name((), "", "b.innr", ["b.inner", "b.bore"]).meant == ("b.innr", "b.inner")
