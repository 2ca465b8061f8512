"""What no trial sees: classes that nobody can make from outside, objects that change, methods that are set anew."""

import ast
import builtins
from collections import Counter
from collections.abc import Iterator
from itertools import combinations

from dreck.model.names.bindings import bound_by
from dreck.model.names.modules import ModuleNames
from dreck.model.names.nodes import every_node, once_per_tree
from dreck.model.names.scopes import param_names
from dreck.model.names.worked_out import may_be_asked_for
from dreck.proof.classes.of_builtins import below_builtin, says_nothing
from dreck.proof.classes.put_later import specials_put
from dreck.proof.classes.registries import says_of_what_class
from dreck.proof.classes.say.hidden import is_above_hidden, may_join, may_override
from dreck.proof.classes.say.speech import Speech
from dreck.proof.classes.shaping import ANYTHING, shaped
from dreck.proof.classes.table import ClassTable
from dreck.proof.surroundings.importing import registers_for
from dreck.source.functions import FunctionNode
from dreck.source.walking import walk
from dreck.workbench.judging.candidates import Candidate


def of_classes(old: Candidate, new: Candidate, in_order: bool = False) -> str:
    """What a class that stands in a function, or is made by a call, may do otherwise than those that were tried.

    `in_order`: what both do stands in the same order, so that nothing happens between their tests.
    """
    sides = ((old, new), (new, old))
    asked = [list(_asked(c.node)) for c in (old, new)]
    if not in_order and asked[0] != asked[1] and any("__class__" in specials_put(c.names) for c in (old, new)):
        return "an object may be given another class meanwhile (`__class__` is set)"
    if _generics(old) != _generics(new) and any(_says_of_what_class(c) for c in (old, new)):
        return "an object may say that it is of another class than it is (`__class__`), which a generic function asks"
    for (mine, other), kinds, there in zip(sides, asked, asked[::-1], strict=True):
        told = _of_methods(mine, other) or (_of_kinds(mine.names, kinds, there) if kinds != there else "")
        if told:
            return told
    below = [] if in_order else [*_hidden_below(old), *_hidden_below(new)]
    if below:
        return f"{below[0]}, which nobody can make from outside, may be what is asked for, and says itself what it does"
    return _of_attributes(old, new)


def _generics(c: Candidate) -> set[str]:
    """The generic functions and methods of the file that a function speaks of."""
    told = [n for n in every_node(c.names.tree) if isinstance(n, FunctionNode) and n.decorator_list]
    kinds = ("functools.singledispatch", "functools.singledispatchmethod")
    generic = {n.name for n in told if any(c.names.stands_for(d) in kinds for d in n.decorator_list)}
    return generic & {n.id if isinstance(n, ast.Name) else getattr(n, "attr", "") for n in walk(c.node)}


def _says_of_what_class(c: Candidate) -> bool:
    return any(map(says_of_what_class, (c.names.tree, *c.names.trees, *c.names.others)))


def _hidden_below(c: Candidate) -> list[str]:
    """Classes in functions of the file below a built-in type that is asked for here, with a say of their own."""
    words = {
        *_asked(c.node),
        *(n.id for a in walk(c.node.args) if isinstance(a, ast.arg) for n in _named(a.annotation)),
    }
    kinds = [kind for word in sorted(words) if isinstance(kind := getattr(builtins, word, None), type)]
    top = set(c.names.tree.body)
    nodes = [n for kind in kinds if kind is not object for n in below_builtin(c.names, kind) if n not in top]
    return [n.name for n in nodes if any(n in walk(s) for s in top) and not says_nothing(n, c.names)]


def _named(annotation: ast.expr | None) -> list[ast.Name]:
    return [n for n in walk(annotation) if isinstance(n, ast.Name)] if annotation is not None else []


def _of_attributes(old: Candidate, new: Candidate) -> str:
    """What is read more often, or less, and may be worked out each time by what nobody reads in a class body."""
    given = shaped(old.names) | shaped(new.names)
    reads = [_read_by(old) + _handed_on(old, new), _read_by(new) + _handed_on(new, old)] if given else []
    for name in sorted({n for counts in reads for n in counts if reads[0][n] != reads[1][n]}):
        if _is_of_its_own(name, old) and _is_of_its_own(name, new):
            continue  # the object is a real one, of the class as it is
        if given & {name, ANYTHING} and not _is_called_only(name, old.node, new.node):
            return f"`{name}` may be worked out each time: classes get attributes under names that nobody can read"
    return ""


