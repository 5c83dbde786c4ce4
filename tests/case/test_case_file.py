"""Case files: what is kept, what is refused and where, and that nothing is lost on the way."""

from __future__ import annotations

import contextlib
import json
import os
import pickle
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from blunt_ember.case.case import case_from_data, case_from_text, case_to_text
from blunt_ember.case.faults.plausibility import plausibility
from blunt_ember.case.files.case_file import CaseFileError, read_case, write_case
from blunt_ember.case.files.migration import migrated
from blunt_ember.case.files.schema import case_schema
from blunt_ember.errors import BluntEmberError, CaseError
from blunt_ember.flow.flow import Flow
from blunt_ember.gallery.families import family
from blunt_ember.gallery.reference_cases import reference_cases
from blunt_ember.report.files.foreign_files import case_from_foreign
from blunt_ember.written_file import NotWrittenError

WRITTEN = """{
  "format": "blunt-ember/1", "title": "as typed – ü",
  "materials": {"clay": {"k": "0.350 W/(m·K)"}},
  "parameters": {"eps": 0.850, "n": 3, "w": "  40mm"},
  "questions": [{"tolerance": "5e-1 %", "name": "far", "highest": "slab.top"}],
  "body": {"regions": {"slab": {"material": "clay", "size": ["w*2", "1.50e1 cm"], "shape": "rectangle"}},
           "kind": "section"},
  "surroundings": [{"temperature": "1_0 °C", "on": ["slab.left"]}]
}""".replace("1_0", "10")


def test_order_and_text_are_kept_as_written(tmp_path: Path) -> None:
    path = tmp_path / "a.ember"
    path.write_text(WRITTEN, encoding="utf-8")
    write_case(read_case(path), path)
    again = path.read_text(encoding="utf-8")
    for kept in ('"0.350 W/(m·K)"', "0.850", '"  40mm"', '"1.50e1 cm"', "as typed – ü", '"5e-1 %"'):
        assert kept in again

    def order(data: Any) -> Any:
        return [(k, order(v)) for k, v in data.items()] if isinstance(data, dict) else data

    assert order(json.loads(again)) == order(json.loads(WRITTEN))
    assert case_to_text(case_from_text(again)) == again


def _set(data: dict[str, Any], path: list[Any], value: Any) -> None:
    for part in path[:-1]:
        data = data[part]
    if value is KeyError:
        del data[path[-1]]
    else:
        data[path[-1]] = value


