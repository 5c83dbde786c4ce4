"""What every question has in common, and what a solution is asked to answer it."""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Mapping
from typing import Any, ClassVar, Literal, Protocol, cast

from pydantic import Field, model_validator

from blunt_ember.arrays import Floats
from blunt_ember.case.document.clock import WHOLE_BODY, Condition, How
from blunt_ember.case.document.parts import Name, Part, Statement, complain
from blunt_ember.case.document.places import Line, Place, SurfaceNames, is_several
from blunt_ember.case.values.quantity import Quantity, StatedTolerance, Time, Tolerance
from blunt_ember.case.values.references import Formula, WorkingName
from blunt_ember.case.values.units import NUMBER, Kind
from blunt_ember.immutable import immutable

#: What is asked of the radiation of a surface of an enclosure.
RadiatedHow = Literal["net", "emitted", "reflected", "incident", "absorbed", "leaving"]
ReadTarget = SurfaceNames | Line | Place


@immutable
class Reading:
    """A temperature that is read: ``how``, of a surface, region, line or point, and from which region at a joint."""

    how: How
    target: ReadTarget
    side: str | None = None

    @property
    def words(self) -> str:
        """It in words, as a sentence begins."""
        if self.how == "temperature":
            return f"Temperature at ({', '.join(place.text for place in self.place)})"
        measure = self.how.capitalize()
        if isinstance(self.target, Line):
            return f"{measure} temperature {self.target.words}"
        return f"{measure} temperature of {named(self.names)}"

    @property
    def place(self) -> Place:
        """The point it is read at; only of a temperature at one."""
        assert self.how == "temperature"
        return cast(Place, self.target)

    @property
    def names(self) -> SurfaceNames:
        """The surface, region or surfaces it is read from; only where it is no line or point."""
        return self.target if is_several(self.target) else str(self.target)


def reading_of(condition: Condition) -> Reading:
    """Return what a condition that waits for a temperature reads."""
    return Reading(condition.how, condition.target)


def named(target: SurfaceNames) -> str:
    """Return the name of a surface or region, or of several surfaces, in a sentence."""
    if isinstance(target, str):
        return "the body" if target == WHOLE_BODY else target
    *others, last = target
    return f"{', '.join(others)} and {last}" if others else last


class Reader(Protocol):
    """A solution, every instant of a run, or an exact field, as questions read it: values (k,) by instant, in SI.

    What it does not say is NaN. Surfaces and regions go by the names of the document.
    """

    def temperature(self, reading: Reading) -> Floats:
        """Return a temperature, K."""

    def heat_flow(self, surface: SurfaceNames) -> Floats:
        """Return the heat through a surface into the body, or from the first region of an interface, W."""

    def heat_passed(self, surface: SurfaceNames) -> Floats:
        """Return the same summed since the start, J."""

    def heat_stored(self, region: str) -> Floats:
        """Return the heat stored in a region, or the whole body, since the start, J."""

    def radiation(self, surface: SurfaceNames, how: RadiatedHow) -> Floats:
        """Return what a surface of an enclosure emits, receives …, W; the net heat is + into the body."""

    def view_factor(self, first: str, second: str) -> Floats:
        """Return the view factor from a surface of an enclosure, or its opening, to another."""

    def exchanged(self, first: str, second: str) -> Floats:
        """Return the net heat radiated from a surface of an enclosure, or its opening, to another, W."""

    def coupling(self, first: str, second: str, as_it_stands: bool) -> Floats:
        """Return the coupling coefficient of two environments, W/K; of this very state, if that is said."""

    def undisturbed(self, first: str, to: str, sides: Literal["inner", "outer"]) -> Floats:
        """Return what the walls between two environments would pass without what joins them, W/(m K)."""

    def undisturbed_flat(self, first: str, to: str) -> Floats:
        """Return what the flat wall between two environments would pass without what passes it, W/K."""

    def temperature_factor(self, room: str) -> Floats:
        """Return the least temperature factor of the surfaces that face an environment."""

    def surface_humidity(self, room: str, humidity: float) -> Floats:
        """Return the relative humidity at the coldest place of the surfaces that face an environment of a humidity."""

    def depth(self) -> float:
        """Return what a section stands for, m; NaN for other bodies."""

    def answer(self, question: str) -> Floats:
        """Return the answer to another question, by its name."""

    def area(self, surface: SurfaceNames) -> float:
        """Return the area of a surface or of several together, m²."""

    def time_of(self, condition: Condition) -> float:
        """Return when a condition is met, s."""


