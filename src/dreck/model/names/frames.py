"""Who is called by whom: code that looks at frames, which an extracted helper changes."""

import ast
from collections import Counter
from collections.abc import Sequence
from functools import lru_cache

from dreck.source.walking import walk

READERS_OF_NAMES = frozenset({"locals", "eval", "exec", "vars", "dir"})
"""They see the names of the function they are called in."""
LOCAL_NAMES = frozenset({"locals", "vars", "dir"})
"""They see no others."""
_READERS = frozenset(
    {
        "_getframe", "_getframemodulename", "_current_frames", "currentframe", "extract_stack",
        "format_stack", "print_stack", "walk_stack", "f_back", "f_code", "f_locals", "f_lineno", "tb_frame",
        "findCaller", "getouterframes", "getinnerframes",
    }
)  # fmt: skip
_CALLED = frozenset({"stack", "trace"})
"""Of `inspect`; words so common that only their call counts, and not on an object of one's own."""
_LEVELS = frozenset({"stacklevel", "skip_file_prefixes"})
_WARN_WITH_A_LEVEL = 3


@lru_cache(maxsize=512)
def looks_at_frames(node: ast.AST) -> bool:
    """Whether it asks where it stands or who called it (`sys._getframe`, `stacklevel=2`)."""
    return not frames_asked(node).keys() <= READERS_OF_NAMES


def may_see_names(node: ast.AST) -> bool:
    """Whether it may come to see what its own variables are called; a level of the stack is none."""
    return not frames_asked(node).keys() <= _LEVELS


def frames_asked(node: ast.AST) -> Counter[str]:
    """What in it looks at a frame, with how often: calls that see its names, too."""
    found: Counter[str] = Counter()
    for n in walk(node):
        match n:
            case ast.Attribute(attr=word) | ast.Name(id=word) if word in _READERS:
                found[word] += 1
            case ast.Attribute(value=ast.Name(id="inspect"), attr=word) if word in _CALLED:
                found[word] += 1
            case ast.Call(func=ast.Name(id=word)) if word in _CALLED:
                found[word] += 1
            case ast.Call(func=ast.Attribute(value=ast.Name(id=of), attr=word)) if word in _CALLED:
                found[word] += of not in ("self", "cls", "inspect")
            case ast.Name(id="locals" | "eval" | "exec" as word):
                found[word] += 1
            case ast.Call(func=ast.Name(id="vars" | "dir" as word), args=[]):
                found[word] += 1
            case ast.keyword(arg=str() as word) if word in _LEVELS:
                found[word] += 1
            case ast.Call(func=ast.Attribute(attr="warn") | ast.Name(id="warn"), args=args) if (
                len(args) >= _WARN_WITH_A_LEVEL
            ):
                found["stacklevel"] += 1
    return +found


def asks_who_calls(node: ast.AST, readers: frozenset[str]) -> bool:
    """Whether it does other things one call deeper: it looks at frames, or names one of `readers` that do."""
    return looks_at_frames(node) or bool(readers and _words(node) & readers)


def sensitive_names(nodes: Sequence[ast.AST]) -> frozenset[str]:
    """Of all nodes of a module: names of functions and methods that look at frames, themselves or through others."""
    if not any(map(_may_look, nodes)):
        return frozenset()
    functions = [n for n in nodes if isinstance(n, ast.FunctionDef | ast.AsyncFunctionDef)]
    spoken: dict[str, set[str]] = {}
    found: set[str] = set()
    for node in functions:
        name = str(getattr(node, "name", ""))
        spoken.setdefault(name, set()).update(_words(node))
        if looks_at_frames(node):
            found.add(name)
    while more := {name for name, words in spoken.items() if name not in found and words & found}:
        found |= more
    return frozenset(found)


def _may_look(n: ast.AST) -> bool:
    kind = type(n)
    if kind is ast.Attribute:
        return n.attr in _READERS or n.attr in _CALLED or n.attr == "warn"  # type: ignore[attr-defined]
    if kind is ast.Name:
        return n.id in _READERS or n.id in _CALLED or n.id == "warn"  # type: ignore[attr-defined]
    return kind is ast.keyword and n.arg in _LEVELS  # type: ignore[attr-defined]


def words_of(node: ast.AST, wanted: frozenset[str]) -> Counter[str]:
    """How often it names each of `wanted`."""
    said = (getattr(n, "id", getattr(n, "attr", "")) for n in walk(node)) if wanted else ()
    return Counter(word for word in said if word in wanted)


def _words(node: ast.AST) -> set[str]:
    return {n.id if isinstance(n, ast.Name) else n.attr for n in walk(node) if isinstance(n, ast.Name | ast.Attribute)}
