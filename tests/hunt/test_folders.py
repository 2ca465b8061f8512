"""The hunt for false proofs across files: random folders, some of their modules rewritten, all functions run in both."""

import colorsys
import importlib
import inspect
import os
import random
import shutil
import sys
from collections.abc import Callable
from pathlib import Path
from typing import Any

from dreck.workbench.compare.folders import compare_folders
from dreck.workbench.compare.wanted import Wanted
from tests.hunt.folders import FILES, PACKAGE, FolderMaker, folder_rewritten

PAIRS = int(os.environ.get("DRECK_HUNT", "500")) // 32
SEED = int(os.environ.get("DRECK_HUNT_SEED", "7"))
_INPUTS = range(-2, 6)


def test_no_false_proof_in_a_folder(tmp_path: Path) -> None:
    """Of files that are as they were only what uses another file itself is told."""
    pick = random.Random(SEED)
    proved = tried = 0
    while tried < PAIRS:
        texts = FolderMaker(pick).folder()
        before = what_it_does(written(tmp_path / "old", texts))
        for _ in range(3):
            changed = folder_rewritten(texts, pick)
            after = what_it_does(written(tmp_path / "new", changed)) if before and changed != texts else {}
            if not before or not after:
                continue
            tried += 1
            found = compare_folders(tmp_path / "old", tmp_path / "new", Wanted(trial=False))
            told = dict(found.functions)
            for name in before.keys() & after.keys():
                verdict = told.get(name)
                same = before[name] == after[name]
                proved += verdict is not None and verdict.status == "proved"
                around = [v for n, v in told.items() if n.partition("::")[0] == name.partition("::")[0]]
                untold = all(map(bool, around)) if verdict is None else verdict.status == "proved"
                assert same or not untold, f"{name}: {verdict}\n{shown(texts, changed)}"
    print(f"{tried} pairs of folders, {proved} functions proved, none of them falsely")
    assert proved > PAIRS, "so few proofs that the hunt means nothing"


def written(folder: Path, texts: dict[str, str]) -> Path:
    shutil.rmtree(folder, ignore_errors=True)
    for path, text in texts.items():
        (folder / path).parent.mkdir(parents=True, exist_ok=True)
        (folder / path).write_text(text)
    return folder


def what_it_does(folder: Path) -> dict[str, list[str]]:
    """For each function and method of a folder, what it comes to on each input; nothing when it cannot be imported.

    All files are imported before anything is called: what they do to one another is done then.
    """
    sys.path.insert(0, str(folder))
    third = colorsys.ONE_THIRD
    sys.dont_write_bytecode, kept = True, sys.dont_write_bytecode
    try:
        importlib.invalidate_caches()
        inside = f"{PACKAGE}." if (folder / PACKAGE).exists() else ""
        modules = [importlib.import_module(f"{inside}{name}") for name in FILES]
        found: dict[str, list[str]] = {}
        for name, f in (one for module in modules for one in functions_of(module)):
            found.setdefault(name, []).extend(come_to(f, a) for a in _INPUTS)
        return found
    except (ImportError, NameError, AttributeError, TypeError, KeyError, ValueError, RecursionError):
        return {}
    finally:
        sys.dont_write_bytecode, colorsys.ONE_THIRD = kept, third
        sys.path.remove(str(folder))
        for name in [n for n in sys.modules if n.partition(".")[0] in (*FILES, PACKAGE)]:
            del sys.modules[name]


def functions_of(module: Any) -> list[tuple[str, Callable[[int], object]]]:
    found: list[tuple[str, Callable[[int], object]]] = []
    path = f"{module.__name__.replace('.', '/')}.py"
    for name, value in vars(module).items():
        own = getattr(value, "__module__", "") == module.__name__
        if own and inspect.isfunction(value) and value.__name__ == name:
            found.append((f"{path}::{name}", value))
        elif own and inspect.isclass(value):
            found += [(name, getattr(value(), m)) for m in ("most", "over") for name in _home_of(value, m)]
    return found


def _home_of(kind: type, method: str) -> list[str]:
    """The class that a method comes from: how it does for objects of classes below it counts for it, too."""
    for base in kind.__mro__:
        if method in vars(base):
            named = f"{base.__name__}.{method}"
            path = f"{base.__module__.replace('.', '/')}.py"
            return [f"{path}::{named}"] if getattr(vars(base)[method], "__qualname__", "") == named else []
    return []


def come_to(function: Callable[[int], object], a: int) -> str:
    try:
        return repr(function(a)).partition(" at 0x")[0]
    except RecursionError:
        return "too deep"
    except Exception as error:
        return repr(error)


def shown(*sides: dict[str, str]) -> str:
    return "\n=====\n".join("\n".join(f"# {path}\n{text}" for path, text in side.items()) for side in sides)
