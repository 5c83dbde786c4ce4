"""The sheet as data: sentences made of words, entries and choices, each with the edit it stands for."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any, Literal

from blunt_ember.case.case import Case
from blunt_ember.case.editing.edits import appended, parameter_at, value_at, with_typed_value, with_value, without
from blunt_ember.case.editing.parameters import BLOCKS, as_parameter, named_value, parameter_name, with_own_value
from blunt_ember.case.values.display import both_scales, shown_value
from blunt_ember.case.values.evaluation import evaluate
from blunt_ember.case.values.expressions import parse
from blunt_ember.case.values.formula_tree import Literal as NumberLiteral
from blunt_ember.case.values.laws import PLACE, Table
from blunt_ember.case.values.tables import law_at
from blunt_ember.case.values.unit_sets import DEFAULT_UNITS
from blunt_ember.case.values.units import TEMPERATURE, Kind, describe_dimension
from blunt_ember.errors import DataPath, ExpressionError, path_text
from blunt_ember.immutable import immutable

Edit = Callable[[Case], Case]
TypedEdit = Callable[[Case, str], Case]


@immutable
class Word:
    """Text that is read, not edited; ``role`` picks its look."""

    text: str
    role: str = ""
    #: Surfaces that are lit up on the picture while the word is pointed at.
    points: tuple[str, ...] = ()


@immutable
class Tabled:
    """A place where a table may stand: its path, the kind of its values, and what it may go over."""

    path: tuple[str | int, ...]
    kind: Kind
    variables: tuple[str, ...]


@immutable
class CurveOfLaw:
    """A table, drawn as a small curve; a click opens it."""

    key: str
    text: str
    table: Table
    tabled: Tabled

    @property
    def at(self) -> DataPath:
        """The place of the document that it states."""
        return self.tabled.path


@immutable
class Entry:
    """Text that is typed in place; ``key`` names it, ``hint`` says what belongs there."""

    key: str
    text: str
    hint: str
    edit: TypedEdit
    style: Literal["value", "name", "formula"] = "value"
    #: The place of the document that it states.
    at: DataPath = ()
    #: Where a table may be pasted instead: what it would stand for.
    tabled: Tabled | None = None
    #: What else can be done with it, in its context menu.
    more: tuple[Option, ...] = ()
    #: What stands there faintly while it is empty.
    example: str = ""


@immutable
class DrawOutline:
    """The window is asked to let an outline be drawn."""


@immutable
class KeepMaterial:
    """The window is asked to keep a material of the case among the analyst's own."""

    name: str


@immutable
class DoStudy:
    """The window is asked to do a study of the case, and to show it."""

    name: str


Asked = DrawOutline | KeepMaterial | DoStudy


@immutable
class Option:
    """One thing to choose: an edit, or more options."""

    text: str
    edit: Edit | None = None
    options: tuple[Option, ...] = ()
    #: Something the window does rather than an edit.
    asks: Asked | None = None
    #: More options, made when they are looked at: many rows may offer the same long list.
    later: Callable[[], tuple[Option, ...]] | None = None

    @property
    def within(self) -> tuple[Option, ...]:
        """The options that it leads to, none where it is taken itself."""
        return self.options if self.later is None else self.later()


@immutable
class Choice:
    """A word that opens its alternatives; ``is_open`` marks what is still to be stated."""

    key: str
    text: str
    options: tuple[Option, ...]
    role: Literal["choice", "plain choice", "link", "parameter"] = "choice"
    is_open: bool = False
    points: tuple[str, ...] = ()
    #: Whether a click does its one option at once.
    direct: bool = False
    #: The place of the document that it states.
    at: DataPath = ()


@immutable
class Remove:
    """A sign that takes its row out of the case; ``goes_too`` names what else of a case that takes with it."""

    key: str
    hint: str
    edit: Edit
    goes_too: Callable[[Case], list[str]] = lambda case: []
    #: The place of the document that its row states.
    at: DataPath = ()


@immutable
class Grip:
    """A handle that moves its row, the one of a ``name`` at a ``place`` among its like, by so many places."""

    name: str
    place: int
    move: Callable[[int], Edit]


SentencePart = Word | Entry | Choice | Remove | CurveOfLaw | Grip
SheetRow = tuple[SentencePart, ...]


@immutable
class SheetSection:
    """A heading with its state in a few words, and rows under it."""

    title: str
    state: str
    rows: tuple[SheetRow, ...]
    #: The block of the document it speaks of.
    block: str = ""


def entry(case: Case, path: DataPath, hint: str) -> list[SentencePart]:
    """Return the parts for a quantity: the parameter it follows, the entry, and its value where that is not plain.

    What is typed over a bare parameter goes to the parameter; ``name = value`` makes one.
    """
    parameter = parameter_at(case, path)
    raw = value_at(case.data, ("parameters", parameter) if parameter else path, "")
    text = str(raw)
    parts: list[SentencePart] = [_parameter_choice(case, path, parameter)] if parameter else []
    if parameter:
        hint = f"{hint}. It follows the parameter {parameter}: a value typed here changes it wherever it is used"
        more = (_own_value(case, path, parameter),)
    else:
        hint = f"{hint}. Type 'name = value' to make it a parameter"
        more = (Option("make it a parameter", lambda now: as_parameter(now, path, parameter_name(now, path))),)
    typed_value = Entry(path_text(path), text, hint, lambda now, typed: _typed_value(now, path, typed), at=path)
    parts.append(replace(typed_value, more=more if path[0] not in BLOCKS else ()))
    note = value_note(case, text)
    return [*parts, Word(note, "quiet")] if note else parts


