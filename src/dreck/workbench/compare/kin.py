"""Files of a folder with classes that derive from those of another file, or that register something for its functions.

They have a say in what holds for these. They are found by the words of class statements, without parsing files in
which none of them stands.
"""

import ast
import re
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field
from functools import lru_cache
from pathlib import Path

from dreck.errors import DreckError
from dreck.model.names.linking import LinkedNames
from dreck.source.files import read
from dreck.workbench.compare.sides import neighbour

_CLASS = re.compile(r"^[ \t]*class\s+(\w+)[^(:\n]*\(((?:[^()]|\([^()]*\))*)\)\s*:", re.MULTILINE)
_ON_ITS_LINE = re.compile(r"^[ \t]*class\s+(\w+)[^(:\n]*\(([^\n]*)", re.MULTILINE)
"""What is nested deeper than the first can tell."""
_OTHER_NAME = re.compile(r"(\w+)\s+as\s+(\w+)|^\s*(\w+)\s*=\s*(?:\w+\.)*(\w+)\s*$", re.MULTILINE)
_MAKING = re.compile(r"\b(?:type|new_class|make_dataclass|\w{0,40}Meta)\(([^()]{0,200}\([^()]{0,400}\))")
_WORD = re.compile(r"\w+")
_SETTING = re.compile(
    r"\b(?:setattr|delattr|__setattr__|__delattr__)\s*\(\s*(?:\w+\s*\.\s*)*(\w+)|\b([A-Z]\w*)\.\w+[ \t]*=[^=]"
)
"""What gets an attribute under a name that is worked out, and what is called like a class and gets one."""
_IMPORTED = re.compile(r"(?m)^\s*(?:from\s+[\w.]+\s+import\s+(?:\(\s*)?|,?\s*)([A-Z]\w*)")
_DECORATED = re.compile(r"(?m)^((?:[ \t]*@[^\n]*\n)+)[ \t]*class\s+(\w+)")
_DEFINED = re.compile(r"(?m)^[ \t]*(?:def|class)\s+(\w+)")
"""What may decorate a class of another file."""
_REGISTERING = re.compile(r"(\w+)\.(?:register|dispatcher)\b")


@dataclass(slots=True)
class Kin:
    """The class statements of many files, by the words of their bases."""

    below: dict[str, set[tuple[Path, str]]] = field(default_factory=dict)
    """For a word, the files with a class that has it among its bases, and that class; '' where a call makes one.

    For a word behind a dot, those in which something is registered for what is called so; for one behind an `@`,
    those that set attributes and define what is called so: it may decorate a class. One behind a `=` is a class that
    is decorated.
    """

    @classmethod
    def of(cls, files: Iterable[Path]) -> "Kin":
        kin = cls()
        for path in files:
            for word, kind in set(_bases_in(path)):
                kin.below.setdefault(word, set()).add((path, kind))
        return kin

    def trees_for(self, names: LinkedNames) -> list[ast.Module]:
        """The files with classes below those that a module defines or imports, these themselves left out."""
        pending = [name.rpartition(".")[2] for name, d in names.definitions.items() if isinstance(d, ast.ClassDef)]
        generic = (n for n in ast.walk(names.tree) if isinstance(n, ast.FunctionDef | ast.AsyncFunctionDef))
        pending += [f".{n.name}" for n in generic if n.decorator_list]
        kinds = [d for d in names.definitions.values() if isinstance(d, ast.ClassDef)]
        pending += [f"@{word}" for kind in kinds for word in _words_in(kind.decorator_list)]
        brought = [n for n in ast.walk(names.tree) if isinstance(n, ast.ImportFrom)]
        pending += [f"={alias.name}" for n in brought for alias in n.names]
        known = {names.path.resolve(), *(path.resolve() for path in names.places.values())}
        seen, found = set(pending), dict[Path, None]()
        while pending:
            for path, kind in sorted(self.below.get(pending.pop(), ())):
                if path.resolve() not in known and not kind.startswith("@"):
                    found[path] = None
                if kind and kind not in seen:
                    seen.add(kind)
                    pending.append(kind)
        return [tree for path in found if (tree := neighbour(path)) is not None]


def _words_in(decorators: list[ast.expr]) -> Iterator[str]:
    for n in (n for d in decorators for n in ast.walk(d.func if isinstance(d, ast.Call) else d)):
        match n:
            case ast.Name(id=word) | ast.Attribute(attr=word):
                yield word


def _bases_in(path: Path) -> Iterator[tuple[str, str]]:
    """The words among the bases of the classes of a file, each with the class; also what they are other names for."""
    try:
        text = read(path).text
    except DreckError:
        return
    others: dict[str, list[str]] = {}
    for one, other, name, value in _OTHER_NAME.findall(text):
        others.setdefault(other or name, []).append(one or value)
    for told, kind in _DECORATED.findall(text):
        yield from ((f"={kind}", f"@{word}") for word in _WORD.findall(told))
    for word in _REGISTERING.findall(text):
        yield from ((f".{told}", "") for told in (word, *others.get(word, ())))
    made = [("", bases) for bases in _MAKING.findall(text)]
    if told := _SETTING.findall(text):
        put = {one or other for one, other in told}
        if any(not word[:1].isupper() for word in put):
            put |= set(_IMPORTED.findall(text))  # under another name, by a helper, in a loop
        made += [("", word) for word in sorted(put)]
        yield from ((f"@{word}", "") for word in _DEFINED.findall(text))
    for kind, bases in [*_CLASS.findall(text), *_ON_ITS_LINE.findall(text), *made]:
        for word in _WORD.findall(bases):
            yield from ((told, kind) for told in (word, *others.get(word, ())))


@lru_cache(maxsize=2)
def kin_of(told: str, files: tuple[tuple[Path, Path], ...], side: int) -> Kin:
    """The classes of the files of one side, as long as the same is `told` of them."""
    return Kin.of(dict.fromkeys(pair[side] for pair in files))
