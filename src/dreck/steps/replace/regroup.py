"""regroup: interleaved kinds become one branch per kind, each with its own whole story."""

import ast
import builtins
from collections.abc import Iterator, Mapping
from dataclasses import replace

from dreck.model.views.shape import leaves
from dreck.source.functions import parse
from dreck.source.walking import walk
from dreck.steps.catalogue import Step
from dreck.steps.naming.common_lines import shared_out
from dreck.steps.replace.discriminants import CLASS, Discriminant, about_of, answer_of_kind, discriminants_of
from dreck.steps.replace.folding import Answer
from dreck.steps.replace.stories import Teller
from dreck.steps.support.chains import check_keys
from dreck.steps.support.raw import as_text, indented
from dreck.steps.support.scene import NotPlanned, Plan, Scene
from dreck.steps.support.sheet import Sheet
from dreck.steps.support.trees import Untouchable

_GROWTH = 3
_ALWAYS_FINE = 60
_FEWEST_TESTS = 3


def plans(scene: Scene) -> Iterator[Plan | NotPlanned]:
    """The function told per kind of what most of its tests compare with constants, or of what is asked for."""
    found = discriminants_of(scene.node)
    if scene.wishes.discriminant:
        wanted = _wanted(scene.wishes.discriminant)
        found = [d for d in found if ast.dump(d.term) == wanted]
        if not found:
            told = ", ".join(d.code for d in discriminants_of(scene.node))
            others = f"tests compare {told}" if told else "no test compares a value"
            yield NotPlanned(scene.node.lineno, f"no test is about {scene.wishes.discriminant}; {others}")
            return
    else:
        found = [d for d in found if not d.truth and len(d.kinds) >= 2 and d.tests >= _FEWEST_TESTS][:1]
    for discriminant in found[:1]:
        if _is_grouped(scene, discriminant):
            continue
        try:
            full = _planned(scene, discriminant, True, False)
            tried = {full.text} if full is not None else set[str]()
            for keep_empty, settle in ((False, True), (False, False), (True, True)):
                lean = _planned(scene, discriminant, keep_empty, settle)
                if lean is not None and full is not None and lean.text not in tried:
                    tried.add(lean.text)
                    yield replace(lean, only_if_proved=True)
            if full is not None and _leaves_nothing(full.text, scene):
                yield NotPlanned(scene.node.lineno, "a test that has to be asked would have nothing behind it any more")
            elif full is not None:
                yield full
        except Untouchable as error:
            yield NotPlanned(scene.node.lineno, str(error))


def _is_grouped(scene: Scene, d: Discriminant) -> bool:
    """Whether the tests about it make up one ladder, and none stands inside."""
    for s in scene.node.body:
        arms = 0
        while isinstance(s, ast.If):
            about = about_of(s.test)
            if about is None or ast.dump(about.term) != ast.dump(d.term) or about.truth is not d.truth:
                break
            arms += 1
            if len(s.orelse) != 1 or not isinstance(s.orelse[0], ast.If):
                break
            s = s.orelse[0]
        if arms and arms == d.tests:
            return True
    return False


def _leaves_nothing(text: str, scene: Scene) -> bool:
    """Whether more arms hold nothing than did before."""
    counts = [sum(isinstance(n, ast.Pass) for n in walk(tree)) for tree in (parse(text, scene.path), scene.tree)]
    return counts[0] > counts[1]


def _wanted(code: str) -> str:
    try:
        return ast.dump(ast.parse(code.strip(), mode="eval").body)
    except SyntaxError:
        raise Untouchable(f"'{code}' is no expression in Python") from None


# --- the stories ---------------------------------------------------------------------------------------


