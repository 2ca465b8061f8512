"""Trials that were made before: their answers are kept as long as everything they lean on is what it was.

A proof is never kept, it is made anew and gone over each time. What a trial has seen is seen again as long as the texts
of both versions, the files they import, the data beside them, what is installed and what was asked are the same.
"""

import ast
import hashlib
import json
import os
import sys
from collections.abc import Iterator
from dataclasses import dataclass, field
from functools import lru_cache
from pathlib import Path
from typing import Any

from dreck.source.files import SKIPPED_FOLDERS, python_files
from dreck.source.walking import walk
from dreck.trial.running.loading.imports import project_of, whole_project
from dreck.workbench.store.cache import Cache, key_of

_SMALL = 64_000
_MOST_FILES = 2_000
"""Where more files than this lie beside a module, as in a folder of all and everything, its trials are not kept."""


@dataclass(slots=True)
class KnownTrials:
    """Answers of trials by what was asked. Nothing is written before `close`."""

    wanted: bool = True
    _cache: Cache | None = None
    _leaning: dict[tuple[str, str], str] = field(default_factory=dict)

    def get(self, request: dict[str, Any]) -> dict[str, Any] | None:
        """What the same request was answered; None when it was not asked, or when it may be answered otherwise now."""
        key = self._key(request)
        found = self._opened().get(key) if key else None
        return found if isinstance(found, dict) else None

    def put(self, request: dict[str, Any], answer: dict[str, Any]) -> None:
        key = self._key(request)
        if key and "error" not in answer and not answer.get("unstable") and not answer.get("died"):
            self._opened().put(key, answer)

    def close(self) -> None:
        if self._cache is not None:
            self._cache.close()
            self._cache = None

    def _opened(self) -> Cache:
        if self._cache is None:
            self._cache = Cache.opened(self.wanted)
        return self._cache

    def _key(self, request: dict[str, Any]) -> str:
        if request["open"] or not self.wanted or not self._opened().is_open:
            return ""
        leaning = [self._leans_on(request[side]) for side in ("old", "new")]
        if not all(leaning):
            return ""
        asked = {**request, "old": _nowhere(request["old"]), "new": _nowhere(request["new"])}
        told = json.dumps([asked, leaning, _installed()], sort_keys=True)
        return key_of("trial", told.encode())

    def _leans_on(self, side: dict[str, Any]) -> str:
        """A digest of all that a version may read or import, its own text left out; '' when that is too much."""
        place = side["path"], side["text"]
        if place not in self._leaning:
            self._leaning[place] = _digest(Path(side["path"]), side["text"])
        return self._leaning[place]


def _nowhere(side: dict[str, Any]) -> dict[str, Any]:
    """A version without the folder it happens to stand in."""
    path = Path(side["path"])
    try:
        told = str(path.relative_to(project_of(path)))
    except ValueError:
        told = path.name
    return {**side, "path": told}


def _digest(path: Path, text: str) -> str:
    if not path.is_file():  # a text that stands nowhere
        return ""
    project = project_of(path)
    data = _data(project)
    if data is None:
        return ""
    found = hashlib.sha256()
    files = _imported(path, text, project)
    if any(_imports_unseen(told) for told in (text, *(file.read_text(errors="replace") for file in files))):
        files |= set(python_files(project)) - {path}
    for file in sorted(files):
        found.update(f"{_told(file, project)} {_content(file, file.stat().st_mtime_ns)}\n".encode())
    found.update(data.encode())
    return found.hexdigest()


def _imports_unseen(text: str) -> bool:
    """Whether a module may import what no statement of it names."""
    return any(word in text for word in ("import_module", "__import__", "pkgutil", "runpy", "exec("))


def _told(file: Path, project: Path) -> str:
    return str(file.relative_to(project)) if file.is_relative_to(project) else file.name


@lru_cache(maxsize=4096)
def _content(file: Path, changed: int) -> str:
    return hashlib.sha256(file.read_bytes()).hexdigest()


def _imported(path: Path, text: str, project: Path) -> set[Path]:
    """The files of the project that a module imports, and those import, and so on; packages bring their own file."""
    root = whole_project(path)
    bases = tuple(dict.fromkeys((project, root, root / "src")))
    found: set[Path] = set()
    pending = list(_led_to(path, text, bases))
    while pending:
        file = pending.pop()
        if file in found:
            continue
        found.add(file)
        try:
            pending += _led_to(file, file.read_text(errors="replace"), bases)
        except OSError:
            continue
    return found - {path}


def _led_to(path: Path, text: str, bases: tuple[Path, ...]) -> Iterator[Path]:
    try:
        tree = ast.parse(text)
    except (SyntaxError, ValueError, RecursionError):
        return
    yield from _packages_of(path)
    for n in walk(tree):
        match n:
            case ast.Import(names=names):
                for alias in names:
                    for base in bases:
                        yield from _files_of(base, alias.name.split("."))
            case ast.ImportFrom(module=module, names=names, level=level):
                above = [path.parents[level - 1]] if level and level <= len(path.parents) else list(bases)
                parts = module.split(".") if module else []
                for base in above:
                    yield from _files_of(base, parts)
                    for alias in names:
                        yield from _files_of(base, [*parts, alias.name])


def _files_of(base: Path, parts: list[str]) -> Iterator[Path]:
    """The packages on the way to a module, and the module."""
    for part in parts:
        if (base / f"{part}.py").is_file():
            yield base / f"{part}.py"
        base = base / part
        if (base / "__init__.py").is_file():
            yield base / "__init__.py"
        elif not base.is_dir():
            return


def _packages_of(path: Path) -> Iterator[Path]:
    folder = path.absolute().parent
    while (folder / "__init__.py").is_file() and folder.parent != folder:
        yield folder / "__init__.py"
        folder = folder.parent


def _data(project: Path) -> str | None:
    """What lies beside the modules of a project and is none, told; None when it is too much to be looked at."""
    told: list[str] = []
    seen_so_far = 0
    for root, folders, files in os.walk(project):
        folders[:] = sorted(f for f in folders if not f.startswith(".") and f not in SKIPPED_FOLDERS)
        seen_so_far += len(files) + len(folders)
        if seen_so_far > _MOST_FILES:
            return None
        for name in sorted(files):
            if name.endswith((".py", ".pyc")):
                continue
            file = Path(root, name)
            try:
                seen = file.stat()
                whole = _content(file, seen.st_mtime_ns) if seen.st_size <= _SMALL else str(seen.st_mtime_ns)
            except OSError:
                continue
            told.append(f"{file.relative_to(project)} {seen.st_size} {whole}")
    return "\n".join(told)


@lru_cache(maxsize=1)
def _installed() -> str:
    """What is installed, by the names of its metadata, which tell the versions."""
    names = [p.name for place in sys.path if place for p in Path(place).glob("*.dist-info")]
    return hashlib.sha256("\n".join(sorted(names)).encode()).hexdigest()
