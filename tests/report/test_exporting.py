"""Files of an outcome: what each suffix holds, from Python and from the command line, and what is refused."""

from __future__ import annotations

import csv
import os
import resource
from pathlib import Path
from xml.etree import ElementTree

import h5py
import numpy as np
import pytest
from matplotlib.image import imread

from blunt_ember.case.document.bodies import Imported
from blunt_ember.cli.main import main
from blunt_ember.errors import BluntEmberError
from blunt_ember.flow.flow import Flow
from blunt_ember.flow.outcome import Outcome
from blunt_ember.gallery.families import family
from blunt_ember.mesh.files.xdmf_file import read_xdmf
from blunt_ember.mesh.imported import MESH_SUFFIXES, imported_geometry
from blunt_ember.picture.animation import write_animation
from blunt_ember.picture.charts.history_chart import history_plot
from blunt_ember.picture.charts.plot import write_plot
from blunt_ember.picture.charts.run_curves import time_curves
from blunt_ember.picture.lenses.registry import LENSES
from blunt_ember.picture.look import CutPlane, Look, MirrorPlane, Whole
from blunt_ember.picture.palette import DARK, LIGHT, rgb
from blunt_ember.refinement.uniform import uniform_refinement
from blunt_ember.report.exporting import EXPORTS, ExportOptions, write_outcome
from blunt_ember.report.files.picture_file import MOST, picture_size, write_picture
from blunt_ember.report.files.series import write_series


@pytest.fixture(scope="module")
def corner() -> Outcome:
    return Flow().answered(family("wall-corner").case())


@pytest.fixture(scope="module")
def ran() -> Outcome:
    return Flow().answered(family("cooling-wall").case())


@pytest.mark.parametrize(
    ("text", "size"),
    [
        ("1600x1000", (1600, 1000)),
        (" 640 × 480 px", (640, 480)),
        ("200,8000", (200, 8000)),
        ("300 x 300 pixels", (300, 300)),
    ],
)
def test_a_size_is_read_as_people_write_it(text: str, size: tuple[int, int]) -> None:
    assert picture_size(text) == size


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("big", "write it like 1600 x 1000"),
        ("100", "write it like"),
        ("10 x 10", "200 to 8000 pixels"),
        (f"{MOST + 1} x 400", "is not"),
        ("-300 x 300", "write it like"),
        ("1e3 x 400", "write it like"),
    ],
)
def test_no_size_says_how_it_is_written(text: str, said: str) -> None:
    with pytest.raises(BluntEmberError, match=said):
        picture_size(text)


@pytest.mark.one_in(2)
@pytest.mark.parametrize("lens", [name for name, lens in LENSES.items() if not lens.wants_parts])
@pytest.mark.parametrize("theme", [LIGHT, DARK])
def test_every_lens_is_written_in_any_size_and_theme(corner: Outcome, tmp_path: Path, lens: str, theme: object) -> None:
    assert theme in (LIGHT, DARK)
    path = tmp_path / "picture.png"
    write_picture(corner, path, Look(lens), theme, (420, 300))
    image = imread(path)
    assert image.shape[:2] == (300, 420)
    np.testing.assert_allclose(image[-2, 2, :3], rgb(theme.stage), atol=0.02)
    assert len(np.unique(image.reshape(-1, image.shape[2]), axis=0)) > 20


def test_what_is_looked_at_is_what_is_written(corner: Outcome, tmp_path: Path) -> None:
    pictures = {}
    room, chamber = (Flow().answered(family(name).case()) for name in ("room-corner", "setting-chamber"))
    for name, outcome, look in (
        ("plain", corner, Look("Temperature")),
        ("bands", corner, Look("Temperature", bands=True)),
        ("whole", corner, Look("Temperature", whole=Whole((MirrorPlane(0, True), MirrorPlane(1, True))))),
        ("along x", corner, Look("Heat flow", "along x", over="")),
        ("lines", corner, Look("Heat flow", over="flow lines")),
        ("narrow", corner, Look("Temperature", low=300.0, vanish=True)),
        ("chamber", chamber, Look("Temperature", cuts=(CutPlane(1, 0.27),))),
        ("radiation", chamber, Look("Radiation", cuts=(CutPlane(1, 0.27),))),
        ("room", room, Look("Temperature")),
        ("cut", room, Look("Temperature", cuts=(CutPlane(0, 0.3),))),
        ("face", room, Look("Temperature", cuts=(CutPlane(0, 0.3),), flat=0)),
    ):
        write_outcome(outcome, tmp_path / f"{name}.png", ExportOptions(look, LIGHT, size=(400, 300)))
        pictures[name] = imread(tmp_path / f"{name}.png")
    names = list(pictures)
    for place, name in enumerate(names):
        for other in names[place + 1 :]:
            assert (pictures[name] != pictures[other]).any(), (name, other)


