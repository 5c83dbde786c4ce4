"""Kinds of question, a module each; ``any_question`` lists them."""
