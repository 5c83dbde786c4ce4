"""Kinds of body: made into each other with what refers to them, and mistakes of each."""

from __future__ import annotations

from typing import Any

import pytest

from blunt_ember.case.case import Case, case_from_data, case_from_text, case_to_text
from blunt_ember.case.editing.body_conversion import SHAPED, with_body_kind
from blunt_ember.case.editing.edits import with_value
from blunt_ember.case.editing.removal import without_part
from blunt_ember.case.editing.renaming import renamed_material, renamed_part
from blunt_ember.errors import BluntEmberError, CaseError
from blunt_ember.flow.flow import Flow
from blunt_ember.gallery.families import FAMILIES, family

SHAPED_FAMILIES = [
    name
    for name, made in FAMILIES.items()
    if made.data["body"]["kind"] in SHAPED
    and name
    not in (
        "stacked-floor",
        "room-corner",
        "setting-chamber",
        "cooling-block",
        "block-on-plate",
        "box-of-six",
        "part-on-plate",
        "part-on-layers",
    )
]


@pytest.mark.one_in(3)
@pytest.mark.parametrize("name", SHAPED_FAMILIES)
def test_every_kind_leads_to_every_other_and_back(name: str) -> None:
    case = family(name).case()
    old = case.document.body.kind
    for kind in SHAPED:
        there = with_body_kind(case, kind)
        assert there.document.body.kind == kind
        letters = there.document.body.coordinates
        places = [q.target for q in there.document.questions if q.asks == "temperature"]
        assert all(len(place) == len(letters) for place in places)
        back = with_body_kind(there, old)
        assert back.document.surroundings == case.document.surroundings
        asked, again = ([question.target for question in each.document.questions] for each in (case, back))
        flat = old in ("section", "turned section")  # a solid gives up where across its plan a place was
        assert [t for t in again if flat or isinstance(t, str)] == [t for t in asked if flat or isinstance(t, str)]
        assert case_to_text(case_from_text(case_to_text(there))) == case_to_text(there)


@pytest.mark.parametrize("name", ["stacked-floor", "room-corner", "setting-chamber", "part-on-layers"])
def test_regions_at_different_heights_make_no_plane_shape(name: str) -> None:
    with pytest.raises(BluntEmberError, match="different heights"):
        with_body_kind(family(name).case(), "section")


@pytest.mark.parametrize("name", ["cooling-block", "block-on-plate", "box-of-six", "part-on-plate"])
def test_what_is_stated_on_top_or_below_is_not_moved_to_a_side(name: str) -> None:
    with pytest.raises(BluntEmberError, match=r"has no place in a body of kind 'section'; take it away first"):
        with_body_kind(family(name).case(), "section")


def test_a_fin_answers_the_same_as_section_and_as_solid() -> None:
    case = with_value(family("straight-fin").case(), ("mesh",), {"size": "6 mm", "order": 2})
    flat = {check.name: check.value for check in Flow().answered(case).checks}
    outcome = Flow().answered(with_body_kind(case, "stacked"))
    assert outcome.exact is not None and outcome.exact.name == "straight-fin"
    assert {check.name: check.value for check in outcome.checks} == pytest.approx(flat, rel=2e-4)
    assert all(check.verdict == "agrees" for check in outcome.checks)
    assert {row.name for row in outcome.ledger.rows} == {"fin.left", "fin.right", "fin.front", "fin.back"}


def test_sides_of_a_void_keep_their_places_in_a_solid_and_back() -> None:
    """The side of a void that lies below in a section is in front where that is looked down on."""
    square = {"shape": "rectangle", "size": ["60 mm", "40 mm"], "material": "a"}
    hole = {"shape": "rectangle", "size": ["30 mm", "20 mm"], "inside": "frame", "void": True}
    flat = case_from_data(
        {
            "format": "blunt-ember/1",
            "materials": {"a": {"k": "1 W/(m K)"}},
            "body": {"kind": "section", "depth": "0.2 m", "regions": {"frame": square, "hole": hole}},
            "surroundings": [
                {"on": "frame.hole bottom", "temperature": "90 °C"},
                {"on": ["frame.bottom", "frame.top"], "film": {"h": "9 W/(m² K)", "temperature": "20 °C"}},
            ],
            "mesh": {"size": "10 mm"},
            "questions": [{"name": "in", "heat_flow": "frame.hole bottom"}, {"name": "up", "mean": "frame.hole top"}],
        }
    )
    solid = with_body_kind(flat, "stacked")
    assert solid.document.surroundings[0].on == "frame.hole front"
    one, other = (Flow().answered(case).checks for case in (flat, solid))
    assert [check.value for check in other] == pytest.approx([check.value for check in one], rel=1e-3)
    assert with_body_kind(solid, "section").document.surroundings == flat.document.surroundings


