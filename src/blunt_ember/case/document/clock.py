"""When the clock starts, how it ends, and what changes in between."""

from __future__ import annotations

from typing import Annotated, Any, Literal, get_args

from pydantic import Discriminator, Field, Tag, model_validator

from blunt_ember.case.document.parts import Name, Part, complain
from blunt_ember.case.document.places import Line, Place
from blunt_ember.case.document.surface_laws import StartTemperature
from blunt_ember.case.document.surroundings import Surrounding
from blunt_ember.case.values.quantity import (
    Difference,
    Lapse,
    Rate,
    StatedTolerance,
    TemperatureReading,
    Time,
    Tolerance,
)
from blunt_ember.case.values.references import RegionName, SurfaceName, SurfaceOrRegionName
from blunt_ember.case.values.units import NUMBER

#: A larger share of the span of temperatures is a slip, or no answer.
_ROUGHEST = 0.2

#: What stands for the whole body where a surface or a region may stand.
WHOLE_BODY = "body"
#: Where a temperature is read that is to pass.
Where = SurfaceOrRegionName | list[SurfaceName] | Line
How = Literal["temperature", "highest", "lowest", "mean"]
READ_KEYS: tuple[How, ...] = get_args(How)


class Condition(Part):
    """A condition that is met in the course of time: exactly one of ``passes``, ``near``, ``settled``, ``slower``."""

    passes: TemperatureReading | None = Field(None, description="a temperature that is passed")
    going: Literal["up", "down"] | None = Field(None, description="with 'passes': only this way counts")
    temperature: Place | None = Field(None, description="with 'passes': at this point")
    highest: Where | None = Field(None, description="with 'passes': highest on a surface, …")
    lowest: Where | None = Field(None, description="with 'passes': lowest on a surface, …")
    mean: Where | None = Field(None, description="with 'passes': mean over a surface, …")
    near: TemperatureReading | None = Field(None, description="every temperature of the body lies near this one")
    within: Difference | None = Field(None, description="with 'near': how near; 1 K when nothing is said")
    settled: Difference | None = Field(None, description="every temperature is this near to the steady answer")
    slower: Rate | None = Field(None, description="every temperature changes more slowly than this")

    @model_validator(mode="after")
    def _one_way(self) -> Condition:
        said = [key for key in CONDITIONS if getattr(self, key) is not None]
        if len(said) != 1:
            raise complain(f"say exactly one of {', '.join(repr(key) for key in CONDITIONS)}")
        read = [key for key in READ_KEYS if getattr(self, key) is not None]
        if self.passes is None and read:
            raise complain(f"'{read[0]}' belongs to 'passes'")
        if self.passes is not None and len(read) != 1:
            raise complain(f"say what 'passes': one of {', '.join(repr(key) for key in READ_KEYS)}")
        if self.going is not None and self.passes is None:
            raise complain("'going' belongs to 'passes'")
        if self.within is not None and self.near is None:
            raise complain("'within' belongs to 'near'")
        return self

    @property
    def way(self) -> str:
        """Which of :data:`CONDITIONS` it is."""
        return next(key for key in CONDITIONS if getattr(self, key) is not None)

    @property
    def how(self) -> How:
        """Which of :data:`READ_KEYS` is to pass."""
        return next(key for key in READ_KEYS if getattr(self, key) is not None)

    @property
    def target(self) -> Any:
        """The point, line, region, surface or surfaces of what is to pass."""
        where = getattr(self, self.how)
        return tuple(where) if isinstance(where, list) else where


CONDITIONS = ("passes", "near", "settled", "slower")


class ClockStage(Part):
    """A part of the time with surroundings of its own; it begins where the one before it ended."""

    name: Name
    lasts: Lapse | None = Field(None, description="how long it lasts at most")
    until: Condition | None = Field(None, description="what ends it sooner")
    surroundings: list[Surrounding] = Field(
        default_factory=list, description="in place of everything else stated on these surfaces"
    )
    every: Lapse | None = Field(None, description="how often fields are kept in this stage")

    @model_validator(mode="after")
    def _ends(self) -> ClockStage:
        if self.lasts is None and self.until is None:
            raise complain("say how the stage ends: how long it 'lasts', or 'until' when")
        return self


def _start_tag(stated: Any) -> str:
    return "as steady" if stated == "steady" else "law"


class Clock(Part):
    """From a start to an end; what ends it is the first of ``end`` and ``until``, or the last of the ``stages``."""

    start: Annotated[
        Annotated[StartTemperature, Tag("law")] | Annotated[Literal["steady"], Tag("as steady")],
        Discriminator(_start_tag),
    ] = Field(description="temperature, or 'steady': the steady answer of what is stated at time zero")
    start_in: dict[RegionName, StartTemperature] = Field(default_factory=dict, description="that of single regions")
    end: Lapse | None = Field(None, description="time at which it ends at the latest")
    until: Condition | None = Field(None, description="what ends it sooner")
    stages: list[ClockStage] = Field(default_factory=list)
    every: Lapse | None = Field(None, description="how often fields are kept; every step when nothing is said")
    at: list[Time] = Field(default_factory=list, description="further times at which fields are kept")
    tolerance: StatedTolerance = Field(
        default_factory=lambda: Tolerance("0.1 %", 0.001, NUMBER),
        description="error of time stepping: a share of the span of temperatures, or an amount such as '0.1 K'",
    )
    step: Lapse | None = Field(None, description="a fixed step, in place of steps by tolerance")
    capacity: Literal["consistent", "lumped"] = Field("consistent", description="where cells keep their heat")

    @model_validator(mode="after")
    def _one_end(self) -> Clock:
        if self.stages and (self.end is not None or self.until is not None):
            raise complain("the stages say when the clock ends; remove 'end' and 'until', or put them into a stage")
        if self.tolerance.kind.name not in ("a plain number", "a temperature difference") or self.tolerance.amount <= 0:
            raise complain(f"'{self.tolerance.text}' is not possible; write a share such as '0.1 %' or '0.1 K'")
        if self.tolerance.kind == NUMBER and self.tolerance.amount > _ROUGHEST:
            share = f"{100 * self.tolerance.amount:.4g} %"
            raise complain(f"'{self.tolerance.text}' is {share} of all that differs; write at most {_ROUGHEST:.0%}")
        names = [stage.name for stage in self.stages]
        twice = next((name for name in names if names.count(name) > 1), None)
        if twice is not None:
            raise complain(f"two stages are named '{twice}'; choose another name")
        return self


def _clock_tag(stated: Any) -> str:
    return "runs" if isinstance(stated, dict | Clock) else "still"


AnyClock = Annotated[
    Annotated[Clock, Tag("runs")] | Annotated[Literal["steady"], Tag("still")], Discriminator(_clock_tag)
]
