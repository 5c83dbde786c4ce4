"""Which program computes: rows of another one are not taken for its own."""

from __future__ import annotations

import hashlib
from functools import cache
from pathlib import Path

import blunt_ember

#: Folders that no answer depends on.
_FRONT = ("desk", "cli", "report", "picture", "sentences", "library", "noted", "gallery")


@cache
def program_version() -> str:
    """Return the version of the program, with a digest of the sources that answers depend on."""
    root = Path(blunt_ember.__file__).parent
    digest = hashlib.sha256()
    for path in sorted(root.rglob("*.py")):
        within = path.relative_to(root)
        if within.parts[0] not in _FRONT:
            digest.update(str(within).encode() + path.read_bytes())
    return f"{blunt_ember.__version__} ({digest.hexdigest()[:12]})"
