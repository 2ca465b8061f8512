"""Files that are no modules and lie in the folders of two versions: what speaks of one that is not the same."""

import ast
import re
from collections.abc import Iterator
from filecmp import cmp
from itertools import islice
from pathlib import Path

from dreck.model.names.bindings import bound_by, statements_of
from dreck.proof.beside.arriving import resolved
from dreck.source.files import data_files
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
    if resolved(old).parent == resolved(new).parent:
        return found
    for s in tree.body:
        if told := _of_files(s, old.absolute().parent, new.absolute().parent):
            names = {name for inner in statements_of([s]) for name in bound_by(inner)}
            found |= dict.fromkeys(names, f"speaks of {told}, which is not the same")
    return found


def _of_files(s: ast.stmt, old: Path, new: Path) -> str:
    texts = {n.value for n in walk(s) if isinstance(n, ast.Constant) and isinstance(n.value, str)}
    around = ["", *sorted(text for text in texts if _FOLDER.fullmatch(text) and text.strip("./"))][:8]
    places = [(one / at, other / at) for one, other in _upwards(old, new) for at in around]
    for text in sorted(texts):
        named = _FILE.fullmatch(text) and not text.endswith(_NO_DATA)
        if named and any(_content(one / text) != _content(other / text) for one, other in places):
            return text
    said = [n.attr if isinstance(n, ast.Attribute) else getattr(n, "id", "") for n in walk(s)]
    if not _LOOKING_AROUND.intersection(said):
        return ""
    above = "parents" in said or said.count("parent") > 1 or said.count("dirname") > 1 or any(".." in t for t in texts)
    folders = _upwards(old, new) if above else [(old, new)]
    return "the files there" if any(_folders_apart(*pair) for pair in folders) else ""


def _upwards(old: Path, new: Path) -> list[tuple[Path, Path]]:
    """Two folders, and those above them as long as they are not the same."""
    pairs = [(old, new), (old.parent, new.parent), (old.parent.parent, new.parent.parent)]
    return [(one, other) for one, other in pairs if resolved(one) != resolved(other)]


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
    yield from ((str(file.relative_to(folder)), file) for file in islice(data_files(folder), _MOST))
