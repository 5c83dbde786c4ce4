"""What a window and its processes put aside while it lives: in folders that bear its mark, so that nothing stays."""

from __future__ import annotations

import os
import shutil
import tempfile
from multiprocessing.util import Finalize
from pathlib import Path

from blunt_ember.process_mark import is_alive, own_mark

#: What such a folder begins with.
SCRATCH = "blunt-ember-"
#: After all that multiprocessing itself takes away.
_LAST = -1000


def put_aside_together() -> None:
    """Let all that this process and those it starts put aside lie in one folder, which goes with it."""
    folder = tempfile.mkdtemp(prefix=f"{SCRATCH}{own_mark()}-")
    tempfile.tempdir = os.environ["TMPDIR"] = folder
    Finalize(None, shutil.rmtree, [folder], {"ignore_errors": True}, exitpriority=_LAST)


def sweep() -> None:
    """Take away the folders of windows that are no more."""
    for folder in Path(tempfile.gettempdir()).glob(f"{SCRATCH}*-*"):
        mark = "-".join(folder.name.removeprefix(SCRATCH).split("-")[:2])
        own = folder.is_dir() and not folder.is_symlink() and folder.stat().st_uid == os.getuid()
        if own and mark.replace("-", "").isdigit() and not is_alive(mark):
            shutil.rmtree(folder, ignore_errors=True)
