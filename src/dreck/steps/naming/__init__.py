"""Naming: conditions, constants, terms and runs of statements that get a name of their own."""
