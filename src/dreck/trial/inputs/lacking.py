"""What objects may lack: attributes that no constructor is sure to set."""

import ast
import builtins
import dataclasses
import types
from collections.abc import Iterator, Mapping, Sequence
from typing import Any

from dreck.source.walking import walk

_MAKERS = ("__new__", "__init__")
_HOW_DEEP = 4
_NOT_SURE = (ast.FunctionDef, ast.AsyncFunctionDef, ast.Lambda, ast.ClassDef, ast.IfExp, ast.BoolOp)
"""What stands in them is done later or on some ways only."""


@dataclasses.dataclass(slots=True)
class Lacking:
    """Of the classes of one module: what their objects have in any case. `read` are the paths at which something
    was read that need not be there."""

    classes: Mapping[str, ast.ClassDef] = dataclasses.field(default_factory=dict)
    deleted: frozenset[str] = frozenset()
    read: set[str] = dataclasses.field(default_factory=set)
    left_out: set[str] = dataclasses.field(default_factory=set)
    """Those of them that some input went without."""
    _set: dict[type, tuple[frozenset[str], frozenset[str] | None]] = dataclasses.field(default_factory=dict)

    @classmethod
    def of(cls, tree: ast.Module) -> "Lacking":
        nodes = list(walk(tree))
        classes = {n.name: n for n in nodes if isinstance(n, ast.ClassDef)}
        deleted = {n.attr for n in nodes if isinstance(n, ast.Attribute) and isinstance(n.ctx, ast.Del)}
        return cls(classes, frozenset(deleted))

    def may_lack(self, kind: type | None, name: str) -> bool:
        """Whether objects of `kind` need not have an attribute; None stands for objects that nothing is known of."""
        if kind is None or name in self.deleted:
            return True
        if kind not in self._set:
            self._set[kind] = self._set_by(kind)
        sure, anywhere = self._set[kind]
        is_told_of = anywhere is None or name in anywhere
        return is_told_of and name not in sure and not any(_says(base, name) for base in kind.__mro__)

    def _set_by(self, kind: type) -> tuple[frozenset[str], frozenset[str] | None]:
        """What the class is sure to set, and what else its code sets at some time; None for all that can be, where no
        code sets attributes but that which is looked into."""
        here = [base for base in kind.__mro__[:-1] if base.__module__ == kind.__module__]
        bodies = [body for base in here if (body := self.classes.get(base.__name__)) is not None]
        sure = frozenset[str]().union(*(_Setting(bodies).by(maker) for maker in _MAKERS))
        if dataclasses.is_dataclass(kind):
            sure |= {field.name for field in dataclasses.fields(kind) if field.init or _has_default(field)}
        is_whole = type(kind) is type and len(bodies) == len(kind.__mro__) - 1
        nodes = [n for body in bodies for n in walk(body)]
        is_made = not any(_is_endless(n) or _hands_itself_on(n) for n in nodes)
        if is_whole and is_made and not any(body.decorator_list for body in bodies):
            return sure, None
        stored = (n for n in nodes if isinstance(n, ast.Attribute) and isinstance(n.ctx, ast.Store))
        return sure, frozenset(n.attr for n in stored)


def _has_default(field: "dataclasses.Field[Any]") -> bool:
    return not field.default is field.default_factory is dataclasses.MISSING


def _is_endless(n: ast.AST) -> bool:
    return isinstance(n, ast.While) and isinstance(n.test, ast.Constant)


def _hands_itself_on(n: ast.AST) -> bool:
    """`fill(self)`: what a function elsewhere sets is not looked into."""
    match n:
        case ast.Call(func=ast.Name(id=name), args=args):
            given = any(isinstance(arg, ast.Name) and arg.id == "self" for arg in args)
            return given and not hasattr(builtins, name)
    return False


