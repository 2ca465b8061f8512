"""Flattening: guard clauses, early exits, conditions joined or turned, values returned at once."""
