"""How honest estimated errors are where the flux is singular: corners turned inwards, materials that meet, held edges.

Each case is solved on meshes of three sizes; its true answers are those of cells sixteen times smaller, extrapolated.
With ``--in-time`` all heat up from an even start, and are read when heat has gone part of the way through.
With ``--coarser`` all are estimated by coarser cells, as those too large for finer ones are.
"""

from __future__ import annotations

import sys
from typing import Any

import numpy as np

from blunt_ember.case.case import Case, case_from_data
from blunt_ember.case.document.case_document import FORMAT
from blunt_ember.flow.answering import error_estimate
from blunt_ember.flow.flow import Flow
from blunt_ember.refinement.trend import trend

_FINEST = 4


def _block(x: float, y: float, wide: float, high: float, material: str) -> dict[str, Any]:
    return {
        "shape": "rectangle",
        "size": [f"{wide} mm", f"{high} mm"],
        "at": [f"{x} mm", f"{y} mm"],
        "material": material,
    }


def _case(
    regions: dict[str, dict[str, Any]],
    k: dict[str, float],
    surroundings: list[dict[str, Any]],
    questions: list[dict[str, Any]],
    **more: Any,
) -> dict[str, Any]:
    return {
        "format": FORMAT,
        "materials": {name: {"k": f"{value} W/(m K)"} for name, value in k.items()},
        "body": {"kind": "section", "depth": "1 m", "regions": regions},
        "surroundings": surroundings,
        "questions": [{"name": f"q {number}", **each} for number, each in enumerate(questions)],
        **more,
    }


def _held(on: Any, celsius: float) -> dict[str, Any]:
    return {"on": on, "temperature": f"{celsius} °C"}


def _film(on: Any, h: float, celsius: float) -> dict[str, Any]:
    return {"on": on, "film": {"h": f"{h} W/(m² K)", "temperature": f"{celsius} °C"}}


def _mixed_top(h: float) -> dict[str, Any]:
    """A plate whose top is held over a part of it, and meets a fluid or nothing beside."""
    parts = {
        "hot": {"on": "plate.top", "start": ["0 mm", "60 mm"], "end": ["40 mm", "60 mm"]},
        "rest": {"on": "plate.top", "start": ["40 mm", "60 mm"], "end": ["100 mm", "60 mm"]},
    }
    around = [_held("hot", 300), _held("plate.bottom", 20)] + ([_film("rest", h, 20)] if h else [])
    asked: list[dict[str, Any]] = [
        {"heat_flow": "hot"},
        {"temperature": ["42 mm", "58 mm"]},
        {"mean": "rest"},
        {"highest": "rest"},
    ]
    return _case({"plate": _block(0, 0, 100, 60, "a")}, {"a": 1.5}, around, asked, surfaces=parts)


def _leg(k: float) -> dict[str, Any]:
    """A metal leg that pierces half of a layer of insulation on a plate."""
    regions = {
        "plate": _block(0, 0, 120, 10, "metal"),
        "felt": _block(0, 10, 120, 40, "felt"),
        "leg": _block(50, 10, 20, 25, "metal"),
    }
    around = [_held("plate.bottom", 200), _film("felt.top", 12, 20)]
    asked: list[dict[str, Any]] = [
        {"heat_flow": "plate.bottom"},
        {"highest": "felt.top"},
        {"temperature": ["49 mm", "36 mm"]},
    ]
    return _case(regions, {"metal": k, "felt": 0.05}, around, asked)


def _slab(k: float) -> dict[str, Any]:
    """A slab that pierces the insulation of a wall between two rooms and the outside."""
    regions = {
        "wall": _block(0, 0, 200, 900, "brick"),
        "skin": _block(200, 0, 100, 900, "foam"),
        "slab": _block(-400, 400, 800, 160, "concrete"),
    }
    around = [_film("wall.left", 8, 20), _film(["skin.right", "slab.right"], 25, -5)]
    asked: list[dict[str, Any]] = [{"heat_flow": "wall.left"}, {"lowest": "wall.left"}, {"heat_flow": "slab.right"}]
    return _case(regions, {"brick": 0.8, "foam": 0.035, "concrete": k}, around, asked)


def _checkers(ratio: float) -> dict[str, Any]:
    """Four squares of two materials that meet in a point."""
    regions = {
        name: _block(x, y, 50, 50, material)
        for name, x, y, material in (("p", 0, 0, "a"), ("q", 50, 0, "b"), ("r", 0, 50, "b"), ("s", 50, 50, "a"))
    }
    around = [_held(["p.left", "r.left"], 100), _held(["q.right", "s.right"], 0)]
    asked: list[dict[str, Any]] = [{"heat_flow": "p.left"}, {"temperature": ["47 mm", "47 mm"]}, {"mean": "s.top"}]
    return _case(regions, {"a": 1.0, "b": ratio}, around, asked)


