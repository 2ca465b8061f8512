"""named-branch: a long branch or loop body becomes a function of its own."""

import ast
import tokenize
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from dreck.model.scopes import assigned_in
from dreck.model.shape import leaves
from dreck.source.functions import instance_owner
from dreck.steps.catalogue import Step
from dreck.steps.predicates import (
    Helper,
    awaits,
    method_line,
    own_style,
    put_helper,
    written,
)
from dreck.steps.scene import NotPlanned, Plan, Scene
from dreck.steps.sheet import Sheet
from dreck.steps.trees import Untouchable
from dreck.steps.wording import Name, is_free, words_of

_LONG = 8
_LAZY = (ast.Lambda, ast.FunctionDef, ast.AsyncFunctionDef, ast.ClassDef, ast.GeneratorExp)


@dataclass(frozen=True, slots=True)
class Block:
    """A branch or loop body: its statements, the statement it belongs to, and the loop it is the body of."""

    body: list[ast.stmt]
    holder: ast.stmt
    is_else: bool
    loops: tuple[ast.stmt, ...]
    at_end: bool
    """Whether nothing else of the innermost loop runs after it."""

    @property
    def is_loop_body(self) -> bool:
        return isinstance(self.holder, ast.For | ast.AsyncFor | ast.While) and not self.is_else


def plans(scene: Scene) -> Iterator[Plan | NotPlanned]:
    """The long blocks of the function, longest first; with a name wished for its test, a block of any length."""
    found = list(_blocks(scene.node.body, (), True))
    wished = [b for b in found if _wish(scene, b)]
    long = [b for b in found if _length(b) >= _LONG and not _is_everything(scene, b)]
    for block in wished or sorted(long, key=_length, reverse=True):
        try:
            yield _planned(scene, block)
        except Untouchable as error:
            yield NotPlanned(block.body[0].lineno, str(error))


def _blocks(body: list[ast.stmt], loops: tuple[ast.stmt, ...], at_end: bool) -> Iterator[Block]:
    for i, s in enumerate(body):
        ends = at_end and i == len(body) - 1
        match s:
            case ast.If():
                yield Block(s.body, s, False, loops, ends)
                yield from _blocks(s.body, loops, ends)
                if s.orelse and not (len(s.orelse) == 1 and isinstance(s.orelse[0], ast.If)):
                    yield Block(s.orelse, s, True, loops, ends)
                yield from _blocks(s.orelse, loops, ends)
            case ast.For() | ast.AsyncFor() | ast.While():
                yield Block(s.body, s, False, (*loops, s), True)
                yield from _blocks(s.body, (*loops, s), True)
            case ast.With() | ast.AsyncWith():
                yield from _blocks(s.body, loops, ends)
            case ast.Try():
                yield from _blocks(s.body, loops, False)


def _length(block: Block) -> int:
    return (block.body[-1].end_lineno or 0) - block.body[0].lineno + 1


def _is_everything(scene: Scene, block: Block) -> bool:
    """Most of the function is in it: taking it out would only move the tangle."""
    whole = (scene.node.end_lineno or 0) - scene.node.body[0].lineno + 1
    return not block.is_loop_body and _length(block) > 0.8 * whole


def _wish(scene: Scene, block: Block) -> str:
    match block.holder:
        case ast.If(test=test) | ast.While(test=test):
            code = ast.unparse(test)
            return scene.wishes.name_for(f"not ({code})" if block.is_else else code)
        case ast.For(target=target, iter=source) | ast.AsyncFor(target=target, iter=source):
            return scene.wishes.name_for(f"{ast.unparse(target)} in {ast.unparse(source)}")
    return ""


# --- what goes in and comes out ------------------------------------------------------------------------


def _planned(scene: Scene, block: Block) -> Plan | NotPlanned:
    _check(scene, block)
    line = block.body[0].lineno
    given, results = _passed(scene, block)
    own = scene.node.args.args[0].arg if instance_owner(scene.function) and scene.node.args.args else ""
    is_method = bool(own) and own in given
    name = _name(scene, block)
    sheet = scene.sheet()
    unit = sheet.unit(scene.node)
    first, last = _lines(sheet, block)
    ends = leaves(block.body)
    returns = bool(_own(block.body, ast.Return))
    if returns and not ends:
        raise Untouchable("it returns on some ways and goes on on others")
    back = f"return {', '.join(results)}" if results else "return"
    inner = _text(scene, block, first, last, back, unit if not is_method else sheet.indent(scene.node.lineno) + unit)
    if results and not ends:
        inner.append(back)
    parameters = (own, *(g for g in given if g != own)) if is_method else tuple(given)
    helper = Helper(name.text, parameters, tuple(inner), _waits(block))
    result_type = ast.unparse(scene.node.returns) if ends and returns and scene.node.returns is not None else ""
    code = written(scene, helper, sheet.indent(scene.node.lineno) if is_method else "", unit, result_type or ("" if results else "None"))
    sheet.replace_lines(first, last, f"{sheet.indent(line)}{_call(block, name.text, parameters, own if is_method else '', results, ends and returns)}\n")
    if is_method:
        sheet.insert(method_line(scene), f"\n{code}")
    else:
        put_helper(scene, sheet, code)
    note = "" if name.good else f"{name.text} wants a better name: --name '{name.text}=…'"
    return Plan(line, f"the {_length(block)} lines from line {first} are called {name.text}", sheet.result(), (name.text,), note)


