"""Classes in other files of the project, below those that a trial makes, and what they do otherwise."""

import ast
import re
from collections.abc import Iterator
from functools import lru_cache
from pathlib import Path

from dreck.errors import DreckError
from dreck.model.names.modules import ModuleNames
from dreck.model.names.nodes import every_node
from dreck.proof.classes.say.wilful import loud_in
from dreck.proof.classes.table import ClassTable
from dreck.source.files import read
from dreck.source.functions import parse
from dreck.workbench.engine.stage import project_files
from dreck.workbench.judging.candidates import Candidate


def loud_below(old: Candidate, new: Candidate) -> Iterator[tuple[str, str, frozenset[str]]]:
    """The classes, each with its file and the names under which it does more than to work out an answer.

    They are told by the last words of their bases, so that one below another class of the same name counts, too.
    """
    words = {kind.rpartition(".")[2] for c in (old, new) for kind in ClassTable(c.names).classes}
    own = {c.path.absolute() for c in (old, new)}
    beside = project_files(old.path) if words and old.path.exists() else []
    files = [file for file in beside if file.absolute() not in own]
    seen: set[int] = set()
    grown = True
    while grown:
        grown = False
        for file in files:
            for node in _classes_below(file, words):
                if id(node) in seen:
                    continue
                seen.add(id(node))
                words, grown = words | {node.name}, True
                yield node.name, file.name, frozenset(loud_in(node, _names(file, file.stat().st_mtime_ns)))


def _classes_below(file: Path, words: set[str]) -> list[ast.ClassDef]:
    """The classes of a file with one of these words, or another name for it, among their bases."""
    try:
        text = read(file).text
        words = words | {other for word, other in _RENAMED.findall(text) if word in words}
        based = set(re.findall(r"\w+", " ".join(_BASES.findall(text))))
        names = _names(file, file.stat().st_mtime_ns) if based & words else None
    except (DreckError, OSError):
        return []
    kinds = [n for n in every_node(names.tree) if isinstance(n, ast.ClassDef)] if names is not None else []
    return [n for n in kinds if words & set(map(_last, n.bases))]


@lru_cache(maxsize=128)
def _names(file: Path, changed: int) -> ModuleNames:
    return ModuleNames(parse(read(file).text, file))


_RENAMED = re.compile(r"(\w+)\s+as\s+(\w+)")
_BASES = re.compile(r"^\s*class\s+\w+\s*(?:\[[^\]]*\])?\(([^)]*)", re.MULTILINE)


def _last(base: ast.expr) -> str:
    e = base.value if isinstance(base, ast.Subscript) else base
    return e.attr if isinstance(e, ast.Attribute) else getattr(e, "id", "")
