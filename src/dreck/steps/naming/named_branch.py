"""named-branch: a long branch or loop body becomes a function of its own."""

import ast
import builtins
import shlex
from collections.abc import Iterator, Sequence

from dreck.model.views.shape import leaves
from dreck.source.functions import instance_owner
from dreck.source.walking import walk
from dreck.steps.catalogue import Step
from dreck.steps.naming.blocks import (
    Block,
    block_lines,
    block_text,
    check_block,
    check_handed,
    own_statements,
    passed,
    shortened,
    waits,
    yields,
)
from dreck.steps.naming.predicates import Helper, method_line, put_helper, written
from dreck.steps.support.arm_comments import said_of_block
from dreck.steps.support.names.table_names import own_style
from dreck.steps.support.names.vocabulary import DEEDS, PLAIN_ADJECTIVES
from dreck.steps.support.names.wording import Name, is_a_thing, is_free, naming_hint
from dreck.steps.support.names.words import words_of
from dreck.steps.support.scene import NotPlanned, Plan, Scene
from dreck.steps.support.spelled import as_written
from dreck.steps.support.trees import Untouchable

_LONG = 8


def plans(scene: Scene) -> Iterator[Plan | NotPlanned]:
    """The long blocks of the function, longest first; with a name wished for its test, a block of any length."""
    found = list(_blocks(scene.node.body, (), True))
    asked = [b for b in found if _wish(scene, b)]
    wished = [b for b in asked if not _is_cut(b, _wish(scene, b))]
    if asked and not wished:
        return
    long = [b for b in found if _length(b) >= _LONG and not _is_everything(scene, b)]
    for block in wished or sorted(long, key=_length, reverse=True):
        try:
            yield _planned(scene, block)
        except Untouchable as error:
            yield NotPlanned(block.body[0].lineno, str(error))
    if found and not wished and not long:
        yield NotPlanned(*_too_short(scene, found))


def _is_cut(block: Block, name: str) -> bool:
    """Whether all that is left of it is a call of that function."""
    last = block.body[-1]
    called = (getattr(last, "value", None),) if len(block.body) == 1 else ()
    return any(isinstance(n, ast.Name | ast.Attribute) and _word(n) == name for e in called if e for n in walk(e))


def _word(n: ast.Name | ast.Attribute) -> str:
    return n.id if isinstance(n, ast.Name) else n.attr


def _too_short(scene: Scene, found: list[Block]) -> tuple[int, str]:
    """The longest branch there is, and what takes shorter ones."""
    block = max((b for b in found if not _is_everything(scene, b)), key=_length, default=found[0])
    first, last = block.body[0].lineno, block.body[-1].end_lineno
    if _length(block) >= _LONG:
        return first, "the branch is nearly the whole function; guard-clauses take what stands around it away"
    where = shlex.quote(f"{scene.path}::{scene.function.name}:{first}-{last}")
    length = _length(block)
    told = f"its longest branch has {length} line{'s' * (length != 1)}, and from {_LONG} on it is taken"
    return first, f"{told}; to cut it anyway, type: dreck untangle {where} --step named-block --name NAME"


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
    check_block(scene, block)
    line = block.body[0].lineno
    given, results = passed(scene, block)
    if not _wish(scene, block):
        check_handed(given, results, "its function")
    own = scene.node.args.args[0].arg if instance_owner(scene.function) and scene.node.args.args else ""
    is_method = bool(own) and own in given
    name = _name(scene, block)
    sheet = scene.sheet()
    unit = sheet.unit(scene.node)
    first, last = block_lines(sheet, block)
    ends = leaves(block.body)
    returns = bool(own_statements(block.body, ast.Return))
    if returns and not ends:
        raise Untouchable("it returns on some ways and goes on on others")
    back = f"return {', '.join(results)}" if results else "return"
    inner = block_text(scene, block, first, last, back)
    if results and not ends:
        inner = shortened([*inner, back], scene.line_length)
    parameters = (own, *(g for g in given if g != own)) if is_method else tuple(given)
    helper = Helper(name.text, parameters, tuple(inner), waits(block))
    result_type = ast.unparse(scene.node.returns) if ends and returns and scene.node.returns is not None else ""
    code = written(
        scene,
        helper,
        sheet.indent(scene.node.lineno) if is_method else "",
        unit,
        result_type or ("" if results else "None"),
    )
    call = _call(block, name.text, parameters, own if is_method else "", results, ends and returns)
    sheet.replace_lines(first, last, f"{sheet.indent(line)}{call}\n")
    if is_method:
        sheet.insert(method_line(scene), f"\n{code}")
    else:
        put_helper(scene, sheet, code)
    reason = f"the {_length(block)} lines from line {first} are called {name.text}"
    return Plan(line, reason, sheet.result(), (name.text,))


