"""Ratios measured in one run; nothing here asserts a time."""
