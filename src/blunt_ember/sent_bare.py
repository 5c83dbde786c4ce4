"""What is sent to another process as it was stated, without what it has worked out since."""

from __future__ import annotations

from dataclasses import fields
from typing import Any


class SentBare:
    """Leaves all but its fields behind, so that large tables it can make again do not go through a pipe."""

    def __getstate__(self) -> dict[str, Any]:
        """The fields alone."""
        return {each.name: getattr(self, each.name) for each in fields(self)}  # type: ignore[arg-type]
