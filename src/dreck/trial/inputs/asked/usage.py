"""How a function uses its inputs: what each of them is compared with, asked for, iterated, called.

Inputs are named by paths: `load`, `load.kilos`, `loads[]` (an item of it), `row['fee']`, `load.weigh()`.
"""

import ast
import re
from collections.abc import Iterable, Iterator, Mapping
from types import MappingProxyType
from typing import Any

from dreck.model.names.scopes import param_names
from dreck.source.functions import FunctionNode
from dreck.source.walking import walk
from dreck.trial.inputs.asked.paths import Paths
from dreck.trial.inputs.asked.patterns import by_part, note_pattern
from dreck.trial.inputs.asked.raised import Raised
from dreck.trial.inputs.asked.texts import of_parts, signs_between
from dreck.trial.inputs.asked.uses import (
    Named,
    Usage,
    answers_looked_at,
    asked_for_truth,
    class_name,
    constant,
    constants,
    own_tables,
    size,
)

_DEEPEST = 3
_MATCHING = frozenset({"match", "fullmatch", "search", "findall", "finditer", "split"})
_WALKING = frozenset({"len", "sorted", "list", "sum", "min", "max", "any", "all", "set", "enumerate", "frozenset"})
_TAKEN_OUT = re.compile(r"\.(pop|popleft)\(\)")
_STRIPPED = re.compile(
    r"(\.(strip|lstrip|rstrip|lower|upper|casefold|title|capitalize|replace|removeprefix|removesuffix|decode)\(\))+$"
)


