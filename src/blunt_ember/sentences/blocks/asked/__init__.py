"""What the sheet says of questions: what is asked, what can be, and what is expected."""