class Expectation(Part):
    """What the answer should be, and where that comes from: exactly one of the three."""

    value: Formula | None = Field(None, description="a value with its unit; wants a 'source'")
    source: str | None = Field(None, description="where the value comes from")
    working: WorkingName | None = Field(None, description="name of a line of the Working")
    exact: str | None = Field(None, description="name of an exact solution, such as 'composite-wall'")

    @model_validator(mode="after")
    def _one_origin(self) -> Expectation:
        origins = [key for key in ("value", "working", "exact") if getattr(self, key) is not None]
        if len(origins) != 1:
            said = " and ".join(f"'{key}'" for key in origins) or "none of them"
            raise complain(f"say exactly one of 'value', 'working' and 'exact' (now: {said})")
        if self.source is not None and self.value is None:
            raise complain("'source' belongs to 'value'; a working line and an exact solution name themselves")
        return self


class Question(Statement):
    """One number asked of the solution, with what is expected of it.

    A kind of question has one field of the name it ``asks`` by; it says what it reads, in words and of any
    :class:`Reader`, and everything else follows: the mesh answer, its history, the exact answer.
    """

    #: The key that tells it from other kinds.
    asks: ClassVar[str]
    #: Whether only a clock that runs can answer it.
    of_time: ClassVar[bool] = False

    name: Name
    expect: Expectation | None = None
    tolerance: StatedTolerance = Field(
        default_factory=lambda: Tolerance("0.5 %", 0.005, NUMBER), description="such as '0.5 %' or '0.1 K'"
    )

    @classmethod
    def named(cls, data: Mapping[str, Any], name: str) -> str:
        """It has a name."""
        return f"the question '{data['name']}'"

    @classmethod
    def stands(cls, data: Mapping[str, Any]) -> bool:
        """It cannot do without anything it asks about."""
        return False

    @property
    def target(self) -> Any:
        """The surface or surfaces, region, line or point the answer is read from, or the condition."""
        asked = getattr(self, self.asks)
        return tuple(asked) if isinstance(asked, list) else asked

    @property
    @abstractmethod
    def kind(self) -> Kind:
        """The kind of quantity the answer is."""

    @property
    def readings(self) -> tuple[Reading, ...]:
        """The temperatures it reads."""
        return ()

    @property
    def over(self) -> tuple[str, ...]:
        """The questions it follows from, by their names."""
        return ()

    @property
    def enclosed(self) -> tuple[str, ...]:
        """The surfaces, or openings, of one enclosure that it asks about."""
        return ()

    @property
    def environments(self) -> tuple[str, ...]:
        """The environments that it asks about."""
        return ()

    @property
    def condition(self) -> Condition | None:
        """What it waits for, where it asks for a time."""
        return None

    @property
    def asked_time(self) -> Quantity | None:
        """The time on the clock it is asked for; the end where nothing is said."""
        return None

    @abstractmethod
    def read(self, reader: Reader) -> Floats:
        """Return its answer by instant, in SI."""

    @abstractmethod
    def sentence(self, heat_basis: str, runs: bool) -> str:
        """Return it in words; ``heat_basis`` tells what a heat flow of the body is for, ``runs`` whether the clock
        does."""


class QuestionInTime(Question):
    """A question that may be asked for a time on the clock."""

    time: Time | None = Field(None, description="time on the clock it is asked for; the end when nothing is said")

    @property
    def asked_time(self) -> Quantity | None:
        """As stated."""
        return self.time

    def at_words(self, runs: bool, word: str = "at", end: str = "at the end") -> str:
        """Return when it is asked for, to stand at the end of a sentence."""
        return f", {word} {self.time.text}" if self.time is not None else f", {end}" if runs else ""