@dataclasses.dataclass(slots=True)
class _Setting:
    """What a method sets of its object on every way to its end. `bodies` in the order in which they are searched."""

    bodies: Sequence[ast.ClassDef]
    depth: int = 0

    def by(self, name: str) -> frozenset[str]:
        for number, body in enumerate(self.bodies):
            for made in reversed(body.body):
                if isinstance(made, ast.FunctionDef) and made.name == name:
                    return self._by_function(made, number)
        return frozenset()

    def _by_function(self, made: ast.FunctionDef, number: int) -> frozenset[str]:
        first = [*made.args.posonlyargs, *made.args.args][:1]
        own = first[0].arg if first and made.name != "__new__" else _made_in(made)
        return frozenset(self._all(made.body, own, number))

    def _all(self, block: Sequence[ast.stmt], own: str, number: int) -> set[str]:
        found: set[str] = set()
        for s in block:
            if any(isinstance(n, ast.Return) for n in walk(s)):
                return found  # what stands behind it is set on some ways only
            match s:
                case ast.If(body=body, orelse=orelse):
                    ways = [self._all(way, own, number) for way in (body, orelse) if not _ends_raising(way)]
                    found |= set.intersection(*ways) if ways else set()
                    found |= set(self._in_one(s.test, own, number))
                case ast.With() | ast.AsyncWith():
                    found |= self._all(s.body, own, number)
                case ast.Try(body=body, handlers=handlers, orelse=orelse, finalbody=last):
                    whole = self._all([*body, *orelse], own, number)
                    others = [self._all(h.body, own, number) for h in handlers if not _ends_raising(h.body)]
                    found |= set.intersection(whole, *others) | self._all(last, own, number)
                case ast.Match(cases=cases):
                    ways = [self._all(c.body, own, number) for c in cases if not _ends_raising(c.body)]
                    found |= set.intersection(*ways) if ways and any(map(_takes_all, cases)) else set()
                case ast.For() | ast.While() | ast.AsyncFor():
                    continue
                case _:
                    found |= set(self._in_one(s, own, number))
        return found

    def _in_one(self, node: ast.AST, own: str, number: int) -> Iterator[str]:
        """What a statement without blocks sets, or the methods that it calls."""
        if isinstance(node, _NOT_SURE):
            return
        match node:
            case ast.Attribute(value=ast.Name(id=name), attr=attribute, ctx=ast.Store()) if name == own:
                yield attribute
            case ast.Call(func=ast.Attribute(value=ast.Name(id=name), attr=method)) if name == own:
                yield from self._called(self.bodies, method)
            case ast.Call(func=ast.Attribute(value=ast.Call(func=ast.Name(id="super")), attr=method)):
                yield from self._called(self.bodies[number + 1 :], method)
            case ast.Call(func=ast.Attribute(value=ast.Name(id=base), attr=method), args=[ast.Name(id=name), *_]):
                above = [n for n, body in enumerate(self.bodies) if body.name == base and name == own]
                yield from self._called(self.bodies[above[0] :], method) if above else ()
            case ast.Call(func=ast.Name(id="setattr"), args=[ast.Name(id=name), ast.Constant(value=str(attribute)), _]):
                yield from [attribute] if name == own else []
        for child in ast.iter_child_nodes(node):
            yield from self._in_one(child, own, number)

    def _called(self, bodies: Sequence[ast.ClassDef], method: str) -> frozenset[str]:
        return _Setting(bodies, self.depth + 1).by(method) if self.depth < _HOW_DEEP else frozenset()


def _says(base: type, name: str) -> bool:
    """Whether the class has it for its objects; a slot is only room for it."""
    return name in vars(base) and not isinstance(vars(base)[name], types.MemberDescriptorType)


def _made_in(maker: ast.FunctionDef) -> str:
    """The name of the object that `__new__` makes, which it returns at its end."""
    last = maker.body[-1]
    return last.value.id if isinstance(last, ast.Return) and isinstance(last.value, ast.Name) else ""


def _takes_all(case: ast.match_case) -> bool:
    return isinstance(case.pattern, ast.MatchAs) and case.pattern.pattern is None and case.guard is None


def _ends_raising(block: Sequence[ast.stmt]) -> bool:
    return bool(block) and isinstance(block[-1], ast.Raise)
