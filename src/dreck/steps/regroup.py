"""regroup: interleaved kinds become one branch per kind, each with its own whole story."""

import ast
from collections.abc import Iterator
from dataclasses import dataclass, replace

from dreck.source.functions import FunctionNode, functions_in, parse
from dreck.steps.catalogue import Step
from dreck.steps.chains import Reader, is_plain
from dreck.steps.common_lines import shared_out
from dreck.steps.predicates import own_expressions, statements
from dreck.steps.scene import NotPlanned, Plan, Scene
from dreck.steps.stories import Answer, Teller, as_text, indented
from dreck.steps.trees import Untouchable

_GROWTH = 3
_ALWAYS_FINE = 60
_FEWEST_TESTS = 3


@dataclass(frozen=True, slots=True)
class Discriminant:
    """What the tests are about, the kinds it is compared with (as code), or `truth` when it is just asked."""

    term: ast.expr
    kinds: tuple[ast.expr, ...]
    tests: int
    truth: bool = False

    @property
    def code(self) -> str:
        return ast.unparse(self.term)


def plans(scene: Scene) -> Iterator[Plan | NotPlanned]:
    """The function told per kind of what most of its tests compare with constants, or of what is asked for."""
    found = discriminants(scene)
    if scene.wishes.discriminant:
        wanted = _wanted(scene.wishes.discriminant)
        found = [d for d in found if ast.dump(d.term) == wanted]
        if not found:
            told = ", ".join(d.code for d in discriminants(scene))
            others = f"tests compare {told}" if told else "no test compares a value"
            yield NotPlanned(scene.node.lineno, f"no test is about {scene.wishes.discriminant}; {others}")
            return
    else:
        found = [d for d in found if not d.truth and len(d.kinds) >= 2 and d.tests >= _FEWEST_TESTS][:1]
    for discriminant in found[:1]:
        if _is_grouped(scene, discriminant):
            continue
        try:
            lean = _planned(scene, discriminant, False)
            full = _planned(scene, discriminant, True)
            if lean is not None and full is not None and lean.text != full.text:
                yield replace(lean, only_if_proved=True)
            if full is not None:
                yield full
        except Untouchable as error:
            yield NotPlanned(scene.node.lineno, str(error))


def _is_grouped(scene: Scene, d: Discriminant) -> bool:
    """Whether the tests about it make up one ladder, and none stands inside."""
    for s in scene.node.body:
        arms = 0
        while isinstance(s, ast.If):
            about, _, truth = _about(s.test)
            if about is None or ast.dump(about) != ast.dump(d.term) or truth is not d.truth:
                break
            arms += 1
            if len(s.orelse) != 1 or not isinstance(s.orelse[0], ast.If):
                break
            s = s.orelse[0]
        if arms and arms == d.tests:
            return True
    return False


def _wanted(code: str) -> str:
    try:
        return ast.dump(ast.parse(code.strip(), mode="eval").body)
    except SyntaxError:
        raise Untouchable(f"'{code}' is no expression in Python") from None


# --- what the tests are about --------------------------------------------------------------------------


def discriminants(scene: Scene) -> list[Discriminant]:
    """Terms that tests compare with constants or just ask, those with most tests first."""
    return discriminants_of(scene.node)


def discriminants_of(function: FunctionNode) -> list[Discriminant]:
    found: dict[str, Discriminant] = {}
    for e in asked_for_truth(function):
        term, kinds, truth = _about(e)
        if term is None or not is_plain(term):
            continue
        key = f"{ast.dump(term)} {truth}"
        had = found.get(key)
        known = {ast.dump(k) for k in had.kinds} if had is not None else set()
        more = tuple(k for k in kinds if ast.dump(k) not in known)
        found[key] = Discriminant(term, (*(had.kinds if had else ()), *more), (had.tests if had else 0) + 1, truth)
    return sorted(found.values(), key=lambda d: (d.truth, -d.tests))


def asked_for_truth(function: FunctionNode) -> Iterator[ast.expr]:
    """Everything that is asked for its truth, operand by operand."""
    for s in statements(function.body):
        tops = [s.test] if isinstance(s, ast.If | ast.While | ast.Assert) else []
        tops += [n.test for e in own_expressions(s) for n in ast.walk(e) if isinstance(n, ast.IfExp)]
        for top in tops:
            yield from _operands(top)
        if isinstance(s, ast.Match) and not any(c.guard for c in s.cases):
            yield from _of_match(s)


def _of_match(s: ast.Match) -> Iterator[ast.expr]:
    for case in s.cases:
        if isinstance(case.pattern, ast.MatchValue):
            yield ast.Compare(s.subject, [ast.Eq()], [case.pattern.value])


