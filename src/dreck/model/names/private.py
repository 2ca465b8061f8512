"""Private names of classes (`__kilos`): in a class `Load` Python reads `_Load__kilos` (language reference, 6.2.1.1).

Here they are read as they are written. So it has to be known where that is not enough: where the other name is spelt
out, and where a name that is no attribute is meant.
"""

import ast
import re
from collections.abc import Iterable, Iterator

from dreck.model.names.nodes import every_node, once_per_tree
from dreck.source.walking import walk

_WORD = re.compile(r"\w+")
_MOST_PLACES = 32
"""So many of the places at which a word may be a class and its private name are looked at."""


def is_private(word: str) -> bool:
    """Whether a word is another one in a class."""
    return word.startswith("__") and not word.endswith("__")


def spelt_out(function: ast.AST, trees: Iterable[ast.Module]) -> str:
    """A private name of which a function speaks, and that the files say in both ways; '' where there is none."""
    told = [_words(tree) for tree in trees]
    said = frozenset[str]().union(*(private for private, _ in told))
    both = said & frozenset[str]().union(*(tails for _, tails in told))
    if not both:
        return ""
    own = {word for n in walk(function) for found in _said_by(n) for word in found}
    return min(both & own, default="")


def means_several(name: str, trees: Iterable[ast.Module]) -> bool:
    """Whether a private name is said in more than one class, or outside of all: then it is not one name."""
    return is_private(name) and len({home for tree in trees for home in _homes(tree).get(name, ())}) != 1


def told_by_names(function: ast.AST) -> str:
    """A private name that a function says, and not of an object: a variable, a parameter, a keyword."""
    for n in walk(function):
        match n:
            case ast.Name(id=word) | ast.arg(arg=word) | ast.keyword(arg=str() as word) if is_private(word):
                return word
            case ast.Global(names=words) | ast.Nonlocal(names=words):
                if found := next(filter(is_private, words), ""):
                    return found
    return ""


@once_per_tree
def _words(tree: ast.Module) -> tuple[frozenset[str], frozenset[str]]:
    """The private names of a file, and the ends of its words that may be one as Python reads it."""
    private, tails = set[str](), set[str]()
    for n in every_node(tree):
        plain, spelt = _said_by(n)
        private |= plain
        tails |= spelt
    return frozenset(private), frozenset(tails)


_NOTHING: tuple[set[str], set[str]] = set(), set()


def _said_by(n: ast.AST) -> tuple[set[str], set[str]]:
    """The same of one node."""
    match n:
        case ast.Attribute(attr=word) | ast.FunctionDef(name=word) | ast.AsyncFunctionDef(name=word):
            pass
        case ast.Name(id=word) | ast.Constant(value=str() as word) | ast.keyword(arg=str() as word):
            pass
        case _:
            return _NOTHING
    if "__" not in word:
        return _NOTHING
    return {word} if is_private(word) else set(), {tail for part in _WORD.findall(word) for tail in _tails(part)}


def _tails(word: str) -> Iterator[str]:
    """`__kilos` of `_Load__kilos`: wherever the name of a class may end."""
    at = word.find("__", 2) if word[0] == "_" != word[1:2] else -1
    for _ in range(_MOST_PLACES):
        if at < 0:
            return
        yield word[at:]
        at = word.find("__", at + 1)


@once_per_tree
def _homes(tree: ast.Module) -> dict[str, set[int]]:
    """By private name the classes in whose bodies it is said, the innermost ones; 0 for outside of all."""
    found: dict[str, set[int]] = {}
    pending: list[tuple[ast.AST, int]] = [(tree, 0)]
    while pending:
        n, home = pending.pop()
        for word in (getattr(n, field, None) for field in ("id", "attr", "name", "arg")):
            if isinstance(word, str) and is_private(word):
                found.setdefault(word, set()).add(home)
        inside = set(n.body) if isinstance(n, ast.ClassDef) else set[ast.AST]()
        pending += [(child, id(n) if child in inside else home) for child in ast.iter_child_nodes(n)]
    return found
