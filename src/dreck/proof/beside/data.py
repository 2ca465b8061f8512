"""Files that are no modules and lie in the folders of two versions: what speaks of one that is not the same."""

import ast
import os
import re
from collections.abc import Iterable, Iterator
from filecmp import cmp
from pathlib import Path

from dreck.model.names.bindings import bound_by, statements_of
from dreck.source.walking import walk

_FILE = re.compile(r"[\w/][\w ./-]{0,80}\.\w{1,8}")
_FOLDER = re.compile(r"[\w./-]{1,60}")
_LOOKING_AROUND = frozenset(
    {"__file__", "__path__", "glob", "rglob", "iglob", "iterdir", "listdir", "scandir", "walk", "resources", "get_data"}
)
_LARGEST, _MOST = 50_000_000, 2_000
_NO_DATA = (".py", ".pyi", ".pyc")


def data_apart(tree: ast.Module, old: Path, new: Path) -> dict[str, str]:
    """The names of statements that speak of a file, no module, which lies beside both and is not the same there; or
    that look around where they lie, where any file is another one."""
    found: dict[str, str] = {}
    if old.resolve().parent == new.resolve().parent:
        return found
    for s in tree.body:
        if told := _of_files(s, old.absolute().parent, new.absolute().parent):
            names = {name for inner in statements_of([s]) for name in bound_by(inner)}
            found |= dict.fromkeys(names, f"speaks of {told}, which is not the same")
    return found


def _of_files(s: ast.stmt, old: Path, new: Path) -> str:
    texts = {n.value for n in walk(s) if isinstance(n, ast.Constant) and isinstance(n.value, str)}
    around = ["", *sorted(text for text in texts if _FOLDER.fullmatch(text) and text.strip("./"))][:8]
    for text in sorted(texts):
        named = _FILE.fullmatch(text) and not text.endswith(_NO_DATA)
        if named and any(_content(old / at / text) != _content(new / at / text) for at in around):
            return text
    said = {n.attr if isinstance(n, ast.Attribute) else getattr(n, "id", "") for n in walk(s)}
    return "the files there" if said & _LOOKING_AROUND and _folders_apart(old, new) else ""


def _content(file: Path) -> bytes | None:
    try:
        return file.read_bytes() if file.is_file() and file.stat().st_size < _LARGEST else None
    except OSError:
        return None


def _folders_apart(old: Path, new: Path) -> bool:
    """Whether data in two folders are not the same; a version that lies alone is meant to lie where the other does."""
    sides = [dict(_data_in(folder)) for folder in (old, new)]
    if any(not side and not _has_neighbours(folder) for side, folder in zip(sides, (old, new), strict=True)):
        return False
    if max(map(len, sides)) >= _MOST or sides[0].keys() != sides[1].keys():
        return True
    return not all(cmp(file, sides[1][place], shallow=False) for place, file in sides[0].items())


def _has_neighbours(folder: Path) -> bool:
    return sum(1 for _ in folder.glob("*")) > 1


def _data_in(folder: Path) -> Iterator[tuple[str, Path]]:
    for count, file in enumerate(_below(folder)):
        if count >= _MOST:
            return
        yield str(file.relative_to(folder)), file


def _below(folder: Path) -> Iterable[Path]:
    for root, folders, files in os.walk(folder):
        folders[:] = sorted(f for f in folders if not f.startswith((".", "__pycache__")))
        yield from (Path(root, f) for f in sorted(files) if not f.endswith(_NO_DATA) and not f.startswith("."))