def _operands(e: ast.expr) -> Iterator[ast.expr]:
    match e:
        case ast.BoolOp(values=values):
            for value in values:
                yield from _operands(value)
        case ast.UnaryOp(op=ast.Not(), operand=operand):
            yield from _operands(operand)
        case _:
            yield e


def _about(e: ast.expr) -> tuple[ast.expr | None, tuple[ast.expr, ...], bool]:
    read = Reader()
    match e:
        case ast.Compare(left=left, ops=[ast.NotEq()], comparators=[right]):
            e = ast.Compare(left, [ast.Eq()], [right])
        case ast.Compare(left=left, ops=[ast.NotIn()], comparators=[right]):
            e = ast.Compare(left, [ast.In()], [right])
        case ast.Compare(left=left, ops=[ast.IsNot()], comparators=[right]):
            e = ast.Compare(left, [ast.Is()], [right])
        case ast.Name() | ast.Attribute():
            return e, (), True
    asked = read(e) if isinstance(e, ast.Compare) else None
    if asked is None or len(asked[0]) != 1:
        return None, (), False
    return asked[0][0], asked[1], False


# --- the stories ---------------------------------------------------------------------------------------


def _planned(scene: Scene, d: Discriminant, keep_empty: bool) -> Plan | None:
    _check(scene, d)
    sheet = scene.sheet()
    unit = sheet.unit(scene.node)
    body = scene.node.body
    doc = (
        isinstance(body[0], ast.Expr)
        and isinstance(body[0].value, ast.Constant)
        and isinstance(body[0].value.value, str)
    )
    body = body[1:] if doc else body
    if not body or len(sheet.indent(body[0].lineno).encode()) != body[0].col_offset:
        raise Untouchable("the body stands on the line of its head")
    first = body[0].lineno
    while sheet.line(first - 1).strip().startswith("#"):
        first -= 1
    last = body[-1].end_lineno or body[-1].lineno
    stories = [Teller(sheet, answer, unit, keep_empty).chunks(body, 0) for answer in _answers(d)]
    groups = _grouped(d, stories)
    if len(groups) < 2:
        raise Untouchable(f"every kind of {d.code} has the same story")
    before, branches, after = _shared(groups)
    home = sheet.indent(body[0].lineno)
    lines = [line for chunk in before for line in chunk]
    lines += _ladder(sheet, d, branches, unit)
    lines += [line for chunk in after for line in chunk]
    was = last - first + 1
    text = as_text(lines, home)
    if text == "".join(sheet.line(n) for n in range(first, last + 1)):
        return None
    sheet.replace_lines(first, last, text)
    told, made = _told_once(scene, sheet.result())
    size = len(lines) + len(told.splitlines()) - len(sheet.result().splitlines())
    if size > max(_GROWTH * was, was + _ALWAYS_FINE):
        raise Untouchable(f"it would grow from {was} lines to {size}")
    reason = f"{len(branches)} stories, one for each kind of {d.code}; {was} lines became {size}"
    shared = f"; what several kinds share is in {' and '.join(made)}" if made else ""
    return Plan(scene.node.lineno, reason + shared, told, made)


def _told_once(scene: Scene, text: str) -> tuple[str, tuple[str, ...]]:
    """The module with longer lines that several stories have in common in functions of their own."""
    tree = parse(text, scene.path)
    functions = functions_in(tree, text)
    function = next(f for f in functions if f.name == scene.function.name)
    after, made = shared_out(replace(scene, text=text, tree=tree, functions=functions, function=function))
    return after.text, made


def _check(scene: Scene, d: Discriminant) -> None:
    names = {n.id for n in ast.walk(d.term) if isinstance(n, ast.Name)}
    for node in ast.walk(scene.node):
        if isinstance(node, ast.Name) and node.id in names and not isinstance(node.ctx, ast.Load):
            raise Untouchable(f"{node.id} is assigned in the function")
        if isinstance(node, ast.Attribute) and not isinstance(node.ctx, ast.Load) and ast.unparse(node) == d.code:
            raise Untouchable(f"{d.code} is assigned in the function")
    from dreck.steps.chains import check_keys

    check_keys(d.kinds)
    if not names & set(scene.scope.params) and not names & scene.scope.local:
        return
    early = next(iter(scene.node.body), None)
    bound = {n.id for n in ast.walk(scene.node) if isinstance(n, ast.Name) and isinstance(n.ctx, ast.Store)}
    if names & bound and early is not None:
        raise Untouchable(f"{d.code} is not known from the start")


def _answers(d: Discriminant) -> Iterator[Answer]:
    """For each kind what it answers to the tests; for a term that is just asked, true and false; last, all others."""
    if d.truth:
        yield _asked_for(d, True)
        yield _asked_for(d, False)
        return
    for kind in d.kinds:
        yield answer_of_kind(d, kind)
    yield answer_of_kind(d, None)


