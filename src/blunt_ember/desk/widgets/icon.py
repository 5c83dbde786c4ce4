"""Where the icon is."""

from pathlib import Path

#: Our mark: a blunt cone that glows.
ICON = Path(__file__).with_name("blunt-ember.svg")
