"""Uncertain answers beside closed forms: correlated parameters, shares of the variance, and how sure all that is."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from scipy.stats import norm, truncnorm

from blunt_ember.case.case import Case, case_from_data
from blunt_ember.studies.kinds.uncertainty import PERCENTILES, _told
from blunt_ember.studies.points import StudyError
from blunt_ember.studies.result import StudyResult
from blunt_ember.studies.running.store import ResultsStore
from blunt_ember.studies.study import study
from blunt_ember.studies.telling import findings_table


def slab(stated: dict[str, Any]) -> Case:
    """A slab between two held faces: the flux is k (T₁ − T₂)/L, exact on one cell."""
    return case_from_data(
        {
            "format": "blunt-ember/1",
            "parameters": {"k": "2 W/(m K)", "T_1": "80 °C", "T_2": "20 °C"},
            "materials": {"a": {"k": "k"}},
            "body": {
                "kind": "section",
                "regions": {"slab": {"shape": "rectangle", "size": ["100 mm", "50 mm"], "material": "a"}},
            },
            "surroundings": [{"on": "slab.left", "temperature": "T_1"}, {"on": "slab.right", "temperature": "T_2"}],
            "mesh": {"size": "200 mm", "across": 1, "order": 1},
            "questions": [{"name": "flux", "heat_flow": "slab.left", "direction": "in", "basis": "area"}],
            "studies": {"it": {"kind": "uncertainty", **stated}},
        }
    )


def done(stated: dict[str, Any]) -> StudyResult:
    return study(slab(stated), "it", ResultsStore(None), jobs=1)


ENDS = {"T_1": {"normal": "3 K"}, "T_2": {"normal": "4 K"}}


@pytest.mark.one_in(3)
@pytest.mark.parametrize("by", [-0.6, 0.0, 1.0])
def test_correlated_temperatures_spread_a_flux_as_its_closed_form_says(by: float) -> None:
    found = done({"spread": ENDS, "correlated": [{"parameters": ["T_1", "T_2"], "by": by}], "count": 128})
    told = found.findings["flux"]
    expected = 20 * np.sqrt(9 + 16 - 2 * by * 12)
    assert told["deviation"] == pytest.approx(expected, rel=0.04, abs=1e-6)
    assert told["mean"] == pytest.approx(1200, rel=2e-3)
    assert abs(told["deviation"] - expected) <= told["± deviation"]
    assert not any(head.startswith("share") for head in told)  # of what is correlated there are none


def test_shares_of_a_product_are_its_closed_form() -> None:
    """Of k ΔT with independent factors, each share alone and with what they do together."""
    spread = {"k": {"uniform": ["0.5 W/(m K)", "3.5 W/(m K)"]}, "T_1": {"uniform": ["30 °C", "130 °C"]}}
    found = done({"spread": spread, "shares": True, "count": 512})
    told, mean, var = found.findings["flux"], np.array([2.0, 60.0]), np.array([9.0, 100.0**2]) / 12
    alone = var * mean[::-1] ** 2
    whole = alone.sum() + var.prod()
    for name, own in zip(("k", "T_1"), alone, strict=True):
        for head, share in ((f"share of {name}", own / whole), (f"with others {name}", (own + var.prod()) / whole)):
            assert abs(told[head] - share) <= told[f"± {head}"] < 0.2, head
    assert told["deviation"] == pytest.approx(10 * np.sqrt(whole), rel=0.1)
    table = findings_table(slab({"spread": spread}), found)
    assert "± share of k" not in table[0] and "%" in table[1][table[0].index("share of k")]
    assert "±" in table[1][table[0].index("with others T_1")]
    straight = done({"spread": spread, "count": 64})
    assert "% of the variance of flux: ask for all shares" in straight.said


def test_the_mesh_is_kept_apart_and_added() -> None:
    told = done({"spread": ENDS, "count": 64}).findings["flux"]
    assert told["to, with it"] - told["97.5 %"] == pytest.approx(told["± of the mesh"], abs=1e-9)
    assert told["2.5 %"] - told["from, with it"] == pytest.approx(told["± of the mesh"], abs=1e-9)
    assert 0 <= told["± of the mesh"] < 1e-6 * 1200


def test_percentiles_lie_within_what_they_are_said_to() -> None:
    """Of 400 samples of a skewed distribution each statistic is inside its interval nearly as often as is promised."""
    rng, count = np.random.default_rng(3), 200
    inside = dict.fromkeys(["mean", *(f"{each:g} %" for each in PERCENTILES)], 0)
    truth = {"mean": np.exp(0.125)} | {f"{p:g} %": float(np.exp(0.5 * norm.ppf(p / 100))) for p in PERCENTILES}
    for _ in range(400):
        told = _told(rng.lognormal(0, 0.5, count))
        for head in inside:
            inside[head] += abs(told[head] - truth[head]) <= told[f"± {head}"]
    assert min(inside.values()) >= 0.93 * 400
    assert np.isnan(_told(rng.normal(size=40))["± 2.5 %"])  # so few do not tell
    assert "160 do" in done({"spread": ENDS, "count": 32}).said


def test_limits_cut_a_distribution_off_and_cases_may_be_drawn_as_a_latin_hypercube() -> None:
    limits = {"k": {"normal": "50 %", "limits": ["1 W/(m K)", "2.5 W/(m K)"]}}
    found = done({"spread": limits, "count": 256})
    values = np.array([point["k"] for point in found.points])
    assert values.min() >= 1 and values.max() <= 2.5
    cut = truncnorm(-1, 0.5, loc=2, scale=1)
    assert (values.mean(), values.std()) == pytest.approx((cut.mean(), cut.std()), rel=2e-3)
    hypercube = done({"spread": ENDS, "count": 64, "points": "Latin hypercube"})
    shares = np.sort(norm.cdf([point["T_1"] for point in hypercube.points], 353.15, 3) * 64)
    assert (np.floor(shares) == np.arange(64)).all()  # one in each of 64 equal parts
    with pytest.raises(StudyError, match="k hardly ever is between its limits"):
        done({"spread": {"k": {"normal": "1 %", "limits": ["9 W/(m K)", "10 W/(m K)"]}}})


@pytest.mark.parametrize(
    ("stated", "reason"),
    [
        ({"spread": ENDS, "correlated": [{"parameters": ["T_1", "k"], "by": 0.5}]}, "'k' is correlated, but it is not"),
        ({"spread": ENDS, "correlated": [{"parameters": ["T_1", "T_1"], "by": 0.5}]}, "correlated with itself"),
        ({"spread": ENDS, "shares": True, "count": 60}, "shares of 2 parameters want 64 cases at least; there are 60"),
        (
            {"spread": ENDS, "shares": True, "correlated": [{"parameters": ["T_1", "T_2"], "by": 0.5}]},
            "of parameters that are not correlated",
        ),
        (
            {
                "spread": {**ENDS, "k": {"normal": "5 %"}},
                "correlated": [
                    {"parameters": ["T_1", "T_2"], "by": 0.9},
                    {"parameters": ["T_2", "k"], "by": 0.9},
                    {"parameters": ["T_1", "k"], "by": -0.9},
                ],
            },
            "cannot all hold at once",
        ),
    ],
)
def test_what_cannot_be_is_said(stated: dict[str, Any], reason: str) -> None:
    with pytest.raises(StudyError) as refused:
        done(stated)
    assert reason in str(refused.value)
