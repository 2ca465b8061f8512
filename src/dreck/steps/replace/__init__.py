"""Replacing: what a switch or a filter decides, as tables, families of classes, lists of rules or probes."""
