"""Short variables: what they stand for says more than they do."""

import ast
from collections.abc import Sequence

from dreck.source.functions import FunctionNode
from dreck.source.walking import walk
from dreck.steps.support.names.vocabulary import SPELT
from dreck.steps.support.names.words import last_of, one_of, thing_name, words_of

_SHORT = 3


def spelled_out(function: FunctionNode, e: ast.expr) -> ast.expr:
    """`load.material` for `m`, where that is bound once in the function, to an attribute or an item; else `e`."""
    if not isinstance(e, ast.Name) or len(e.id) > _SHORT:
        return e
    bound = [n for n in walk(function) if isinstance(n, ast.Name) and n.id == e.id and not isinstance(n.ctx, ast.Load)]
    for s in walk(function):
        match s:
            case ast.Assign(targets=[ast.Name() as target], value=value) if bound == [target] and _says_more(value):
                return value if len(e.id) < _SHORT or _is_short_for(e.id, thing_name(value)) else e
    return e


def _says_more(e: ast.expr) -> bool:
    match e:
        case ast.Attribute() | ast.Subscript(slice=ast.Constant()):
            return True
        case ast.Call(func=ast.Attribute(attr="get"), args=[ast.Constant(value=str() as key), *_]):
            return key.isidentifier()
        case ast.Call(func=ast.Attribute(value=inner, attr=attr), args=[]) if attr in SPELT:
            return _says_more(inner)
    return isinstance(e, ast.Call) and isinstance(e.func, ast.Name) and e.func.id in _OF_THINGS


def _is_short_for(short: str, word: str) -> bool:
    """Whether a word of three letters is what is left of another: `typ` of `type`, `lvl` of `level`."""
    left = iter(word)
    return short != word and word[:1] == short[:1] and all(letter in left for letter in short)


_OF_THINGS = frozenset({"type", "len"})


def asked_words(function: FunctionNode, subjects: Sequence[ast.expr]) -> list[str]:
    """What a chain asks about, in words: `kind` for `load.kind`, `type` for `type(load)`, `kind and size` for both."""
    return [w for s in subjects for w in [*(["and"] if s is not subjects[0] else []), *_words(function, s)]]


def _words(function: FunctionNode, subject: ast.expr) -> list[str]:
    match spelled_out(function, subject):
        case ast.Call(func=ast.Name(id=called), args=[_]) if called in _OF_THINGS:
            return ["length" if called == "len" else called]
        case ast.Subscript(value=ast.Name() | ast.Attribute() as many, slice=at) if one_of(last_of(many)):
            match at:
                case ast.Constant(value=0):
                    return ["first", *words_of(one_of(last_of(many)))]
                case ast.UnaryOp(op=ast.USub(), operand=ast.Constant(value=1)):
                    return ["last", *words_of(one_of(last_of(many)))]
            return words_of(last_of(many))
        case e:
            return words_of(thing_name(e))
