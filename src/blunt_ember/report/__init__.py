"""Results as text and files: tables now, written by the command line and the demo."""
