"""probe-list: "try it this way, else that way, the first that answers" becomes an ordered list and one loop."""

import ast
from collections.abc import Iterator
from dataclasses import dataclass

from dreck.model.views.shape import leaves
from dreck.source.walking import walk
from dreck.steps.catalogue import Step
from dreck.steps.replace.answering import answering_plans
from dreck.steps.replace.probes import Probes, probes_of
from dreck.steps.support.chains import all_blocks, comments_of
from dreck.steps.support.names.wording import naming_hint
from dreck.steps.support.scene import NotPlanned, Plan, Scene
from dreck.steps.support.sheet import Sheet
from dreck.steps.support.spelled import as_written
from dreck.steps.support.trees import Untouchable

_FEWEST = 2


@dataclass(frozen=True, slots=True)
class Cascade:
    """Ways that are tried in turn, from statement `start` up to (not with) `end` of a block.

    `answered` is the test that says a value is an answer, `name` what the value is called. With `handler` a call
    has no answer when it raises that. `leaves` says that an answer is returned at once. `last` is what is done when
    none has answered and every call has failed.
    """

    block: list[ast.stmt]
    start: int
    end: int
    ways: tuple[ast.expr, ...]
    name: str
    answered: ast.expr | None
    leaves: bool
    handler: ast.expr | None = None
    last: ast.stmt | None = None
    otherwise: tuple[ast.stmt, ...] = ()
    """What stands under a last test for no answer, before the answer is returned."""


def plans(scene: Scene) -> Iterator[Plan | NotPlanned]:
    """Every cascade of two calls or more."""
    for block in all_blocks(scene.node.body):
        at = 0
        while at < len(block):
            found = _returning(block, at) or _filling(block, at) or _inside(block, at) or _raising(block, at)
            if found is None or len(found.ways) < _FEWEST:
                other = _raising(block, at + 1) if found is not None and found.handler is not None else None
                if other is not None:
                    told = " and ".join(ast.unparse(c.handler) for c in (found, other) if c is not None and c.handler)
                    yield NotPlanned(block[at].lineno, f"they fail with different errors: {told}; catch the same first")
                at += 1
                continue
            at = found.end
            try:
                yield _planned(scene, found)
            except Untouchable as error:
                yield NotPlanned(found.block[found.start].lineno, str(error))
    answering = list(answering_plans(scene))
    yield from answering or list(_asked_about(scene)) or _mixed(scene)


def _asked_about(scene: Scene) -> Iterator[NotPlanned]:
    """`path = near(name)`, `if path.exists(): return path`, again and again: what is asked may do something, so that a
    way is worked out only when those before it have failed."""
    for block in all_blocks(scene.node.body):
        for at in range(len(block) - 3):
            match block[at : at + 4]:
                case [
                    ast.Assign(targets=[ast.Name(id=one)]),
                    ast.If(test=asked, body=[*_, ast.Return() as found], orelse=[]),
                    ast.Assign(targets=[ast.Name(id=two)]),
                    ast.If(test=again, body=[*_, ast.Return() as other], orelse=[]),
                ] if one == two and ast.dump(asked) == ast.dump(again) and ast.dump(found) == ast.dump(other):
                    told = f"each `{one}` is asked `{ast.unparse(asked)}` before the next is worked out"
                    yield NotPlanned(block[at].lineno, f"{told}; a function that yields them in turn keeps that order")
                    return


def _mixed(scene: Scene) -> Iterator[NotPlanned]:
    """Ways that answer in forms of their own, one after the other."""
    for block in all_blocks(scene.node.body):
        ways = [s for s in block if isinstance(s, ast.If | ast.Try) and _answers(s)]
        tries = sum(isinstance(s, ast.Try) for s in ways)
        if tries and len(ways) > tries and len(ways) > _FEWEST:
            lines = f"lines {ways[0].lineno} to {ways[-1].end_lineno or ways[-1].lineno}"
            told = f"the {len(ways)} ways in {lines} answer in forms of their own"
            yield NotPlanned(ways[0].lineno, f"{told}; make each a function first, that returns None where it has none")
            return


