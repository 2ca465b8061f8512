"""The version as it is told: together with the walls that hold the cage on this machine."""

from dreck import __version__


def version() -> str:
    """One line."""
    from dreck.trial.sandbox.kernel import offered

    return f"dreck {__version__} (cage: {'kernel + hook' if offered() else 'hook only'})"