def _planned(scene: Scene, d: Discriminant, keep_empty: bool, settle: bool) -> Plan | None:
    body = _settled(scene, d)
    sheet = scene.sheet()
    unit = sheet.unit(scene.node)
    if not body or len(sheet.indent(body[0].lineno).encode()) != body[0].col_offset:
        raise Untouchable("the body stands on the line of its head")
    above = _related(scene, d) if d.asked == CLASS else {}
    d = replace(d, kinds=tuple(sorted(d.kinds, key=lambda kind: -len(above.get(ast.dump(kind), ())))))
    stories = [Teller(sheet, answer, unit, keep_empty, settle).chunks(body, 0) for answer in _answers(d, above)]
    groups = _grouped(d, stories)
    if len(groups) < 2:
        raise Untouchable(f"every kind of {d.code} has the same story")
    before, branches, after = _shared(groups)
    body, before, after = _between(Teller(sheet, lambda e: None, unit, keep_empty), body, before, after)
    first = body[0].lineno
    while sheet.line(first - 1).strip().startswith("#"):
        first -= 1
    home = sheet.indent(body[0].lineno)
    ends = body[-1].end_lineno or body[-1].lineno
    last = max([ends, *(n for n in sheet.comments_below(ends, home) if sheet.indent(n) != home)])
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


def _between(
    plain: Teller, body: list[ast.stmt], before: list[list[str]], after: list[list[str]]
) -> tuple[list[ast.stmt], list[list[str]], list[list[str]]]:
    """Without the statements at both ends that stay as they are written, and are told once for all kinds."""
    ahead = 0
    while ahead < min(len(before), len(body) - 1) and plain.chunks([body[ahead]], 0) == [before[ahead]]:
        ahead += 1
    body, before = body[ahead:], before[ahead:]
    while after and len(body) > 1 and plain.chunks([body[-1]], 0) == [after[-1]]:
        body, after = body[:-1], after[:-1]
    return body, before, after


def _told_once(scene: Scene, text: str) -> tuple[str, tuple[str, ...]]:
    """The module with longer lines that several stories have in common in functions of their own."""
    after, made = shared_out(scene.with_text(text))
    return after.text, made


def _settled(scene: Scene, d: Discriminant) -> list[ast.stmt]:
    """What of the function comes after the last statement that may make the kind another one, its docstring apart."""
    check_keys(d.kinds)
    body = scene.node.body[1:] if ast.get_docstring(scene.node, clean=False) is not None else scene.node.body
    names = {n.id for n in walk(d.term) if isinstance(n, ast.Name)}
    setting = [at for at, s in enumerate(body) if any(_sets(n, names, d.code) for n in walk(s))]
    if not setting:
        return body
    loop = _loop_that_binds(scene, names, d)
    if loop is not None:
        return loop.body
    settled = body[setting[-1] + 1 :]
    tests = [n for s in settled for n in walk(s) if isinstance(n, ast.expr) and ast.dump(n) == ast.dump(d.term)]
    if names & (scene.scope.shared | scene.scope.declared_global | scene.scope.declared_nonlocal):
        raise Untouchable(f"{d.code} may be assigned by others")
    if len(tests) < _FEWEST_TESTS:
        raise Untouchable(f"{d.code} is assigned between its tests, or behind them")
    return settled


def _loop_that_binds(scene: Scene, names: set[str], d: Discriminant) -> ast.For | None:
    """The loop whose items are asked: it alone binds them, and all tests stand in its body."""
    binding = [n for n in walk(scene.node) if _sets(n, names, d.code)]
    loops = [n for n in walk(scene.node) if isinstance(n, ast.For) and set(walk(n.target)) & set(binding)]
    if len(loops) != 1 or not set(binding) <= set(walk(loops[0].target)):
        return None
    inside = {n for s in loops[0].body for n in walk(s)}
    tests = [n for n in walk(scene.node) if isinstance(n, ast.expr) and ast.dump(n) == ast.dump(d.term)]
    return loops[0] if all(n in inside for n in tests) else None


def _sets(n: ast.AST, names: set[str], code: str) -> bool:
    match n:
        case ast.Name(id=name, ctx=ast.Store() | ast.Del()):
            return name in names
        case ast.Attribute(ctx=ast.Store() | ast.Del()) | ast.Subscript(ctx=ast.Store() | ast.Del()):
            return ast.unparse(n) == code
        case ast.ExceptHandler(name=name) | ast.MatchAs(name=name) | ast.MatchStar(name=name):
            return name in names
        case ast.FunctionDef(name=name) | ast.AsyncFunctionDef(name=name) | ast.ClassDef(name=name):
            return name in names
        case ast.alias(name=name, asname=other):
            return (other or name) in names
    return False


