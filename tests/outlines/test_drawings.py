"""Drawings and meshes of other programs' formats, read into cases and written from them."""

from __future__ import annotations

import math
from pathlib import Path

import ezdxf
import meshio
import numpy as np
import pytest
from vtkmodules.vtkIOXML import vtkXMLUnstructuredGridReader

from blunt_ember.case.case import Case
from blunt_ember.case.editing.edits import with_value
from blunt_ember.case.files.case_file import read_case, write_case
from blunt_ember.cli.main import main
from blunt_ember.errors import BluntEmberError
from blunt_ember.flow.flow import Flow
from blunt_ember.gallery.families import family
from blunt_ember.geometry.section import SectionGeometry
from blunt_ember.mesh.any_body import geometry_of
from blunt_ember.report.exporting import ExportOptions, write_outcome
from blunt_ember.report.files.foreign_files import UnitMissingError, case_from_foreign


def areas(case: Case) -> dict[str, float]:
    """Area of every region in mm², by the exact plan."""
    geometry = geometry_of(case.document.body)
    assert isinstance(geometry, SectionGeometry)
    plan = geometry.arrangement
    ends = plan.curves
    cross = (ends.start[:, 0] * ends.end[:, 1] - ends.end[:, 0] * ends.start[:, 1]) / 2
    bow = ends.radius**2 * (ends.sweep - np.sin(ends.sweep)) / 2
    found = {}
    for number, region in enumerate(geometry.regions):
        own = np.where(plan.left == number, 1.0, np.where(plan.right == number, -1.0, 0.0))
        found[region.name] = float(own @ (cross + np.where(ends.is_arc, bow, 0.0))) * 1e6
    return found


def dxf(path: Path, units: int = 4, open_line: bool = False) -> Path:
    drawing = ezdxf.new(units=units)
    space = drawing.modelspace()
    body, lid = {"layer": "body"}, {"layer": "lid.top"}
    bulge = math.tan(math.pi / 8)  # a quarter turn
    space.add_lwpolyline(
        [(0, 0, 0), (100, 0, bulge), (110, 10, 0), (110, 60, 0), (0, 60, 0)], format="xyb", close=True, dxfattribs=body
    )
    space.add_circle((30, 30), 10, dxfattribs=body)
    space.add_line((0, 60), (0, 90), dxfattribs=lid)
    space.add_line((110, 60), (0, 60), dxfattribs=lid)
    space.add_arc((55, 90), 55, 0, 180, dxfattribs=lid)
    space.add_line((110, 90), (110, 60) if not open_line else (110, 61), dxfattribs=lid)
    drawing.saveas(path)
    return path


def test_lines_without_a_name_are_parts_of_one_outline_in_whatever_order(tmp_path: Path) -> None:
    corners = [(40 * math.cos(angle), 25 * math.sin(angle)) for angle in np.linspace(0, 2 * math.pi, 90)[:-1].tolist()]
    lines = [
        f'<line x1="{a[0]:.6f}" y1="{a[1]:.6f}" x2="{b[0]:.6f}" y2="{b[1]:.6f}"/>'
        for a, b in zip(corners, corners[1:] + corners[:1], strict=True)
    ]
    np.random.default_rng(3).shuffle(lines)
    whole = "".join(lines) + '<rect x="-5" y="-5" width="10" height="10" id="core"/>'
    (tmp_path / "ring.svg").write_text(f'<svg xmlns="http://www.w3.org/2000/svg">{whole}</svg>')
    found = areas(case_from_foreign(tmp_path / "ring.svg", "mm").case)
    assert found == pytest.approx({"outline": 89 / 2 * 40 * 25 * math.sin(2 * math.pi / 89) - 100, "core": 100})
    (tmp_path / "ring.svg").write_text(f'<svg xmlns="http://www.w3.org/2000/svg">{"".join(lines[1:])}</svg>')
    with pytest.raises(BluntEmberError, match=r"line 'part \d+' ends at .* close the outline there"):
        case_from_foreign(tmp_path / "ring.svg", "mm")


def test_layers_of_a_dxf_become_regions_with_true_arcs(tmp_path: Path) -> None:
    case = case_from_foreign(dxf(tmp_path / "post.dxf")).case
    assert list(case.document.body.regions) == ["lid top", "body", "body hole"]
    found = areas(case)
    corner = 100 - math.pi * 100 / 4
    assert found["body"] == pytest.approx(6600 - corner - math.pi * 100, rel=1e-9)
    assert found["lid top"] == pytest.approx(110 * 30 + math.pi * 55**2 / 2, rel=1e-9)