def _notched(depth: float) -> dict[str, Any]:
    """A bar with a notch cut into it."""
    regions = {
        "bar": _block(0, 0, 100, 40, "a"),
        "notch": {
            "shape": "rectangle",
            "size": ["4 mm", f"{depth} mm"],
            "at": ["48 mm", f"{40 - depth} mm"],
            "void": True,
        },
    }
    around = [_held("bar.left", 100), _held("bar.right", 0)]
    asked: list[dict[str, Any]] = [
        {"heat_flow": "bar.left"},
        {"temperature": ["47 mm", f"{39 - depth} mm"]},
        {"mean": "bar.bottom"},
    ]
    return _case(regions, {"a": 20.0}, around, asked)


def _corner(k: float) -> dict[str, Any]:
    """A wall corner lined inside with a poorly conducting board."""
    regions = {
        "brick": _block(0, 0, 400, 400, "brick"),
        "board": _block(120, 120, 280, 280, "board"),
        "room": {"shape": "rectangle", "size": ["240 mm", "240 mm"], "at": ["160 mm", "160 mm"], "void": True},
    }
    around = [_film(["board.room left", "board.room bottom"], 8, 20), _film(["brick.left", "brick.bottom"], 25, -10)]
    asked: list[dict[str, Any]] = [
        {"heat_flow": "board.room left"},
        {"lowest": "board.room left"},
        {"temperature": ["120 mm", "120 mm"]},
    ]
    return _case(regions, {"brick": 1.2, "board": k}, around, asked)


CASES = {
    "held beside insulated": _mixed_top(0),
    "held beside a film": _mixed_top(40),
    "leg of steel": _leg(50),
    "leg of clay": _leg(1),
    "slab of concrete": _slab(2.1),
    "slab of steel": _slab(50),
    "checkers 1 : 5": _checkers(5),
    "checkers 1 : 20": _checkers(20),
    "shallow notch": _notched(8),
    "deep notch": _notched(30),
    "lined corner": _corner(0.04),
    "corner of one": _corner(1.2),
}
SIZES = (1.0, 0.6, 0.35)


def _sized(data: dict[str, Any], share: float, order: int) -> Case:
    corners = [
        float(each["at"][0].split()[0]) + float(each["size"][0].split()[0]) for each in data["body"]["regions"].values()
    ]
    return case_from_data({**data, "mesh": {"size": f"{share * max(corners) / 16} mm", "across": 1, "order": order}})


def _in_time(data: dict[str, Any]) -> dict[str, Any]:
    """A case that heats up from 15 °C, for a tenth of the time in which heat goes through it."""
    materials = {
        name: {**each, "density": "1000 kg/m³", "c": "1000 J/(kg K)"} for name, each in data["materials"].items()
    }
    slowest = min(float(each["k"].split()[0]) for each in materials.values())
    size = max(
        float(each["at"][0].split()[0]) + float(each["size"][0].split()[0]) for each in data["body"]["regions"].values()
    )
    end = 0.1 * (size / 1000) ** 2 / (slowest / 1e6)
    return {**data, "materials": materials, "clock": {"start": "15 °C", "end": f"{end:.6g} s"}}


def main() -> None:
    """Print the share of answers within their errors, by how much those overstate, and what is missed."""
    ratios, missed = [], []
    only = [each for each in sys.argv[1:] if not each.startswith("--")]
    if "--coarser" in sys.argv:
        error_estimate.FINER_NODES = error_estimate.FINER_WORK = dict.fromkeys((1, 2, 3), 0)
    for name, data in CASES.items():
        if only and not any(each in name for each in only):
            continue
        data = _in_time(data) if "--in-time" in sys.argv else data
        flow = Flow()
        fine = _sized(data, SIZES[-1], 2)
        finest = _FINEST - 1 if "--in-time" in sys.argv else _FINEST  # which takes minutes by itself
        levels = [flow.answers(fine, flow.solved(fine, 2**number)) for number in range(finest - 2, finest + 1)]
        truth = [trend(each, abs(each[-1])) for each in zip(*levels, strict=True)]
        for order in (1, 2):
            for share in SIZES:
                for check, exact in zip(Flow().run(_sized(data, share, order)).checks, truth, strict=True):
                    off = abs(check.value - exact.limit)
                    if check.error is None or off <= max(
                        3 * exact.band, 1e-9 * abs(check.value)
                    ):  # the reference does not tell it
                        continue
                    ratios.append(check.error / off)
                    if ratios[-1] < 1:
                        missed.append((ratios[-1], name, f"order {order}, {share}: {check.asked}"))
    held = np.array(ratios) >= 1
    print(
        f"{len(ratios)} answers, {held.mean():.1%} within the estimate, which overstates {np.median(ratios):.2f} times "
        f"in the median, {np.quantile(ratios, 0.9):.1f} times or more in a tenth"
    )
    for ratio, name, asked in sorted(missed):
        print(f"  {ratio:.2f}\t{name}: {asked}")


if __name__ == "__main__":
    main()