def test_a_lens_that_shows_nothing_and_a_part_there_is_not_are_refused(corner: Outcome, tmp_path: Path) -> None:
    refused = (
        (Look("Difference"), "shows nothing here"),
        (Look("Heat flow", "along z"), "it has size, along x"),
        (Look("Temperature", "hot"), "nothing to choose"),
    )
    for look, said in refused:
        with pytest.raises(BluntEmberError, match=said):
            write_picture(corner, tmp_path / "x.png", look, LIGHT)
    bare = Outcome(corner.case, corner.geometry, corner.mesh)
    with pytest.raises(BluntEmberError, match="there is no answer"):
        write_picture(bare, tmp_path / "x.png", Look("Temperature"), LIGHT)
    write_picture(bare, tmp_path / "shape.png", Look("Shape"), LIGHT, (300, 300))
    with pytest.raises(BluntEmberError, match="before the case is solved"):
        write_outcome(bare, tmp_path / "x.csv", ExportOptions(table="nodes"))
    with pytest.raises(BluntEmberError, match="before the case is solved"):
        write_outcome(bare, tmp_path / "x.html", ExportOptions())
    assert {each.name for each in tmp_path.iterdir()} == {"shape.png"}


def test_the_report_holds_the_look_the_refinement_the_chain_and_the_surfaces(tmp_path: Path) -> None:
    flow, case = Flow(), family("composite-wall").case()
    outcome = flow.answered(case)
    levels = list(uniform_refinement(flow, case, 3))
    look = Look("Temperature", low=500.0)
    write_outcome(
        outcome, tmp_path / "wall.html", ExportOptions(look, LIGHT, levels, flow.kinds(case, flow.solved(case)))
    )
    text = (tmp_path / "wall.html").read_text("utf-8")
    for wanted in (
        "as it was looked at",
        "Resistances in series",
        "<h2>Surfaces</h2>",
        "heat per area, W/m²",
        "<h2>Refinement</h2>",
        "brick|blanket",
    ):
        assert wanted in text
    assert text.count("<img") == 8
    corner = flow.answered(family("wall-corner").case())
    write_outcome(corner, tmp_path / "corner.html", ExportOptions(Look("Mesh")))
    plain = (tmp_path / "corner.html").read_text("utf-8")
    assert "Resistances in series" not in plain and "as it was looked at" not in plain and plain.count("<img") == 6


