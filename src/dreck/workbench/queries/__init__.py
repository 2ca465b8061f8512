"""Queries: what stands there, what it decides and what could be done; nothing is written."""