def _check(scene: Scene, block: Block) -> None:
    """Raises Untouchable for what cannot leave the function it stands in."""
    if _own(block.body, ast.Break):
        raise Untouchable("it breaks out of the loop around it, which a function cannot")
    if _own(block.body, ast.Continue) and not block.at_end:
        raise Untouchable("it continues the loop around it, and more of the loop follows")
    if _own(block.body, ast.Continue) and not block.loops:
        raise Untouchable("it continues a loop")
    declared = scene.scope.declared_global | scene.scope.declared_nonlocal
    bound = assigned_in(block.body)
    if bound & declared:
        raise Untouchable(f"it assigns {min(bound & declared)}, which is not the function's own")
    for node in (n for s in block.body for n in ast.walk(s)):
        match node:
            case _ if isinstance(node, _LAZY):
                raise Untouchable("it holds a function that would see other variables")
            case ast.Delete() | ast.Global() | ast.Nonlocal():
                raise Untouchable("it deletes or declares names")
            case ast.Call(func=ast.Name(id="super" | "locals" | "vars" | "eval" | "exec" as name)):
                raise Untouchable(f"it calls {name}(), which depends on the function it stands in")
            case ast.Raise(exc=None):
                raise Untouchable("it raises again what is being handled around it")
            case ast.Name(id="__class__"):
                raise Untouchable("it names __class__")


def _own(body: Sequence[ast.stmt], kind: type[ast.stmt]) -> list[ast.stmt]:
    """The statements of that kind in a block; `continue` and `break` of loops inside it are theirs."""
    found: list[ast.stmt] = []
    for s in body:
        if isinstance(s, kind):
            found.append(s)
        if isinstance(s, ast.FunctionDef | ast.AsyncFunctionDef | ast.ClassDef):
            continue
        inside_loop = isinstance(s, ast.For | ast.AsyncFor | ast.While) and kind in (ast.Break, ast.Continue)
        for child in ast.iter_child_nodes(s):
            inner = [child] if isinstance(child, ast.stmt) else getattr(child, "body", [])
            if isinstance(inner, list) and (not inside_loop or child in getattr(s, "orelse", [])):
                found += _own([n for n in inner if isinstance(n, ast.stmt)], kind)
    return found


def _passed(scene: Scene, block: Block) -> tuple[list[str], list[str]]:
    """The names a block gets and those it gives back, in the order they stand."""
    inside = {n for s in block.body for n in ast.walk(s)}
    names = [n for n in ast.walk(scene.node) if isinstance(n, ast.Name)]
    local = scene.scope.local
    bound = assigned_in(block.body) & local
    bound_outside = {n.id for n in names if n not in inside and isinstance(n.ctx, ast.Store)} | scene.scope.params
    bound_outside |= {n.name for n in ast.walk(scene.node) if isinstance(n, ast.ExceptHandler) and n.name}
    read_outside = {n.id for n in names if n not in inside and isinstance(n.ctx, ast.Load)}
    read_outside |= {n.target.id for n in ast.walk(scene.node) if isinstance(n, ast.AugAssign) and n not in inside and isinstance(n.target, ast.Name)}
    order = sorted((n for n in names if n in inside), key=lambda n: (n.lineno, n.col_offset))
    seen = list(dict.fromkeys(n.id for n in order))
    results = [n for n in seen if n in bound and (n in read_outside or (block.loops and n in bound_outside))]
    changed = {n.target.id for n in inside if isinstance(n, ast.AugAssign) and isinstance(n.target, ast.Name)}
    read = {n.id for n in order if isinstance(n.ctx, ast.Load)} | changed
    sure = _surely_bound(block.body)
    given = [n for n in seen if n in local and n in bound_outside and (n in read or (n in results and n not in sure))]
    first_write = [n for n in given if n in sure and not _read_first(order, n, changed)]
    return [n for n in given if n not in first_write], ([] if leaves(block.body) and _own(block.body, ast.Return) else results)


def _surely_bound(body: Sequence[ast.stmt]) -> set[str]:
    return {t.id for s in body if isinstance(s, ast.Assign) for t in s.targets if isinstance(t, ast.Name)}


def _read_first(order: Sequence[ast.Name], name: str, changed: set[str]) -> bool:
    """Whether a name is read in the block before the block itself has bound it; of one statement, its right side first."""
    for node in order:
        if node.id == name:
            return isinstance(node.ctx, ast.Load) or name in changed or _on_both_sides(order, node)
    return True


def _on_both_sides(order: Sequence[ast.Name], node: ast.Name) -> bool:
    return any(n.id == node.id and n.lineno == node.lineno and isinstance(n.ctx, ast.Load) for n in order)


def _waits(block: Block) -> bool:
    return any(awaits(s) or any(isinstance(n, ast.AsyncFor | ast.AsyncWith) for n in ast.walk(s)) for s in block.body)