def _asked_for(d: Discriminant, outcome: bool) -> Answer:
    code = ast.dump(d.term)
    return lambda e: outcome if isinstance(e, ast.Name | ast.Attribute) and ast.dump(e) == code else None


def answer_of_kind(d: Discriminant, kind: ast.expr | None) -> Answer:
    """What an object of that kind, or of none that is known, answers to tests about it."""
    term = ast.dump(d.term)
    own = ast.dump(kind) if kind is not None else ""
    known = {ast.dump(k) for k in d.kinds}

    def answer(e: ast.expr) -> bool | None:
        if not isinstance(e, ast.Compare):
            return None
        turned = isinstance(e.ops[0], ast.NotEq | ast.NotIn | ast.IsNot)
        about, kinds, truth = _about(e)
        if about is None or truth or ast.dump(about) != term:
            return None
        asked = [ast.dump(k) for k in kinds]
        if not set(asked) <= known:
            return None
        return (own in asked) is not turned

    return answer


Branch = tuple[tuple[ast.expr, ...], list[list[str]]]
"""Kinds that share a story, none for all others; and the story, statement by statement."""


def _grouped(d: Discriminant, stories: list[list[list[str]]]) -> list[Branch]:
    """Kinds with the same story share a branch; those that do what all others do are among them."""
    if d.truth:
        return [((d.term,), stories[0]), ((), stories[1])] if stories[0] != stories[1] else [((), stories[0])]
    *known, rest = stories
    found: list[tuple[list[ast.expr], list[list[str]]]] = []
    for kind, story in zip(d.kinds, known, strict=True):
        if story == rest:
            continue
        same = next((group for group in found if group[1] == story), None)
        if same is not None:
            same[0].append(kind)
        else:
            found.append(([kind], story))
    return [*((tuple(kinds), story) for kinds, story in found), ((), rest)]


def _shared(groups: list[Branch]) -> tuple[list[list[str]], list[Branch], list[list[str]]]:
    """What every story begins and ends with stands before and after them."""
    stories = [list(story) for _, story in groups]
    before: list[list[str]] = []
    while all(stories) and all(s[0] == stories[0][0] for s in stories):
        before.append(stories[0][0])
        stories = [s[1:] for s in stories]
    after: list[list[str]] = []
    while all(stories) and all(s[-1] == stories[0][-1] for s in stories):
        after.insert(0, stories[0][-1])
        stories = [s[:-1] for s in stories]
    return before, [(kinds, s) for (kinds, _), s in zip(groups, stories, strict=True)], after


def _ladder(sheet: object, d: Discriminant, branches: list[Branch], unit: str) -> list[str]:
    lines: list[str] = []
    word = "if"
    for kinds, story in branches:
        if not kinds:
            if story:
                lines += ["else:", *indented([line for chunk in story for line in chunk], unit)]
            continue
        lines.append(f"{word} {_asks(sheet, d, kinds)}:")
        lines += indented([line for chunk in story for line in chunk], unit) or [f"{unit}pass"]
        word = "elif"
    return lines


def _asks(sheet: object, d: Discriminant, kinds: tuple[ast.expr, ...]) -> str:
    if d.truth:
        return d.code
    codes = [sheet.code(k) if hasattr(k, "lineno") else ast.unparse(k) for k in kinds]  # type: ignore[attr-defined]
    return f"{d.code} == {codes[0]}" if len(codes) == 1 else f"{d.code} in ({', '.join(codes)})"


STEP = Step(
    name="regroup",
    group="replace",
    order=200,
    summary="Interleaved kinds become one branch per kind, each with its own whole story.",
    why="Who wants to know what happens to glass reads one branch; before, all of them had to be read.",
    when_not="When the kinds share most of what happens: the stories would say it again and again.",
    before="""\
def slip(kind, kilos, member):
    lines = []
    if kind == "paper":
        lines.append("press")
    if member:
        if kind == "battery":
            lines.append("vault")
        else:
            lines.append("member")
    elif kind != "battery":
        lines.append("pay")
    if kind == "battery" or kilos > 1000:
        lines.append("stamp")
    return lines
""",
    after="""\
def slip(kind, kilos, member):
    lines = []
    if kind == "paper":
        lines.append("press")
        if member:
            lines.append("member")
        else:
            lines.append("pay")
        if kilos > 1000:
            lines.append("stamp")
    elif kind == "battery":
        if member:
            lines.append("vault")
        lines.append("stamp")
    else:
        if member:
            lines.append("member")
        else:
            lines.append("pay")
        if kilos > 1000:
            lines.append("stamp")
    return lines
""",
    traps=(
        "The kind must not change on the way.",
        "A test that the kind decides may have stood behind another that could fail.",
        "A value that is equal to no kind has a story, too.",
        "Longer lines that several kinds share are told once, in a small function.",
    ),
    plans=plans,
    by_default=False,
)
