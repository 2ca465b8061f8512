"""What a function speaks of, found in one walk: attributes, constants, classes of its own, identity."""

import ast
from collections import Counter
from dataclasses import dataclass, field
from functools import lru_cache

from dreck.model.ir.rounds import is_all_constant, is_all_held
from dreck.model.names.nodes import every_node, once_per_tree
from dreck.proof.surroundings.described import WORDS as DESCRIBING
from dreck.source.functions import FunctionNode
from dreck.source.walking import walk


@dataclass(slots=True)
class Spoken:
    """`constants` are names in capitals and `attributes` those of objects, with how often each is named; a loop
    over constants that stand there counts as naming them by their dump.

    `private`: a name that means another thing in another class (`__x`; language reference, 6.2.1). `asks_class`: it
    names `super` or `__class__`. `sets_class`: it changes the class of an object. `identity`: its comparisons by
    `is`, `takes_id` whether it names `id`. `describing`: its words
    that read what code says of itself.
    """

    constants: Counter[str] = field(default_factory=Counter)
    attributes: Counter[str] = field(default_factory=Counter)
    private: bool = False
    asks_class: bool = False
    sets_class: bool = False
    takes_id: bool = False
    describing: set[str] = field(default_factory=set)
    identity: list[ast.Compare] = field(default_factory=list)


@lru_cache(maxsize=256)
def spoken_in(node: FunctionNode) -> Spoken:
    found = Spoken()
    pending: list[ast.AST] = [node]
    while pending:
        n = pending.pop()
        if type(n) is ast.Name:
            _note_name(n.id, found)
            _note_word(n.id, found)
            continue
        _note(n, found)
        for name in n._fields:
            value = getattr(n, name, None)
            if type(value) is list:
                pending += [item for item in value if isinstance(item, ast.AST)]
            elif isinstance(value, ast.AST) and value._fields:
                pending.append(value)
    return found


def _note(n: ast.AST, found: Spoken) -> None:
    match n:
        case ast.For(iter=displayed) | ast.comprehension(iter=displayed) if (
            is_all_constant(displayed) or is_all_held(displayed)
        ):
            found.constants[ast.dump(displayed)] += 1
        case ast.Attribute(attr=word, ctx=ctx) if isinstance(n, ast.Attribute):
            found.attributes[word] += 1
            _note_word(word, found)
            found.private |= _is_private(word)
            found.sets_class |= word == "__class__" and not isinstance(ctx, ast.Load)
            if word in ("stack", "trace") and getattr(n.value, "id", "") == "inspect":
                _note_word("extract_stack", found)
        case ast.Call() if _reads_by_a_made_name(n):
            found.describing.add("__doc__")
        case ast.Constant(value=word) | ast.alias(name=word):
            _note_word(word, found)
        case ast.Compare(ops=ops) if any(isinstance(op, ast.Is | ast.IsNot) for op in ops):
            found.identity.append(n)
        case ast.FunctionDef(name=word) | ast.AsyncFunctionDef(name=word) | ast.ClassDef(name=word):
            found.private |= _is_private(word)


def _reads_by_a_made_name(call: ast.Call) -> bool:
    """Whether it asks for an attribute whose name does not stand there."""
    reads = isinstance(call.func, ast.Name) and call.func.id in ("getattr", "vars", "dir")
    return reads and not (len(call.args) > 1 and isinstance(call.args[1], ast.Constant))


def _note_word(word: object, found: Spoken) -> None:
    if isinstance(word, str) and word in DESCRIBING:
        found.describing.add(word)


def _note_name(name: str, found: Spoken) -> None:
    if name.strip("_").isupper():
        found.constants[name] += 1
    if name.startswith("__"):
        found.private |= _is_private(name)
    found.asks_class |= name in ("super", "__class__")
    found.takes_id |= name == "id"


def _is_private(word: str) -> bool:
    return word.startswith("__") and not word.endswith("__")


@lru_cache(maxsize=32)
def spoken_by_own(tree: ast.Module, other: ast.Module) -> frozenset[str]:
    """The attributes that those functions of a module speak of which the other version has not, by their names."""
    mine, theirs = _functions(tree), _functions(other)
    own = [f for name in mine.keys() - theirs.keys() for f in mine[name]]
    return frozenset(n.attr for f in own for n in walk(f) if isinstance(n, ast.Attribute))


@once_per_tree
def _functions(tree: ast.Module) -> dict[str, list[ast.AST]]:
    found: dict[str, list[ast.AST]] = {}
    for n in every_node(tree):
        if isinstance(n, ast.FunctionDef | ast.AsyncFunctionDef):
            found.setdefault(n.name, []).append(n)
    return found
