"""What may stand in the body of a class, also under an `if` or in a `try`."""

import ast
from collections.abc import Iterator

from dreck.model.names.bindings import bound_by
from dreck.model.names.nodes import once_per_tree
from dreck.source.walking import walk


def statements_of(body: list[ast.stmt]) -> Iterator[ast.stmt]:
    """The statements of a class body, those under an `if` or in a `try` among them: any of these may be run.

    A statement that may bind names which are not written there is given as it is, to be told apart from others.
    """
    for s in body:
        match s:
            case ast.If(test=test, body=inner, orelse=orelse) if not _binds_unseen(test):
                yield from statements_of([*inner, *orelse])
            case ast.Try(body=inner, handlers=handlers, orelse=orelse, finalbody=last) if not any(
                h.name for h in handlers
            ):
                yield from statements_of([*inner, *(s for h in handlers for s in h.body), *orelse, *last])
            case ast.FunctionDef() | ast.AsyncFunctionDef() if any(map(_binds_unseen, _run_with_the_class(s))):
                yield from (s, _something(s))
            case ast.Assign() | ast.AnnAssign() | ast.AugAssign() if _binds_unseen(s):
                yield _something(s)
            case ast.Expr(value=ast.Call() as call) if _fills(call, body) and not _binds_unseen(call):
                continue
            case _:
                yield s


@once_per_tree
def statements_in(node: ast.ClassDef) -> tuple[ast.stmt, ...]:
    """The statements of a class's own body, as `statements_of` finds them."""
    return tuple(statements_of(node.body))


@once_per_tree
def bound_in_body(node: ast.ClassDef) -> frozenset[str]:
    """The names that the body of a class binds: there they mean what it says, not what the module does."""
    return frozenset(name for s in statements_in(node) for name in bound_by(s))


def _fills(call: ast.Call, body: list[ast.stmt]) -> bool:
    """Whether a call puts something into a list, dict or set that the body itself makes: it binds nothing."""
    match call.func:
        case ast.Attribute(value=ast.Name(id=name), attr="append" | "extend" | "add" | "update" | "setdefault"):
            bound = [s.value for s in body if isinstance(s, ast.Assign) and _is_name(s.targets, name)]
            return len(bound) == 1 and isinstance(bound[0], ast.List | ast.Dict | ast.Set | ast.ListComp | ast.DictComp)
    return False


def _is_name(targets: list[ast.expr], name: str) -> bool:
    return any(isinstance(t, ast.Name) and t.id == name for t in targets)


def _something(s: ast.stmt) -> ast.stmt:
    """A statement of which nothing is known."""
    return ast.copy_location(ast.Expr(ast.Call(ast.Name("exec", ast.Load()), [], [])), s)


def _run_with_the_class(s: ast.FunctionDef | ast.AsyncFunctionDef) -> list[ast.expr]:
    """What is worked out when the class is made."""
    defaults = [d for d in (*s.args.defaults, *s.args.kw_defaults) if d is not None]
    notes = [a.annotation for a in walk(s.args) if isinstance(a, ast.arg) and a.annotation is not None]
    return [*s.decorator_list, *defaults, *notes, *([s.returns] if s.returns is not None else [])]


_BY_ANY_NAME = frozenset({"exec", "eval", "locals", "vars", "_getframe", "currentframe"})


def _binds_unseen(e: ast.AST) -> bool:
    """Whether code of a class body may bind names there: with `:=`, or by what looks at the body itself."""
    return any(
        isinstance(n, ast.NamedExpr)
        or (isinstance(n, ast.Name) and n.id in _BY_ANY_NAME)
        or (isinstance(n, ast.Attribute) and n.attr in _BY_ANY_NAME)
        for n in walk(e)
    )