def _is_of_its_own(name: str, c: Candidate) -> bool:
    """Whether a method reads an attribute of its own object alone."""
    if is_above_hidden(ClassTable(c.names), c.name.rpartition(".")[0]):
        return False
    own = [a.arg for a in c.node.args.args[:1]] if "." in c.name and not c.node.decorator_list else []
    return all(_is_one_of(n.value, own) for n in walk(c.node) if isinstance(n, ast.Attribute) and n.attr == name)


def _is_called_only(name: str, *nodes: FunctionNode) -> bool:
    called = {n.func for node in nodes for n in walk(node) if isinstance(n, ast.Call)}
    return all(n in called for node in nodes for n in walk(node) if isinstance(n, ast.Attribute) and n.attr == name)


def _of_methods(mine: Candidate, other: Candidate) -> str:
    table, stored = ClassTable(mine.names), Speech.of(mine.names)
    for name in sorted(_read_by(mine).keys() - _read_by(other).keys() - _handed_on(other, mine).keys()):
        kinds = [kind for kind in table.classes if name in table.bound_in(kind)]
        if kinds and (stored.is_stored_by_name(name) or "__class__" in specials_put(mine.names)):
            return f"`{name}` may be another one by then: it is set on an object, or an object changes its class"
        files = (other.names.tree, *other.names.trees, *other.names.others)
        is_new = name.startswith("_") and not any(_says(tree, name) for tree in files)
        above = next((kind for kind in kinds if not is_new and may_override(table, kind, name)), "")
        if above:
            return f"a class below {above} that nobody can make from outside may have a `{name}` of its own"
    return ""


@once_per_tree
def _words_of(tree: ast.Module) -> frozenset[str]:
    """All names and attributes, and the texts that may be names."""
    parts = [(n, part) for n in every_node(tree) for part in ("id", "attr", "name", "value")]
    told = (value for n, part in parts if isinstance(value := getattr(n, part, None), str))
    return frozenset(word for word in told if word.isidentifier())


def _says(tree: ast.Module, name: str) -> bool:
    return name in _words_of(tree) or may_be_asked_for(tree, name)


def _of_kinds(names: ModuleNames, kinds: list[str], there: list[str]) -> str:
    table = ClassTable(names)
    known = [kind for kind in dict.fromkeys((*kinds, *there, *_registered(names))) if kind in table.classes]
    for one, two in combinations(known, 2):
        if may_join(table, one, two):
            return f"something that nobody can make from outside may be a {one} and a {two} at once"
    own = next((kind for kind in known if kind not in there and is_above_hidden(table, kind, named=True)), "")
    return f"a class that nobody can make from outside may be below {own}, too" if own else ""


def _read_by(c: Candidate) -> Counter[str]:
    """The attributes that are read, without those of the library's own things: no class of the files has them."""
    read = [n for n in walk(c.node) if isinstance(n, ast.Attribute)]
    return Counter(n.attr for n in read if not (of := c.names.stands_for(n.value)) or c.names.is_of_project(of))


def _handed_on(c: Candidate, other: Candidate) -> Counter[str]:
    """What functions and tables of which only this version speaks, and what is registered for these, read of what they
    are handed."""
    said = {getattr(n, "id", getattr(n, "attr", "")) for n in walk(c.node)} - {
        getattr(n, "id", getattr(n, "attr", "")) for n in walk(other.node)
    }
    kinds = [s for s in c.names.tree.body if isinstance(s, ast.ClassDef)]
    there = (s for body in (c.names.tree.body, *(kind.body for kind in kinds)) for s in body)
    found: Counter[str] = Counter()
    for s in there:
        registered = set(map(registers_for, getattr(s, "decorator_list", [])))
        if said & (bound_by(s) | registered) and not isinstance(s, ast.ClassDef):
            for f in (n for n in walk(s) if isinstance(n, FunctionNode | ast.Lambda)):
                own = param_names(f.args)
                found.update(n.attr for n in walk(f) if isinstance(n, ast.Attribute) and _is_one_of(n.value, own))
    return found


def _is_one_of(e: ast.expr, names: list[str]) -> bool:
    return isinstance(e, ast.Name) and e.id in names


def _asked(node: FunctionNode) -> Iterator[str]:
    """The classes that a function asks for, in the order of the text."""
    for n in ast.walk(node):
        match n:
            case ast.Call(func=ast.Name(id="isinstance" | "issubclass"), args=[_, kinds]):
                yield from (n.id for n in ast.walk(kinds) if isinstance(n, ast.Name))
            case ast.MatchClass(cls=ast.Name(id=kind)):
                yield kind
            case ast.Call(func=ast.Name(id="type"), args=[_]):
                yield "type"


def _registered(names: ModuleNames) -> Iterator[str]:
    for n in walk(names.tree):
        match n:
            case ast.Call(func=ast.Attribute(attr="register"), args=[ast.Name(id=kind), *_]):
                yield kind
