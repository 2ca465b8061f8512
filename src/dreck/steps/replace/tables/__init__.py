"""Rows: switches and filters whose answers stand in a table or a list."""
