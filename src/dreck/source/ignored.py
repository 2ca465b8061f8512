"""What is left out when a folder is looked at: what `.gitignore` names, what the project excludes, environments."""

import contextlib
import os
from collections.abc import Iterator
from pathlib import Path

from dreck.source.files import SKIPPED_FOLDERS


def wanted_files(folder: Path) -> Iterator[Path]:
    """Every `.py` file below `folder`, sorted.

    Left out are hidden, cache, build and install folders, virtual environments, what a `.gitignore` above or below
    names, and what `[tool.dreck] exclude` names. A folder asked for by name is looked at although a rule above it
    would leave it out.
    """
    rules = [rule for rule in _rules_above(folder) if not rule.leaves_out(folder.absolute(), True)]
    yield from _below(folder, rules)


class _Rule:
    """The patterns of one file, which hold below the folder it stands in."""

    def __init__(self, home: Path, patterns: list[str]) -> None:
        from pathspec import GitIgnoreSpec  # only folders need it

        self._home = home
        self._spec = GitIgnoreSpec.from_lines(patterns)

    def leaves_out(self, path: Path, is_folder: bool) -> bool:
        if path == self._home or not path.is_relative_to(self._home):
            return False
        inside = path.relative_to(self._home).as_posix()
        return self._spec.match_file(f"{inside}/" if is_folder else inside)


def _below(folder: Path, rules: list[_Rule]) -> Iterator[Path]:
    rules = [*rules, *_rules_in(folder)]
    try:
        entries = sorted(os.scandir(folder), key=lambda entry: entry.name)
    except OSError:
        return
    for entry in entries:
        place = Path(entry.path).absolute()
        if entry.name.endswith(".py") and not entry.is_dir() and not _is_out(rules, place, False):
            yield folder / entry.name
    for entry in entries:
        if not entry.is_dir(follow_symlinks=False) or entry.name.startswith(".") or entry.name in SKIPPED_FOLDERS:
            continue
        if (Path(entry.path) / "pyvenv.cfg").exists() or _is_out(rules, Path(entry.path).absolute(), True):
            continue
        yield from _below(folder / entry.name, rules)


def _is_out(rules: list[_Rule], path: Path, is_folder: bool) -> bool:
    return any(rule.leaves_out(path, is_folder) for rule in rules)


def _rules_above(folder: Path) -> Iterator[_Rule]:
    """Rules of the folders above, as far up as the repository, or the project, goes."""
    for place in folder.absolute().parents:
        if not any(
            (folder_ / ".git").exists() or (folder_ / "pyproject.toml").exists() for folder_ in (place, *place.parents)
        ):
            return
        yield from _rules_in(place)
        if (place / ".git").exists():
            return


def _rules_in(folder: Path) -> Iterator[_Rule]:
    home = folder.absolute()
    with contextlib.suppress(OSError):
        yield _Rule(home, (home / ".gitignore").read_text(encoding="utf-8", errors="replace").splitlines())
    try:
        written = (home / "pyproject.toml").read_text(encoding="utf-8")
    except (OSError, ValueError):
        return

    import tomllib  # most folders have no such file

    try:
        told = tomllib.loads(written)
        excluded = told["tool"]["dreck"]["exclude"]
    except (ValueError, KeyError, TypeError):
        return
    if isinstance(excluded, list) and all(isinstance(pattern, str) for pattern in excluded):
        yield _Rule(home, excluded)