def _typed_value(case: Case, path: DataPath, typed: str) -> Case:
    named = named_value(typed)
    return with_typed_value(case, path, typed) if named is None else as_parameter(case, path, *named)


def _parameter_choice(case: Case, path: DataPath, parameter: str) -> Choice:
    """The parameter a value follows, which it may leave for another one, or for a value of its own."""
    options = [_own_value(case, path, parameter)]
    options += [
        Option(f"{name} = {text}", setting(path, name))
        for name, text in case.data["parameters"].items()
        if name != parameter and _alike(case, name, parameter)
    ]
    return Choice(f"parameter at {path_text(path)}", f"{parameter} =", tuple(options), "parameter")


def _own_value(case: Case, path: DataPath, parameter: str) -> Option:
    own = case.data["parameters"][parameter]
    return Option(f"a value of its own: {own}", lambda now: with_own_value(now, path))


def _alike(case: Case, one: str, other: str) -> bool:
    """Whether two parameters are of one dimension."""
    values = [case.names[name] for name in (one, other) if name in case.names]
    return len(values) == 2 and values[0].dimension == values[1].dimension


def law_entry(case: Case, path: DataPath, hint: str, kind: Kind, variables: str = "") -> list[SentencePart]:
    """Return the parts for a value that may be a table over one of ``variables``, words apart by spaces."""
    names = tuple(variables.split()) or (*PLACE, "T")
    if case.document.running_clock is not None and names[0] in PLACE:
        names = (*names, "t")
    tabled = Tabled(tuple(path), kind, names)
    law = law_at(case, path)
    if law is not None and law.table is not None:
        return [CurveOfLaw(path_text(path), f"{len(law.table.xs)} rows over {law.table.over}", law.table, tabled)]
    return [replace(part, tabled=tabled) if isinstance(part, Entry) else part for part in entry(case, path, hint)]


def as_table(case: Case, path: tuple[str | int, ...], words: str, kind: Kind, over: str = "T") -> Option:
    """Return the option that makes a value a table of two rows, or a table the first of its values again."""
    law = law_at(case, path)
    if law is not None and law.table is not None:
        first = value_at(case.data, path)["table"][0][1]
        return Option(f"{words} as one value", setting(path, first))
    stated = str(value_at(case.data, path, kind.example))
    value = stated if law is not None and not law.variables else kind.example
    ends = {"T": ("20 °C", "400 °C"), "t": ("0 s", "1 hour")}.get(over, ("0 mm", "100 mm"))
    table: dict[str, Any] = {"table": [[ends[0], value], [ends[1], value]]}
    if over != "T":
        table["over"] = over
    return Option(f"{words} as a table over {over}", setting(path, table))


def place_entries(case: Case, path: DataPath, count: int = 3) -> list[SentencePart]:
    """Return the entries for the coordinates of a place, ``count`` of them at most."""
    parts: list[SentencePart] = []
    for number, letter in enumerate(case.document.body.coordinates[:count]):
        parts += [*([Word(",")] if number else []), *entry(case, (*path, number), f"{letter}, such as 20 mm")]
    return parts


def value_note(case: Case, text: str) -> str:
    """Say the value of a formula, and a temperature on the scale that was not typed; nothing for a plain quantity."""
    try:
        tree, value = parse(text), evaluate(text, case.names)
    except ExpressionError:
        return ""
    plain = isinstance(tree, NumberLiteral)
    kind = case.units.of_dimension(value.dimension)
    typed_unit = text.strip().lstrip("-+−0123456789.eE\u2009\u202f\u00a0 ")
    if describe_dimension(value.dimension) == TEMPERATURE.name and value.readings != 0:
        scales = both_scales(float(value.magnitude), kind).split(" = ")
        # Of a plain reading the scale it was typed on needs no saying.
        return "".join(f" = {said}" for said in scales if not (plain and said.endswith(f" {typed_unit}"))).strip()
    if plain and (case.units == DEFAULT_UNITS or typed_unit.replace(" ", "") == kind.shown.replace(" ", "")):
        return ""
    return f"= {shown_value(value, case.units)}"


def setting(path: tuple[str | int, ...], value: Any) -> Edit:
    """Return the edit that puts ``value`` at ``path``."""
    return lambda now: with_value(now, path, value)


def typing(path: tuple[str | int, ...]) -> TypedEdit:
    """Return the edit that puts what was typed at ``path``."""
    return lambda now, typed: with_value(now, path, typed.strip())


def removing(path: tuple[str | int, ...]) -> Edit:
    """Return the edit that takes the entry at ``path`` out."""
    return lambda now: without(now, path)


def length_text(metres: float) -> str:
    """Return a length that the program chose, as a case states it."""
    return f"{metres * 1000 + 0.0:.6g} mm"


def adding(path: tuple[str | int, ...], what: Any) -> Edit:
    """Return the edit that appends to the list at ``path``."""
    return lambda now: appended(now, path, what)
