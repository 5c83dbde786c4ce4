"""Problems noted in a line: what they make, worked out on paper, and what is said of what is not understood."""

from __future__ import annotations

from math import erfc, exp, log, pi, sinh, sqrt, tanh
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from blunt_ember.case.files.case_file import read_case
from blunt_ember.cli.main import main
from blunt_ember.errors import OpenCaseError
from blunt_ember.flow.flow import Flow
from blunt_ember.library.shelves import shelves
from blunt_ember.noted.bodies import HEADS
from blunt_ember.noted.line_so_far import NotedProblem
from blunt_ember.noted.reading import EXAMPLES, read_line

SHELVES = shelves()


def noted(line: str) -> NotedProblem:
    return read_line(line, SHELVES)


def answers(line: str) -> dict[str, float]:
    """The answers of what a line makes, all of which agree with what is exact where that is known."""
    read = noted(line)
    assert read.case is not None and not read.not_understood and not read.missing, read
    checks = Flow(curves=False).answered(read.case).checks
    assert all(check.verdict != "off" for check in checks)
    return {check.name: check.value for check in checks}


@pytest.mark.parametrize("line", EXAMPLES)
def test_every_example_is_understood_whole_and_solved(line: str) -> None:
    assert np.isfinite(list(answers(line).values())).all()


def test_layers_of_a_wall_are_those_in_series() -> None:
    found = answers("wall brick 0,114 m k 0,35, felt 25mm k 0.09; inside 980 C; outside air 25 °C h 12")
    q = (980 - 25) / (0.114 / 0.35 + 0.025 / 0.09 + 1 / 12)
    assert found["heat through it"] == pytest.approx(q, rel=1e-10)
    assert found["between brick and felt"] == pytest.approx(980 - q * 0.114 / 0.35 + 273.15, rel=1e-10)
    assert found["last face"] == pytest.approx(25 + q / 12 + 273.15, rel=1e-10)


@pytest.mark.parametrize(
    "line",
    [
        "pipe bore 150 mm, 4 mm k 24, lagging 45 mm k 0.065; gas 310 °C h 38; air 18 °C h 9",
        "tube bore 0.15 m, 4 mm k 24 W/mK, lagging 45 mm k 0.065 W/mK; outside 18 C 9 W/m2K; inside 38 W/m²K 310 C",
        "pipe r 75 mm, steel 4 mm k=24; lagging 45 mm λ 0.065; 583.15 K h 38; 18 °C h 9",
        "pipe bore 15 cm 4 mm k 24, lagging 45 mm k 0.065, gas at 310 °C, h 38 W/(m² K), the room at 18 °C with h 9",
    ],
)
def test_a_pipe_is_the_same_however_it_is_noted(line: str) -> None:
    read = noted(line)
    resistance = 1 / (38 * 0.075) + log(79 / 75) / 24 + log(124 / 79) / 0.065 + 1 / (9 * 0.124)
    assert answers(line)["loss"] == pytest.approx(2 * pi * (310 - 18) / resistance, rel=1e-5)
    case = read.case
    assert case is not None and set(case.data["parameters"]) >= {"t_lagging"}  # one thickness, stated once


def test_a_fin_a_rod_a_shell_and_a_block_are_what_paper_says() -> None:
    fin = answers("fin 38 x 1.6 mm k 180, base 72 °C, film 42 W/m2K 24 °C")
    m, length = sqrt(2 * 42 / (180 * 0.0016)), 0.038
    tip = 42 / (m * 180)
    t = np.cosh(m * length) + tip * sinh(m * length)
    assert fin["tip"] == pytest.approx(24 + 48 / t + 273.15, rel=1e-4)
    rod = answers("rod d 12 mm, 0.3 m long k 24; base 200 °C; air 20 °C h 15")
    m = sqrt(4 * 15 / (24 * 0.012))
    end = 15 / (m * 24)
    gain = (tanh(m * 0.3) + end) / (1 + end * tanh(m * 0.3))
    assert rod["heat into it"] == pytest.approx(m * 24 * pi * 0.006**2 * 180 * gain, rel=1e-5)
    shell = answers("shell bore 110 mm, 30 mm k 2.2; inside 1120 °C; air 28 °C h 34")
    resistance = (1 / 0.055 - 1 / 0.085) / (4 * pi * 2.2) + 1 / (34 * 4 * pi * 0.085**2)
    assert shell["loss"] == pytest.approx((1120 - 28) / resistance, rel=1e-4)
    warm = answers("cylinder d 45 mm k 16 generating 2 MW/m3; air 20 C h 300")
    assert warm["middle"] == pytest.approx(20 + 2e6 * 0.0225 * (1 / 600 + 0.0225 / 64) + 273.15, rel=1e-6)


