"""The stage: the body, looked at and pointed at."""
