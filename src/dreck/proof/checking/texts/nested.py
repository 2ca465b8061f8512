"""Classes that the skeleton does not hold, looked for once more by the texts: nested ones, those made by calls.

A class is taken to be below another wherever nothing speaks against it: each word among its bases is looked up in all
the files, and a word that is bound as anything but a class or an import may be any class.
"""

import ast
import builtins
import sys
from collections import Counter
from collections.abc import Iterable
from dataclasses import dataclass, field
from functools import lru_cache

from dreck.model.names.modules import ModuleNames
from dreck.model.names.nodes import every_node
from dreck.proof.checking.texts.binding import bound_at
from dreck.source.walking import walk

_MAKERS = frozenset({"type", "new_class", "make_dataclass"})
_SET_ANYTHING = frozenset({"exec", "eval", "locals", "vars", "globals", "setattr", "__dict__", "__slots__"})
_Made = tuple[list[ast.expr] | None, ast.AST]
"""The bases of a class, None for what nobody can read, and all that it consists of."""


@lru_cache(maxsize=16)
def sets_classes(names: ModuleNames) -> bool:
    """Whether `__class__` stands anywhere in the files but where it is read."""
    nodes = (n for tree in (names.tree, *names.trees, *names.others) for n in every_node(tree))
    return any("__class__" in (getattr(n, "value", ""), getattr(n, "attr", "")) and not _is_read(n) for n in nodes)


def is_overridden(names: ModuleNames, kind: str, name: str) -> bool:
    """Whether a class outside of the skeleton may derive from `kind` and say something else under `name`."""
    return sets_classes(names) or any(
        may_be_below(names, bases, {_word(kind)}) and (says_anything(node, name) or bases is None or len(bases) > 1)
        for bases, node in _unseen(names)
    )


def has_unseen_below(names: ModuleNames, kind: str) -> bool:
    return any(may_be_below(names, bases, {_word(kind)}) for bases, _ in _unseen(names))


def are_joined(names: ModuleNames, one: str, other: str) -> bool:
    """Whether a class outside of the skeleton may derive from both by different bases."""
    if any(bases is None for bases, _ in _unseen(names)):
        return True
    first, second = _leading_to(names, _word(one)), _leading_to(names, _word(other))
    return any(i == k and j != m for i, j in first for k, m in second) if first and second else False


@lru_cache(maxsize=4096)
def _leading_to(names: ModuleNames, word: str) -> frozenset[tuple[int, int]]:
    """The bases that may lead to a class, each by the number of its class and its own."""
    every = ((i, j, base) for i, (bases, _) in enumerate(_unseen(names)) for j, base in enumerate(bases or ()))
    return frozenset((i, j) for i, j, base in every if may_be_below(names, [base], {word}))


def says(trees: Iterable[ast.Module], name: str) -> bool:
    """Whether a name, or a text that is the same, stands anywhere in them."""
    return any(_stands_in(tree, name) for tree in trees)


@lru_cache(maxsize=256)
def _stands_in(tree: ast.Module, name: str) -> bool:
    return any(
        name == getattr(n, f, None) for n in every_node(tree) for f in ("id", "attr", "name", "asname", "arg", "value")
    )


def may_be_below(names: ModuleNames, bases: Iterable[ast.expr] | None, kinds: set[str]) -> bool:
    """Whether a class with these bases may derive from one whose name ends in one of `kinds`."""
    if bases is None:
        return True
    known = _known(names)
    given = [b for b in bases if not _is_of_python(b, known, names)]
    if any(map(known.is_unsure, given)):
        return True
    pending, seen = [(_last(b), False) for b in given], set[str]()
    while pending:
        word, at_the_top = pending.pop()
        if word in kinds or not word:
            return True
        if word in seen:
            continue
        seen.add(word)
        plain = names.definitions.get(word) if at_the_top else None
        if isinstance(plain, ast.ClassDef):
            nodes, told = [plain], set[str]()
        elif word in known.taken:
            return True
        else:
            told = known.imports.get(word, set()) | known.others.get(word, set())
            nodes = [n for w in {word, *told} for n in known.classes.get(w, ())]
        if any((n.decorator_list or n.keywords) and n not in known.tops for n in nodes):
            return True  # what stands under the name may be made of it, and be below anything
        if told & kinds or (not nodes and not told and not hasattr(builtins, word)):
            return True
        further = [(b, n in known.tops) for n in nodes for b in n.bases if not _is_of_python(b, known, names)]
        if any(known.is_unsure(b) for b, at_the_top in further if not at_the_top):
            return True
        pending += [(_last(b), top) for b, top in further]
        pending += [(w, False) for w in known.others.get(word, ())]
    return False


