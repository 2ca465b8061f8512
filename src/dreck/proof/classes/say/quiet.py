"""Code of the files that does no more than work out what it returns, and decorators that leave it so."""

import ast
from collections.abc import Container

from dreck.model.names.modules import ModuleNames
from dreck.source.walking import walk

QUIET_DECORATORS = frozenset(
    {"builtins.staticmethod", "builtins.classmethod", "abc.abstractmethod", "contextlib.contextmanager",
     "contextlib.asynccontextmanager", "functools.lru_cache", "functools.cache", "typing.overload", "typing.override",
     "typing.final", "functools.wraps"}
)  # fmt: skip
COMPUTED = frozenset({"builtins.property", "functools.cached_property"})
_QUIET_NODES = (
    ast.Return, ast.If, ast.Pass, ast.Expr, ast.Constant, ast.Name, ast.Attribute, ast.Compare, ast.BoolOp, ast.UnaryOp,
    ast.BinOp, ast.IfExp, ast.Tuple, ast.List, ast.Call, ast.expr_context, ast.cmpop, ast.boolop, ast.operator,
    ast.unaryop, ast.Assign, ast.JoinedStr, ast.FormattedValue, ast.keyword, ast.Subscript, ast.Slice,
)  # fmt: skip
_QUIET_CALLS = frozenset(
    {"builtins.isinstance", "builtins.len", "builtins.bool", "builtins.type", "builtins.abs", "builtins.hash",
     "builtins.min", "builtins.max", "builtins.sum", "builtins.round", "builtins.int", "builtins.float", "builtins.str",
     "builtins.tuple", "builtins.iter", "builtins.id", "builtins.repr"}
)  # fmt: skip


def is_quiet(body: list[ast.stmt], names: ModuleNames) -> bool:
    """Whether code does no more than return what it works out from what it reads."""
    for s in body:
        for n in walk(s):
            if not isinstance(n, _QUIET_NODES):
                return False
            if isinstance(n, ast.Call) and names.stands_for(n.func) not in _QUIET_CALLS and not asks_hash(n):
                return False
            if isinstance(n, ast.Call) and _calls_more(n, names.stands_for(n.func)):
                return False
            if isinstance(n, ast.Attribute | ast.Subscript) and not isinstance(n.ctx, ast.Load):
                return False
            if isinstance(n, ast.Name) and isinstance(n.ctx, ast.Del):
                return False
            if isinstance(n, ast.Assign) and not all(isinstance(t, ast.Name) for t in n.targets):
                return False  # taking something apart goes through it
    return True


def _calls_more(n: ast.Call, builtin: str) -> bool:
    """Whether a call of a builtin makes a class, or runs what it is given: `type(…, …, {})`, `key=`, `iter(f, 0)`."""
    alone = builtin in ("builtins.type", "builtins.iter") and len(n.args) != 1
    return alone or any(k.arg not in _PLAIN_OPTIONS for k in n.keywords)


_PLAIN_OPTIONS = frozenset({"default", "start", "base", "ndigits", "encoding", "errors"})


def asks_hash(n: ast.AST) -> bool:
    """`self.when.__hash__()`: what `hash(self.when)` runs."""
    match n:
        case ast.Call(func=ast.Attribute(attr="__hash__"), args=[], keywords=[]):
            return True
    return False


def is_quiet_value(value: ast.expr | None, names: ModuleNames, own: Container[str] = ()) -> bool:
    """Whether what a class body is given surely is no descriptor of the files with a will of its own.

    Literals, functions and classes, what comes from elsewhere; calls of what makes plain things. A name of the module
    that stands for an object may be anything; so may the class body's `own` names.
    """
    for n in walk(value) if value is not None else ():
        if isinstance(n, ast.Call) and names.stands_for(n.func) not in _MAKES_PLAIN_THINGS:
            return False
        if isinstance(n, ast.Name) and (n.id in own or not _is_no_object(n.id, names)):
            return False
    return True


_MAKES_PLAIN_THINGS = frozenset(
    {"dataclasses.field", "enum.auto", "builtins.frozenset", "builtins.tuple", "builtins.list", "builtins.dict",
     "builtins.set", "re.compile", "builtins.object", "builtins.int", "builtins.str", "builtins.float"}
)  # fmt: skip


def _is_no_object(name: str, names: ModuleNames) -> bool:
    """A function, a class, something of a library, a constant that is written down; not an object that is made."""
    return not names.may_be_made(name) or name in names.tables.known
