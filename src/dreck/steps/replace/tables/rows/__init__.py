"""Rows of a table, of each form: what they hold, and the code that goes through them."""
