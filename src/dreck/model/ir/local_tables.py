"""Tables of one function: a dict made once, at the function's own level, of which nothing is asked but its items.

Nobody else ever sees the dict. So its values can be held one by one, and what asks it is the tests it stands for.
Keys are constants, or members of one class, which are worked out with the dict and held as its values are.
"""

import ast
from collections.abc import Callable, Iterator, Sequence

from dreck.model.names.scopes import FunctionScope
from dreck.source.functions import FunctionNode
from dreck.source.walking import walk

_MOST_ROWS = 40
_MOST_HELD = 15
"""With more rows than that CPython hashes a key before the next row is worked out, with fewer all in the end."""
_SCOPES = (
    ast.FunctionDef, ast.AsyncFunctionDef, ast.ClassDef, ast.Lambda, ast.ListComp, ast.SetComp, ast.DictComp,
    ast.GeneratorExp,
)  # fmt: skip
_NOT_HELD = (*_SCOPES, ast.NamedExpr, ast.Await, ast.Yield, ast.YieldFrom)
"""What a value must not hold: another scope, a name bound on the way, a place where the function rests."""


def local_tables(
    function: FunctionNode,
    scope: FunctionScope,
    constant_of: Callable[[str], ast.expr | None],
    is_stable: Callable[[str], bool],
) -> dict[str, ast.Dict]:
    """By name, the dicts of a function that are tables; a value stands as the name of what holds it.

    `constant_of` gives the constant of the module that a name stands for in the function, `is_stable` whether a name
    means the same at the top of the module and everywhere in the function.
    """
    found: dict[str, ast.Dict] = {}
    for at, s in enumerate(function.body):
        match s:
            case (
                ast.Assign(targets=[ast.Name(id=name) as target], value=ast.Dict() as made)
                | ast.AnnAssign(target=ast.Name(id=name) as target, value=ast.Dict() as made, simple=1)
            ) if _is_table(made, constant_of, is_stable):
                private = name not in scope.params | scope.captured | scope.deleted | scope.shared
                if private and name in scope.local and _only_asked(target, function.body[at + 1 :], function):
                    held = [ast.Name(holder(name, i), ast.Load()) for i in range(len(made.values))]
                    found[name] = ast.Dict(list(made.keys), list[ast.expr](held))
    return found


def holder(name: str, row: int) -> str:
    """The register that holds the value of one row."""
    return f"{name}@{row}"


def key_holder(name: str, row: int) -> str:
    """The register that holds the key of one row, where that is worked out."""
    return f"{name}@key{row}"


def held_keys(made: ast.Dict) -> list[tuple[int, ast.expr]]:
    """The keys of a table that are worked out, and their rows."""
    return [(row, key) for row, key in enumerate(made.keys) if isinstance(key, ast.Attribute)]


def _is_table(made: ast.Dict, constant_of: Callable[[str], ast.expr | None], is_stable: Callable[[str], bool]) -> bool:
    if any(isinstance(n, _NOT_HELD) for value in made.values for n in walk(value)):
        return False
    if _are_members(made.keys, is_stable):
        return len(made.keys) <= _MOST_HELD
    written = [constant_of(k.id) if isinstance(k, ast.Name) else k for k in made.keys]
    keys = [k.value for k in written if isinstance(k, ast.Constant)]
    plain = all(isinstance(k, str | int | bytes) for k in keys)  # they are equal to no key but those of their value
    return 0 < len(made.keys) <= _MOST_ROWS and len(keys) == len(made.keys) and plain and len(set(keys)) == len(keys)


def _are_members(keys: Sequence[ast.expr | None], is_stable: Callable[[str], bool]) -> bool:
    """`Kind.GLASS`, `Kind.PAPER`: different words of one class, whose name is one of the module."""
    words, owners = set[str](), set[str]()
    for key in keys:
        match key:
            case ast.Attribute(value=ast.Name(id=owner), attr=word) if is_stable(owner):
                words.add(word)
                owners.add(owner)
            case _:
                return False
    return len(owners) == 1 and len(words) == len(keys)


def _only_asked(made: ast.Name, after: list[ast.stmt], function: FunctionNode) -> bool:
    """Whether the name is bound here alone, and read only afterwards, where an item is asked for."""
    asked = {id(n) for s in after for n in _asked_in(s)}
    for n in walk(function):
        if isinstance(n, ast.Name):
            if n.id == made.id and n is not made and id(n) not in asked:
                return False
        elif not isinstance(n, ast.Constant | ast.Attribute) and made.id in _words_of(n):
            return False  # an import, a handler, a pattern or a definition binds it, too
    return True


def _words_of(n: ast.AST) -> set[str]:
    return {value.partition(".")[0] for field in n._fields if isinstance(value := getattr(n, field, None), str)}


def _asked_in(statement: ast.stmt) -> Iterator[ast.expr]:
    """What an item is asked of, outside of nested scopes."""
    pending: list[ast.AST] = [statement]
    while pending:
        node = pending.pop()
        if isinstance(node, _SCOPES):
            continue
        match node:
            case ast.Compare(ops=[ast.In() | ast.NotIn()], comparators=[ast.Name() as table]):
                yield table
            case ast.Subscript(value=ast.Name() as table, ctx=ast.Load()):
                yield table
            case ast.Call(func=ast.Attribute(value=ast.Name() as table, attr="get"), args=[_] | [_, _], keywords=[]):
                if not any(isinstance(a, ast.Starred) for a in node.args):
                    yield table
        pending += ast.iter_child_nodes(node)
