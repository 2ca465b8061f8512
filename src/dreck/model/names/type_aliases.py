"""Names that stand for a type: `Load = Paper | Glass`, `type Load = ...`, `Kilos = NewType("Kilos", int)`."""

import ast
from collections.abc import Callable


def aliased(statement: ast.stmt, stands_for: Callable[[ast.expr], str]) -> ast.expr | None:
    """The type that the name bound by `statement` stands for, where it says so; None for everything else.

    `stands_for` tells what of the standard library an expression names: `typing.NewType`.
    """
    match statement:
        case ast.Assign(targets=[ast.Name()], value=ast.Call(func=made, args=[ast.Constant(), kind], keywords=[])):
            return kind if stands_for(made) == "typing.NewType" else None
        case ast.Assign(targets=[ast.Name()], value=value) if _is_type(value, stands_for):
            return value
        case ast.AnnAssign(annotation=said, value=value) if stands_for(said) == "typing.TypeAlias":
            return value
    if type(statement).__name__ == "TypeAlias" and not getattr(statement, "type_params", ()):
        value = getattr(statement, "value", None)
        return value if isinstance(value, ast.expr) else None
    return None


_HOLDERS = frozenset(
    ["builtins.list", "builtins.tuple", "builtins.set", "builtins.frozenset", "typing.Union", "typing.Optional"]
    + [f"{home}.{name}" for home in ("collections.abc", "typing") for name in ("Sequence", "Iterable")]
)


def _is_type(value: ast.expr, stands_for: Callable[[ast.expr], str]) -> bool:
    match value:
        case ast.BinOp(op=ast.BitOr()) | ast.Name():
            return True
        case ast.Subscript(value=holder):
            return stands_for(holder) in _HOLDERS
    return False