class Usages(Raised, Paths):
    """Usage by path, for one function or several versions of it; `depends` says which paths a name is made of."""

    def __init__(self) -> None:
        super().__init__()
        self.constants: list[Any] = []
        self.steady: frozenset[str] = frozenset()
        """Attributes and items that keep their value while the code runs, where that is assumed."""
        self.held_steady = False  # whether one would have changed
        self.grows = False
        """Whether numbers are raised to a power: huge ones would take for ever."""
        self.periods: list[int] = []
        """What remainders are taken by: a loop may do something else each so many rounds."""
        self._own_tables: dict[str, list[Any]] = {}
        self._helpers: dict[str, tuple[list[str], Usages]] = {}
        """Functions beside it that it calls: their parameters, and what they do with them."""

    def add(
        self,
        function: FunctionNode,
        methods: Mapping[str, FunctionNode] = MappingProxyType({}),
        varying: Iterable[str] = (),
        functions: Mapping[str, FunctionNode] = MappingProxyType({}),
    ) -> None:
        """Reads one version of the function. May be called for several.

        `methods` are those of its class, which are followed where they are called on `self`, `functions` those
        of its module, followed where an input is handed to them; `varying` the module's names that some function
        binds anew: they are inputs like parameters.
        """
        for name in (*param_names(function.args), *varying):
            self._alias[name] = name
            self.at(name)
        self._read(function)
        self._handed_out(function)
        self._methods(function, methods, {function.name})
        self._handed_on(function, {**functions, **{f"self.{n}": m for n, m in methods.items()}}, [function.name])

    def _read(self, function: ast.AST) -> None:
        self._own_tables |= own_tables(function)
        for _ in range(3):  # names of names: three rounds follow what people write
            for node in walk(function):
                self._follow(node)
        for node in walk(function):
            self._note(node)
        for path, usage in list(self.by_path.items()):
            whole = _STRIPPED.sub("", path)
            if whole != path:  # what is asked of `s.strip().lower()` is asked of `s`
                self.at(whole).contains.extend(v for v in usage.contains + usage.constants if isinstance(v, str))
                self.at(whole).patterns.extend(usage.patterns)
                self.at(whole).texts.extend(usage.texts)
            if _TAKEN_OUT.search(path):  # what is asked of `bins.pop()` is asked of what `bins` holds
                self.at(_TAKEN_OUT.sub("[]", path)).join(usage)

    def _handed_out(self, function: FunctionNode) -> None:
        """Functions made inside are called when they are handed out, with `answer(parameter)`."""
        for node in walk(function):
            if node is function or not isinstance(node, ast.Lambda | FunctionNode):
                continue
            inner = Usages()
            names = param_names(node.args)
            for name in names:
                inner._alias[name] = name
            inner._read(node)
            for path, usage in inner.by_path.items():
                root = next((n for n in names if path == n or path.startswith((f"{n}.", f"{n}[", f"{n}("))), None)
                if root is not None:
                    self.at(f"answer({root}){path[len(root) :]}").join(usage)

    def _methods(self, function: FunctionNode, methods: Mapping[str, FunctionNode], seen: set[str]) -> None:
        """What methods called on `self` look at is looked at by the call."""
        called = {
            n.attr
            for n in walk(function)
            if isinstance(n, ast.Attribute) and isinstance(n.value, ast.Name) and n.value.id == "self"
        }
        for name in sorted(called & methods.keys() - seen):
            seen.add(name)
            if len(seen) > 12:
                return
            inner = Usages()
            inner._alias["self"] = "self"
            inner._read(methods[name])
            inner._methods(methods[name], methods, seen)
            self.join_errors(inner)
            for path, usage in inner.by_path.items():
                if path.startswith("self."):
                    self.at(path).join(usage)
            self.asked_by.setdefault(f"self.{name}", set()).update(p for p in inner.by_path if p.startswith("self."))

    def _handed_on(self, function: FunctionNode, functions: Mapping[str, FunctionNode], seen: list[str]) -> None:
        """What functions do with an input that is handed to them is done with it here."""
        calls = [n for n in walk(function) if isinstance(n, ast.Call) and n.args]
        for call in calls:
            name = class_name(call.func)
            node = functions.get(name) if name is not None else None
            if node is None or name in seen or len(seen) > _DEEPEST:
                continue
            if name not in self._helpers:
                inner = Usages()
                inner.add(node)
                inner._handed_on(node, functions, [*seen, str(name)])
                names = [a.arg for a in (*node.args.posonlyargs, *node.args.args)]
                self.join_errors(inner)
                self._helpers[str(name)] = names[str(name).startswith("self.") :], inner
            for path, usage in self._through(call):
                self.at(path).join(usage)
        for call in [c for c in calls if class_name(c.func) in (function.name, f"self.{function.name}")] * 2:
            self._handed_to_itself(function, call)

    def _handed_to_itself(self, function: FunctionNode, call: ast.Call) -> None:
        """What it does with a parameter it does with what it hands on to itself: two calls deep."""
        names = [a.arg for a in (*function.args.posonlyargs, *function.args.args)]
        names = names[1:] if isinstance(call.func, ast.Attribute) else names
        for name, value in zip(names, call.args, strict=False):
            path = self.path(value)
            if path is None or path == name:
                continue
            for below, usage in list(self.by_path.items()):
                deep = path.count("[") + below.count("[")
                if below == name or (below.startswith((f"{name}.", f"{name}[")) and below.count(".") <= 1 and deep < 4):
                    self.at(path + below[len(name) :]).join(usage)

    def _through(self, call: ast.Call) -> Iterator[tuple[str, Usage]]:
        """What a followed call does with inputs of this function, by path."""
        names, inner = self._helpers.get(class_name(call.func) or "", ([], None))
        given = dict(zip(names, call.args, strict=False)) | {k.arg: k.value for k in call.keywords if k.arg in names}
        for name, value in given.items():
            path = self.path(value)
            if path is None or inner is None:
                continue
            for below, usage in inner.by_path.items():
                if below == name or below.startswith((f"{name}.", f"{name}[", f"{name}(")):
                    yield path + below[len(str(name)) :], usage

    def _note(self, node: ast.AST) -> None:
        self.note_errors(node)
        for test in asked_for_truth(node):
            self._flag(test, "tested_truth")
        match node:
            case ast.Constant(value=value) if isinstance(value, int | float | str | bytes) and not isinstance(
                value, bool
            ):
                self.constants.append(value)
            case ast.Compare(left=left, ops=ops, comparators=comparators):
                sides = [left, *comparators]
                for op, a, b in zip(ops, sides, sides[1:], strict=False):
                    self._compared(op, a, b)
                    self._compared(op, b, a, mirrored=True)
                for side in answers_looked_at(left, ops, comparators):
                    self._flag(side, "answer_looked_at")
            case ast.Attribute(value=base, attr=attr):
                self._on(base, lambda u: u.attributes.add(attr))
            case ast.Subscript(value=base, slice=index):
                self._subscript(base, index)
            case ast.For(iter=iterable) | ast.comprehension(iter=iterable):
                self._flag(iterable, "iterated")
            case ast.BinOp(left=left, op=ast.BitAnd() | ast.BitOr() | ast.BitXor(), right=right):
                flags = constants(right)
                self._on(left, lambda u: u.constants.extend(flags))
                self._on(left, lambda u: setattr(u, "arithmetic", not flags or u.arithmetic))
            case ast.BinOp(left=ast.Constant(value=str()) | ast.JoinedStr(), op=ast.Mod(), right=right):
                self._flag(right, "percent")
            case ast.FormattedValue(value=value):
                self._flag(value, "formatted")
            case ast.BinOp(left=left, op=how, right=right):
                if isinstance(how, ast.Mod) and isinstance(right, ast.Constant) and type(right.value) is int:
                    self.periods.append(right.value)
                self._reckoned(how, left, right)
            case ast.AugAssign(op=how, value=value):
                self._reckoned(how, value)
            case ast.Call():
                self._call(node)
            case ast.Assign(targets=[ast.Tuple(elts=parts)], value=ast.Call(func=ast.Attribute(value=base))):
                self._taken_apart(base, node.value, len(parts))
            case ast.Match():
                self._match(node)
            case ast.Await(value=value):
                self._flag(value, "awaited")
            case ast.withitem(context_expr=entered):
                self._flag(entered, "awaited")

    def _reckoned(self, how: ast.operator, *sides: ast.expr) -> None:
        self.grows |= isinstance(how, ast.Pow | ast.LShift)
        for side in sides:
            self._flag(side, "arithmetic")

    def _taken_apart(self, base: ast.expr, call: ast.expr, parts: int) -> None:
        """`a, b, c = text.split("-")`: a text of three parts is wanted, of numbers or of words."""
        if texts := [text for sign in signs_between(call) for text in of_parts(sign, parts)]:
            self._on(base, lambda u: u.texts.extend(texts))

    def _compared(self, op: ast.cmpop, a: ast.expr, b: ast.expr, mirrored: bool = False) -> None:
        if isinstance(op, ast.Eq | ast.NotEq) or (isinstance(op, ast.In | ast.NotIn) and not mirrored):
            self._flag(a, "compared")
        if isinstance(op, ast.In | ast.NotIn) and mirrored:
            self._flag(a, "subscripted")
            member = constant(b)
            if member is not None:
                self._on(a, lambda u: u.contains.append(member))
            self._looked_up(a, b)
            return
        values = constants(b)
        if isinstance(op, ast.In | ast.NotIn) and len([v for v in values if not isinstance(v, Named)]) < size(b):
            self._flag(a, "among")
        self._on(a, lambda u: u.constants.extend(values))
        if isinstance(op, ast.In | ast.NotIn) and isinstance(b, ast.Set | ast.Dict | ast.Name):
            self._flag(a, "hashed")
        if isinstance(op, ast.Is | ast.IsNot) or None in values:
            self._flag(a, "tested_none")
            equal = [float(v) for v in values if type(v) is int and abs(v) < 2**53]  # another object of that value
            self._on(a, lambda u: u.constants.extend(equal))
        if isinstance(op, ast.Eq | ast.NotEq | ast.In | ast.NotIn) and None in values:
            self._flag(a, "equal_to_none")
        if isinstance(op, ast.Lt | ast.LtE | ast.Gt | ast.GtE):
            self._flag(a, "ordered")
        match a:
            case ast.Call(func=ast.Name(id="len"), args=[inner]):
                self._on(inner, lambda u: u.sizes.extend(v for v in values if isinstance(v, int)))
            case ast.Call(func=ast.Name(id="type"), args=[inner]) | ast.Attribute(value=inner, attr="__class__"):
                parts = b.elts if isinstance(b, ast.Tuple) else [b]
                names = [name for part in parts if (name := class_name(part)) is not None]
                self._on(inner, lambda u: u.of_exactly(names))
            case (
                ast.Attribute(value=ast.Attribute(value=inner, attr="__class__"), attr="__name__")
                | ast.Attribute(value=ast.Call(func=ast.Name(id="type"), args=[inner]), attr="__name__")
            ):
                self._on(inner, lambda u: u.of_exactly([v for v in values if isinstance(v, str) and v.isidentifier()]))
            case ast.BinOp(left=left, op=how, right=right):
                self.grows |= isinstance(how, ast.Pow | ast.LShift)
                for side in (left, right):
                    self._on(side, lambda u: u.constants.extend(v for v in values if isinstance(v, int | float)))

    def _subscript(self, base: ast.expr, index: ast.expr) -> None:
        match index:
            case ast.Constant(value=int() as number) if number > 1:
                self._flag(base, "indexed")
                self._on(base, lambda u: u.sizes.append(min(number, 200) + 1))
            case ast.Constant(value=int()) | ast.UnaryOp() | ast.Slice():
                self._flag(base, "indexed")
            case ast.Constant(value=key):
                self._on(base, lambda u: u.keys.append(key))
                self._flag(base, "subscripted")
            case ast.Name() | ast.Attribute() | ast.Tuple():
                self._flag(base, "subscripted")
                self._looked_up(base, index)
                for part in index.elts if isinstance(index, ast.Tuple) else [index]:
                    self._flag(part, "hashed")

    def _looked_up(self, container: ast.expr, key: ast.expr) -> None:
        """`d[k]`, `k in d`, `d.get(k)`: the one is a mapping, the other its key."""
        path = self.path(key)
        table = class_name(container) or ""
        if path is None and (named := class_name(key)):
            self._on(container, lambda u: u.keys.append(Named(named)))
        self._on(key, lambda u: u.constants.extend(self._own_tables.get(table, ())))
        told = table.rpartition(".")[2].strip("_").isupper() if "." in table else table
        if told and self.path(container) is None:
            self._on(key, lambda u: u.constants.append(Named(table)))  # a table of the module or a class: its keys
        if path is not None and path == f"{self.path(container)}[]":
            self._flag(container, "mapped")
        elif path is not None:
            self._on(container, lambda u: u.key_paths.append(path) if path not in u.key_paths else None)

    def _call(self, node: ast.Call) -> None:
        match node.func:
            case ast.Name(id=name):
                if not self._of_builtin(name, node):
                    self._handed_to(name, node)
                    self._flag(node.func, "called")
            case ast.Attribute(value=base, attr=name):
                self._of_method(base, name, node)
                self._on(base, lambda u: u.methods.add(name))
                values = [v for a in node.args for v in constants(a)]
                if name in ("startswith", "endswith", "split", "find", "count", "index", "partition"):
                    self._on(base, lambda u: u.contains.extend(values))

    def _of_builtin(self, name: str, node: ast.Call) -> bool:
        """Whether a call of a built-in function says all there is to say of its argument."""
        match name, node.args:
            case "isinstance", [value, kinds]:
                names = [class_name(k) for k in (kinds.elts if isinstance(kinds, ast.Tuple) else [kinds])]
                self._on(value, lambda u: u.classes.extend(n for n in names if n))
            case "zip" | "next", walked:
                for value in walked if name == "zip" else walked[:1]:
                    self._on(value, lambda u: u.gone_through(name == "next"))
            case "map" | "filter", [by, *walked]:
                for value in walked:
                    self._flag(value, "iterated")
                    inside = self.path(value)
                    if inside is not None and isinstance(by, ast.Name) and by.id in ("int", "float"):
                        self.at(f"{inside}[]").converted = True
                return False
            case "min" | "max", [_, _, *_]:
                for value in node.args:
                    self._flag(value, "compared")
                    self._flag(value, "ordered")
            case _, [value, *_] if name in _WALKING:
                self._walked(name, value, bool(node.keywords))
            case "pow" | "range" | "factorial" | "comb" | "perm", _:
                self.grows = True
                return False
            case "int" | "float" | "round" | "abs", [value, *_]:
                self._flag(value, "arithmetic")
                self._on(value, lambda u: setattr(u, "converted", u.converted or name in ("int", "float")))
            case "vars", [value]:
                self._on(value, lambda u: u.attributes.add("__dict__"))
            case "type", [value]:
                self._flag(value, "kind_asked")
                return False
            case "str" | "format" | "repr", [value, *_]:
                self._flag(value, "formatted")
                return False
            case "hasattr" | "getattr", [value, ast.Constant(value=str() as attr), *default]:
                self._on(value, lambda u: u.attributes.add(attr))
                inner = self.path(value)
                if inner is not None and (default or name == "hasattr"):
                    self.at(f"{inner}.{attr}").optional = True
            case "hasattr" | "getattr" | "setattr" | "delattr", [_, attribute, *_]:
                self._on(attribute, lambda u: u.constants.append("mark"))
                return False
            case _:
                return False
        return True

    def _handed_to(self, name: str, node: ast.Call) -> None:
        """The name may stand for `PATTERN.match`, or for `open`."""
        if node.args and name not in ("print", "str", "repr"):
            self._on(node.args[0], lambda u: u.patterns.append(Named(name)))
            self._on(node.args[0], lambda u: setattr(u, "is_path", u.is_path or name == "open"))

    def _of_method(self, base: ast.expr, name: str, node: ast.Call) -> None:
        match ast.unparse(base), name, node.args:
            case "json", "loads", [value, *_]:
                self._flag(value, "is_json")
            case "dict" | "set" | "frozenset", "fromkeys" | "union", [value, *_]:
                self._walked("set", value)
            case "re", _, [ast.Constant(value=str() as pattern), value, *_]:
                self._on(value, lambda u: u.patterns.append(pattern))
            case _, _, [value, *_] if name in _MATCHING:
                compiled = class_name(base)
                if compiled is not None:
                    self._on(value, lambda u: u.patterns.append(Named(compiled)))
            case "os" | "os.path", _, [value, *_]:
                self._flag(value, "is_path")
            case _, "get" | "pop" | "setdefault", [ast.Constant(value=str() as key), *_]:
                self._on(base, lambda u: u.keys.append(key))
            case (_, "get", [value, *_]) | (_, "pop" | "setdefault", [value, _]):
                self._looked_up(base, value)
                self._flag(value, "hashed")

    def _match(self, s: ast.Match) -> None:
        asked = [(path, cases) for subject, cases in by_part(s) if (path := self.path(subject)) is not None]
        for path, case in ((path, case) for path, cases in asked for case in cases):
            note_pattern(self.at, path, case.pattern)
            for p in (p for p in walk(case.pattern) if isinstance(p, ast.MatchValue)):
                known = self.at(path).constants  # what a class holds by position is not known here
                known.extend(v for v in constants(p.value) if v not in known)
