"""The command line: arguments in, report out. No logic lives here."""

from dreck.cli.main import main

__all__ = ["main"]
