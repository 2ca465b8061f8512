"""Pins: cases made of inputs, as lines of a test file."""
