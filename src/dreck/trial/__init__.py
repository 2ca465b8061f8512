"""Trials: both versions of a function run on the same inputs in a caged child process."""