BRICK: list[Any] = ["body", "regions", "brick"]
MISTAKES: list[tuple[list[Any], Any, str, str]] = [
    ([*BRICK, "size", 0], "12 W", "body.regions.brick.size[0]", "'12 W' is not a length"),
    ([*BRICK, "size", 0], "12", "body.regions.brick.size[0]", "has no unit"),
    ([*BRICK, "size", 0], "0 mm", "body.regions.brick.size[0]", "more than zero"),
    ([*BRICK, "size", 0], 12, "body.regions.brick.size[0]", "has no unit"),
    ([*BRICK, "size", 0], None, "body.regions.brick.size[0]", "a text such as"),
    ([*BRICK, "size"], ["1 m"], "body.regions.brick.size[1]", "missing"),
    ([*BRICK, "size"], "1 m", "body.regions.brick.size", "a list is needed"),
    ([*BRICK, "siez"], ["1 m", "1 m"], "body.regions.brick.siez", "did you mean 'size'"),
    ([*BRICK, "size"], KeyError, "body.regions.brick.size", "missing"),
    ([*BRICK, "shape"], "rectangel", "body.regions.brick.shape", "'rectangle'"),
    ([*BRICK, "material"], "brik", "body.regions.brick.material", "did you mean 'brick'"),
    ([*BRICK, "right_of"], "shell", "body.regions.brick", "placed twice"),
    (["body", "regions", "shell", "right_of"], "blanke", "body.regions.shell.right_of", "did you mean 'blanket'"),
    (["body", "regions", "blanket", "right_of"], "shell", "body.regions.blanket.right_of", "circle"),
    ([*BRICK, "shape"], KeyError, "body.regions.brick.shape", "missing"),
    ([*BRICK, "shape"], "disc", "body.regions.brick.size", "'size' is not known here"),
    ([*BRICK, "shape"], "disc", "body.regions.brick.radius", "missing"),
    (
        ["body", "regions", "pipe"],
        {"shape": "ring", "inner": "3 mm", "outer": "2 mm"},
        "body.regions.pipe",
        "less than",
    ),
    (
        ["body", "regions", "pie"],
        {"shape": "ring sector", "outer": "3 mm", "start": "30", "end": "90°"},
        "body.regions.pie.start",
        "an angle is written like '30°'",
    ),
    (
        ["body", "regions", "pie"],
        {"shape": "ring sector", "outer": "3 mm", "start": "90°", "end": "30°"},
        "body.regions.pie",
        "must lie behind its start",
    ),
    ([*BRICK, "void"], True, "body.regions.brick", "has no material"),
    ([*BRICK, "repeat"], {"count": 3}, "body.regions.brick.repeat", "'step' or 'turn'"),
    (["body", "regions"], {}, "body.regions", "no region"),
    (["body", "regions", "a.b"], {"shape": "rectangle", "size": ["1 m", "1 m"]}, 'body.regions["a.b"]', "not a name"),
    (["body", "kind"], "blob", "body.kind", "'section'"),
    (["body"], KeyError, "body", "missing"),
    (["format"], "blunt-ember/9", "format", "newer than this program"),
    (["format"], "wood", "format", "not a case format"),
    (["format"], KeyError, "format", "missing"),
    (["titel"], "x", "titel", "did you mean 'title'"),
    (["title"], 3, "title", "a text in quotes"),
    (["parameters", "T"], "3 mm", "parameters.T", "kept for the temperature"),
    (["parameters", "t_brick"], "3 mm +", "parameters.t_brick", "stops in the middle"),
    (["parameters", "t_brick"], "t_brick*2", "parameters.t_brick", "defined by itself"),
    (["parameters", "no good"], "1", 'parameters["no good"]', "not a name"),
    (["parameters", "t_brick"], {"a": 1}, "parameters.t_brick", "an object cannot stand here"),
    (["working", "t_brick"], "1", "working.t_brick", "already a parameter"),
    (["working", "q"], "(T_hot - T_air)/k_brick + R", "working.q", "two sides"),
    (["materials", "brick", "k"], "-1 W/(m K)", "materials.brick.k", "more than zero"),
    (["materials", "brick", "k"], "0.35 W/(m K K)", "materials.brick.k", "is not a conductivity"),
    (["surroundings", 0, "temperature"], "-500 °C", "surroundings[0].temperature", "below absolute zero"),
    (["surroundings", 0, "flux"], "1 W/m²", "surroundings[0]", "stands alone"),
    (["surroundings", 0, "temperature"], KeyError, "surroundings[0]", "nothing is stated"),
    (["surroundings", 1, "film", "h"], "12 W/(mm)", "surroundings[1].film.h", "is not a film coefficient"),
    (
        ["surroundings", 1, "film", "temperature"],
        KeyError,
        "surroundings[1].film",
        "say one of 'temperature' and 'environment'",
    ),
    (["surroundings", 0, "on"], [], "surroundings[0]", "on no surface"),
    (["mesh", "local"], [{"size": "1 mm"}], "mesh.local[0]", "'on' a surface or 'at' a point"),
    (["mesh", "growth"], 9, "mesh.growth", "less than or equal to 2"),
    (["surfaces"], {"a.b": "brick.left"}, 'surfaces["a.b"]', "not a name"),
    (["mesh", "order"], 3, "mesh.order", "1 or 2"),
    (["mesh", "size"], "5 W", "mesh.size", "is not a length"),
    (["mesh", "across"], 0, "mesh.across", "greater than or equal to 1"),
    (["questions", 0, "expect"], {"working": "qq"}, "questions[0].expect.working", "did you mean 'q'"),
    (["questions", 0, "expect"], {"working": "R"}, "questions[0].expect.working", "is not a heat flux"),
    (["questions", 0, "expect"], {"value": "12 K", "source": "x"}, "questions[0].expect.value", "is not a heat flux"),
    (["questions", 0, "expect"], {}, "questions[0].expect", "exactly one"),
    (["questions", 0, "tolerance"], "0.1 K", "questions[0].tolerance", "does not fit"),
    (["questions", 0, "tolerance"], "lots", "questions[0].tolerance", "not a tolerance"),
    (["questions", 0, "highest"], "shell.right", "questions[0]", "ask exactly one"),
    (["questions", 2, "basis"], "area", "questions[2]", "belongs to 'heat_flow'"),
    (["questions", 2, "mean"], {"start": ["1 m", "1 m"]}, "questions[2].mean", "has a 'start' and an 'end'"),
    (["questions", 1, "name"], "heat flow", "questions[1].name", "choose another name"),
    (["parameters"], dict.fromkeys(map("p{}".format, range(5001)), "1 mm"), "parameters", "5001 entries, and 5000 are"),
    (["working"], dict.fromkeys(map("w{}".format, range(6000)), "1 mm"), "working", "it has 6000 entries"),
]


