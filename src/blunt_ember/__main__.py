"""``python -m blunt_ember``."""

from blunt_ember.cli import main

if __name__ == "__main__":
    raise SystemExit(main())