@pytest.mark.parametrize(
    ("line", "as_well_as"),
    [
        ("plane wall L = 0.1 m k = 1.5 W/m-K T1 = 100 C T2 = 20 C", "wall 0.1 m k 1.5; left 100 °C; right 20 °C"),
        ("ground floor 150 mm k 1.4; room 20 C h 6; ground 8 C h 50", "floor 150 mm k 1.4; 20 °C h 6; 8 °C h 50"),
        ("wall 5 mm tin k 67, 20 mm wool k 0.04; left 90 C; 20 C", "wall 5 mm k 67, 20 mm k 0.04; left 90 °C; 20 °C"),
        ("wall 30 cm, lambda 0.7 W/mK, Ti = 20 deg C, Te = -10 deg C", "wall 30 cm k 0.7; left 20 °C; right -10 °C"),
        (
            'wall 50 mm k 15, left q" = 10 kW/m2, right 25 C h 100',
            "wall 50 mm k 15; left flux 10 kW/m2; right 25 C h 100",
        ),
        (
            "concrete wall 200 mm inside 20 C h=8 outside -10 C h=25",
            "wall 200 mm concrete; inside 20 °C h 8; outside -10 °C h 25",
        ),
        (
            "wall 0.3 m k 0.35 W/m K, left 30 C, right 10C h 12 W/m2 K, q 500 W/m3",
            "wall 0.3 m k 0.35 generating 500 W/m3; left 30 °C; right 10 °C h 12",
        ),
        (
            "furnace wall: 230 mm firebrick k 1.2 6 mm felt k 0.04 inside 1200 C air 30 C h 12",
            "wall 230 mm k 1.2, felt 6 mm k 0.04; left 1200 °C; right 30 °C h 12",
        ),
        (
            "wall brick 100 mm k 0.5 felt 20 mm k 0.04 left 90 C right 20 C",
            "wall brick 100 mm k 0.5, felt 20 mm k 0.04; left 90 °C; right 20 °C",
        ),
        (
            "wall 8 in k 1.0 Btu/h ft F, left 70 F, right 20 F h 5 Btu/h ft2 F",
            "wall 203.2 mm k 1.7307346663713916; left 70 °F; right 20 °F h 28.39131670556745",
        ),
        (
            "wall 0.1 m k 0.5; inside surface 20 C 0.13 m2K/W; outside 0 C Rse 0.04",
            "wall 0.1 m k 0.5; left 20 °C h 7.6923076923076925; right 0 °C h 25",
        ),
        (
            "pipe 60.3 x 2.9 mm k 50; lagging 40 mm k 0.04; steam 180 C h 5000; air 20 C h 10",
            "pipe bore 54.5 mm, 2.9 mm k 50, lagging 40 mm k 0.04; inside 180 °C h 5000; air 20 °C h 10",
        ),
        (
            "tube od 100 mm wall 5 mm k 50; fluid 90 C; ambient 15 C h 10",
            "pipe bore 90 mm, 5 mm k 50; inside 90 °C; outside 15 °C h 10",
        ),
        (
            "hollow cylinder od 100 mm id 90 mm k 50, lagging 10 mm k 1; inside 90 C; outside 15 C h 10",
            "pipe bore 90 mm, 5 mm k 50, lagging 10 mm k 1; inside 90 °C; outside 15 °C h 10",
        ),
        (
            "hollow sphere ri 50 mm ro 70 mm k 2 inside 100 C outside 20 C h 10",
            "shell bore 100 mm, 20 mm k 2; inside 100 °C; outside 20 °C h 10",
        ),
        (
            "rod 10 mm dia 200 mm long k 15 base 150 C air 20 C h 12",
            "rod d 10 mm, 0.2 m long k 15; base 150 °C; 20 °C h 12",
        ),
        (
            "fin 40 mm long 2 mm thick k 180 base 100 C air 25 C h 30",
            "fin 40 x 2 mm k 180, base 100 °C, film h 30 25 °C",
        ),
        (
            "cylinder r 25 mm k 0.5 generating 1e5 W/m3 surface 80 C",
            "cylinder d 50 mm k 0.5 generating 0.1 MW/m3; 80 °C",
        ),
        (
            "pipe 100 mm bore 5 mm wall k 50; inside 90 C; outside 15 C h 10",
            "pipe d 100 mm, 5 mm k 50; inside 90 °C; outside 15 °C h 10",
        ),
        (
            "pipe 100 mm od 5 mm k 50; inside 90 C; outside 15 C h 10",
            "pipe bore 90 mm, 5 mm k 50; inside 90 °C; outside 15 °C h 10",
        ),
        (
            "pipe 4 mm bore 150 mm k 50; inside 90 C; outside 15 C h 10",
            "pipe bore 150 mm, 4 mm k 50; inside 90 °C; outside 15 °C h 10",
        ),
        (
            "hot plate 20 mm carbon steel; bottom 300 C; air 20 C, h = 10",
            "wall 20 mm carbon steel; left 300 °C; right 20 °C h 10",
        ),
        ("insulated plate 10 mm k 5 T_in 30 C T_out 20 C", "wall 10 mm k 5; left 30 °C; right 20 °C"),
        ("plate 300x200 mm k 50; left 100C; others 20 C", "plate 300 x 200 mm k 50; left 100 °C; 20 °C"),
        (
            "plaster 15 mm k 0.5, brick 225 mm k 0.8; inside 20 C h 8; outside -5 C h 25",
            "wall plaster 15 mm k 0.5, brick 225 mm k 0.8; inside 20 °C h 8; outside -5 °C h 25",
        ),
        ("wall 300 mm k 0.9, surfaces at 800 C and 60 C", "wall 300 mm k 0.9; left 800 °C; right 60 °C"),
        ("pipe bore 5 cm, 5 mm k 10; 100 C and 20 C", "pipe bore 50 mm, 5 mm k 10; inside 100 °C; outside 20 °C"),
        (
            "rod 10 mm dia 300 mm long k 60, ends 100 C and 50 C, air 20 C h 10",
            "rod d 10 mm, 300 mm long k 60; base 100 °C; tip 50 °C; side 20 °C h 10",
        ),
        ("tank wall 80 mm k 1; brine -25 C h 50; air 30 C h 10", "wall 80 mm k 1; left -25 °C h 50; right 30 °C h 10"),
        ("wall R 2.5 m2K/W; inside 20 C; outside 0 C", "wall 100 mm k 0.04; inside 20 °C; outside 0 °C"),
        ("cylinder 20 mm k 15, q''' 5e6 W/m3, surface 100 C", "cylinder d 20 mm k 15 source 5 MW/m3; 100 °C"),
        ("cylinder 50 x 80 mm k 2; ends 90 C; side 5 C", "cylinder d 50 mm, 80 mm long k 2; ends 90 °C; rim 5 °C"),
        ("disc 200 mm dia 10 mm thick k 5; bottom 90 C; 5 C", "cylinder d 200 mm, 10 mm long k 5; bottom 90 °C; 5 °C"),
        ("wall .1 m k .8; left minus 5 C; right –20 C h=.5", "wall 100 mm k 0.8; left -5 °C; right -20 °C h 0.5"),
        ('wall 1 1/2 in k 5·10⁻² W/mK, 3/4" k 5*10^-1; 9 C; 2 C', "wall 38.1 mm k 0.05, 19.05 mm k 0.5; 9 °C; 2 °C"),
        (
            "wall 0.2m brick (k=0.7), inside 20C (h=8), outside: convection h=25, air @ -5C",
            "wall 0.2 m k 0.7; left 20 °C h 8; right -5 °C h 25",
        ),
        ("wall 9 cm, k~2, T_left=100 °C, T_right=20 °C", "wall 9 cm k 2; left 100 °C; right 20 °C"),
        ("wall 9 cm k 2 between 100 C and 20 C", "wall 9 cm k 2; left 100 °C; right 20 °C"),
        ("wall 9 cm k 2, 100 C to 20 C", "wall 9 cm k 2; left 100 °C; right 20 °C"),
        ("plate 9 cm k 2; one side 200 C other side air 20 C h 12", "wall 9 cm k 2; left 200 °C; right 20 °C h 12"),
        ("cylinder 40 mm dia k 5 qgen 1 MW/m3; 20 C", "cylinder 40 mm dia k 5 generating 1 MW/m3; rim 20 °C"),
        (
            "slab 2L = 100 mm k 4 rho 7800 c 450 from 300 C; both sides 20 C h 50; 1 h 30 min",
            "slab 100 mm k 4 rho 7800 c 450 from 300 °C; both sides 20 °C h 50; 90 min",
        ),
        (
            "rod 1/4 in dia, 12 in long k 25; base 300 F; air 70 F h 5",
            "rod d 6.35 mm, 304.8 mm long k 25; 300 °F; 70 °F h 5",
        ),
        (
            "cylinder 2 cm diameter 10 cm long k 15; left end 90 C; right end 20 C; side insulated",
            "cylinder d 2 cm, 10 cm long k 15; bottom 90 °C; top 20 °C; rim insulated",
        ),
        (
            "pin fin aluminium d=5mm L=30mm, Tb=100C, Tinf=25C, h=40",
            "pin aluminium d 5 mm, 30 mm long; base 100 °C; air 25 °C h 40",
        ),
        ("plate 1 x 1 m k 9 generating 5 kW/m3; edges 2 C", "plate 1 x 1 m k 9 generating 5 kW/m3; all 2 °C"),
        ("roof 20 cm concrete; inside 20 C hi 8; outside -10 C he 25", "wall 20 cm concrete; 20 °C h 8; -10 °C h 25"),
        (
            "cylinder radius 5 cm, k 0.5, rho 1000, cp 4000, T0 5 C, air 25 C h 10, 3 h",
            "cylinder r 5 cm k 0.5 rho 1000 c 4000 from 5 °C; air 25 °C h 10; until 3 h",
        ),
        (
            "wall 9 cm k 2; left 900 C; right air 20 C h 9, emissivity .9",
            "wall 9 cm k 2; left 900 °C; right 20 °C h 9 emissivity 0.9",
        ),
        (
            "wall 9 cm k 2; left 900 C; right 20 C h 9 radiates 0.9 to -9 C",
            "wall 9 cm k 2; left 900 °C; right h 9 to 20 °C; emissivity 0.9 to -9 °C",
        ),
        (
            "wall 9 cm k 2; left 900 C; right radiates to 20 C, eps 0.9",
            "wall 9 cm k 2; left 900 °C; right 20 °C emissivity 0.9",
        ),
        (
            "wall 100 mm k 0.8 heat flux 1000 W/m2 on left; right 25 C h 10",
            "wall 100 mm k 0.8; left flux 1 kW/m2; right 25 °C h 10",
        ),
        (
            "a brick wall 22 cm thick with k = 0.72 separates 20 C room air (h=10 W/m²K) from -5 C outdoor air (h=30)",
            "wall 22 cm k 0.72; left air 20 °C h 10; right air -5 °C h 30",
        ),
        ("wall 100 mm k 0.8; 1 000 °C; right air 20 C h 12", "wall 100 mm k 0.8; 1000 °C; right air 20 °C h 12"),
        ("wall k 1 100 mm; left 1\u202f200 K; right 300 K", "wall 100 mm k 1; left 1200 K; right 300 K"),
        (
            "thick wall 0,24 m k=0,56, Ti=20 °C αi=7,7, Te=-12 °C, αe=25",
            "wall 0.24 m k 0.56; left air 20 °C h 7.7; right air -12 °C h 25",
        ),
        (
            "pipe OD 60.3 mm ID 52.5 mm k 50, lagging 30 mm k=0.045, hi=900, Ti=150C, Ta=20C, ho=8",
            "pipe bore 52.5 mm, 3.9 mm k 50, lagging 30 mm k 0.045; inside 150 °C h 900; outside 20 °C h 8",
        ),
        *(
            (f"wall 200 mm k 0.7; {said}", "wall 200 mm k 0.7; left air 20 °C h 8; right air -5 °C h 25")
            for said in (
                "Ti 20 C, hi 8; Ta -5 C; ho 25",
                "hi 8; ho 25; Ti 20 C; Ta -5 C",
                "ho 25, Ta -5 C, hi 8, Ti 20 C",
                "inside 20 C; outside -5 C; h1 8; h2 25",
                "T1 20 C; T2 -5 C; αi 8, αe 25",
                "hi 8, 20 C; ho 25, -5 C",
            )
        ),
        (
            "pipe DN 50 3.9 mm k 50, lagging 30 mm k=0.045, Ti=150C, T∞=20C, h=8",
            "pipe od 60.3 mm, 3.9 mm k 50, lagging 30 mm k 0.045; inside 150 °C; outside 20 °C h 8",
        ),
        ("fin L=30mm t=1mm k=200 base 80°C air 25°C h=20", "fin 30 x 1 mm k 200; base 80 °C; air 25 °C h 20"),
        (
            "sphere shell ri 0.25 m ro 0.3 m k 0.05 inside -196 C outside air 25 C h 10",
            "shell ri 250 mm, 50 mm k 0.05; inside -196 °C; outside air 25 °C h 10",
        ),
        (
            "cylindrical wall ri 50 mm ro 80 mm k 2, inside 90 C, outside 20 C h 9",
            "pipe r 50 mm, 30 mm k 2; inside 90 °C; outside 20 °C h 9",
        ),
        (
            "ball 12 mm diameter k 40 rho 7800 c 480 at 850 C is quenched in oil 40 C h 500 for 60 s",
            "ball d 12 mm k 40 rho 7800 c 480 from 850 °C; oil 40 °C h 500; until 60 s",
        ),
        (
            "bead d 1 mm k 20 rho 8500 c 400 initially at 20 C in gas 200 C h of 400, after 2 s",
            "ball d 1 mm k 20 rho 8500 c 400 from 20 °C; gas 200 °C h 400; until 2 s",
        ),
        ("square plate 1 m, left 100 C, others 0 C, k 1", "plate 1 x 1 m k 1; left 100 °C; rest 0 °C"),
        (
            "wall 100 mm k 0.8 flux 1000 W/m2 left; right 25 C h 10",
            "wall 100 mm k 0.8; left flux 1 kW/m2; right 25 °C h 10",
        ),
    ],
)
def test_a_problem_is_understood_as_it_is_jotted_down(line: str, as_well_as: str) -> None:
    assert list(answers(line).values()) == pytest.approx(list(answers(as_well_as).values()), rel=1e-9)


