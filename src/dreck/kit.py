"""For the tests of a step: the text before, the text after, and what stays as it is.

The step need not be installed: it is one of all steps as long as it is tried. Every step taken so is proved, unless
`verdict="tested"` says otherwise.
"""

import difflib
import tempfile
import textwrap
from pathlib import Path
from typing import Any

from dreck.steps.api import Step
from dreck.steps.catalogue import with_step


def after(step: Step, source: str, verdict: str = "proved", **options: Any) -> str:
    """The text of a module after `step`, taken wherever it holds; `options` are those of `dreck.untangle`."""
    from dreck import untangle

    with with_step(step), tempfile.TemporaryDirectory(prefix="dreck-kit-") as folder:
        path = Path(folder) / "yard.py"
        path.write_text(textwrap.dedent(source).removeprefix("\n"), encoding="utf-8")
        return untangle(path, steps=step.name, verdict=verdict, **options).files[0].new


def assert_after(step: Step, before: str, wanted: str, verdict: str = "proved", **options: Any) -> None:
    """Raises AssertionError with the difference when `step` makes something else of `before`."""
    found = after(step, before, verdict, **options)
    wanted = textwrap.dedent(wanted).removeprefix("\n")
    if found != wanted:
        lines = difflib.unified_diff(wanted.splitlines(), found.splitlines(), "wanted", "found", lineterm="")
        raise AssertionError(f"{step.name} makes something else of it:\n" + "\n".join(lines))


def assert_stays(step: Step, source: str, verdict: str = "proved", **options: Any) -> None:
    """Raises AssertionError with the difference when `step` changes `source`."""
    assert_after(step, source, source, verdict, **options)
