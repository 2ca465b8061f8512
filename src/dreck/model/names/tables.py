"""Constant tables: displays and literals at the top of a module that nothing changes once they are made."""

import ast
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field

from dreck.model.names.bindings import imported_anywhere, root_of
from dreck.model.names.nodes import every_node

MOST_ROWS = 64
_LOOKING = frozenset(
    {
        "len",
        "sorted",
        "any",
        "all",
        "max",
        "min",
        "list",
        "tuple",
        "set",
        "sum",
        "zip",
        "enumerate",
        "reversed",
        "range",
    }
)
"""Builtins that look at a table and leave it as it is."""
_READING = frozenset({"get", "keys", "values", "items", "index", "count", "copy"})


@dataclass(frozen=True, slots=True)
class Tables:
    """The constants of one module by name, each as the expression it was made by."""

    known: dict[str, ast.expr] = field(default_factory=dict)

    def get(self, name: str) -> ast.expr | None:
        return self.known.get(name)

    def rows(self, e: ast.expr) -> list[ast.expr] | None:
        """The items a loop over `e` goes through, when `e` reads a table; None when it does not."""
        match e:
            case ast.Name(id=name):
                table = self.known.get(name)
                return list(table.elts) if isinstance(table, ast.Tuple | ast.List) else _keys(table)
            case ast.Call(func=ast.Attribute(value=ast.Name(id=name), attr=attr), args=[], keywords=[]):
                table = self.known.get(name)
                if not isinstance(table, ast.Dict) or attr not in ("keys", "values", "items"):
                    return None
                keys = _keys(table) or []
                pairs: list[ast.expr] = [
                    ast.Tuple([k, v], ast.Load()) for k, v in zip(keys, table.values, strict=False)
                ]
                return {"keys": keys, "values": list(table.values), "items": pairs}[attr]
        return None


def _keys(table: ast.expr | None) -> list[ast.expr] | None:
    if not isinstance(table, ast.Dict):
        return None
    return [key for key in table.keys if key is not None]


def tables_in(tree: ast.Module, is_bound_once: Callable[[str], bool], stands_for: Callable[[ast.expr], str]) -> Tables:
    """The constants of a module: names in capitals, bound once at its top, never changed in the module.

    Names in capitals are taken to be left alone by other modules, as they are everywhere else in a proof.
    """
    made: dict[str, ast.expr] = {}
    for s in tree.body:
        for name, value in _bound_to(s, stands_for):
            if name.strip("_").isupper() and is_bound_once(name):
                plain = _thawed(value, stands_for)
                if is_constant(plain):
                    made[name] = plain
    if not made:
        return Tables()
    for name in changed_in(tree, made):
        del made[name]
    return Tables(made)


def _bound_to(s: ast.stmt, stands_for: Callable[[ast.expr], str]) -> Iterator[tuple[str, ast.expr]]:
    """Names and what a statement binds them to: one, or each of `GLASS, PAPER = 1, 2` and `GLASS, PAPER = range(2)`."""
    match s:
        case ast.Assign(targets=[ast.Name(id=name)], value=value):
            yield name, value
        case ast.AnnAssign(target=ast.Name(id=name), value=ast.expr() as value):
            yield name, value
        case ast.Assign(targets=[ast.Tuple(elts=names) | ast.List(elts=names)], value=value):
            parts = _parts(value, stands_for)
            if len(parts) == len(names):
                yield from ((n.id, part) for n, part in zip(names, parts, strict=True) if isinstance(n, ast.Name))


def _parts(value: ast.expr, stands_for: Callable[[ast.expr], str]) -> list[ast.expr]:
    """What stands in a display, or what a short `range` of written numbers gives; [] when that is not plain to see."""
    match value:
        case ast.Tuple(elts=elts) | ast.List(elts=elts) if not any(isinstance(e, ast.Starred) for e in elts):
            return elts
        case ast.Call(func=called, args=[*bounds], keywords=[]) if stands_for(called) == "builtins.range":
            numbers = [b.value for b in bounds if isinstance(b, ast.Constant) and type(b.value) is int]
            if 1 <= len(numbers) == len(bounds) <= 2 and abs(numbers[-1]) <= MOST_ROWS and numbers[0] >= 0:
                return [ast.copy_location(ast.Constant(n), value) for n in range(*numbers)]
    return []


def _thawed(value: ast.expr, stands_for: Callable[[ast.expr], str]) -> ast.expr:
    """What `MappingProxyType({...})`, `frozenset({...})` or `tuple([...])` holds, as a display of the same kind."""
    match value:
        case ast.Call(func=called, args=[inner], keywords=[]):
            match stands_for(called), inner:
                case "types.MappingProxyType", ast.Dict():
                    return inner
                case "builtins.frozenset", ast.Set(elts=elts) | ast.List(elts=elts) | ast.Tuple(elts=elts):
                    return ast.copy_location(ast.Set(elts), value)
                case "builtins.tuple", ast.List(elts=elts) | ast.Tuple(elts=elts):
                    return ast.copy_location(ast.Tuple(elts, ast.Load()), value)
    return value


def is_constant(e: ast.expr) -> bool:
    """Whether `e` is a literal, or a display without `*` of not too many rows."""
    match e:
        case ast.Constant():
            return e.value is not ...
        case ast.UnaryOp(op=ast.USub(), operand=ast.Constant(value=int() | float())):
            return True
        case ast.Tuple(elts=elts) | ast.List(elts=elts) | ast.Set(elts=elts):
            return len(elts) <= MOST_ROWS and not any(isinstance(item, ast.Starred) for item in elts)
        case ast.Dict(keys=keys):
            return len(keys) <= MOST_ROWS and None not in keys
    return False


