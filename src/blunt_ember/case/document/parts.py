"""What every entry of the document has in common."""

from __future__ import annotations

import re
from typing import Annotated

from pydantic import AfterValidator, BaseModel, ConfigDict
from pydantic_core import PydanticCustomError

NAME_RULE = "a name starts with a letter and holds letters, digits, spaces, - and _"


class Part(BaseModel):
    """Base of every entry: immutable, and an unknown key is a fault."""

    model_config = ConfigDict(extra="forbid", frozen=True, arbitrary_types_allowed=True)


def complain(what: str) -> PydanticCustomError:
    """Return the error for a statement that is wrong as a whole."""
    return PydanticCustomError("statement", "{what}", {"what": what})


def check_name(name: str) -> str:
    """Return ``name`` when it may stand for a region, material or question."""
    if not re.fullmatch(r"[^\W\d_](?:[\w -]*\w)?", name) or len(name) > 60:
        raise complain(f"'{name}' is not a name: {NAME_RULE}")
    return name


Name = Annotated[str, AfterValidator(check_name)]
