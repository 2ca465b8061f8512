"""The command line: arguments in, report out. No logic lives here."""

import sys


def main() -> None:
    """Runs the command; its version it tells by itself, so that asking for it costs no more than that."""
    if sys.argv[1:] == ["--version"]:
        from dreck.cli.version import version

        print(version())
        return
    from dreck.cli.group import main as run

    run()


__all__ = ["main"]