def _answers(s: ast.If | ast.Try) -> bool:
    """Whether it returns something on its way, and goes on otherwise."""
    return isinstance(s.body[-1], ast.Return) and not (s.orelse and leaves(s.orelse))


# --- the forms -----------------------------------------------------------------------------------------


def _returning(block: list[ast.stmt], start: int) -> Cascade | None:
    """`v = a(x)`, `if v is not None: return v`, again and again, and perhaps `return z(x)` last."""
    at, calls, name, test = start, list[ast.Call](), "", ""
    answered: ast.expr | None = None
    while at < len(block):
        found = _asked_once(block, at)
        if found is None:
            break
        call, own, asked, end = found
        if calls and (own != name or ast.dump(asked) != test):
            break
        name, answered, test, at = own, asked, ast.dump(asked), end
        calls.append(call)
    if not calls or answered is None:
        return None
    match block[at : at + 1]:
        case [ast.Return(value=ast.Call() as last)] if _is_not_none(answered) and not last.keywords:
            calls.append(last)
            at += 1
    return Cascade(block, start, at, tuple(calls), name, answered, True)


def _asked_once(block: list[ast.stmt], at: int) -> tuple[ast.Call, str, ast.expr, int] | None:
    match block[at : at + 2]:
        case [
            ast.Assign(targets=[ast.Name(id=name)], value=ast.Call() as call),
            ast.If(test=test, body=[ast.Return(value=ast.Name(id=back))], orelse=[]),
        ] if back == name and _speaks_only_of(test, name):
            return call, name, test, at + 2
        case [ast.If(test=test, body=[ast.Return(value=ast.Name(id=back))], orelse=[]), *_]:
            bound = [n for n in walk(test) if isinstance(n, ast.NamedExpr)]
            if len(bound) == 1 and isinstance(bound[0].value, ast.Call) and bound[0].target.id == back:
                asked = _without(test, bound[0])
                return (bound[0].value, back, asked, at + 1) if _speaks_only_of(asked, back) else None
    return None


def _filling(block: list[ast.stmt], start: int) -> Cascade | None:
    """`v = a(x)`, `if v is None: v = b(x)`, side by side or inside one another."""
    match block[start]:
        case ast.Assign(targets=[ast.Name(id=name)], value=ast.Call() as first):
            calls = [first]
        case _:
            return None
    tests: list[ast.expr] = []

    def more(s: ast.stmt) -> bool:
        match s:
            case ast.If(
                test=test,
                body=[ast.Assign(targets=[ast.Name(id=own)], value=ast.Call() as call), *inner],
                orelse=[],
            ) if own == name and len(inner) < 2:
                tests.append(test)
                calls.append(call)
                return all(map(more, inner))
        return False

    at = start + 1
    while at < len(block):
        kept = len(tests)
        if not more(block[at]):
            del tests[kept:], calls[kept + 1 :]
            break
        at += 1
    if not tests or len({ast.dump(t) for t in tests}) > 1 or not _speaks_only_of(tests[0], name):
        return None
    if any(isinstance(n, ast.Name) and n.id == name for call in calls[1:] for n in walk(call)):
        return None  # more is made of what there is
    answered = _turned(tests[0])
    match block[at : at + 1]:
        case [ast.Return(value=ast.Name(id=back))] if back == name and _is_not_none(answered):
            return Cascade(block, start, at + 1, tuple(calls), name, answered, True)
    match block[at : at + 2]:
        case [ast.If(test=test, orelse=[]) as s, ast.Return(value=ast.Name(id=back))] if back == name:
            if ast.dump(test) == ast.dump(tests[0]) and leaves(s.body):
                return Cascade(block, start, at + 2, tuple(calls), name, answered, True, otherwise=tuple(s.body))
    return Cascade(block, start, at, tuple(calls), name, answered, False)


