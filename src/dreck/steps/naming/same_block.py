"""The same block elsewhere in the function: word for word, or with other terms that become parameters."""

import ast
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from dreck.source.walking import walk
from dreck.steps.naming.blocks import Block
from dreck.steps.support.chains import all_blocks, is_plain
from dreck.steps.support.names.vocabulary import SMALL
from dreck.steps.support.names.words import thing_name, words_of
from dreck.steps.support.scene import Scene
from dreck.steps.support.spelled import as_written

_MOST_TERMS = 3


@dataclass(frozen=True, slots=True)
class Same:
    """Other blocks that do the same; for each the terms it has instead of the `parameters`.

    `here` are the terms of the block itself, `edits` where they stand in it; `gone` are names that only stood there.
    """

    blocks: tuple[Block, ...]
    terms: tuple[tuple[str, ...], ...]
    parameters: tuple[str, ...]
    here: tuple[str, ...] = ()
    edits: tuple[tuple[ast.expr, str], ...] = ()
    gone: frozenset[str] = frozenset()


def same_blocks(scene: Scene, block: Block) -> Same:
    """The places of the function where the block stands again."""
    others = [other for other in _others(scene, block) if _alike(block.body, other.body) is not None]
    exact = [o for o in others if not _alike(block.body, o.body)]
    if exact or not others:
        return Same(tuple(exact), tuple(() for _ in exact), ())
    return _with_parameters(scene, block, others)


def _others(scene: Scene, block: Block) -> Iterator[Block]:
    size = len(block.body)
    inside = {n for s in block.body for n in walk(s)}
    last = block.body[-1].end_lineno or 0
    for body in all_blocks(scene.node.body):
        at = 0
        while at + size <= len(body):
            run = body[at : at + size]
            apart = run[0] not in inside and (run[0].lineno > last or (run[-1].end_lineno or 0) < block.body[0].lineno)
            if apart and _alike(block.body, run) is not None:
                yield Block(run, run[0], False, (), False)
                at += size
            else:
                at += 1


def _alike(one: Sequence[ast.stmt], other: Sequence[ast.stmt]) -> list[tuple[ast.expr, ast.expr]] | None:
    """The pairs of terms in which two blocks differ; None when they differ in more than terms."""
    found: list[tuple[ast.expr, ast.expr]] = []
    for a, b in zip(one, other, strict=True):
        if not _matched(a, b, found):
            return None
    return found


def _matched(a: object, b: object, found: list[tuple[ast.expr, ast.expr]]) -> bool:
    if isinstance(a, ast.AST) and isinstance(b, ast.AST):
        if ast.dump(a) == ast.dump(b):
            return True
        if isinstance(a, ast.expr) and isinstance(b, ast.expr) and _is_term(a) and _is_term(b):
            found.append(_inner(a, b))
            return True
        return type(a) is type(b) and all(_matched(getattr(a, f), getattr(b, f), found) for f in a._fields)
    if isinstance(a, list) and isinstance(b, list):
        return len(a) == len(b) and all(_matched(x, y, found) for x, y in zip(a, b, strict=True))
    return a == b


def _inner(a: ast.expr, b: ast.expr) -> tuple[ast.expr, ast.expr]:
    """`a.kilos` and `b.kilos` differ in `a` and `b`."""
    match a, b:
        case ast.Attribute(value=one, attr=mine), ast.Attribute(value=other, attr=theirs) if mine == theirs:
            return _inner(one, other)
        case ast.Subscript(value=one, slice=mine), ast.Subscript(value=other, slice=theirs):
            if ast.dump(mine) == ast.dump(theirs):
                return _inner(one, other)
    return a, b


def _is_term(e: ast.expr) -> bool:
    if isinstance(e, ast.Constant):
        return True
    return isinstance(e, ast.Name | ast.Attribute | ast.Subscript) and isinstance(e.ctx, ast.Load) and is_plain(e)


def _with_parameters(scene: Scene, block: Block, others: list[Block]) -> Same:
    pairs = [_alike(block.body, other.body) or [] for other in others]
    wanted = {ast.dump(a): a for found in pairs for a, _ in found}
    consistent = []
    for other, found in zip(others, pairs, strict=True):
        told: dict[str, str] = {}
        if all(told.setdefault(ast.dump(a), ast.dump(b)) == ast.dump(b) for a, b in found):
            consistent.append((other, {ast.dump(a): b for a, b in found}))
    if not consistent or len(wanted) > _MOST_TERMS:
        return Same((), (), ())
    names = _names(scene, list(wanted.values()), block.body)
    edits = [(n, names[ast.dump(n)]) for s in block.body for n in _outermost(s, set(wanted))]
    stored = {n.id for s in block.body for n in walk(s) if isinstance(n, ast.Name) and isinstance(n.ctx, ast.Store)}
    if any(isinstance(e, ast.Name) and e.id in stored for e in wanted.values()):
        return Same((), (), ())
    terms = tuple(
        tuple(as_written(scene.text, told.get(dump, e)) for dump, e in wanted.items()) for _, told in consistent
    )
    here = tuple(as_written(scene.text, e) for e in wanted.values())
    gone = frozenset(e.id for e in wanted.values() if isinstance(e, ast.Name))
    return Same(tuple(o for o, _ in consistent), terms, tuple(names.values()), here, tuple(edits), gone)


def _outermost(s: ast.AST, wanted: set[str]) -> Iterator[ast.expr]:
    for child in ast.iter_child_nodes(s):
        if isinstance(child, ast.expr) and ast.dump(child) in wanted:
            yield child
        else:
            yield from _outermost(child, wanted)


def _names(scene: Scene, terms: Sequence[ast.expr], body: list[ast.stmt]) -> dict[str, str]:
    taken = {n.id for s in body for n in walk(s) if isinstance(n, ast.Name)}
    found: dict[str, str] = {}
    for at, e in enumerate(terms, 1):
        words = [w for w in words_of(thing_name(e)) if w not in SMALL]
        stem = "_".join(words) if words and not isinstance(e, ast.Constant) else _of_constant(e)
        stem = _of_many(scene, e, body) or (e.id if isinstance(e, ast.Name) else stem)
        stem = f"{stem}_{at}" if stem in found.values() else stem
        name = stem if stem not in taken or (isinstance(e, ast.Name) and e.id == stem) else f"{stem}_{at}"
        found[ast.dump(e)] = name
    return found


def _of_constant(e: ast.expr) -> str:
    """A sentence is a text; what else stands for itself is a value."""
    is_told = isinstance(e, ast.Constant) and isinstance(e.value, str) and " " in e.value.strip()
    return "text" if is_told else "value"


def _of_many(scene: Scene, e: ast.expr, body: list[ast.stmt]) -> str:
    """What the project calls several of the things that are gone through: `lorries`, where `lorry` is one."""
    loops = (n for s in body for n in walk(s) if isinstance(n, ast.For) and ast.dump(n.iter) == ast.dump(e))
    one = next((n.target.id for n in loops if isinstance(n.target, ast.Name)), "")
    words = scene.all_words()
    forms = (f"{one}s", f"{one}es", f"{one[:-1]}ies") if len(one) > 2 else ()
    return next((form for form in forms if form in words), "")