@pytest.mark.parametrize(
    ("said", "on"),
    [
        ("left, right, bottom air 20 C h 9", [["left", "right", "bottom"]]),
        ("left, right and bottom: air 20 C h 9", [["left", "right", "bottom"]]),
        ("top/bottom 20 C; both left & right insulated", [["top", "bottom"], ["left", "right"]]),
        ("top 100 C; other sides air 20 C h 9", [["top"], ["bottom", "left", "right"]]),
        ("top 100 C; other three sides 20 C", [["top"], ["bottom", "left", "right"]]),
        ("top 100 C; all other faces air T = 20 C hi 9", [["top"], ["bottom", "left", "right"]]),
        ("top 100 C; left and the rest 20 C", [["top"], ["left", "bottom", "right"]]),
        ("left, 20 C; elsewhere 30 C", [["left"], ["bottom", "right", "top"]]),
    ],
)
def test_sides_of_which_the_same_is_said_are_named_together(said: str, on: list[list[str]]) -> None:
    read = noted(f"plate 100 x 40 mm k 2; {said}")
    assert read.case is not None and not read.not_understood and not read.missing
    stated = [entry["on"] for entry in read.case.data["surroundings"]]
    named = [[each] if isinstance(each, str) else each for each in stated]
    assert [sorted(side.removeprefix("plate.") for side in each) for each in named] == [sorted(each) for each in on]


