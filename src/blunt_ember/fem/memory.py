"""Whether a solve fits into memory, judged before it begins."""

from __future__ import annotations

import resource
from pathlib import Path

from blunt_ember.errors import SolverError
from blunt_ember.mesh.mesh import Mesh

#: Bytes at the peak for each entry of the cells' matrices; measured: 39 with 1.07 million nodes of hexahedra of 27
#: nodes, 45 with 1.03 million of 8.
BYTES_AN_ENTRY = 46
#: The same of cells on a lattice, whose matrices are made without sorting; measured: 29 and 26, and 23 and 20 where
#: cells conduct evenly.
BYTES_ON_LATTICE = 31
#: What is left to the rest of the machine.
_SHARE = 0.9


def needed_bytes(mesh: Mesh) -> int:
    """Return an estimate of the most memory that assembly and solve take at once."""
    each = BYTES_AN_ENTRY if mesh.lattice is None else BYTES_ON_LATTICE
    return each * sum(block.nodes.shape[0] * block.nodes.shape[1] ** 2 for block in mesh.blocks)


def free_bytes() -> int | None:
    """Return the memory that is free, or may be had before a limit of the process; None where it cannot be told."""
    known = []
    try:
        lines = Path("/proc/meminfo").read_text(encoding="ascii").splitlines()
        known += [int(line.split()[1]) * 1024 for line in lines if line.startswith("MemAvailable:")]
        used = int(Path("/proc/self/statm").read_text(encoding="ascii").split()[0]) * resource.getpagesize()
        limit = resource.getrlimit(resource.RLIMIT_AS)[0]
        known += [limit - used] if limit != resource.RLIM_INFINITY else []
    except (OSError, ValueError, IndexError):
        return min(known, default=None)
    return min(known, default=None)


def require_memory(mesh: Mesh) -> None:
    """Raise :class:`SolverError` with the estimate where a solve would not fit."""
    free, needed = free_bytes(), needed_bytes(mesh)
    if free is not None and needed > _SHARE * free:
        nodes = f"{mesh.node_count:,}".replace(",", "\u2009")
        raise SolverError(
            f"solving {nodes} nodes takes about {needed / 1e9:.1f} GB of memory, and "
            f"{max(free, 0) / 1e9:.1f} GB are free; state a larger mesh size"
        )