def test_a_broken_drawing_names_the_entity(tmp_path: Path) -> None:
    path = dxf(tmp_path / "open.dxf", open_line=True)
    with pytest.raises(BluntEmberError, match=r"(ARC|LINE) #\w+ on layer 'lid.top' ends at \(.*close the outline"):
        case_from_foreign(path)
    drawing = ezdxf.new(units=4)
    drawing.modelspace().add_ellipse((0, 0), major_axis=(5, 0), ratio=0.5)
    drawing.saveas(path)
    with pytest.raises(BluntEmberError, match=r"ELLIPSE #\w+ on layer '0' is no line"):
        case_from_foreign(path)
    path.write_bytes(path.read_bytes()[:500])
    with pytest.raises(BluntEmberError, match="cannot be read as DXF"):
        case_from_foreign(path)


def test_a_file_that_says_no_unit_is_asked_about(tmp_path: Path) -> None:
    path = dxf(tmp_path / "bare.dxf", units=0)
    with pytest.raises(UnitMissingError, match="does not say"):
        case_from_foreign(path)
    assert areas(case_from_foreign(path, "cm").case)["lid top"] == pytest.approx(
        100 * (3300 + math.pi * 55**2 / 2), rel=1e-9
    )
    with pytest.raises(UnitMissingError, match="no unit of length"):
        case_from_foreign(path, "kg")


SVG = """<svg xmlns="http://www.w3.org/2000/svg" width="10cm" height="60mm" viewBox="0 0 200 120">
<rect id="plate" width="200" height="120"/>
<g id="pins" transform="translate(20 0)"><circle cx="40" cy="60" r="20"/></g>
<path id="bow" d="M 220 0 h 40 a 20 20 0 0 1 0 40 h -40 z"/>{more}</svg>"""


def test_paths_of_an_svg_become_regions_in_millimetres(tmp_path: Path) -> None:
    path = tmp_path / "plate.svg"
    path.write_text(SVG.format(more=""), encoding="utf-8")
    found = areas(case_from_foreign(path).case)
    assert found == pytest.approx(
        {"plate": 6000 - math.pi * 100, "pins": math.pi * 100, "bow": 20 * 20 + math.pi * 50}, rel=1e-9
    )
    path.write_text(SVG.format(more='<path id="wave" d="M 0 0 C 1 1 2 2 3 0 z"/>'), encoding="utf-8")
    with pytest.raises(BluntEmberError, match="path 'wave' holds a cubic Bézier"):
        case_from_foreign(path)


@pytest.mark.parametrize("name", ["composite-wall", "hollow-cylinder", "ring-sector"])
def test_a_section_written_as_svg_comes_back_the_same(name: str, tmp_path: Path) -> None:
    case = family(name).case()
    path = tmp_path / "body.svg"
    write_outcome(Flow().answered(case), path, ExportOptions())
    back = {key: area for key, area in areas(case_from_foreign(path).case).items() if "hole" not in key}
    assert back == pytest.approx(areas(case), rel=1e-9)


@pytest.mark.one_in(2)
@pytest.mark.parametrize("name", ["bowl", "stacked-floor", "buried-pipe", "hollow-cylinder"])
def test_a_mesh_written_and_read_solves_to_the_same_answers(name: str, tmp_path: Path) -> None:
    """With its groups; a hollow cylinder is a plane mesh, of which a metre is meant."""
    case = family(name).case()
    if name == "bowl":
        case = with_value(case, ("mesh",), {"size": "24 mm"})
    outcome = Flow().answered(case)
    assert outcome.mesh is not None
    path = tmp_path / "mesh.vtu"
    write_outcome(outcome, path, ExportOptions())
    read = case_from_foreign(path, "m").case
    solids = [region for region, filling in case.document.body.fillings.items() if not filling.void]
    plain = {region: region.replace(".", " ") for region in solids}
    assert list(read.document.body.fillings) == list(plain.values())
    groups = {plain[r]: {"material": case.document.body.fillings[r].material} for r in solids}
    outer = [surface for surface in outcome.mesh.surfaces if "|" not in surface]
    names = {surface: f"{plain[surface.rpartition('.')[0]]}.{surface.replace('.', ' ')}" for surface in outer}
    data = {**read.data, "parameters": case.data["parameters"], "materials": case.data["materials"]}
    data["body"] = {**read.data["body"], "groups": groups}
    data["surroundings"] = [
        {
            **entry,
            "on": [
                names[m]
                for s in ([entry["on"]] if isinstance(entry["on"], str) else entry["on"])
                for m in case.document.members_of(s)
            ],
        }
        for entry in case.data["surroundings"]
    ]
    again = Flow().answered(read.restated(data))
    assert again.ledger is not None and outcome.ledger is not None
    expected = {names[row.name]: row.heat for row in outcome.ledger.rows if row.name in names}
    found = {row.name: row.heat for row in again.ledger.rows}
    assert {key: found[key] for key in expected} == pytest.approx(expected, rel=1e-9, abs=1e-9)