@pytest.mark.parametrize(("path", "value", "where", "said"), MISTAKES, ids=lambda v: str(v)[:40])
def test_every_kind_of_mistake_is_reported_with_its_path(
    wall_data: dict[str, Any], path: list[Any], value: Any, where: str, said: str
) -> None:
    _set(wall_data, path, value)
    with pytest.raises(CaseError) as caught:
        case_from_data(wall_data)
    found = [fault.message for fault in caught.value.faults if fault.path == where]
    assert any(said in message for message in found), [str(fault) for fault in caught.value.faults]


def test_all_faults_are_collected_at_once(wall_data: dict[str, Any]) -> None:
    for path, value in ((["titel"], "x"), ([*BRICK, "size", 1], "3 K"), (["parameters", "h_out"], "12 W/(m² K")):
        _set(wall_data, path, value)
    with pytest.raises(CaseError) as caught:
        case_from_data(wall_data)
    assert {"titel", "body.regions.brick.size[1]", "parameters.h_out"} <= {fault.path for fault in caught.value.faults}


@pytest.mark.parametrize(
    ("raw", "said"),
    [
        (b'{"format": "blunt-ember/1",\n "title": }', "line 2, column 11"),
        (b"\xff\xfe\x00", "not UTF-8"),
        (b'{"a": NaN}', "NaN"),
        (b'{"a": 1, "a": 2}', "stands twice"),
        (b"[]", "a JSON object"),
        (b"[" * 200_000, "nested too deep"),
        (b'{"a": "\\ud800"}', "character pair"),
        (b'{"a": ' + b"9" * 5000 + b"}", "digits"),
    ],
)
def test_a_file_that_is_no_case_is_refused(tmp_path: Path, raw: bytes, said: str) -> None:
    path = tmp_path / "broken.ember"
    path.write_bytes(raw)
    with pytest.raises(CaseError) as caught:
        read_case(path)
    assert said in str(caught.value)


_json = st.recursive(
    st.none()
    | st.booleans()
    | st.integers()
    | st.floats()
    | st.text(max_size=8)
    | st.sampled_from(["1 mm", "25 °C", "q"]),
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.text(max_size=6), inner, max_size=3),
    max_leaves=8,
)


@settings(max_examples=150, deadline=None)
@given(place=st.sampled_from([path for path, *_ in MISTAKES]), junk=_json)
def test_junk_anywhere_in_a_case_raises_nothing_but_our_error(place: list[Any], junk: Any) -> None:
    data = json.loads(case_to_text(family("composite-wall").case()))
    _set(data, place, junk)
    case = None
    with contextlib.suppress(CaseError):
        case = case_from_text(json.dumps(data))
    if case is not None:
        assert case_to_text(case_from_text(case_to_text(case))) == case_to_text(case)


@settings(max_examples=200, deadline=None)
@given(st.binary(max_size=200) | st.text(max_size=200).map(str.encode))
def test_junk_instead_of_a_file_raises_nothing_but_our_error(
    tmp_path_factory: pytest.TempPathFactory, raw: bytes
) -> None:
    path = tmp_path_factory.getbasetemp() / "junk.ember"
    path.write_bytes(raw)
    with pytest.raises(CaseError):
        read_case(path)


def test_what_is_no_ordinary_file_is_not_read_nor_written_over(tmp_path: Path) -> None:
    pipe, zero = tmp_path / "pipe.ember", tmp_path / "zero.ember"
    os.mkfifo(pipe)
    zero.symlink_to("/dev/zero")
    case = family("plane-wall").case()
    for path in (pipe, zero):
        with pytest.raises(CaseFileError, match="no ordinary file"):
            read_case(path)
        with pytest.raises(NotWrittenError, match="not written over"):
            write_case(case, path)
    for suffix in (".svg", ".dxf"):
        (tmp_path / f"zero{suffix}").symlink_to("/dev/zero")
        with pytest.raises(BluntEmberError, match="no ordinary file"):
            case_from_foreign(tmp_path / f"zero{suffix}", "mm")
    (tmp_path / "folder.ember").mkdir()
    with pytest.raises(CaseFileError, match="is a folder"):
        read_case(tmp_path / "folder.ember")
    large = tmp_path / "large.ember"
    with large.open("wb") as stream:
        stream.truncate(2**32)
    with pytest.raises(CaseFileError, match="4,096 MB; 64 MB can be read"):
        read_case(large)


