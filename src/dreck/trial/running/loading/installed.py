"""Installed packages: what a module imports of them is imported before the cage closes.

Many set themselves up with what the cage refuses (numpy looks for its libraries). They are what the project runs
with anyway; the project's own modules are executed inside.
"""

import ast
import importlib
import importlib.util
import sys
from collections.abc import Iterator
from pathlib import Path

from dreck.source.walking import walk
from dreck.trial.running.loading.imports import stands_in

_MOST_FILES = 40
_PLACES = ("site-packages", "dist-packages")


def import_installed(path: Path, text: str, project: Path) -> None:
    """Imports every installed package that the module or its neighbours in `project` import; what fails is left."""
    pending, seen = [text], {path}
    while pending and len(seen) < _MOST_FILES:
        for name in _imported(pending.pop()):
            is_own = project.name not in _PLACES and stands_in(project, name.partition(".")[0])
            if _is_installed(name) and not is_own:
                _try(name)
                continue
            beside = project.joinpath(*name.split(".")).with_suffix(".py")
            if beside.is_file() and beside not in seen:
                seen.add(beside)
                pending.append(beside.read_text(encoding="utf-8", errors="replace"))


def _imported(code: str) -> Iterator[str]:
    try:
        tree = ast.parse(code)
    except (SyntaxError, ValueError):
        return
    for node in walk(tree):
        match node:
            case ast.Import(names=names):
                yield from (alias.name for alias in names)
            case ast.ImportFrom(module=str() as module, level=0):
                yield module


def _is_installed(name: str) -> bool:
    top = name.partition(".")[0]
    if top in sys.stdlib_module_names or top == "dreck":
        return False
    try:
        spec = importlib.util.find_spec(top)
    except (ImportError, ValueError):
        return False
    return spec is not None and any(place in (spec.origin or "") for place in _PLACES)


def _try(name: str) -> None:
    try:
        importlib.import_module(name)
    except BaseException:
        return