def _is_of_python(base: ast.expr, known: "_Known", names: ModuleNames) -> bool:
    """Whether a base is that of a module of the standard library, named as such: `abc.ABC`."""
    root = base
    while isinstance(root, ast.Attribute):
        if root.attr in known.taken:  # something may have been put there
            return False
        root = root.value
    word = root.id if isinstance(root, ast.Name) and root is not base else ""
    told = known.modules.get(word, set()) if word not in known.taken else set[str]()
    return bool(told) and all(m in sys.stdlib_module_names and not names.is_of_project(m) for m in told)


@lru_cache(maxsize=16)
def _unseen(names: ModuleNames) -> tuple[_Made, ...]:
    known = _known(names)
    table = [*names.definitions.values(), *getattr(names, "originals", {}).values()]
    unclear = {"", *known.others, *known.taken}
    seen = {
        n for n in table if isinstance(n, ast.ClassDef) and not any(_is_unclear(b, unclear, names) for b in n.bases)
    }
    nodes = [n for tree in (names.tree, *names.trees, *names.others) for n in every_node(tree)]
    found: list[_Made] = [(n.bases, n) for n in nodes if isinstance(n, ast.ClassDef) and n.bases and n not in seen]
    for n in nodes:
        if isinstance(n, ast.Call) and _makes_a_class(n, known):
            told = n.args[1] if len(n.args) > 1 else None
            found.append((told.elts if isinstance(told, ast.Tuple) else None, n))
        elif "__bases__" in (getattr(n, "value", ""), getattr(n, "attr", "")) and not _is_read(n):
            found.append((None, n))
    if any(_settles_bases(n) for n in nodes) or hands_on(nodes, "type"):
        found.append((None, names.tree))
    return tuple(found)


def _settles_bases(n: ast.AST) -> bool:
    """A method that says what a class derives from, or a call that makes one below its statement."""
    if isinstance(n, ast.FunctionDef):
        return n.name in {"mro", "__mro_entries__", "__class_getitem__"}
    if not isinstance(n, ast.Call):
        return False
    word = _last(n.func)
    mixed = word.endswith(("Enum", "Flag")) and "type" in {k.arg for k in n.keywords}
    return mixed or (word in {"__new__", "__call__"} and len(n.args) > 3)


def hands_on(nodes: list[ast.AST], word: str) -> bool:
    """Whether `type` or its like may get another name: it stands where it is not called, asked for or noted."""
    said = {id(n) for n in nodes if isinstance(n, ast.Name) and n.id == word and isinstance(n.ctx, ast.Load)}
    if not said:
        return word == "type" and any(isinstance(n, ast.alias) and n.name == word for n in nodes)
    for n in nodes:
        parts: list[ast.AST | None] = []
        if isinstance(n, ast.Call):
            parts = [n.func, *(walk(n.args[1]) if _last(n.func) in {"isinstance", "issubclass"} and n.args[1:] else ())]
        elif isinstance(n, ast.ClassDef):
            parts = [*n.bases, *(k.value for k in n.keywords)]
        elif isinstance(n, ast.Compare):
            parts = [n.left, *n.comparators]
        elif isinstance(n, ast.Subscript):
            parts = [n.value]
        noted = getattr(n, "annotation", None) or getattr(n, "returns", None)
        parts += list(walk(noted)) if isinstance(noted, ast.AST) else []
        said -= set(map(id, parts))
    for f in nodes if said else ():
        if isinstance(f, ast.FunctionDef | ast.AsyncFunctionDef):
            spec = f.args
            own = {a.arg for a in (*spec.posonlyargs, *spec.args, *spec.kwonlyargs)}
            said -= {id(n) for s in f.body for n in walk(s)} if word in own else set()
    return bool(said) or any(isinstance(n, ast.alias) and n.name == word == "type" for n in nodes)


def _is_read(n: ast.AST) -> bool:
    return isinstance(n, ast.Attribute) and isinstance(n.ctx, ast.Load)


def _is_unclear(base: ast.expr, unclear: set[str], names: ModuleNames) -> bool:
    """Whether a base of a class at the top is not simply another class there, or an import."""
    return _last(base) in unclear and not isinstance(names.definitions.get(_last(base)), ast.ClassDef)


def _makes_a_class(n: ast.Call, known: "_Known") -> bool:
    word = _last(n.func)
    if word in _MAKERS:
        return len(n.args) != 1 or bool(n.keywords) or isinstance(n.args[0], ast.Starred)
    if len(n.args) != 3:
        return False
    is_dict = isinstance(n.args[2], ast.Dict | ast.DictComp | ast.Call)
    is_dict = is_dict and not isinstance(n.args[1], ast.Constant | ast.JoinedStr)  # which are no tuple of bases
    return (
        word in known.makers or word.endswith(("Meta", "EnumType")) or (is_dict and (not word or word in known.taken))
    )