@pytest.mark.parametrize("file", ["a\x00b.vtu", "m" * 5000 + ".vtu", "../../x.vtu", "/dev/zero", "/nowhere/x.vtu"])
def test_a_mesh_of_an_impossible_name_is_a_sentence_and_one_from_elsewhere_is_told(file: str, tmp_path: Path) -> None:
    body = {"kind": "imported", "file": file, "unit": "1 mm", "groups": {}}
    case = case_from_data({"format": "blunt-ember/1", "body": body}, str(tmp_path))
    *_, outcome = Flow().outcomes(case)
    assert isinstance(outcome.trouble, BluntEmberError) and "Traceback" not in str(outcome.trouble)
    outside = any("outside the folder of the case" in note.message for note in plausibility(case))
    assert outside == (file.startswith(("..", "/")))


def test_a_file_that_is_written_again_keeps_what_it_has(tmp_path: Path) -> None:
    path, other = tmp_path / "case.ember", tmp_path / "other.ember"
    write_case(family("plane-wall").case(), path)
    path.chmod(0o640)
    os.link(path, other)
    with contextlib.suppress(OSError):  # not on every file system
        os.setxattr(path, "user.origin", b"kiln 2")
    left, young = tmp_path / ".case.ember.abc.part", tmp_path / ".case.ember.xyz.part"
    left.write_text("torn")
    young.write_text("being written")
    os.utime(left, (1, 1))
    write_case(family("composite-wall").case(), path)
    assert path.stat().st_mode & 0o777 == 0o640 and path.samefile(other)
    assert read_case(other).document.title == family("composite-wall").case().document.title
    with contextlib.suppress(OSError):
        assert os.getxattr(path, "user.origin") == b"kiln 2"
    assert not left.exists() and young.exists()
    path.chmod(0o440)
    with pytest.raises(NotWrittenError, match="is read-only"):
        write_case(family("plane-wall").case(), path)
    assert read_case(path).document.title == family("composite-wall").case().document.title


def test_writing_is_whole_or_not_at_all(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    path = tmp_path / "case.ember"
    case = family("plane-wall").case()
    write_case(case, path)
    before = path.read_bytes()

    def full(descriptor: int) -> None:
        raise OSError(28, "No space left on device")

    with monkeypatch.context() as patch:
        patch.setattr(os, "fsync", full)
        with pytest.raises(NotWrittenError, match="no space left"):
            write_case(family("composite-wall").case(), path)
    assert path.read_bytes() == before
    assert [entry.name for entry in tmp_path.iterdir()] == ["case.ember"]
    link = tmp_path / "link.ember"
    link.symlink_to(path)
    write_case(case, link)
    assert link.is_symlink()
    with pytest.raises(CaseFileError, match="no such file"):
        read_case(tmp_path / "none.ember")


def test_older_formats_are_brought_up_step_by_step() -> None:
    steps = {1: lambda data: {**data, "one": True}, 2: lambda data: {**data, "two": data["one"]}}
    assert migrated({"format": "blunt-ember/1"}, steps, 3) == {"format": "blunt-ember/3", "one": True, "two": True}


def test_the_schema_names_every_entry_and_shipped_cases_use_only_those() -> None:
    schema = case_schema()
    kept = Path(__file__).parents[2] / "docs" / "case.schema.json"
    assert json.loads(kept.read_text(encoding="utf-8")) == schema, "run: blunt-ember schema > docs/case.schema.json"
    assert schema["additionalProperties"] is False
    known = {key for part in [schema, *schema["$defs"].values()] for key in part.get("properties", {})}
    for _, case in reference_cases():
        assert set(case.data) <= set(schema["properties"])
        assert {key for question in case.data["questions"] for key in question} <= known


def test_a_case_travels_to_another_process(wall_data: dict[str, Any]) -> None:
    case = case_from_data(wall_data)
    assert pickle.loads(pickle.dumps(case)).document == case.document
