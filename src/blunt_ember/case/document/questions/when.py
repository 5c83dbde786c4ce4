"""The time at which a condition is met."""

from __future__ import annotations

from typing import ClassVar

import numpy as np
from pydantic import Field

from blunt_ember.arrays import Floats
from blunt_ember.case.document.clock import Condition
from blunt_ember.case.document.questions.question import Question, Reader, reading_of
from blunt_ember.case.values.units import TIME, Kind


class WhenQuestion(Question):
    """When a condition is met."""

    asks: ClassVar[str] = "when"
    of_time: ClassVar[bool] = True
    when: Condition = Field(description="the time at which a condition is met")

    @property
    def kind(self) -> Kind:
        """A time."""
        return TIME

    @property
    def condition(self) -> Condition | None:
        """As stated."""
        return self.when

    def read(self, reader: Reader) -> Floats:
        """The time."""
        return np.array([reader.time_of(self.when)])

    def sentence(self, heat_basis: str, runs: bool) -> str:
        """When everything is within 1 K of 25 °C."""
        return f"When {condition_words(self.when)}"


def condition_words(condition: Condition) -> str:
    """Return a condition in words, to stand behind ``when``."""
    if condition.passes is not None:
        reading = reading_of(condition).words
        going = f", going {condition.going}" if condition.going is not None else ""
        return f"the {reading[0].lower()}{reading[1:]} passes {condition.passes.text}{going}"
    if condition.near is not None:
        within = condition.within.text if condition.within is not None else "1 K"
        return f"everything is within {within} of {condition.near.text}"
    if condition.settled is not None:
        return f"everything is within {condition.settled.text} of the steady answer"
    assert condition.slower is not None
    return f"nothing changes faster than {condition.slower.text}"