@pytest.mark.parametrize(
    ("said", "marked", "message"),
    [
        ("left; right 20 C", "left", "say what acts there"),
        ("left, right; top 20 C", "left, right", "say what acts there"),
        ("left, 3 mm; right 20 C", "left", "say what acts there"),
        ("left and lid 20 C", "lid", "'lid' is not understood beside 'left'"),
        ("left and rim 20 C", "rim", "'rim' is no side of it"),
        ("top 200 C; top air 20 C h 9", "top air 20 C h 9", "'top' is stated before, and both cannot stand"),
        ("left flux 2 kW/m2; all insulated", "all insulated", "'left' is stated before"),
        ("all 20 C; rest air 5 C h 9", "rest air 5 C h 9", "no side is left over"),
        ("left 20 C; find the entropy", "find the entropy", "ask it as 'find highest temperature of top'"),
        ("left 20 C; what is the heat loss?", "what is the heat loss?", "or 'heat through left'"),
        ("left 20 C; highest of rim", "rim", "'rim' is no side of it"),
    ],
)
def test_sides_of_which_nothing_is_said_and_questions_are_marked(said: str, marked: str, message: str) -> None:
    line = f"plate 100 x 40 mm k 2; {said}"
    fault = noted(line).not_understood[0]
    assert line[fault.start : fault.end].rstrip(",") == marked and message in fault.message


