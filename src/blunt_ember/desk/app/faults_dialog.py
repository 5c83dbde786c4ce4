"""What is wrong with a file, shown as a list of places and reasons."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtWidgets import QDialog, QDialogButtonBox, QLabel, QPlainTextEdit, QVBoxLayout, QWidget

from blunt_ember.errors import BluntEmberError, CaseError


class FaultsDialog(QDialog):
    """Lists every fault with its path in the file; nothing on the desk has changed."""

    def __init__(self, path: Path, error: BluntEmberError, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("faults")
        self.setWindowTitle("This file cannot be opened")
        self.resize(620, 320)
        layout = QVBoxLayout(self)
        faults = error.faults if isinstance(error, CaseError) else ()
        count = f"{len(faults)} thing{'s' if len(faults) > 1 else ''} to mend in {path.name}" if faults else path.name
        title = QLabel(count, self)
        title.setProperty("role", "strong")
        layout.addWidget(title)
        self.text = QPlainTextEdit(str(error), self)
        self.text.setReadOnly(True)
        layout.addWidget(self.text)
        kept = QLabel(f"{path}\nThe file was not changed, and the case on the desk is as it was.", self)
        kept.setProperty("role", "quiet")
        kept.setWordWrap(True)
        layout.addWidget(kept)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close, self)
        buttons.rejected.connect(self.reject)
        layout.addWidget(buttons)