def _call(block: Block, name: str, parameters: Sequence[str], own: str, results: list[str], leaving: bool) -> str:
    call = f"{own}.{name}({', '.join(parameters[1:])})" if own else f"{name}({', '.join(parameters)})"
    if yields(block):
        if waits(block):
            raise Untouchable("it yields and awaits")
        call = f"yield from {call}"
    elif waits(block):
        call = f"await {call}"
    if leaving:
        return f"return {call}"
    return f"{', '.join(results)} = {call}" if results else call


def _name(scene: Scene, block: Block) -> Name:
    taken = scene.all_words()
    wished = _wish(scene, block)
    if wished:
        if wished in taken:
            raise Untouchable(f"the name '{wished}' is taken already")
        return Name(wished)
    for words in _suggestions(scene, block):
        for name in (own_style(scene, "_".join(words)), "_".join(words)):
            if is_free(name, taken) and name.isidentifier():
                return Name(name)
    code = _asked_for(scene, block)
    raise Untouchable(f"no good name was found for it; give it one with {naming_hint(code)}")


def _asked_for(scene: Scene, block: Block) -> str:
    """What a name for the block is wished for by."""
    match block.holder:
        case ast.For(target=target, iter=source) | ast.AsyncFor(target=target, iter=source):
            return f"{as_written(scene.text, target)} in {as_written(scene.text, source)}"
        case ast.If(test=test) if block.is_else:
            return f"not ({as_written(scene.text, test)})"
        case ast.If(test=test) | ast.While(test=test):
            return as_written(scene.text, test)
    return "CODE"


def _suggestions(scene: Scene, block: Block) -> Iterator[list[str]]:
    """What the comment above says; what kind of thing is handled: what a loop goes through, what it is told by."""
    said = said_of_block(scene.sheet(), block.body[0].lineno, block.body[-1].end_lineno or 0)
    yield from (w for w in said if w[0] in DEEDS)
    match block.holder:
        case ast.For(target=ast.Name(id=name)) | ast.AsyncFor(target=ast.Name(id=name)) if is_a_thing(name):
            yield ["handle", *words_of(name)]
        case ast.If(test=test) if not block.is_else:
            kind = [w for w in _kind(test) if w not in ("is", "has", "not")]
            if kind and "case" not in kind and all(len(w) > 2 for w in kind):
                own = words_of(scene.node.name.strip("_"))
                if isinstance(test, ast.Compare) and len(own) + len(kind) <= _MOST_WORDS and not set(own) & set(kind):
                    yield [*own, *kind]  # as the functions of a table by kind are called
                yield ["handle", *kind]


_MOST_WORDS = 3
_OF_STATES = ("ed", "able", "ible")


def _kind(test: ast.expr) -> list[str]:
    match test:
        case ast.Compare(ops=[ast.Eq() | ast.Is()], comparators=[ast.Constant(value=str() as text)]):
            return words_of("".join(c if c.isalnum() else " " for c in text))[:3]
        case ast.Compare(ops=[ast.Eq() | ast.Is()], comparators=[ast.Attribute(attr=attr)]):
            return words_of(attr)
        case ast.Call(func=ast.Name(id="isinstance"), args=[_, ast.Name(id=kind)]) if not hasattr(builtins, kind):
            return words_of(kind)
        case ast.Name(id=name) | ast.Attribute(attr=name):
            words = words_of(name)[:3]
            return words if words and (words[-1] in PLAIN_ADJECTIVES or words[-1].endswith(_OF_STATES)) else []
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
