"""The project's own formatter, `[tool.dreck] format`: run on a changed file, believed when the tree stays."""

import ast
import subprocess

from dreck.source.guest import no_warnings

_SECONDS = 60


class FormatterFailed(Exception):
    """The message says which command, and how it failed."""


def formatted(text: str, command: str) -> str:
    """`text` as the command gives it back. Raises FormatterFailed; nothing of what it gave is used then."""
    try:
        done = subprocess.run(
            command, shell=True, input=text.encode(), capture_output=True, timeout=_SECONDS, check=False
        )
    except subprocess.TimeoutExpired:
        raise FormatterFailed(f"format `{command}`: no answer within {_SECONDS} seconds") from None
    if done.returncode:
        told = done.stderr.decode(errors="replace").strip().splitlines()
        reason = "not found" if done.returncode == 127 else told[-1] if told else f"exit code {done.returncode}"
        raise FormatterFailed(f"format `{command}` failed: {reason}")
    try:
        made = done.stdout.decode()
        same = ast.dump(_tree(made)) == ast.dump(_tree(text))
    except (UnicodeDecodeError, SyntaxError, ValueError):
        raise FormatterFailed(f"format `{command}` gave something that is not Python") from None
    if not same:
        raise FormatterFailed(f"format `{command}` gave other code than it was given")
    return made


def _tree(text: str) -> ast.Module:
    with no_warnings.held():
        return ast.parse(text)