def _related(scene: Scene, d: Discriminant) -> dict[str, frozenset[str]]:
    """For each class the dumps of those among the kinds that it derives from. Raises Untouchable when unknown."""
    classes = {s.name: s for s in scene.tree.body if isinstance(s, ast.ClassDef)}
    found: dict[str, frozenset[str]] = {}
    for kind in d.kinds:
        lineage, pending = set[str](), [ast.unparse(kind)]
        while pending:
            name = pending.pop()
            builtin = getattr(builtins, name, None)
            if name in lineage:
                continue
            lineage.add(name)
            if name in classes:
                pending += [ast.unparse(base) for base in classes[name].bases]
            elif isinstance(builtin, type):
                lineage |= {base.__name__ for base in builtin.__mro__}
            elif name in (ast.unparse(k) for k in d.kinds) and len(d.kinds) > 1:
                raise Untouchable(f"where {name} comes from is not known here: it may be one of the other kinds")
        found[ast.dump(kind)] = frozenset(
            ast.dump(k) for k in d.kinds if k is not kind and ast.unparse(k) in lineage - {ast.unparse(kind)}
        )
    return found


def _answers(d: Discriminant, above: Mapping[str, frozenset[str]]) -> Iterator[Answer]:
    """For each kind what it answers to the tests; for a term that is just asked, true and false; last, all others."""
    if d.truth:
        yield _asked_for(d, True)
        yield _asked_for(d, False)
        return
    for kind in d.kinds:
        yield answer_of_kind(d, kind, above.get(ast.dump(kind), frozenset()))
    yield answer_of_kind(d, None)


def _asked_for(d: Discriminant, outcome: bool) -> Answer:
    code = ast.dump(d.term)
    return lambda e: outcome if ast.dump(e) == code else None


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


def _ladder(sheet: Sheet, d: Discriminant, branches: list[Branch], unit: str) -> list[str]:
    lines: list[str] = []
    word = "if"
    all_leave = all(_leaves(story) for kinds, story in branches if kinds)
    *ones, (_, rest) = branches
    has_opposite = not d.truth or isinstance(d.term, ast.Name | ast.Attribute | ast.Subscript | ast.Call)
    untouched = [kind for kinds, story in ones if not story for kind in kinds] if rest and has_opposite else []
    for kinds, story in ones:
        if not story and untouched:
            continue
        lines.append(f"{word} {_asks(sheet, d, kinds)}:")
        lines += indented([line for chunk in story for line in chunk], unit) or [f"{unit}pass"]
        word = "if" if all_leave else "elif"
    told = [line for chunk in rest for line in chunk]
    if untouched:
        return [*lines, f"{word} {_asks(sheet, d, tuple(untouched), False)}:", *indented(told, unit)]
    return lines + (told if all_leave or not told else _otherwise(told, unit))


def _otherwise(told: list[str], unit: str) -> list[str]:
    """The branch for all other kinds; one that is a test goes on with the ladder."""
    is_test = told[0].startswith("if ") and len(ast.parse(as_text(told, "")).body) == 1
    return [f"el{told[0]}", *told[1:]] if is_test else ["else:", *indented(told, unit)]


def _leaves(story: list[list[str]]) -> bool:
    """Whether nothing behind the story is come to."""
    return bool(story) and leaves(ast.parse(as_text([line for chunk in story for line in chunk], "")).body)


def _asks(sheet: Sheet, d: Discriminant, kinds: tuple[ast.expr, ...], positive: bool = True) -> str:
    """The test that holds for the kinds, or for all others."""
    term = _written(sheet, d.term)
    no = "" if positive else "not "
    if d.truth:
        return f"{no}{term}"
    codes = [_written(sheet, k) for k in kinds]
    if d.asked == CLASS:
        return f"{no}isinstance({term}, {codes[0] if len(codes) == 1 else '(' + ', '.join(codes) + ')'})"
    if len(codes) == 1:
        return f"{term} {d.asked if positive else _OTHERWISE[d.asked]} {codes[0]}"
    return f"{term} {no}in ({', '.join(codes)})"


_OTHERWISE = {"==": "!=", "is": "is not"}


def _written(sheet: Sheet, e: ast.expr) -> str:
    return sheet.code(e) if hasattr(e, "lineno") else ast.unparse(e)


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
    asks=("quiet-tests", "steady-kind", "plain-kind"),
    by_default=False,
)