def _bound_anywhere(tree: ast.Module) -> set[str]:
    """Every name that something in the module gives a meaning of its own."""
    found: set[str] = set()
    for n in every_node(tree):
        match n:
            case ast.FunctionDef(name=name) | ast.AsyncFunctionDef(name=name) | ast.ClassDef(name=name):
                found.add(name)
            case ast.Name(id=name, ctx=ast.Store() | ast.Del()) | ast.arg(arg=name):
                found.add(name)
            case ast.alias(name=name, asname=other):
                found.add(other or name.partition(".")[0])
    return found


def _changed_from_outside(tree: ast.Module, names: set[str]) -> set[str]:
    """Those of `names` that a module may change as an attribute of what may be the module itself: of what it imports,
    keeps or is handed; or by a text that says the name."""
    imported = imported_anywhere(tree)
    found, safe = set[str](), set[ast.AST]()
    for node in every_node(tree) if names else ():
        match node:
            case ast.Subscript(value=ast.Attribute() as used, ctx=ast.Load()):
                safe.add(used)
            case ast.Attribute(value=ast.Attribute() as used, attr=attr) if attr in _READING:
                safe.add(used)
            case ast.Compare(comparators=parts):
                safe.update(parts)
        match node:
            case ast.Attribute(value=of, attr="__dict__") | ast.Call(func=ast.Name(id="vars"), args=[of]):
                found |= names if root_of(of) in imported else set()
            case ast.Attribute(attr=name) if name in names and node not in safe:
                found.add(name)
            case ast.Subscript(slice=ast.Constant(value=str() as name)) if name in names:
                found.add(name)
            case ast.Call(func=ast.Name(id="getattr"), args=[of, asked, *_]) if not isinstance(asked, ast.Constant):
                found |= names if root_of(of) in imported else set()
            case ast.Call(args=args):
                found |= names & {a.value for a in args if isinstance(a, ast.Constant) and isinstance(a.value, str)}
            case ast.alias(name=name, asname=str() as other) if name in names and other != name:
                found.add(name)
    return found


def changed_in(tree: ast.Module, names: dict[str, ast.expr]) -> set[str]:
    """Which of `names` may be bound again or changed, or are handed to code that could change them."""
    stored: dict[str, int] = {}
    changed: set[str] = set()
    safe: set[ast.AST] = set()
    own = _bound_anywhere(tree)
    for node in every_node(tree):
        match node:
            case ast.Subscript(value=ast.Name(id=name) as used, ctx=ast.Load()) if name in names:
                safe.add(used)
            case ast.Attribute(value=ast.Name(id=name) as used, attr=attr) if name in names and attr in _READING:
                safe.add(used)
            case ast.Compare(comparators=parts):
                safe.update(part for part in parts if isinstance(part, ast.Name))
            case ast.For(iter=ast.Name() as used) | ast.comprehension(iter=ast.Name() as used):
                safe.add(used)
            case ast.Call(func=ast.Name(id=called)) if called in _LOOKING and called not in own:
                safe.update(arg for arg in node.args if isinstance(arg, ast.Name))
            case ast.Global(names=rebound):
                changed.update(rebound)
            case ast.Name(id=name, ctx=ast.Store() | ast.Del()) if name in names:
                stored[name] = stored.get(name, 0) + 1
    open_to_change = {name for name, e in names.items() if not isinstance(e, ast.Constant | ast.UnaryOp | ast.Tuple)}
    for node in every_node(tree):
        if isinstance(node, ast.Name) and node.id in open_to_change and node not in safe:
            changed.update([node.id] if isinstance(node.ctx, ast.Load) else [])
    changed |= _changed_from_outside(tree, open_to_change)
    return {name for name in names if name in changed or stored.get(name, 0) > 1}


def is_left_alone(name: str) -> bool:
    """Whether nobody but the module itself is taken to change what a name holds: one in capitals, or with an
    underscore."""
    return name.startswith("_") or name.isupper()


def bound_at_top(tree: ast.Module) -> Iterator[tuple[str, ast.expr, bool]]:
    """Names that a statement of the module gives a value, also in a branch; and whether they are the only ones that
    stand for it then."""
    for s in _at_top(tree.body):
        match s:
            case ast.Assign(targets=[ast.Name(id=name)], value=value):
                yield name, value, True
            case ast.Assign(targets=targets, value=value):
                named = [n for target in targets for n in ast.walk(target) if isinstance(n, ast.Name)]
                yield from ((n.id, value, False) for n in named)
            case ast.AnnAssign(target=ast.Name(id=name), value=ast.expr() as value):
                yield name, value, True
        for n in ast.walk(s) if isinstance(s, ast.Assign | ast.AnnAssign | ast.Expr) else ():
            if isinstance(n, ast.NamedExpr):
                yield n.target.id, n.value, False


def _at_top(body: list[ast.stmt]) -> Iterator[ast.stmt]:
    for s in body:
        yield s
        if not isinstance(s, ast.FunctionDef | ast.AsyncFunctionDef | ast.ClassDef):
            parts = [getattr(s, name, []) for name in ("body", "orelse", "finalbody")]
            parts += [part.body for part in (*getattr(s, "handlers", []), *getattr(s, "cases", []))]
            for part in parts:
                yield from _at_top(part)
