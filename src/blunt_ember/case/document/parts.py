"""What every entry of the document has in common."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Annotated, Any

from pydantic import AfterValidator, BaseModel, ConfigDict
from pydantic_core import PydanticCustomError

NAME_RULE = "a name starts with a letter and holds letters, digits, spaces, - and _"


class Part(BaseModel):
    """Base of every entry: immutable, and an unknown key is a fault."""

    model_config = ConfigDict(extra="forbid", frozen=True, arbitrary_types_allowed=True, defer_build=True)


class Statement(Part):
    """An entry that stands by itself in a list of such; it goes when what it is stated on is gone."""

    @classmethod
    def named(cls, data: Mapping[str, Any], name: str) -> str:
        """Return what the statement with some data is called, as far as it speaks of the ``name``."""
        return f"the statement on {name}"

    @classmethod
    def stands(cls, data: Mapping[str, Any]) -> bool:
        """Tell whether it says something yet with what is left of its data; a list must not be empty."""
        return any(data.get(key) not in (None, []) for key in ("on", "region"))


def one_or_more(stated: str | list[str] | None) -> tuple[str, ...]:
    """Return the names of an entry that may be one name, a list of them, or left out."""
    return (stated,) if isinstance(stated, str) else tuple(stated or ())


def complain(what: str) -> PydanticCustomError:
    """Return the error for a statement that is wrong as a whole."""
    return PydanticCustomError("statement", "{what}", {"what": what})


def check_name(name: str) -> str:
    """Return ``name`` when it may stand for a region, material or question."""
    if not re.fullmatch(r"[^\W\d_](?:[\w -]*\w)?", name) or len(name) > 60:
        raise complain(f"'{name}' is not a name: {NAME_RULE}")
    return name


Name = Annotated[str, AfterValidator(check_name)]