def test_pictures_and_tables_from_the_command_line(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    case = str(tmp_path / "wall.ember")
    assert main(["new", "composite-wall", "-o", case]) == 0
    picture, table = tmp_path / "flow.png", tmp_path / "nodes.csv"
    assert (
        main(["export", case, "-o", str(picture), "--lens", "Heat flow", "--part", "along x", "--size", "500x320"]) == 0
    )
    assert imread(picture).shape[:2] == (320, 500)
    assert main(["export", case, "-o", str(table), "--table", "nodes"]) == 0
    rows = list(csv.reader(table.read_text("utf-8").splitlines()))
    assert rows[0][:4] == ["node", "x, mm", "y, mm", "temperature, °C"] and len(rows) > 1000
    hottest = max(float(row[3]) for row in rows[1:])
    assert hottest == pytest.approx(980)
    capsys.readouterr()
    assert main(["export", case, "-o", str(picture)]) == 2  # nothing is written over
    assert "exists already" in capsys.readouterr().err
    for wrong, said in ((["--size", "7"], "write it like"), (["--part", "sideways"], "nothing to choose")):
        assert main(["export", case, "-o", str(tmp_path / "no.png"), *wrong]) == 2
        assert said in capsys.readouterr().err
    assert main(["export", case, "-o", str(tmp_path / "checks.csv")]) == 0
    assert (tmp_path / "checks.csv").read_text("utf-8").startswith("name,value,unit")
    assert not (tmp_path / "no.png").exists()


def _written_by(outcome: Outcome, path: Path) -> None:
    if path.name.startswith("series"):
        write_series(outcome, path)
    elif path.name.startswith("run"):
        for _ in write_animation(outcome, path, Look(), LIGHT, most=3):
            pass
    elif path.name.startswith("chart"):
        write_plot(history_plot(next(iter(time_curves(outcome).values())), outcome.case.units), path, 600, 300, LIGHT)
    else:
        write_outcome(outcome, path, ExportOptions(Look("Temperature")))


FILES = [f"x{suffix}" for export in EXPORTS for suffix in export.suffixes if suffix not in (".stl", ".htm")]


@pytest.mark.one_in(3)
@pytest.mark.parametrize("name", [*FILES, "series.xdmf", "run.gif", "run.webp", "run.png", "chart.svg", "chart.pdf"])
def test_a_file_is_written_whole_or_not_at_all(ran: Outcome, tmp_path: Path, name: str) -> None:
    """A disk that is full: no file may be larger than a few bytes."""
    path = tmp_path / name
    usual = resource.getrlimit(resource.RLIMIT_FSIZE)
    resource.setrlimit(resource.RLIMIT_FSIZE, (100, usual[1]))
    try:
        with pytest.raises(BluntEmberError) as refused:
            _written_by(ran, path)
    finally:
        resource.setrlimit(resource.RLIMIT_FSIZE, usual)
    assert str(refused.value).startswith(f"{path} cannot be written: ") and len(str(refused.value)) < 200
    assert not list(tmp_path.iterdir())
    _written_by(ran, path)
    made = {each.name for each in tmp_path.iterdir()}
    beside = {f"{path.stem}.h5"} if path.suffix == ".xdmf" else set()
    assert made == ({f"run-{place:04d}.png" for place in (1, 2, 3)} if name == "run.png" else {name} | beside)
    if path.suffix in MESH_SUFFIXES and not name.startswith("series"):
        body = Imported.model_validate({"kind": "imported", "file": name, "unit": "1 m"})
        read = imported_geometry(body, str(tmp_path))
        assert {region.name for region in read.regions} == set(ran.mesh.regions)
        assert read.mesh.node_count == ran.mesh.node_count and len(read.surfaces) == len(ran.mesh.surfaces)
    if name == "series.xdmf":
        assert len(read_xdmf(path).points) == ran.mesh.node_count
        instants = ElementTree.parse(path).findall(".//Grid/Grid")
        times, last = [float(each.find("Time").get("Value")) for each in instants], instants[-1].find("Attribute")
        assert times == ran.run.fields.times.tolist() and last.get("Name") == "temperature °C"
        with h5py.File(tmp_path / "series.h5") as beside:
            values = beside[last.find("DataItem").text.partition(":")[2]][()]
        np.testing.assert_allclose(values, ran.run.fields.field(len(times) - 1) - 273.15, rtol=1e-6)


@pytest.mark.parametrize(
    ("name", "said"),
    [
        ("none/x.png", "no such file"),
        ("folder.vtu", "is a folder"),
        ("pipe.html", "is a folder, a device or a pipe"),
        (f"{'long' * 80}.csv", "file name too long"),
        ("kept.svg", "read-only"),
    ],
)
def test_a_place_where_nothing_can_be_written_is_named(ran: Outcome, tmp_path: Path, name: str, said: str) -> None:
    (tmp_path / "folder.vtu").mkdir()
    os.mkfifo(tmp_path / "pipe.html")
    (tmp_path / "kept.svg").write_text("mine")
    (tmp_path / "kept.svg").chmod(0o400)
    before = sorted(tmp_path.iterdir())
    with pytest.raises(BluntEmberError, match=said) as refused:
        _written_by(ran, tmp_path / name)
    assert str(tmp_path / name) in str(refused.value) and sorted(tmp_path.iterdir()) == before
