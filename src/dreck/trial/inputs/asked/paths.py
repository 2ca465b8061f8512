"""Paths: what of the inputs a name or an expression in a function stands for, through locals, loops and calls."""

import ast
from collections.abc import Iterator
from typing import Any

from dreck.source.walking import walk
from dreck.trial.inputs.asked.uses import Usage

_ORDERING = frozenset({"sorted", "sum", "min", "max"})
_HASHING = frozenset({"set", "frozenset", "fromkeys"})


class Paths:
    """Which path each local name stands for, which paths it is made of, and what is done with each."""

    def __init__(self) -> None:
        self.by_path: dict[str, Usage] = {}
        self.asked_by: dict[str, set[str]] = {}
        """Paths that a method called on `self` looks at."""
        self._alias: dict[str, str] = {}
        self._made_of: dict[str, set[str]] = {}

    def _through(self, call: ast.Call) -> Iterator[tuple[str, Usage]]:
        """What a followed call does with inputs of this function, by path."""
        return iter(())

    def at(self, path: str) -> Usage:
        return self.by_path.setdefault(path, Usage())

    def known(self, path: str) -> Usage:
        """What is known of a path; that it was asked for leaves nothing behind."""
        return self.by_path.get(path) or Usage()

    def path(self, node: ast.AST) -> str | None:
        """The path an expression stands for, None when it is none."""
        match node:
            case ast.Name(id=name):
                return self._alias.get(name)
            case ast.Attribute(value=base, attr=attr):
                inner = self.path(base)
                return None if inner is None else f"{inner}.{attr}"
            case ast.Subscript(value=base, slice=ast.Constant(value=key)):
                inner = self.path(base)
                if inner is None:
                    return None
                return f"{inner}[]" if isinstance(key, int) else f"{inner}[{key!r}]"
            case ast.Subscript(value=base, slice=ast.Slice()):
                return self.path(base)
            case ast.Subscript(value=base, slice=ast.UnaryOp() | ast.Name() | ast.Attribute()):
                inner = self.path(base)
                return None if inner is None else f"{inner}[]"
            case (
                ast.Call(func=ast.Attribute(value=base, attr="get"), args=[ast.Name() | ast.Attribute(), *_])
                | ast.Call(
                    func=ast.Attribute(value=base, attr="pop" | "setdefault"), args=[ast.Name() | ast.Attribute(), _]
                )
            ):
                inner = self.path(base)
                return None if inner is None else f"{inner}[]"
            case ast.Call(func=ast.Name(id="sorted" | "list" | "tuple" | "reversed" | "iter"), args=[inside, *_]):
                return self.path(inside)
            case ast.Call(func=ast.Name(id="getattr"), args=[base, ast.Constant(value=str() as attr), *_]):
                inner = self.path(base)
                return None if inner is None else f"{inner}.{attr}"
            case ast.Call(func=ast.Name(id="max" | "min" | "next" | "sum"), args=[inside]):
                inner = self.path(inside)
                return None if inner is None else f"{inner}[]"
            case ast.Call(
                func=ast.Attribute(value=base, attr="get" | "pop" | "setdefault"),
                args=[ast.Constant(value=str() as key), *_],
            ):
                inner = self.path(base)
                return None if inner is None else f"{inner}[{key!r}]"
            case ast.Call(func=ast.Attribute(value=ast.Name(id="json"), attr="loads"), args=[inside, *_]):
                inner = self.path(inside)
                return None if inner is None else f"{inner}(json)"
            case ast.Call(func=func):
                inner = self.path(func)
                return None if inner is None else f"{inner}()"
            case ast.NamedExpr(value=value):
                return self.path(value)
            case ast.IfExp(body=body, orelse=orelse):
                return self.path(body) or self.path(orelse)
            case ast.Await(value=value):
                inner = self.path(value)
                return None if inner is None else f"{inner}.await"
        return None

    def depends(self, test: ast.AST) -> set[str]:
        """Paths a test looks at, through local names as well."""
        found: set[str] = set()
        for node in walk(test):
            path = self.path(node)
            if path is not None:
                found.add(path)
                found |= self.asked_by.get(path, set())
            match node:
                case ast.Name(id=name):
                    found |= self._made_of.get(name, set())
                case ast.Call(func=ast.Name(id="hasattr"), args=[base, ast.Constant(value=str() as attr)]):
                    inner = self.path(base)
                    found |= {f"{inner}.{attr}"} if inner is not None else set()
                case ast.Call():
                    found |= {below for below, _ in self._through(node)}
        return found

    def _flag(self, node: ast.AST, flag: str) -> None:
        """Notes of what the expression stands for that something is done with it."""
        self._on(node, lambda u: setattr(u, flag, True))

    def _on(self, node: ast.AST, change: Any) -> None:
        path = self.path(node)
        if path is not None:
            change(self.at(path))

    def _follow(self, node: ast.AST) -> None:
        match node:
            case (
                ast.Assign(targets=[ast.Name(id=name)], value=value)
                | ast.NamedExpr(target=ast.Name(id=name), value=value)
                | ast.AnnAssign(target=ast.Name(id=name), value=ast.expr() as value)
            ):
                self._named(name, value)
            case ast.AugAssign(target=ast.Name(id=name), value=value):
                self._made_of.setdefault(name, set()).update(self.depends(value))
            case ast.For(target=target, iter=iterable) | ast.comprehension(target=target, iter=iterable):
                self._loop(target, iterable)
            case (
                ast.Call(func=ast.Name(id="sorted" | "min" | "max"), args=[inside], keywords=keywords)
                | ast.Call(func=ast.Attribute(value=inside, attr="sort"), keywords=keywords)
            ):
                self._asked_of_items(inside, [k.value for k in keywords if k.arg == "key"])
            case ast.Call(func=ast.Name(id="map" | "filter"), args=[asked, inside]):
                self._asked_of_items(inside, [asked])
            case ast.Match(subject=subject, cases=cases):
                path = self.path(subject)
                for case in cases if path is not None else []:
                    self._captured(str(path), case.pattern)
            case ast.Assign(targets=[ast.Tuple(elts=elts)], value=value):
                for element in elts:
                    if isinstance(element, ast.Name):
                        self._made_of.setdefault(element.id, set()).update(self.depends(value))

    def _walked(self, name: str, value: ast.expr, has_key: bool = False) -> None:
        """What a built-in that goes through an input does with each item."""
        self._on(value, lambda u: setattr(u, "iterated", True))
        item = self.path(value)
        if item is not None:
            self.at(f"{item}[]").ordered |= name in _ORDERING and not has_key
            self.at(f"{item}[]").hashed |= name in _HASHING

    def _named(self, name: str, value: ast.expr) -> None:
        path = self.path(value)
        if path is not None and name not in self._alias:
            self._alias[name] = path
        self._made_of.setdefault(name, set()).update(self.depends(value))

    def _captured(self, path: str, pattern: ast.pattern) -> None:
        """Names that a pattern binds stand for parts of its subject."""
        match pattern:
            case ast.MatchAs(pattern=inner, name=name):
                if name is not None:
                    self._alias.setdefault(name, path)
                if inner is not None:
                    self._captured(path, inner)
            case ast.MatchStar(name=str() as name):
                self._alias.setdefault(name, path)
            case ast.MatchOr(patterns=patterns):
                for one in patterns:
                    self._captured(path, one)
            case ast.MatchSequence(patterns=patterns):
                for one in patterns:
                    self._captured(path if isinstance(one, ast.MatchStar) else f"{path}[]", one)
            case ast.MatchMapping(keys=keys, patterns=patterns):
                for key, one in zip(keys, patterns, strict=True):
                    if isinstance(key, ast.Constant):
                        self._captured(f"{path}[{key.value!r}]", one)
            case ast.MatchClass(kwd_attrs=attributes, kwd_patterns=patterns):
                for attribute, one in zip(attributes, patterns, strict=True):
                    self._captured(f"{path}.{attribute}", one)

    def _asked_of_items(self, inside: ast.expr, functions: list[ast.expr]) -> None:
        """`sorted(loads, key=lambda load: ...)`: what the lambda asks is asked of the items."""
        path = self.path(inside)
        for function in functions:
            match function:
                case ast.Lambda(args=ast.arguments(args=[only]), body=body) if path is not None:
                    self._alias.setdefault(only.arg, f"{path}[]")
                    self.at(path).iterated = True
                    self._on(body, lambda u: setattr(u, "ordered", True))

    def _loop(self, target: ast.expr, iterable: ast.expr) -> None:
        match target, iterable:
            case ast.Tuple(elts=[_, ast.Name() as item]), ast.Call(func=ast.Name(id="enumerate"), args=[inner, *_]):
                target, iterable = item, inner
            case ast.Tuple(elts=[ast.Name() as key, ast.Name() as value]), ast.Call(
                func=ast.Attribute(value=base, attr="items")
            ):
                path = self.path(base)
                if path is not None:
                    self._alias.setdefault(key.id, f"{path}{{}}")
                    self._alias.setdefault(value.id, f"{path}[]")
                return
        path = self.path(iterable)
        if path is None:
            return
        if isinstance(target, ast.Name):
            self._alias.setdefault(target.id, f"{path}[]")
        elif isinstance(target, ast.Tuple):
            for position, element in enumerate(target.elts):
                if isinstance(element, ast.Name):
                    self._alias.setdefault(element.id, f"{path}[]#{position}")
            self.at(f"{path}[]").sizes.append(-len(target.elts))
