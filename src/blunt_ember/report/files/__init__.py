"""Files of other kinds that are read and written."""
