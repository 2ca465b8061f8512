"""What can be gone through as often as one likes: an iterator is used up by that, also by being asked `in`."""

import ast
from functools import lru_cache

from dreck.model.names.modules import ModuleNames
from dreck.model.names.nodes import every_node
from dreck.source.functions import FunctionNode
from dreck.source.walking import walk

_DISPLAYS = (
    ast.List,
    ast.Tuple,
    ast.Dict,
    ast.Set,
    ast.ListComp,
    ast.SetComp,
    ast.DictComp,
    ast.Constant,
    ast.JoinedStr,
)
_MAKERS = frozenset(
    {f"builtins.{name}" for name in ("list", "tuple", "dict", "set", "frozenset", "sorted", "str", "bytes", "bytearray",
                                     "range")}
    | {"collections.OrderedDict", "collections.defaultdict", "collections.Counter", "collections.deque"}
)  # fmt: skip
_MAKING = frozenset(
    {"split", "rsplit", "splitlines", "copy", "keys", "values", "items", "strip", "lower", "upper", "join"}
)


def is_used_up(e: ast.expr, s: FunctionNode, names: ModuleNames) -> bool:
    """Whether an expression in a method may give an iterator, of which nothing is left once it was gone through."""
    match e:
        case ast.Attribute(attr=attr):
            return attr not in _lasting_attributes(names)
        case ast.Name(id=name):
            own = s.args.args[0].arg if s.args.args else ""
            return name != own and name not in names.tables.known
    return not _is_made_to_last(e, names)


def _is_made_to_last(e: ast.expr | None, names: ModuleNames) -> bool:
    match e:
        case ast.Call(func=called) if names.stands_for(called) in _MAKERS:
            return True
        case ast.Call(func=ast.Attribute(value=ast.Constant() | ast.JoinedStr(), attr=attr)):
            return attr in _MAKING
        case ast.IfExp(body=one, orelse=other):
            return _is_made_to_last(one, names) and _is_made_to_last(other, names)
        case ast.BoolOp(values=values):
            return all(_is_made_to_last(v, names) for v in values)
    return isinstance(e, _DISPLAYS)


@lru_cache(maxsize=16)
def _lasting_attributes(names: ModuleNames) -> frozenset[str]:
    """The attributes that nothing in the files sets but to lists, dicts, texts and the like."""
    kept: set[str] = set()
    unsure: set[str] = set()
    for tree in (names.tree, *getattr(names, "trees", ())):
        plain: dict[ast.AST, ast.expr | None] = {}
        for n in every_node(tree):
            match n:
                case ast.Assign(targets=targets, value=value):
                    plain |= dict.fromkeys(targets, value)
                case ast.AnnAssign(target=ast.Attribute() as target, value=value):
                    plain[target] = value
                case ast.AugAssign(target=target, value=value, op=ast.Add() | ast.BitOr()):
                    plain[target] = value
        for n in every_node(tree):
            match n:
                case ast.Attribute(attr="__dict__" | "__setattr__") | ast.Name(id="setattr" | "vars"):
                    return frozenset()
                case ast.Attribute(attr=attr, ctx=ast.Store() | ast.Del()):
                    (kept if _is_made_to_last(plain.get(n), names) else unsure).add(attr)
                case ast.ClassDef(body=body):  # a field of a data class is given by whoever makes one
                    bound = [m for s in body for m in walk(s) if isinstance(m, ast.Name) and m not in plain]
                    unsure |= {m.id for m in bound if isinstance(m.ctx, ast.Store)}
                case ast.FunctionDef(name=word) | ast.alias(name=word):
                    unsure.add(word)
    return frozenset(kept - unsure)