def _yields(block: Block) -> bool:
    return any(isinstance(n, ast.Yield | ast.YieldFrom) for s in block.body for n in ast.walk(s))


def _call(block: Block, name: str, parameters: Sequence[str], own: str, results: list[str], leaving: bool) -> str:
    call = f"{own}.{name}({', '.join(parameters[1:])})" if own else f"{name}({', '.join(parameters)})"
    if _yields(block):
        if _waits(block):
            raise Untouchable("it yields and awaits")
        call = f"yield from {call}"
    elif _waits(block):
        call = f"await {call}"
    if leaving:
        return f"return {call}"
    return f"{', '.join(results)} = {call}" if results else call


# --- text ----------------------------------------------------------------------------------------------


def _lines(sheet: Sheet, block: Block) -> tuple[int, int]:
    """The lines of the block, the comments above its first and below its last statement included."""
    first = min([block.body[0].lineno, *(d.lineno for d in getattr(block.body[0], "decorator_list", []))])
    indent = sheet.indent(block.body[0].lineno)
    if len(indent.encode()) != block.body[0].col_offset:
        raise Untouchable("it stands on the line of its test")
    while sheet.line(first - 1).strip().startswith("#") and sheet.indent(first - 1) == indent:
        first -= 1
    last = block.body[-1].end_lineno or block.body[-1].lineno
    count = len(sheet.text.splitlines())
    while last < count and sheet.line(last + 1).strip().startswith("#") and sheet.indent(last + 1) == indent:
        last += 1
    return first, last


def _text(scene: Scene, block: Block, first: int, last: int, back: str, inner_indent: str) -> list[str]:
    sheet = scene.sheet()
    for s in _own(block.body, ast.Continue):
        sheet.replace(s, back)
    changed = Sheet(sheet.result())
    frozen = {
        number
        for token in changed.tokens
        if token.type == tokenize.STRING and token.end[0] > token.start[0]
        for number in range(token.start[0] + 1, token.end[0] + 1)
    }
    indent = changed.indent(block.body[0].lineno)
    if indent != inner_indent and frozen & set(range(first, last + 1)):
        raise Untouchable("a text over several lines stands in it, which would be indented otherwise")
    return [changed.line(n).rstrip("\r\n").removeprefix(indent) for n in range(first, last + 1)]


def _name(scene: Scene, block: Block) -> Name:
    taken = scene.all_words()
    wished = _wish(scene, block)
    if wished:
        if wished in taken:
            raise Untouchable(f"the name '{wished}' is taken already")
        return Name(wished)
    for words in _suggestions(block):
        for name in (own_style(scene, "_".join(words)), "_".join(words)):
            if is_free(name, taken) and name.isidentifier():
                return Name(name)
    number = 1
    while f"part_{number}" in taken:
        number += 1
    return Name(f"part_{number}", good=False)


def _suggestions(block: Block) -> Iterator[list[str]]:
    match block.holder:
        case ast.For(target=ast.Name(id=name)) | ast.AsyncFor(target=ast.Name(id=name)) if len(name) > 2:
            yield ["handle", *words_of(name)]
        case ast.If(test=test) if not block.is_else:
            kind = _kind(test)
            if kind:
                yield ["handle", *kind]


def _kind(test: ast.expr) -> list[str]:
    match test:
        case ast.Compare(ops=[ast.Eq() | ast.Is()], comparators=[ast.Constant(value=str() as text)]):
            return words_of("".join(c if c.isalnum() else " " for c in text))[:3]
        case ast.Compare(ops=[ast.Eq() | ast.Is()], comparators=[ast.Attribute(attr=attr)]):
            return words_of(attr)
        case ast.Call(func=ast.Name(id="isinstance"), args=[_, ast.Name(id=kind)]):
            return words_of(kind)
        case ast.Name(id=name) | ast.Attribute(attr=name):
            return words_of(name)[:3]
    return []


STEP = Step(
    name="named-branch",
    group="name",
    order=130,
    summary="A long branch or loop body becomes a function of its own.",
    why="The function tells its story, and the branch has a name and can be read alone.",
    when_not="When the block needs half the function's variables, or its exits belong to a loop around it.",
    before="""\
def book(loads, log):
    count = 0
    for load in loads:
        if load.kilos <= 0:
            log.empty(load)
            continue
        if load.wet:
            log.wet(load)
        else:
            log.dry(load)
        log.add(load)
        count += 1
    return count
""",
    after="""\
def book(loads, log):
    count = 0
    for load in loads:
        count = handle_load(load, log, count)
    return count


def handle_load(load, log, count):
    if load.kilos <= 0:
        log.empty(load)
        return count
    if load.wet:
        log.wet(load)
    else:
        log.dry(load)
    log.add(load)
    count += 1
    return count
""",
    traps=(
        "A `continue` becomes the helper's `return`; a `break` cannot.",
        "A name the block changes and the code after it reads has to come back.",
        "A lambda inside it sees the variables of the function it was made in.",
    ),
    plans=plans,
    by_default=False,
)
