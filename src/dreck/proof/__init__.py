"""Proof: everything that must be right for a `proved` to be right."""
