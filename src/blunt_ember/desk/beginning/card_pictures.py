"""Pictures of cards: drawn once, by a process beside the window, and kept for the starts to come."""

from __future__ import annotations

import hashlib
import os
import shutil
from contextlib import suppress
from functools import cache
from pathlib import Path
from tempfile import TemporaryDirectory

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtGui import QImage

import blunt_ember
from blunt_ember.desk.beginning.sketches import image_of_pixels
from blunt_ember.desk.solver.child_process import ChildProcess
from blunt_ember.picture.cards import CardRequest, serve_cards
from blunt_ember.written_file import NotWrittenError, written


class CardPictures(QObject):
    """Draws pictures one after the other; the process that does is there while it is wanted."""

    #: A request and its picture, which is none where there is nothing to draw.
    drawn = pyqtSignal(object, QImage)
    #: No more will come.
    failed = pyqtSignal()

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        #: Whether a picture was asked for that has not come.
        self.busy = False
        self._process: ChildProcess | None = None
        self._scratch: TemporaryDirectory[str] | None = None

    def kept(self, request: CardRequest) -> QImage | None:
        """Return a picture that was drawn before by this very program."""
        image = QImage(str(_path(request)))
        if image.isNull():
            return None
        image.setDevicePixelRatio(request.ratio)
        return image

    def draw(self, request: CardRequest) -> None:
        """Draw a picture; it comes some time."""
        if self._process is None:
            self._scratch = TemporaryDirectory(prefix="blunt-ember-", ignore_cleanup_errors=True)
            self._process = ChildProcess(serve_cards, (self._scratch.name,), "gallery", self)
            self._process.said.connect(self._receive)
            self._process.lost.connect(self._give_up)
        self.busy = self._process.send(request)

    def end(self) -> None:
        """Draw no more for now."""
        if self._process is not None and self._scratch is not None:
            self._process.end()
            self._scratch.cleanup()
        self._process = self._scratch = None
        self.busy = False

    def _give_up(self) -> None:
        self.end()
        self.failed.emit()

    def _receive(self, news: object) -> None:
        if not isinstance(news, tuple):  # it says what stopped it
            self._give_up()
            return
        self.busy = False
        request, pixels = news
        image = QImage() if pixels is None else image_of_pixels(pixels, request.ratio)
        if not image.isNull():
            _keep(image, _path(request))
        self.drawn.emit(request, image)


def _path(request: CardRequest) -> Path:
    width, height = request.size
    kind = "blank " if request.blank else ""
    return _folder() / f"{kind}{request.name}, {request.theme.name}, {width}x{height}, {request.ratio:g}.png"


@cache
def _folder() -> Path:
    """The folder of what this program drew, in the XDG cache folder: any other may draw otherwise."""
    root = Path(blunt_ember.__file__).parent
    digest = hashlib.sha256()
    for path in sorted(root.rglob("*.py")):
        known = path.stat()
        digest.update(f"{path} {known.st_mtime_ns} {known.st_size}\n".encode())
    cached = os.environ.get("XDG_CACHE_HOME") or str(Path.home() / ".cache")
    return Path(cached) / "blunt-ember" / "cards" / digest.hexdigest()[:16]


def _keep(image: QImage, path: Path) -> None:
    """Keep a picture, and none of other programs; where that can't be done it is drawn again another time."""
    with suppress(OSError, NotWrittenError):
        if not path.parent.exists():
            shutil.rmtree(path.parent.parent, ignore_errors=True)
            path.parent.mkdir(parents=True, exist_ok=True)
        with written(path, lasting=False) as scratch:
            image.save(str(scratch), "PNG")