def test_what_is_asked_in_a_line_is_a_question_beside_what_is_exact() -> None:
    line = "wall 100 mm k 1; left 100 C; right air 20 C h 10; find heat loss through the right side; hottest point"
    read = noted(
        f"{line}; mean temperature of left and right; coldest spot of right; highest temperature; heat through left"
    )
    assert read.case is not None and not read.not_understood and not read.missing
    outcome = Flow().answered(read.case)
    found = {check.name: check for check in outcome.checks}
    # How tall a wall is drawn says nothing: its heat is for each m², as in its own question.
    expected = {
        "heat loss through right": 400,
        "heat through left": 400,
        "highest of all": 373.15,
        "mean of left and right": 353.15,
    }
    for name, value in {**expected, "lowest of right": 333.15}.items():
        assert found[name].value == pytest.approx(value, rel=1e-9) and found[name].verdict == "agrees", name


def test_a_round_core_has_layers_about_it() -> None:
    """What arises in it goes out through them; a film on a thin wire is the worse for no insulation."""
    cable = answers("cable d 4 mm k 380 generating 2 MW/m3, insulation 3 mm k 0.15, air 20 C h 10")
    loss = 2e6 * pi * 0.002**2
    skin = 20 + loss / (10 * 2 * pi * 0.005)
    inner = skin + loss * log(5 / 2) / (2 * pi * 0.15)
    assert cable["loss"] == pytest.approx(loss, rel=1e-3)
    assert cable["between cable and insulation"] - 273.15 == pytest.approx(inner, abs=0.05)
    assert cable["middle"] - cable["between cable and insulation"] == pytest.approx(2e6 * 4e-6 / (4 * 380), abs=2e-4)
    ball = answers("ball 70 mm k 2 generating 100 kW/m3, wool 20 mm k 0.05; air 20 C h 5")
    loss = 1e5 * 4 / 3 * pi * 0.035**3
    inner = 20 + loss / (5 * 4 * pi * 0.055**2) + loss / (4 * pi * 0.05) * (1 / 0.035 - 1 / 0.055)
    assert ball["middle"] - 273.15 == pytest.approx(inner + 1e5 * 0.035**2 / 12, rel=1e-3)
    shell = answers("shell bore 110 mm, 30 mm k 2.2, wool 20 mm k 0.05; 100 C and 20 C")
    resists = ((1 / 0.055 - 1 / 0.085) / 2.2 + (1 / 0.085 - 1 / 0.105) / 0.05) / (4 * pi)
    assert shell["loss"] == pytest.approx(80 / resists, rel=1e-3)
    bare = noted("tube od 60 mm, 50 mm wool k 0.04; steam 180 C; air 20 C h 9")
    assert bare.case is not None and any("how thick the wall of the pipe is" in each for each in bare.missing)
    (heat, *_) = Flow().answered(bare.case).checks
    assert heat.value == pytest.approx(2 * pi * 160 / (log(80 / 30) / 0.04 + 1 / (9 * 0.08)), rel=1e-3)
    fin = answers("annular fin ri 12 mm ro 30 mm thickness 1 mm k 180, base 120 C, air 20 C h 50; rim insulated")
    assert 0.9 * 50 * 2 * pi * (0.03**2 - 0.012**2) * 100 < fin["heat of the fin"] < 2 * pi * 50 * 100 * 0.03**2


@pytest.mark.one_in(2)
@pytest.mark.parametrize(
    ("end", "where"),
    [
        ("until 100 C", {"highest": "body"}),
        ("until centre at 100 C", {"temperature": ["0 mm", "0 mm"]}),
        ("until the surface is 100 C", {"highest": ["ball.rim"]}),
    ],
)
def test_a_run_ends_where_a_temperature_is_passed_and_says_when(end: str, where: dict[str, object]) -> None:
    line = f"ball 20 mm k 40 rho 7800 c 500 from 800 C, oil 50 C h 300, {end}"
    read = noted(line)
    assert read.case is not None and read.case.data["clock"]["until"] == {"passes": "100 C", **where}
    # As one lump, and what a Biot number of 0.025 adds.
    lump = 7800 * 500 * 0.01 / 3 / 300 * log(750 / 50)
    assert lump < answers(line)["how long it takes"] < 1.06 * lump
    warms = noted("wall 200 mm k 1 rho 2300 c 880 from 20 C; left 80 C; right insulated; until 60 C").case
    assert warms is not None and warms.data["clock"]["until"] == {"passes": "60 C", "lowest": "body"}


