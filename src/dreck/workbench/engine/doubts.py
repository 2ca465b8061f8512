"""Where an accepted assumption is doubtful: `total-order` in code that speaks of floats, sets, arrays or frames."""

import ast

from dreck.proof.assumptions import ORDER
from dreck.proof.lockstep.masking import array_modules
from dreck.source.functions import FunctionNode
from dreck.source.walking import walk

_NUMBERS = frozenset({"nan", "NaN", "NAN", "isnan", "inf", "float", "fsum", "float32", "float64", "Decimal"})
_SETS = frozenset({"set", "frozenset", "issubset", "issuperset", "AbstractSet", "Set", "FrozenSet", "Counter"})

_ORDERS = frozenset({ast.Lt, ast.LtE, ast.Gt, ast.GtE})


def orders_doubtful(function: FunctionNode, module: ast.Module) -> bool:
    """Whether `not a < b` might not be `a >= b` here: a NaN, sets or arrays may be compared.

    That a function speaks of floats anywhere is enough; numbers with a point and what is divided count where they
    reach a comparison.
    """
    nodes = list(walk(function))
    operands = [o for n in nodes if isinstance(n, ast.Compare) and _orders(n) for o in (n.left, *n.comparators)]
    if not operands:
        return False
    if array_modules(module) or any(map(_speaks_of_it, nodes)):
        return True
    return any(map(_is_broken, nodes)) and any(_is_broken(n) for part in _feeding(operands, nodes) for n in walk(part))


def _orders(node: ast.Compare) -> bool:
    return any(type(op) in _ORDERS for op in node.ops)


def _feeding(operands: list[ast.expr], nodes: list[ast.AST]) -> list[ast.AST]:
    """The operands, and all that is put in what they name, or in what that names."""
    written: dict[str, list[ast.AST]] = {}
    for target, value in (pair for node in nodes for pair in _writes(node)):
        for name in _named([target]):
            written.setdefault(name, []).append(value)
    found: list[ast.AST] = [*operands]
    pending = _named(operands)
    while pending:
        more = written.pop(pending.pop(), [])
        found += more
        pending |= _named(more) & written.keys()
    return found


def _writes(node: ast.AST) -> list[tuple[ast.AST, ast.AST]]:
    match node:
        case ast.Assign(targets=targets):
            return [(target, node.value) for target in targets]
        case ast.AugAssign(target=target):
            return [(target, node)]
        case ast.AnnAssign(target=target, value=ast.expr() as value) | ast.NamedExpr(target=target, value=value):
            return [(target, value)]
        case ast.For(target=target, iter=value) | ast.AsyncFor(target=target, iter=value):
            return [(target, value)]
        case ast.comprehension(target=target, iter=value):
            return [(target, value)]
        case ast.withitem(context_expr=value, optional_vars=ast.expr() as target):
            return [(target, value)]
        case ast.Call(func=ast.Attribute(value=base), args=args, keywords=keywords):
            return [(base, given) for given in (*args, *(k.value for k in keywords))]
        case ast.FunctionDef(name=name) | ast.AsyncFunctionDef(name=name):
            return [(ast.Name(name), node)]
        case ast.Match(subject=subject, cases=cases):
            caught = [n for case in cases for n in walk(case.pattern) if isinstance(n, ast.MatchAs | ast.MatchStar)]
            return [(ast.Name(n.name), subject) for n in caught if n.name is not None]
    return []


def _named(parts: list[ast.expr] | list[ast.AST]) -> set[str]:
    """What expressions name: variables, attributes, keys."""
    found: set[str] = set()
    for node in (n for part in parts for n in walk(part)):
        match node:
            case ast.Name(id=name) | ast.Attribute(attr=name) | ast.Constant(value=str(name)):
                found.add(name)
    return found


def ordered(function: FunctionNode, module: ast.Module, doubt: frozenset[str]) -> frozenset[str]:
    """`total-order` where it is accepted: nowhere if the project doubts it, nor where the code gives reason to."""
    accepted = ORDER not in doubt and not orders_doubtful(function, module)
    return frozenset({ORDER}) if accepted else frozenset()


def _speaks_of_it(node: ast.AST) -> bool:
    match node:
        case ast.Name(id=name) | ast.Attribute(attr=name):
            return name in _NUMBERS or name in _SETS
        case ast.Set() | ast.SetComp():
            return True
    return False


def _is_broken(node: ast.AST) -> bool:
    """Whether it is a number that need not be whole."""
    match node:
        case ast.Constant(value=float()):
            return True
        case ast.BinOp(op=ast.Div()) | ast.AugAssign(op=ast.Div()):
            return True
    return False
