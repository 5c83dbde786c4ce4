"""Which of the exact solutions that change in time a run is."""
