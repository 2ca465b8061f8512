"""Pins: today's behaviour put down as tests, from trials and from recorded calls."""