def test_vtk_opens_what_is_written_and_sees_its_volume(tmp_path: Path) -> None:
    case = with_value(family("bowl").case(), ("mesh",), {"order": 1, "size": "5 mm"})
    outcome = Flow().answered(case)  # its errors are not asked for
    write_outcome(outcome, tmp_path / "bowl.vtu", ExportOptions())
    reader = vtkXMLUnstructuredGridReader()
    reader.SetFileName(str(tmp_path / "bowl.vtu"))
    reader.Update()
    grid = reader.GetOutput()
    assert outcome.mesh is not None and grid.GetNumberOfCells() > outcome.mesh.cell_count
    assert grid.GetPointData().GetArray("temperature °C").GetRange()[1] == pytest.approx(1120)
    names = [grid.GetCellData().GetArrayName(n) for n in range(grid.GetCellData().GetNumberOfArrays())]
    assert {"bowl", "bowl.rim", "bowl.bore"} <= set(names)
    write_outcome(outcome, tmp_path / "bowl.stl", ExportOptions())
    with np.errstate(over="ignore"):
        skin = meshio.read(tmp_path / "bowl.stl")
    a, b, c = (skin.points[skin.cells[0].data[:, n]] for n in range(3))
    volume = float(np.sum(a * np.cross(b, c)) / 6)
    assert volume == pytest.approx(2 / 3 * math.pi * (0.085**3 - 0.055**3), rel=0.02)


def test_a_mesh_that_cannot_be_used_says_why(tmp_path: Path) -> None:
    points = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0], [0, 0, 1.0]])
    cases = {
        "there is no file": None,
        "no cells that fill": meshio.Mesh(points, [("line", [[0, 1]])]),
        "'pyramid' cannot be used": meshio.Mesh(np.vstack([points, [1, 1, 0]]), [("pyramid", [[0, 1, 4, 2, 3]])]),
        "cell 0 (tet4) is folded or flat": meshio.Mesh(points, [("tetra", [[0, 1, 2, 1]])]),
        "do not lie in the x–y plane": meshio.Mesh(points, [("triangle", [[0, 1, 3]])]),
        "cannot be read as a mesh": "<VTKFile><oops",
    }
    for words, mesh in cases.items():
        path = tmp_path / "some.vtu"
        path.unlink(missing_ok=True)
        if isinstance(mesh, str):
            path.write_text(mesh, encoding="utf-8")
        elif mesh is not None:
            mesh.write(path)
        with pytest.raises(BluntEmberError) as caught:
            case_from_foreign(path, "mm")
        assert words in str(caught.value)