def test_heat_of_a_cable_is_said_by_the_metre() -> None:
    found = answers("cable d 5 mm k 380 40 W/m, insulation 3 mm k 0.15, air 30 C h 12")
    skin = 30 + 40 / (12 * pi * 0.011) + 273.15
    assert found["loss"] == pytest.approx(40, rel=1e-9) and found["skin"] == pytest.approx(skin, abs=1e-3)
    assert found["middle"] - skin == pytest.approx(40 / (2 * pi) * (log(5.5 / 2.5) / 0.15 + 0.5 / 380), rel=1e-5)


def test_heat_of_a_cylinder_of_any_length_is_for_each_square_metre() -> None:
    """How thick it is drawn says nothing; one that has a length loses what all of it does."""
    found = answers("cylinder d 50 mm k 0.5 generating 0.1 MW/m3; 80 °C; heat loss through rim")
    assert found["loss"] == pytest.approx(0.1e6 * 0.025 / 2, rel=1e-6)
    assert found["heat loss through rim"] == pytest.approx(found["loss"], rel=1e-12)
    long = answers("cylinder d 50 mm 2 m long k 0.5 generating 0.1 MW/m3; rim 80 °C; ends insulated")
    assert long["loss"] == pytest.approx(0.1e6 * pi * 0.025**2 * 2, rel=1e-6)


def test_heat_by_its_name_arises_in_what_was_said_last() -> None:
    read = noted("wall 200 mm k 0.8; both sides air 20 C h 10; heat generation 500 W/m3")
    assert read.case is not None and not read.not_understood and not read.missing
    assert read.case.data["heat_inside"] == [{"region": "wall", "per_volume": "500 W/m3"}]
    assert answers("wall 200 mm k 0.8; left and right air 20 C h 10; source 500 W/m3")["first face"] == pytest.approx(
        293.15 + 500 * 0.1 / 10, rel=1e-9
    )


def test_sizes_are_tied_by_x_also_where_one_is_ten_or_a_hundred() -> None:
    for size in ("38 x 100", "38 × 10", "38 by 1000"):
        case = noted(f"plate {size} mm k 1; left 20 °C; right 30 °C").case
        assert case is not None
        assert case.data["body"]["regions"]["plate"]["size"] == ["38 mm", f"{size.split()[-1]} mm"]
    wide = noted("wall 1.2×10^2 mm k 1; left 20 °C").case
    assert wide is not None and wide.document.body.regions["wall"].size[0].si == pytest.approx(0.12)


def test_a_material_of_the_library_stays_with_the_layers_that_have_it() -> None:
    line = "wall common brick 10 mm, felt 5 mm k 0.04, common brick 20 mm, k 2; left 20 °C; right 30 °C"
    found = answers(line)
    shipped = SHELVES["ceramics, glass and stone"]["common brick"]["k"]
    k = float(str(shipped).split()[0])
    assert found["heat through it"] == pytest.approx(-10 / (0.01 / k + 0.005 / 0.04 + 0.02 / 2), rel=1e-9)


def test_what_radiates_and_a_gap_of_air_are_taken_too() -> None:
    found = answers("window window glass 4 mm, air 12 mm, borosilicate glass 4 mm; room 20 °C h 8; outside -5 °C h 25")
    assert 20 < found["heat through it"] < 60
    hot = answers("wall 50 mm k 2; left 300 °C; right 20 °C emissivity 80 %")
    face = hot["last face"]
    assert 2 * (573.15 - face) / 0.05 == pytest.approx(0.8 * 5.670374419e-8 * (face**4 - 293.15**4), rel=1e-6)


def test_what_is_said_of_one_layer_holds_for_it_alone() -> None:
    line = "wall plate 10 mm k 2 generating 1 MW/m3, felt 20 mm k 0.04, plate 10 mm k 3; left 20 °C; right insulated"
    read = noted(line)
    assert read.case is not None and not read.not_understood
    assert read.case.data["heat_inside"] == [{"region": "plate", "per_volume": "1 MW/m3"}]
    assert [entry["k"] for entry in read.case.data["materials"].values()] == ["2 W/(m K)", "0.04 W/(m K)", "3 W/(m K)"]
    assert answers(line)["heat through it"] == pytest.approx(-1e6 * 0.01, rel=1e-9)
    twice = noted("wall concrete 10 mm k 1, concrete 20 mm k 2; left 20 °C; right 30 °C").case
    assert twice is not None and [each["k"] for each in twice.data["materials"].values()] == ["1 W/(m K)", "2 W/(m K)"]


def test_a_clock_runs_from_its_start_to_its_end() -> None:
    line = "wall 60 mm k 1.2 rho 1900 c 850 from 900 °C; both air 20 °C h 25; for 40 min"
    case = noted(line).case
    assert case is not None and case.data["clock"] == {"start": "900 °C", "end": "40 min"}
    found = answers(line)
    assert found["first face"] == pytest.approx(found["last face"], abs=1e-6)
    until = noted("ball d 70 mm k 1 rho 2000 c 900 from 640 °C, film 30 W/m2K 22 °C, until within 2 K").case
    assert until is not None and until.data["clock"]["until"] == {"settled": "2 K"}


