"""Runs a module in a Python that cannot find Qt: ``without_qt.py -m pytest …``.

The core must work where PyQt6 is not installed. Building a second environment for that would double the set-up, so
every import of PyQt6 is refused here instead, as a machine without it would, also in the processes that tests start.
"""

import os
import runpy
import sys
import tempfile
from pathlib import Path

BLOCK = """
import sys

class _NoQt:
    def find_spec(self, name, path=None, target=None):
        if name == "PyQt6" or name.startswith("PyQt6."):
            raise ModuleNotFoundError(f"No module named {name!r} (kept out on purpose)", name=name)

sys.meta_path.insert(0, _NoQt())
"""


def main() -> None:
    """Put the block where every Python below this one finds it, then run the module asked for."""
    with tempfile.TemporaryDirectory() as folder:
        Path(folder, "sitecustomize.py").write_text(BLOCK, encoding="utf-8")
        paths = [folder, *filter(None, [os.environ.get("PYTHONPATH")])]
        os.environ["PYTHONPATH"] = os.pathsep.join(paths)
        exec(BLOCK, {})
        sys.argv = sys.argv[2:]
        runpy.run_module(sys.argv[0], run_name="__main__", alter_sys=True)


if __name__ == "__main__":
    main()
