"""Checking: going over a proof without any rule of the prover."""