def test_temperatures_follow_from_a_diffusivity_whatever_else_is_known() -> None:
    ends = "surfaces 20 °C; from 300 °C; until 5 min"
    known = answers(f"wall 40 mm k 1.2 rho 2000 c 800; {ends}")
    for said in ("k 1.2 alpha 7.5e-7 m2/s", "alpha 7.5e-7 m2/s rho 2000 c 800", "k 1.2 c 800 alpha 7.5e-7 m2/s"):
        found = answers(f"wall 40 mm {said}; {ends}")
        assert found == pytest.approx(known, rel=1e-9)
    deep = answers("ground k 1.5 α 5e-7 m2/s from 10 °C; surface -5 °C; 30 d; 0.5 m deep")
    assert deep["inside"] == pytest.approx(268.15 + 15 * (1 - erfc(0.5 / 2 / sqrt(5e-7 * 30 * 86400))), abs=5e-3)


def test_a_body_without_end_is_as_deep_as_heat_comes() -> None:
    """Held, in a fluid and heated, at the face and below it, by the error function."""
    k, rho, c = 0.52, 2050.0, 1840.0
    frost = answers("ground k 0.52 rho 2050 c 1840 from 20 °C; surface -15 °C; 60 d; 0.68 m deep")
    length = sqrt(k / (rho * c) * 60 * 86400)
    assert frost["inside"] == pytest.approx(258.15 + 35 * (1 - erfc(0.68 / 2 / length)), abs=5e-3)
    assert frost["taken up"] == pytest.approx(-2 * k * 35 * 60 * 86400 / (length * sqrt(pi)), rel=1e-4)

    wall = answers("deep wall k 1 rho 1800 c 840 from 10 °C; air 300 °C h 20; 40 min, 20 mm deep")
    length = sqrt(1 / (1800 * 840) * 2400)
    near, film = 0.02 / 2 / length, 20 * length
    warmed = erfc(near) - exp(20 * 0.02 + film**2) * erfc(near + film)
    assert wall["inside"] == pytest.approx(283.15 + 290 * warmed, abs=5e-3)

    solid = answers("semi-infinite solid k 45 rho 7800 c 480 from 30 °C; surface flux 30 kW/m2; 10 min")
    length = sqrt(45 / (7800 * 480) * 600)
    assert solid["face"] == pytest.approx(303.15 + 2 * 30e3 / 45 * length / sqrt(pi), abs=1e-3)
    assert solid["inside"] < solid["face"]

    # What is changed later moves how deep it is drawn.
    case = noted("half-space k 1 rho 2000 c 900 from 20 °C; surface 90 °C; 1 h").case
    assert case is not None and list(case.parameters) == ["k_body", "rho_body", "c_body", "lasts", "depth"]


@pytest.mark.parametrize(
    ("line", "marked", "said"),
    [
        ("wal 3 mm", "wal", "did you mean 'wall'"),
        ("wall 100 mm k 1; left 20; right 30 °C", "20", "no unit here, such as °C"),
        ("wall 100 mm k 1; left 20 °C; rihgt 30 °C", "rihgt", "did you mean 'right'"),
        ("wall 100 mm k 1; left 20 °C; right 30 °C; 40 °C", "40 °C", "no side left"),
        ("wall 100 mm k 1; left h 9; right 30 °C", "left h 9", "temperature of its fluid"),
        ("wall 100 mm k 1 40 s; left 9 °C", None, None),
        ("wall 100 mm 17 k 1; left 9 °C", "17", "no unit here, such as mm"),
        ("wall 100 mm 20 mm k 1; left 9 °C", "20 mm", "comes after '100 mm'"),
        ("wall 100 mm k 1; left 9 °C 12 °C", "12 °C", "comes after '9 °C'"),
        ("wall 100 mm k 1; left 9 °C; until 30 W", "until 30 W", "is no time"),
        ("wall 100 mm k 1; left 9 °C; until 3 °C; until 4 °C", "until 4 °C", "a second end of the run"),
        ("wall 100 mm k 1; left 9 °C; until 3 °C, within 1 K", "within 1 K", "a second end of the run"),
        ("wall 100 mm k 1 R 2 m2K/W; left 9 °C", "R 2 m2K/W", "comes beside 'k 1 W/(m K)'"),
        ("wall 100 mm k 1; left 9 °C; until centr 3 °C", "centr", "'centr' is no place of it"),
        ("egg d 45 mm k 0.6; water 100 °C h 9; until 75 °C", "egg", "a line begins with what it is"),
        ("wall 100 mm k 1, 2 m high; left 9 °C", "2 m", "no size of a wall"),
        ("pipe bore 9 mm od 12 mm 1 mm k 1; 9 °C", "od 12 mm", "no size of a pipe"),
        ("ball d 70 mm 20 x 30 mm k 1; 9 °C", "20 x 30 mm", "no size of a ball"),
        ("ball d 70 mm k 1, d 60 mm; 9 °C", "d 60 mm", "comes after '70 mm'"),
        ("wall 1 mm k 1; 9 °C; " + " " * 2000, "", "2,000 characters at most"),
        ("wall 100 mm k 1; left; right 30 °C", "left", "say what acts there"),
        ("wall 9 mm k 1; left 9 °C; right 3 °C; find heat out of left", "find heat out of left", "ask it as"),
        ("wall 9 mm k 1 ΔT 80 K", "ΔT 80 K", "does not say how warm they are"),
        ("wall 9 mm k 1; left 9 °C; right h 9; top 3 °C", "right h 9", "temperature of its fluid"),
        ("wall 9 mm k 1; left 9 °C; right radiates to 3 °C", "right radiates to 3 °C", "say how well it radiates"),
        ("wall 100 mm k 1; left flux 3 kW/m2 9 °C; right 3 °C", "left flux 3 kW/m2 9 °C", "nothing of what is at 9 °C"),
        ("wall 100 mm k 1 W/mm; left 9 °C", "k 1 W/mm", "is no conductivity, such as"),
        ("floor tile 10 mm k 1, screed 50 mm k 1; top 20 °C; left 5 °C", "top", "is no side of it"),
        ("hollow 3 mm", "hollow", "a line begins with what it is"),
        ("corner wall 300 mm k 1; left 20 °C; right 0 °C", "corner", "a line makes no 'corner' body"),
        ("triangular fin 38 x 1.6 mm k 180; base 72 °C; air 24 °C h 9", "triangular", "begin with a section"),
        ("square pin d 3 mm, 20 mm long k 9; base 72 °C; air 24 °C h 9", "square", "reads it without"),
        ("square window 1.2 m k 1; left 20 °C; right 0 °C", "square", "a line makes no 'square' body"),
        ("steel wall drop 30 mm k 50; left 20 °C; right 0 °C", None, None),
        ("potato 60 mm diameter k 0.5; water 98 °C h 9", "potato", "a line begins with what it is"),
        ("wall R 0.18, brick 100 mm k 0.6; 20 °C; 0 °C", "R 0.18", "'0.18 m² K/W' resists"),
        ("wall 100 mm k at 600 °C 1.2; right 9 °C", "1.2", "no unit here"),
        ("wall 1 100 mm k 1; left 9 °C", "1", "has no unit here"),  # it may be the first one, of 100 mm
        ("wall 100 mm k 1 40 W/m; left 9 °C", "40 W/m", "is a heat flow per length"),
    ],
)
def test_what_is_not_understood_is_told_with_its_place(line: str, marked: str | None, said: str | None) -> None:
    read = noted(line)
    if marked is None or said is None:
        assert not read.not_understood
        return
    (fault,) = read.not_understood
    assert line[fault.start : fault.end].strip() == marked
    assert said in fault.message