def test_the_command_line_reads_and_exports_and_a_moved_case_finds_its_mesh(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    case, mesh, other = tmp_path / "floor.ember", tmp_path / "floor.vtu", tmp_path / "deep" / "er.ember"
    assert main(["new", "stacked-floor", "-o", str(case)]) == 0
    assert main(["export", str(case), "-o", str(mesh)]) == 0
    assert main(["read", str(mesh), "-o", str(tmp_path / "read.ember")]) == 2 and "--unit" in capsys.readouterr().err
    assert main(["read", str(mesh), "--unit", "m", "-o", str(tmp_path / "read.ember")]) == 0
    other.parent.mkdir()
    write_case(read_case(tmp_path / "read.ember"), other)
    assert read_case(other).data["body"]["file"] == "../floor.vtu"
    *_, outcome = Flow().outcomes(read_case(other))
    assert outcome.mesh is not None and outcome.mesh.node_count == 7935


POST = """<svg xmlns="http://www.w3.org/2000/svg" width="120mm" height="90mm" viewBox="0 0 120 90">
  <g id="post"><path d="M 0 0 h 100 v 60 h -100 z" /><circle cx="30" cy="30" r="10" /></g>
  <rect id="lid" x="0" y="60" width="100" height="12" transform="translate(0, 2)" />
  <polygon id="foot" points="0,80 40,80 40,88 0,88" /></svg>"""


def test_mutated_drawings_end_in_a_case_or_a_sentence(tmp_path: Path) -> None:
    """Bytes lost, doubled, swapped and replaced by what numbers and names are not; the same every time."""
    rng = np.random.default_rng(20)
    whole = {".dxf": dxf(tmp_path / "whole.dxf").read_bytes(), ".svg": POST.encode()}
    strange = (b"nan", b"-", b"--5", b"1e300", b"inf", b"0", b"", b"\xff\xfe", b"<g>", b"M", b"A", b"10\n5", b"\0")
    refused = 0
    for number in range(240):
        suffix = (".dxf", ".svg")[number % 2]
        text = whole[suffix]
        begin = text.index(b"ENTITIES") if suffix == ".dxf" and number % 4 else 0
        for _ in range(int(rng.integers(1, 5))):
            start = int(rng.integers(begin, len(text)))
            end = min(len(text), start + int(rng.integers(0, 12)))
            piece = text[end : end + 8] if rng.random() < 0.3 else strange[int(rng.integers(len(strange)))]
            text = text[:start] + piece + text[end:]
        path = tmp_path / f"attack{suffix}"
        path.write_bytes(text)
        said = ""
        try:
            case = case_from_foreign(path, "mm").case
        except BluntEmberError as error:
            said = str(error).strip()
            refused += 1
        assert said or case.document.body.fillings
    assert 30 < refused < 234


@pytest.mark.parametrize(
    ("svg", "said"),
    [
        ('<svg xmlns="http://www.w3.org/2000/svg">' + "<g>" * 5000 + "</g>" * 5000 + "</svg>", "nested too deep"),
        (POST.replace("0 0 120 90", "0 0 0 0"), "viewBox '0 0 0 0' has no width"),
        (POST.replace('r="10"', 'r="1e300"'), "no circle has"),
        (POST.replace("h 100 v", "h 1e12 v"), "lies beyond"),
    ],
)
def test_a_drawing_out_of_bounds_is_a_sentence(svg: str, said: str, tmp_path: Path) -> None:
    path = tmp_path / "strange.svg"
    path.write_text(svg)
    with pytest.raises(BluntEmberError, match=said):
        case_from_foreign(path, "mm")


def test_what_draws_no_outline_is_left_out_counted_and_named(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    path = dxf(tmp_path / "post.dxf")
    text = path.read_text()
    place = text.index("ENTITIES") + len("ENTITIES\n")
    unknown = "  0\nSURVEYMARK\n  8\nbody\n 10\n1.0\n 20\n2.0\n"
    path.write_text(text[:place] + 2 * unknown + text[place:])
    assert case_from_foreign(path).left_out == "left out, as they draw no outline: 2 SURVEYMARK"
    assert main(["read", str(path), "-o", str(tmp_path / "post.ember")]) == 0
    assert "2 SURVEYMARK" in capsys.readouterr().out


def test_many_lines_in_any_order_are_one_outline(tmp_path: Path) -> None:
    count = 4000
    turn = np.linspace(0, 2 * np.pi, count, endpoint=False)
    corners = np.column_stack([np.cos(turn), np.sin(turn)]) * 50
    order = np.random.default_rng(3).permutation(count)
    lines = "".join(
        f'<line x1="{a[0]}" y1="{a[1]}" x2="{b[0]}" y2="{b[1]}" />'
        for a, b in ((corners[n], corners[(n + 1) % count])[:: 1 if n % 3 else -1] for n in order.tolist())
    )
    path = tmp_path / "many.svg"
    path.write_text(
        f'<svg xmlns="http://www.w3.org/2000/svg" width="100mm" viewBox="0 0 100 100"><g id="a">{lines}</g></svg>'
    )
    (found,) = areas(case_from_foreign(path).case).values()
    assert found == pytest.approx(np.pi * 50**2, rel=1e-5)  # mm²


def test_strokes_without_a_length_leave_no_region(tmp_path: Path) -> None:
    path = tmp_path / "speck.svg"
    path.write_text(POST.replace("</svg>", '<polyline id="speck" points="5,5 5,5" /></svg>'))
    assert "speck" not in areas(case_from_foreign(path).case)
