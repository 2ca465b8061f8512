"""The standard library's pure-Python modules, as data to measure on."""

import sys
import sysconfig
from pathlib import Path

LIBRARY = Path(sysconfig.get_paths()["stdlib"])
_LEFT_OUT = {
    "test",
    "tests",
    "idle_test",
    "site-packages",
    "__pycache__",
    "lib2to3",
    "pydoc_data",
    "turtledemo",
    "ensurepip",
}


def modules() -> list[Path]:
    """Every module that is not frozen into the interpreter, tests and data left out, sorted."""
    frozen = set(sys.stdlib_module_names) & set(_frozen())
    found = []
    for file in sorted(LIBRARY.rglob("*.py")):
        parts = file.relative_to(LIBRARY).parts
        if _LEFT_OUT & set(parts) or parts[0].removesuffix(".py") in frozen:
            continue
        found.append(file)
    return found


def _frozen() -> list[str]:
    import _imp

    return [name for name in sys.stdlib_module_names if _imp.is_frozen(name)]