@pytest.mark.parametrize(
    ("line", "lack"),
    [
        ("wall", "how thick"),
        ("wall 100 mm; left 20 °C", "k of 'wall'"),
        ("wall 100 mm k 1", "what surrounds it"),
        ("wall glass 4 mm; left 20 °C", "window glass, borosilicate glass"),
        ("pipe 4 mm k 24", "bore 150 mm"),
        ("duct 300 x 200 mm k 24", "a wall of 200 mm that fits into 300 mm"),
        ("cylinder d 45 mm, 80 mm k 2; air 20 °C h 5", "what of it is 80 mm"),
        ("cable k 2, wool 3 mm; air 20 °C h 5", "how thick its core is"),
        ("annular fin ri 12 mm k 2", "its radii and thickness"),
        ("pipe dia 22 mm wall 1 mm k 24", "whether 22 mm is outside, 'od 22 mm', or inside"),
        ("fin 38 mm k 180", "what of it is 38 mm"),
        ("fin k 180", "38 x 1.6 mm"),
        ("lid 0.7 m long k 1", "0.09 to 0.06 m"),
        ("block 2 x 3 mm k 1", "200 x 120 x 60 mm"),
        ("rod d 3 mm k 1", "length"),
        ("ground 300 mm k 1; surface 3 °C", "one material and no thickness"),
        ("", "what it is: wall"),
    ],
)
def test_what_a_line_lacks_is_asked_for(line: str, lack: str) -> None:
    read = noted(line)
    assert any(lack in each for each in read.missing), read
    if read.case is not None:
        assert list(read.case.document.body.fillings) == ["wall"]
        with pytest.raises(OpenCaseError):
            Flow().answered(read.case)


PIECES = st.sampled_from(
    [
        *HEADS,
        *("12 mm", "3", "0.4 to 0.2 m", "2 x 3 x 4 cm", "k 1", "k", "h 9", "20 °C", "-5 C", "left", "air", ";", ","),
        *("°", "from", "until", "within 1 K", "until 3 h", "emissivity 0.8", "flux 3 kW/m2", "copper", "(", "×"),
        *("1e999 m", "-3 mm", "0 mm"),
    ]
)


@settings(max_examples=150, deadline=None)
@given(st.lists(PIECES, max_size=12).map(" ".join) | st.text(max_size=60))
def test_no_line_stops_the_program(line: str) -> None:
    read = noted(line)
    assert read.case is not None or read.missing or read.not_understood
    for fault in read.not_understood:
        assert 0 <= fault.start < fault.end <= len(line)


def test_a_line_is_made_into_a_file_by_a_command(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    path = tmp_path / "wall.ember"
    assert main(["say", EXAMPLES[0], "-o", str(path)]) == 0
    assert [check.verdict for check in Flow().answered(read_case(path)).checks] == ["agrees"] * 3
    assert main(["say", EXAMPLES[0], "-o", str(path)]) == 2  # it is there already
    capsys.readouterr()
    assert main(["say", "wall 114 mm k 0.35; lfet 980 °C; right 20 °C"]) == 2
    printed = capsys.readouterr()
    assert '"blunt-ember/1"' in printed.out and "not understood: lfet" in printed.err
    assert main(["say", "nonsense"]) == 2
    assert "write for example: wall" in capsys.readouterr().err
