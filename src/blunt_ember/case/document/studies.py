"""Studies of a case: parameters varied, spread, aimed at or fitted."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, model_validator

from blunt_ember.case.document.parts import Part, complain
from blunt_ember.case.values.references import Formula, ParameterName, QuestionName

#: Points of a study at most.
MOST_POINTS = 100_000


class Values(Part):
    """The values a parameter takes: listed, or a number of them from one to another, evenly or by ratio."""

    values: list[Formula] | None = Field(None, min_length=1, max_length=10_000, description="listed one by one")
    start: Formula | None = Field(None, description="the first value")
    end: Formula | None = Field(None, description="the last value")
    count: int | None = Field(None, ge=2, le=10_000, description="how many there are, the first and the last too")
    by: Literal["step", "ratio"] = Field("step", description="whether they are apart by a step or by a ratio")

    @model_validator(mode="after")
    def _one_way(self) -> Values:
        ends = [self.start, self.end, self.count]
        if (self.values is None) == all(each is None for each in ends):
            raise complain("say 'values', or 'start', 'end' and 'count'")
        if self.values is None and any(each is None for each in ends):
            raise complain("say 'start', 'end' and 'count', all three")
        return self


class Spread(Part):
    """How uncertain a parameter is: exactly one of the distributions, which limits may cut off."""

    normal: Formula | None = Field(None, description="standard deviation, an amount or a share such as '10 %'")
    lognormal: Formula | None = Field(None, description="factor that one standard deviation is, such as '1.2'")
    uniform: list[Formula] | None = Field(None, min_length=2, max_length=2, description="lowest and highest value")
    triangular: list[Formula] | None = Field(None, min_length=3, max_length=3, description="lowest, likeliest, highest")
    limits: list[Formula] | None = Field(
        None, min_length=2, max_length=2, description="values beyond which it never is"
    )

    @model_validator(mode="after")
    def _one(self) -> Spread:
        said = [key for key in ("normal", "lognormal", "uniform", "triangular") if getattr(self, key) is not None]
        if len(said) != 1:
            raise complain("say one of 'normal', 'lognormal', 'uniform' and 'triangular'")
        return self


class Sweep(Part):
    """Parameters that take values, crossed with each other or side by side, or those of the rows of a file."""

    kind: Literal["sweep"]
    vary: dict[ParameterName, Values] = Field(default_factory=dict, description="parameters with the values they take")
    together: Literal[True] | None = Field(None, description="side by side, the first values with each other, …")
    errors: Literal[True] | None = Field(None, description="tell what the mesh may have every answer off by, too")
    rows: str | None = Field(None, description="CSV file beside the case: a column for each parameter, a row each case")

    @model_validator(mode="after")
    def _one_way(self) -> Sweep:
        if bool(self.vary) == (self.rows is not None):
            raise complain("say what to 'vary', or the file of 'rows'")
        if self.rows is not None and self.together:
            raise complain("the rows of a file are side by side already; remove 'together'")
        return self

    @property
    def varied(self) -> list[str]:
        """The parameters that take other values, as far as they are stated here."""
        return list(self.vary)


class Sensitivity(Part):
    """How much every answer follows from every parameter."""

    kind: Literal["sensitivity"]
    vary: list[ParameterName] | None = Field(None, min_length=1, description="parameters; all when nothing is said")
    by: Literal["adjoint", "differences"] = Field("adjoint", description="how, where both tell it")

    @property
    def varied(self) -> list[str]:
        """The parameters that take other values, as far as they are stated here."""
        return self.vary or []


class Correlation(Part):
    """How two uncertain parameters go together."""

    parameters: list[ParameterName] = Field(min_length=2, max_length=2, description="the two")
    by: float = Field(ge=-1, le=1, description="correlation, of their normal scores where they are not normal")


class Uncertainty(Part):
    """How uncertain answers are when parameters are."""

    kind: Literal["uncertainty"]
    spread: dict[ParameterName, Spread] = Field(min_length=1, description="parameters with their distributions")
    correlated: list[Correlation] = Field(default_factory=list, description="parameters that go together")
    points: Literal["Sobol", "Latin hypercube"] = Field("Sobol", description="how cases are drawn")
    shares: Literal[True] | None = Field(None, description="tell the shares of parameters with all they do together")
    count: int = Field(256, ge=8, le=MOST_POINTS, description="how many cases are drawn")
    seed: int = Field(1, ge=0, le=2**31, description="another one draws others")

    @property
    def varied(self) -> list[str]:
        """The parameters that take other values, as far as they are stated here."""
        return list(self.spread)


class Aim(Part):
    """The value of a parameter at which an answer is what is wished for, or the first at which it is that at most."""

    kind: Literal["target"]
    vary: ParameterName = Field(description="the parameter that is sought")
    start: Formula = Field(description="one end of where it is looked for")
    end: Formula = Field(description="the other end")
    question: QuestionName = Field(description="the question whose answer is aimed at")
    value: Formula = Field(description="what the answer shall be")
    want: Literal["equal", "at most", "at least"] = Field("equal", description="how the answer shall be to the value")
    seek: Literal["smallest", "largest"] = Field("smallest", description="which parameter, where many will do")

    @property
    def varied(self) -> list[str]:
        """The parameters that take other values, as far as they are stated here."""
        return [self.vary]


class Fitting(Part):
    """Parameters at which answers come nearest to what was measured."""

    kind: Literal["fit"]
    vary: dict[ParameterName, list[Formula]] = Field(
        min_length=1, description="parameters with lowest and highest value"
    )
    measured: dict[QuestionName, Formula] = Field(
        default_factory=dict, description="what was measured, by the question it answers"
    )
    logs: dict[QuestionName, str] = Field(
        default_factory=dict, description="CSV files beside the case: what a question was at many times"
    )
    within: dict[QuestionName, Formula] = Field(
        default_factory=dict, description="standard deviation of what was measured"
    )

    @model_validator(mode="after")
    def _bounds(self) -> Fitting:
        for name, bounds in self.vary.items():
            if len(bounds) != 2:
                raise complain(f"'{name}' wants its lowest and its highest value")
        if not self.measured and not self.logs:
            raise complain("say what was 'measured', or name the 'logs' of it")
        return self

    @property
    def varied(self) -> list[str]:
        """The parameters that take other values, as far as they are stated here."""
        return list(self.vary)


AnyStudy = Annotated[Sweep | Sensitivity | Uncertainty | Aim | Fitting, Field(discriminator="kind")]
