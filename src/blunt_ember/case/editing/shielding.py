"""A shield put between surfaces that see each other."""

from __future__ import annotations

from collections.abc import Sequence
from math import dist
from typing import Any

from blunt_ember.case.case import Case
from blunt_ember.case.editing.edits import free_name

#: What a bright sheet emits, stated on both its faces to be changed.
_BRIGHT = "0.1"
#: How thick it is, as a share of its length: stated, to be changed.
_THIN = 1e-3
#: Points of an end of the shield that is stated, in m.
Place = tuple[float, float]


def with_shield(case: Case, enclosure: str, start: Place, end: Place, span: Sequence[Any] | None = None) -> Case:
    """Return the case with a thin sheet of one temperature from ``start`` to ``end`` in m in an enclosure, whose faces
    have an emissivity each; in a stacked body over the ``span`` in z that is stated."""
    document = case.document
    name, material = free_name("shield", document.body.fillings), free_name("bright sheet", document.materials)
    ends = {"start": _stated(start), "end": _stated(end)}
    thickness = f"{1e3 * _THIN * dist(start, end):.2g} mm"
    region: dict[str, Any] = {"shape": "sheet", **ends, "thickness": thickness, "material": material}
    if span is not None:
        region["z"] = [*span]
    body = case.data["body"]
    stated = case.data["enclosures"][enclosure]
    faces: list[dict[str, Any]] = [{"on": f"{name}.{side}", "emissivity": _BRIGHT} for side in ("left", "right")]
    faces.append({"on": [f"{name}.start", f"{name}.end"]})
    return case.restated(
        {
            **case.data,
            "materials": {**case.data.get("materials", {}), material: {"emissivity": _BRIGHT}},
            "body": {**body, "regions": {**body["regions"], name: region}},
            "isothermal": [*case.data.get("isothermal", []), {"region": name}],
            "enclosures": {**case.data["enclosures"], enclosure: {**stated, "faces": [*stated["faces"], *faces]}},
        }
    )


def _stated(place: Place) -> list[str]:
    return [f"{1e3 * each:.6g} mm" for each in place]