def _raising(block: list[ast.stmt], start: int) -> Cascade | None:
    """`try: return a(x)`, `except ValueError: pass`, again and again."""
    if start >= len(block):
        return None
    at, ways = start, list[ast.expr]()
    kind: ast.expr | None = None
    last: ast.Return | None = None
    while at < len(block) and last is None:
        match block[at]:
            case ast.Try(
                body=[ast.Return(value=ast.expr() as way)],
                handlers=[ast.ExceptHandler(type=ast.expr() as caught, name=None, body=[done])],
                orelse=[],
                finalbody=[],
            ) if kind is None or ast.dump(kind) == ast.dump(caught):
                is_last = isinstance(done, ast.Return) and isinstance(done.value, ast.Constant | ast.Name | None)
                if not is_last and not isinstance(done, ast.Pass):
                    break
                last = done if isinstance(done, ast.Return) else None
                kind = caught
                ways.append(way)
                at += 1
            case _:
                break
    return Cascade(block, start, at, tuple(ways), "", None, True, kind, last) if ways else None


def _inside(block: list[ast.stmt], start: int) -> Cascade | None:
    """`try: return a(x)`, `except ValueError:` and in there the next way, `return None` in the innermost.

    Or the same with `v = a(x)`.
    """
    ways, names, kinds = list[ast.expr](), set[str](), dict[str, ast.expr]()
    inner = block[start : start + 1]
    while True:
        match inner:
            case [ast.Try(body=[tried], handlers=[ast.ExceptHandler(type=ast.expr() as caught, name=None, body=inner)],
                          orelse=[], finalbody=[])]:  # fmt: skip
                answer = _answer(tried)
                if answer is None:
                    return None
                names.add(answer[0])
                kinds[ast.dump(caught)] = caught
                ways.append(answer[1])
            case [last] if ways and (answer := _answer(last)) is not None and names == {answer[0]}:
                if not isinstance(answer[1], ast.Constant | ast.Name) or len(kinds) != 1:
                    return None
                name = names.pop()
                return Cascade(
                    block, start, start + 1, tuple(ways), name, None, not name, next(iter(kinds.values())), last
                )
            case _:
                return None


def _answer(s: ast.stmt) -> tuple[str, ast.expr] | None:
    """What a statement returns, with no name, or gives a name."""
    match s:
        case ast.Return(value=ast.expr() as value):
            return "", value
        case ast.Assign(targets=[ast.Name(id=name)], value=value):
            return name, value
    return None


def _speaks_only_of(test: ast.expr, name: str) -> bool:
    names = {n.id for n in walk(test) if isinstance(n, ast.Name)}
    return names == {name} and not any(isinstance(n, ast.Call | ast.Await) for n in walk(test))


def _is_not_none(test: ast.expr) -> bool:
    return ast.unparse(test).endswith(" is not None")


def _turned(test: ast.expr) -> ast.expr:
    match test:
        case ast.UnaryOp(op=ast.Not(), operand=operand):
            return operand
        case ast.Compare(left=left, ops=[ast.Is()], comparators=[right]):
            return ast.Compare(left, [ast.IsNot()], [right])
        case ast.Compare(left=left, ops=[ast.Eq()], comparators=[right]):
            return ast.Compare(left, [ast.NotEq()], [right])
    return ast.UnaryOp(ast.Not(), test)


def _without(test: ast.expr, bound: ast.NamedExpr) -> ast.expr:
    """A test that binds a name, as one that only reads it."""

    class Put(ast.NodeTransformer):
        def visit_NamedExpr(self, node: ast.NamedExpr) -> ast.expr:
            return ast.Name(node.target.id, ast.Load()) if ast.dump(node) == ast.dump(bound) else node

    return Put().visit(ast.parse(ast.unparse(test), mode="eval").body)  # type: ignore[no-any-return]


# --- the list and the loop -----------------------------------------------------------------------------


