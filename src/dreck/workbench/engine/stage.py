"""The stage: a copy of the project in which a rewrite of several files can be seen, judged and built upon."""

import os
import shutil
import tempfile
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass, field
from pathlib import Path
from types import TracebackType

from dreck.source.files import python_files, read

_PROJECT_MARKS = (".git", "pyproject.toml", "setup.py", "setup.cfg")


@contextmanager
def staged(texts: Mapping[Path, str]) -> Iterator[dict[Path, Path]]:
    """A copy of the project with other texts in place, gone when the context ends."""
    root = project_root(next(iter(texts)))
    with tempfile.TemporaryDirectory(prefix="dreck-staged-") as folder:
        _copy(root, Path(folder))
        places = {path: Path(folder, os.path.relpath(path.absolute(), root)) for path in texts}
        _write({places[path]: text for path, text in texts.items()})
        yield places


@dataclass(slots=True)
class Stage:
    """The file being worked on and those beside it, as the steps taken so far have left them; none is saved yet.

    Until a step has changed another file the project itself is the stage.
    """

    home: Path
    _folder: "tempfile.TemporaryDirectory[str] | None" = field(default=None)
    _root: Path = Path()

    def __enter__(self) -> "Stage":
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        if self._folder is not None:
            self._folder.cleanup()

    @property
    def path(self) -> Path:
        """Where the file being worked on stands now."""
        return self._place(self.home)

    def keep(self, texts: Mapping[Path, str]) -> None:
        """A step was taken that comes to these texts, by the places the files have on the stage."""
        if self._folder is None:
            if len(texts) < 2:
                return
            self._root = project_root(self.home)
            self._folder = tempfile.TemporaryDirectory(prefix="dreck-staged-")
            _copy(self._root, Path(self._folder.name))
        _write({self._place(path): text for path, text in texts.items()})

    def real(self, path: Path) -> Path:
        """Where a file of the stage stands in the project."""
        if self._folder is None or not path.is_relative_to(self._folder.name):
            return path
        return self.home.parent / os.path.relpath(
            self._root / path.relative_to(self._folder.name), self.home.absolute().parent
        )

    def _place(self, path: Path) -> Path:
        if self._folder is None or path.is_relative_to(self._folder.name):
            return path
        return Path(self._folder.name, os.path.relpath(path.absolute(), self._root))


def _copy(root: Path, folder: Path) -> None:
    """The Python files of a project, and what says that it is one."""
    (folder / ".git").mkdir()
    settings = root / "pyproject.toml"
    for file in [*python_files(root), *([settings] if settings.exists() else [])]:
        place = folder / file.relative_to(root)
        place.parent.mkdir(parents=True, exist_ok=True)
        shutil.copyfile(file, place)


def _write(texts: Mapping[Path, str]) -> None:
    for path, text in texts.items():
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(read(path).encoded(text) if path.exists() and path.suffix == ".py" else text.encode())


def project_root(path: Path) -> Path:
    """The top of the project a file belongs to; its own folder when nothing tells."""
    folder = path.absolute().parent
    for place in (folder, *folder.parents):
        if any((place / mark).exists() for mark in _PROJECT_MARKS):
            return place
    return folder


def project_files(path: Path) -> list[Path]:
    """The Python files around `path`: of its project, or of its folder when there are too many."""
    root = project_root(path)
    found: list[Path] = []
    for file in python_files(root):
        found.append(file)
        if len(found) > 400:
            return sorted(path.absolute().parent.glob("*.py"))
    return found