def says_anything(node: ast.AST, name: str) -> bool:
    """Whether a name stands in it, or something by which it may have any name."""
    if isinstance(node, ast.ClassDef) and (node.keywords or node.decorator_list):
        return True
    if isinstance(node, ast.Call):
        told = node.args[2] if len(node.args) == 3 else None
        if not isinstance(told, ast.Dict) or not all(isinstance(k, ast.Constant) for k in told.keys):
            return True
    words = {getattr(n, field, None) for n in walk(node) for field in ("id", "attr", "name", "arg", "value")}
    return bool({name, *_SET_ANYTHING} & {w for w in words if isinstance(w, str)})


@dataclass(slots=True)
class _Known:
    """All classes by name; what else is bound, under any name; other names of classes, by imports and plain binding."""

    classes: dict[str, list[ast.ClassDef]] = field(default_factory=dict)
    taken: set[str] = field(default_factory=set)
    imports: dict[str, set[str]] = field(default_factory=dict)
    modules: dict[str, set[str]] = field(default_factory=dict)
    """What `import` gives each name; '' for what something else imports under it."""
    others: dict[str, set[str]] = field(default_factory=dict)
    tops: set[ast.AST] = field(default_factory=set)
    makers: set[str] = field(default_factory=set)
    """Classes whose bases are `type`, or something that is called like one that makes classes, or are not named."""
    spoken: set[str] = field(default_factory=set)
    """What stands in a text, is a keyword of a call, or is said in `global` and `nonlocal`."""

    def is_unsure(self, base: ast.expr) -> bool:
        """Whether a base, called as a class that stands in a function or in another class, may be something else."""
        hidden = [n for n in self.classes.get(_last(base), ()) if n not in self.tops]
        plain = base.value if isinstance(base, ast.Subscript) else base
        return bool(hidden) and (not isinstance(plain, ast.Name) or plain.id in self.spoken)


@lru_cache(maxsize=16)
def _known(names: ModuleNames) -> _Known:
    known, bound = _Known(), Counter[str]()
    for n in (n for tree in (names.tree, *names.trees, *names.others) for n in every_node(tree)):
        if isinstance(n, ast.ClassDef):
            known.classes.setdefault(n.name, []).append(n)
        elif isinstance(n, ast.Import):
            for a in n.names:
                known.modules.setdefault(a.asname or a.name.partition(".")[0], set()).add(a.name.partition(".")[0])
        elif isinstance(n, ast.ImportFrom):
            for a in n.names:
                known.modules.setdefault(a.asname or a.name, set()).add("")
        elif isinstance(n, ast.alias):
            known.imports.setdefault(_word(n.asname or n.name), set()).add(_word(n.name))
        elif isinstance(n, ast.Constant | ast.keyword | ast.Global | ast.Nonlocal):
            told = getattr(n, "value", None) if isinstance(n, ast.Constant) else getattr(n, "arg", None)
            known.spoken |= {told} if isinstance(told, str) else set(getattr(n, "names", ()))
        elif isinstance(n, ast.arg):
            bound[n.arg] += 2
        elif isinstance(n, ast.Attribute) and not isinstance(n.ctx, ast.Load):
            bound[n.attr] += 2
        else:
            bound.update(bound_at(n))
    plain: dict[str, list[str]] = {}
    for s in names.tree.body:
        match s:
            case ast.Assign(targets=[ast.Name(id=name)], value=ast.Name(id=other)):
                plain.setdefault(name, []).append(other)
    known.others = {name: set(told) for name, told in plain.items() if bound[name] == len(told)}
    pending = ["type", "ABCMeta", "EnumMeta", "EnumType", ""]
    below: dict[str, set[str]] = {}
    for name, base in ((k, _last(b)) for k, nodes in known.classes.items() for n in nodes for b in n.bases):
        below.setdefault(base, set()).add(name)
    pending += [w for w in below if w not in known.classes and w.lower().endswith(("meta", "metaclass", "type"))]
    while pending:
        fresh = below.get(pending.pop(), set()) - known.makers
        known.makers |= fresh
        pending += fresh
    known.taken = set(bound) - known.others.keys()
    known.tops = {d for d in names.definitions.values() if isinstance(d, ast.ClassDef)}
    return known


def _last(e: ast.expr) -> str:
    e = e.value if isinstance(e, ast.Subscript) else e
    return e.attr if isinstance(e, ast.Attribute) else getattr(e, "id", "")


def _word(name: str) -> str:
    return name.rpartition(".")[2]