def _planned(scene: Scene, cascade: Cascade) -> Plan:
    sheet = scene.sheet()
    block = cascade.block
    first, last = block[cascade.start].lineno, block[cascade.end - 1].end_lineno or block[cascade.end - 1].lineno
    indent = sheet.indent(first)
    if len(indent.encode()) != block[cascade.start].col_offset:
        raise Untouchable("it stands on the line of another statement")
    if comments_of(sheet, first, last):
        raise Untouchable("comments stand between its calls; they would lose their place")
    probes = probes_of(scene, sheet, cascade.ways, cascade.leaves)
    _check_worth(scene, cascade, probes)
    unit = sheet.unit(scene.node)
    body = _loop(sheet, cascade, probes, unit)
    body = [part for line in body for part in _fitting(line, probes, scene.line_length - len(indent), unit)]
    for s in cascade.otherwise:
        body += [_code(sheet, n, sheet.indent(s.lineno)) for n in range(s.lineno, (s.end_lineno or s.lineno) + 1)]
    follows = block[cascade.end : cascade.end + 1] or cascade.otherwise
    if cascade.leaves and cascade.handler is None and not follows and block is scene.node.body:
        body.append("return None")
    sheet.replace_lines(first, last, "".join(f"{indent}{line}\n" for line in body))
    return Plan(first, probes.reason, sheet.result(), probes.made)


def _check_worth(scene: Scene, cascade: Cascade, probes: Probes) -> None:
    """Raises Untouchable for two ways of which neither was a function, and to which nobody has given a name."""
    made = [name for name in probes.made if not name.strip("_").isupper()]
    named = any(scene.wishes.name_for(as_written(scene.text, way)) for way in cascade.ways)
    if cascade.handler is None and len(cascade.ways) == len(made) == _FEWEST and not named:
        hints = " ".join(naming_hint(as_written(scene.text, way)) for way in cascade.ways)
        told = "two ways are told apart faster by a test than by functions of their own"
        raise Untouchable(f"{told}; {hints} makes them")


def _code(sheet: Sheet, number: int, indent: str) -> str:
    return sheet.line(number).rstrip("\r\n").removeprefix(indent)


def _fitting(line: str, probes: Probes, room: int, unit: str) -> list[str]:
    """A loop that is too long for its line, with what it goes through on lines of their own."""
    if len(line.expandtabs(4)) <= room or not line.endswith(f"in {probes.listed}:") or probes.listed[:1] != "(":
        return [line]
    parts = ast.parse(probes.listed, mode="eval").body
    assert isinstance(parts, ast.Tuple)
    told = [ast.get_source_segment(probes.listed, part) or ast.unparse(part) for part in parts.elts]
    return [f"{line.removesuffix(f'{probes.listed}:')}(", *(f"{unit}{one}," for one in told), "):"]


def _loop(sheet: Sheet, cascade: Cascade, probes: Probes, unit: str) -> list[str]:
    head = f"for {probes.variable} in {probes.listed}:"
    if cascade.handler is not None:
        caught = sheet.code(cascade.handler)
        told = "return" if cascade.leaves else f"{cascade.name} ="
        inner = ["try:", f"{unit}{told} {probes.asked}", f"except {caught}:", f"{unit}continue"]
        loop = [head, *(f"{unit}{line}" for line in inner)]
        if cascade.last is None:
            return loop
        last = sheet.code(cascade.last)
        return [*loop, last] if cascade.leaves else [last, *loop, f"{unit}break"]
    assert cascade.answered is not None
    name, test = cascade.name, ast.unparse(cascade.answered)
    leaving = f"return {name}" if cascade.leaves else "break"
    return [head, f"{unit}{name} = {probes.asked}", f"{unit}if {test}:", f"{unit}{unit}{leaving}"]


STEP = Step(
    name="probe-list",
    group="replace",
    order=280,
    summary='"Try it this way, else that way, the first that answers" becomes an ordered list and one loop.',
    why="The order stands in one place, and a further way is one more name in it.",
    when_not="When the ways are asked with different things, or something happens in between.",
    before="""\
def by_label(load):
    return load.label


def by_scale(load):
    return load.kilos or None


def weight_of(load):
    found = by_label(load)
    if found is not None:
        return found
    found = by_scale(load)
    if found is not None:
        return found
    return None
""",
    after="""\
def by_label(load):
    return load.label


def by_scale(load):
    return load.kilos or None


WEIGHT_OF_PROBES = (by_label, by_scale)


def weight_of(load):
    for probe in WEIGHT_OF_PROBES:
        found = probe(load)
        if found is not None:
            return found
    return None
""",
    traps=(
        "A later way is asked only when the earlier ones have no answer.",
        "What counts as no answer (None, or anything false) has to be the same for all.",
    ),
    plans=plans,
    by_default=False,
)
