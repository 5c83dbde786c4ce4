"""``python -m blunt_ember``."""

from blunt_ember.cli.main import main

if __name__ == "__main__":
    raise SystemExit(main())
