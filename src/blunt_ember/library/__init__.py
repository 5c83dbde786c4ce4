"""Generic materials that come with the program, and those an analyst keeps."""
