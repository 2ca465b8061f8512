"""What functions, classes and modules say of themselves: code that reads it does another thing when that is changed."""

import ast
from collections.abc import Callable, Iterator, Mapping
from functools import lru_cache

from dreck.proof.subject import Subject
from dreck.source.functions import FunctionNode
from dreck.source.walking import walk

_TEXTS = frozenset({"__doc__", "getdoc", "help", "render_doc", "DocTestFinder", "testmod"})
HEADS = frozenset(
    {
        "__annotations__", "get_type_hints", "get_annotations", "signature", "getfullargspec", "getcallargs",
        "__signature__", "__defaults__", "__kwdefaults__", "__annotate__", "__type_params__", "_fields",
        "__dataclass_fields__", "fields",
    }
)  # fmt: skip
_CODE = frozenset(
    {
        "__code__", "getsource", "getsourcelines", "findsource", "getcomments", "getclosurevars", "__closure__",
        "co_code", "func_code", "__firstlineno__", "__static_attributes__", "dis", "get_instructions",
    }
)  # fmt: skip
_NAMES = frozenset({"__name__", "__qualname__"})
_LINES = frozenset(
    {"tb_lineno", "f_lineno", "co_firstlineno", "__firstlineno__", "co_lines", "co_positions", "co_lnotab",
     "co_linetable", "extract_tb", "extract_stack", "getframeinfo", "getinnerframes", "getouterframes", "walk_tb",
     "walk_stack", "findlinestarts", "getsourcelines", "findsource"}
)  # fmt: skip
WORDS = _TEXTS | HEADS | _CODE | _NAMES | _LINES
_LEAVE_THE_TEXT = frozenset(
    {
        "staticmethod", "classmethod", "property", "abstractmethod", "cached_property", "lru_cache", "cache",
        "contextmanager", "asynccontextmanager", "override", "final", "overload", "wraps", "setter", "getter",
        "deleter",
    }
)  # fmt: skip


def differs_by_description(old: Subject, new: Subject, words: frozenset[str]) -> str:
    """Why two functions that read some of `WORDS` are not the same by their acts alone; '' when nothing is against it.

    The text, the parameters or the code of a function are values that it, or a decorator, may read (data model,
    "Special writable attributes"); what is read is looked for in the whole of both modules.
    """
    if _text(old.node) != _text(new.node):
        if not all(map(_leaves_the_text, old.node.decorator_list)):
            return "their docstrings differ, and a decorator may read them"
        if _hands_itself_on(old.node) or _hands_itself_on(new.node):
            return "their docstrings differ, and they hand themselves on"
    for kinds, told in ((_TEXTS, _texts), (HEADS, _heads), (_CODE, _codes), (_LINES, _places)):
        read = sorted(words & kinds)
        if read and (told(old.node) != told(new.node) or _apart(told, old, new)):
            return f"they read what code says of itself (`{read[0]}`), and that is not the same"
    moved = old.home != new.home
    if words & _NAMES and (moved or old.node.name != new.node.name):
        if not moved and all(map(_names_classes_alone, (old, new))):
            return ""
        return "they read the names of functions, and have other names"
    return ""


def _names_classes_alone(subject: Subject) -> bool:
    """Whether what it reads under `__name__` is the name of a class each time: `type(load).__name__`."""
    nodes = list(walk(subject.node))
    of_classes = {
        id(n)
        for n in nodes
        if isinstance(n, ast.Attribute) and isinstance(n.value, ast.Call) and len(n.value.args) == 1
        if isinstance(n.value.func, ast.Name) and n.value.func.id == "type" and not n.value.keywords
    }
    spoken = (n for n in nodes if _NAMES & {getattr(n, "attr", ""), getattr(n, "id", ""), _constant(n)})
    return subject.names.is_builtin("type") and all(id(n) in of_classes for n in spoken)


def _constant(n: ast.AST) -> str:
    return n.value if isinstance(n, ast.Constant) and isinstance(n.value, str) else ""


def _hands_itself_on(node: FunctionNode) -> bool:
    """Whether it names itself otherwise than to call itself."""
    called = {id(n.func) for n in walk(node) if isinstance(n, ast.Call)}
    return any(
        id(n) not in called and (n.id if isinstance(n, ast.Name) else n.attr) == node.name
        for n in walk(node)
        if isinstance(n, ast.Name | ast.Attribute)
    )


def _apart(told: Callable[[ast.AST], Mapping[str, object]], old: Subject, new: Subject) -> bool:
    """Whether something that both modules define by one name is described otherwise."""
    for tree, other in zip((old.names.tree, *old.names.trees), (new.names.tree, *new.names.trees), strict=False):
        if tree is not other:
            mine, theirs = told(tree), told(other)
            if any(mine[name] != theirs[name] for name in mine.keys() & theirs.keys()):
                return True
    return False


def _text(node: ast.AST) -> str | None:
    assert isinstance(node, ast.Module | ast.ClassDef | ast.FunctionDef | ast.AsyncFunctionDef)
    return ast.get_docstring(node, clean=False)


def _leaves_the_text(decorator: ast.expr) -> bool:
    called = decorator.func if isinstance(decorator, ast.Call) else decorator
    name = called.attr if isinstance(called, ast.Attribute) else called.id if isinstance(called, ast.Name) else ""
    return name in _LEAVE_THE_TEXT


@lru_cache(maxsize=16)
def _texts(node: ast.AST) -> dict[str, str | None]:
    return {name: _text(n) for name, n in _defined(node)}


@lru_cache(maxsize=16)
def _heads(node: ast.AST) -> dict[str, str]:
    return {name: _head(n) for name, n in _defined(node)}


@lru_cache(maxsize=16)
def _codes(node: ast.AST) -> dict[str, str]:
    return {name: ast.dump(n) for name, n in _defined(node) if isinstance(n, ast.FunctionDef | ast.AsyncFunctionDef)}


@lru_cache(maxsize=16)
def _places(node: ast.AST) -> dict[str, str]:
    functions = ((name, n) for name, n in _defined(node) if isinstance(n, ast.FunctionDef | ast.AsyncFunctionDef))
    return {name: ast.dump(n, include_attributes=True) for name, n in functions}


def _head(n: ast.AST) -> str:
    match n:
        case ast.FunctionDef(args=args, returns=returns) | ast.AsyncFunctionDef(args=args, returns=returns):
            return ast.dump(args) + (ast.dump(returns) if returns is not None else "")
        case ast.ClassDef(body=body):
            return " ".join(ast.dump(s) for s in body if isinstance(s, ast.AnnAssign))
    return ""


def _defined(node: ast.AST, within: str = "") -> Iterator[tuple[str, ast.AST]]:
    """Everything that has a description, by its dotted name; the node itself has the name it was given, or none."""
    yield within, node
    pending = list(ast.iter_child_nodes(node))
    while pending:
        n = pending.pop()
        if isinstance(n, ast.ClassDef | ast.FunctionDef | ast.AsyncFunctionDef):
            yield from _defined(n, f"{within}.{n.name}")
        elif isinstance(n, ast.stmt | ast.excepthandler | ast.match_case):
            pending += ast.iter_child_nodes(n)