def test_a_rod_is_made_of_its_pieces_only() -> None:
    with pytest.raises(BluntEmberError, match="cannot be made into"):
        with_body_kind(family("rod-film-tip").case(), "section")


def rod(**pieces: dict[str, Any]) -> Case:
    return case_from_data({"format": "blunt-ember/1", "body": {"kind": "rod", "pieces": pieces}})


MISTAKES: dict[str, tuple[dict[str, Any], str, str]] = {
    "no section": ({"length": "1 m"}, "body.pieces.a", "'diameter', or 'area' and 'perimeter'"),
    "two sections": ({"length": "1 m", "diameter": "1 mm", "area": "1 mm²"}, "body.pieces.a", "once"),
    "a needless one": ({"length": "1 m", "diameter": "1 mm", "perimeter": "9 mm"}, "body.pieces.a", "perimeter too"),
    "too short round": ({"length": "1 m", "area": "100 mm²", "perimeter": "35 mm"}, "body.pieces.a", "35.4491 mm"),
    "no length": ({"diameter": "1 mm"}, "body.pieces.a.length", "missing"),
    "a length of area": ({"length": "1 m²", "diameter": "1 mm"}, "body.pieces.a.length", "length"),
    "a key misspelt": ({"length": "1 m", "diametre": "1 mm", "area": "1 mm²"}, "body.pieces.a.diametre", "'diameter'"),
    "an unknown material": ({"length": "1 m", "diameter": "1 mm", "material": "tin"}, "body.pieces.a.material", "tin"),
}


@pytest.mark.parametrize("name", MISTAKES)
def test_a_wrong_piece_says_where_and_how_to_mend_it(name: str) -> None:
    piece, path, words = MISTAKES[name]
    with pytest.raises(CaseError) as caught:
        rod(a=piece)
    assert any(fault.path == path and words in fault.message for fault in caught.value.faults), caught.value


def test_pieces_are_renamed_and_removed_with_what_refers_to_them() -> None:
    case = renamed_part(family("rod-held-tip").case(), ("body", "pieces", "rod"), "bar")
    case = renamed_material(case, "steel", "nickel")
    assert [entry.surfaces[0] for entry in case.document.surroundings] == ["bar.start", "bar.side", "bar.end"]
    assert case.document.body.fillings["bar"].material == "nickel"
    pieces = {**case.data["body"]["pieces"], "more": {"length": "2 cm", "diameter": "8 mm", "material": "nickel"}}
    smaller, also = without_part(with_value(case, ("body", "pieces"), pieces), ("body", "pieces", "bar"))
    assert list(smaller.document.body.fillings) == ["more"] and "the statement on bar.side" in also


def test_a_surface_part_follows_its_surface_and_goes_with_it() -> None:
    spot = {"on": "plate.top", "start": ["2 mm", "80 mm"], "end": ["9 mm", "80 mm"]}
    case = with_value(family("plane-wall").case(), ("surfaces",), {"spot": spot})
    case = with_value(case, ("surroundings",), [*case.data["surroundings"], {"on": "spot", "flux": "1 kW/m²"}])
    outcome = Flow().answered(case)
    assert outcome.ledger is not None
    assert {row.name: row.heat for row in outcome.ledger.rows}["spot"] == pytest.approx(7.0, rel=1e-12)
    assert outcome.exact is None  # the wall is no longer one-dimensional
    renamed = renamed_part(case, ("body", "regions", "plate"), "damper")
    assert renamed.document.surface_parts["spot"].on == "damper.top"
    pieces = with_value(renamed, ("body", "regions", "more"), {"shape": "disc", "radius": "1 mm", "at": ["9 m", "0 m"]})
    _, also = without_part(pieces, ("body", "regions", "damper"))
    assert "the name 'spot'" in also and "the statement on spot" in also
