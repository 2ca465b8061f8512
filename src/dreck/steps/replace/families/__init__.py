"""Families: switches whose answers stand with the classes, members or functions they are about."""
