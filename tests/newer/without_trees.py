"""The tests that need no rewriting, on a Python for which LibCST does not exist: its classes are empty names here."""

import asyncio
import subprocess
import sys
import types

import pytest

READING = (
    "tests/newer", "tests/model", "tests/proof", "tests/source/test_bytes.py", "tests/adversary",
    "tests/cli/test_understanding.py",
)  # fmt: skip
NEEDS_MORE = (
    "tests/proof/test_whole_numbers.py",  # a library with compiled parts
    "tests/proof/test_solver.py",
    "tests/proof/test_conformance.py",
)
NOT_HERE = (
    "report or from_python or census_marks or figures or process or pool or executor or terminal or mode or revision"
)
"""Words of tests of what needs processes, pictures, or a file system as others have it."""


class _Name(type):
    """Any class of LibCST, and whatever is asked of it; what makes an object of one rewrites, and is not for here."""

    def __call__(cls, *args: object, **kwargs: object) -> object:
        return type.__call__(cls, *args, **kwargs) if cls is _Name else _not_here()

    def __getattr__(cls, name: str) -> type:
        if name.startswith("__"):
            raise AttributeError(name)
        return _Name(name, (), {})


def _not_here(*args: object, **kwargs: object) -> object:
    pytest.skip("needs another process, an event loop, or trees that keep every space")


def _stub(name: str) -> types.ModuleType:
    made: dict[str, type] = {}
    module = types.ModuleType(name)

    def found(word: str) -> type:
        if word.startswith("__"):
            raise AttributeError(word)
        # What is caught has to be an exception, though none of these is ever raised.
        return made.setdefault(word, type(word, (Exception,), {}) if word.endswith("Error") else _Name(word, (), {}))

    module.__getattr__ = found  # type: ignore[method-assign]
    return module


def run(wanted: list[str]) -> int:
    """Runs them; how many failed decides the exit code."""
    for name in ("libcst", "libcst.matchers", "libcst.metadata"):
        sys.modules.setdefault(name, _stub(name))
    import dreck.trial.server
    import dreck.workbench.judging.judge

    dreck.trial.server.run_trial = dreck.workbench.judging.judge.run_trial = _not_here
    asyncio.run = _not_here
    subprocess.run = subprocess.Popen = _not_here
    print(sys.version)
    off = [part for name in ("cacheprovider", "xdist", "hypothesispytest", "asyncio") for part in ("-p", f"no:{name}")]
    left_out = [f"--ignore={path}" for path in NEEDS_MORE]
    return int(pytest.main(["-q", "--tb=short", *off, *left_out, "-k", f"not ({NOT_HERE})", *(wanted or READING)]))
