"""policy-class: related predicates over the same things move into a small class that answers one question."""

import ast
import re
from collections.abc import Iterator
from dataclasses import dataclass, replace

from dreck.source.walking import walk
from dreck.steps.catalogue import Step
from dreck.steps.naming.predicates import (
    Helper,
    annotations,
    awaits,
    conditions,
    is_surely_bool,
    locals_read,
    put_helper,
    why_not,
    written,
)
from dreck.steps.support.names.wording import is_free, naming_hint, predicate_name
from dreck.steps.support.names.words import words_of
from dreck.steps.support.scene import NotPlanned, Plan, Scene
from dreck.steps.support.sheet import Range, Sheet
from dreck.steps.support.spelled import as_written

_ENOUGH = 3


@dataclass(frozen=True, slots=True)
class Asked:
    """One operand that calls a predicate of the module: the call, the predicate, what it is asked about."""

    call: ast.Call
    predicate: ast.FunctionDef
    arguments: tuple[str, ...]


def plans(scene: Scene) -> Iterator[Plan | NotPlanned]:
    """Conditions that ask three predicates of the module or more."""
    seen: set[str] = set()
    for condition in conditions(scene.node):
        if ast.dump(condition.test) in seen:
            continue  # the same question, asked again: it is answered with the first
        seen.add(ast.dump(condition.test))
        asked = list(_asked(scene, condition.test))
        operands = _operands(condition.test)
        if len(asked) >= _ENOUGH:
            yield _planned(scene, condition.test, asked)
        elif len(operands) >= _ENOUGH:
            yield _in_one_go(scene, condition.test, operands)
        elif len(operands) > 1:
            told = f"it asks {len(operands)} things, and a class pays from {_ENOUGH} on; named-predicate names them"
            yield NotPlanned(condition.test.lineno, told)


def _alike(scene: Scene, test: ast.expr) -> list[ast.expr]:
    """Every condition of the function that is written as this one is."""
    return [c.test for c in conditions(scene.node) if ast.dump(c.test) == ast.dump(test)]


def _operands(test: ast.expr) -> list[ast.expr]:
    """What a condition asks, each thing alone, whatever holds them together."""
    if not isinstance(test, ast.BoolOp):
        return [test]
    return [operand for value in test.values for operand in _operands(value)]


def _in_one_go(scene: Scene, test: ast.expr, operands: list[ast.expr]) -> Plan | NotPlanned:
    """Each operand becomes a predicate first, by a name that is found or wished for; the class is made of those."""
    taken, names = scene.all_words(), list[str]()
    missing = []
    for operand in operands:
        code = as_written(scene.text, operand)
        found = predicate_name(operand, None, {*taken, *names}, scene.wishes.name_for(code), "")
        if not found.good or found.text in names or why_not(operand) or awaits(operand):
            missing.append(code)
        names.append(found.text)
    if missing:
        hints = " ".join(naming_hint(code) for code in missing)
        return NotPlanned(test.lineno, f"its operands need names: {hints}")
    sheet = scene.sheet()
    helpers = []
    for operand, name in zip(operands, names, strict=True):
        reads = locals_read(scene, operand)
        body = (f"return {sheet.code(sheet.in_parentheses(operand))}",)
        returns = "bool" if is_surely_bool(operand) else ""
        helpers.append(written(scene, Helper(name, tuple(reads), body), "", sheet.unit(scene.node), returns))
        for place in (o for alike in _alike(scene, test) for o in _operands(alike)):
            if ast.dump(place) == ast.dump(operand):
                sheet.replace(sheet.in_parentheses(place), f"{name}({', '.join(reads)})")
    for helper in helpers:
        put_helper(scene, sheet, helper)
    text = sheet.result()
    named = scene.with_text(text)
    told = next(c for c in conditions(named.node) if len(list(_asked(named, c.test))) >= _ENOUGH)
    plan = _planned(named, told.test, list(_asked(named, told.test)))
    if isinstance(plan, NotPlanned):
        return plan
    return replace(plan, line=test.lineno, removed=(), text=_without_gaps(plan.text, scene.text))


def _without_gaps(text: str, before: str) -> str:
    """The text without the blank lines that the predicates on the way have left."""
    if "\n" * 4 not in before and "\r" not in before:
        text = re.sub("\n{4,}", "\n\n\n", text)
    return text if before.startswith("\n") else text.lstrip("\n")


def _asked(scene: Scene, test: ast.expr) -> Iterator[Asked]:
    """In the order they stand."""
    calls = [n for n in walk(test) if isinstance(n, ast.Call)]
    for node in sorted(calls, key=lambda n: (n.lineno, n.col_offset)):
        match node:
            case ast.Call(func=ast.Name(id=name), args=args, keywords=[]) if all(isinstance(a, ast.Name) for a in args):
                predicate = scene.names.definitions.get(name)
                if isinstance(predicate, ast.FunctionDef) and _is_simple(predicate, len(args)):
                    yield Asked(node, predicate, tuple(a.id for a in args))  # type: ignore[attr-defined]


def _is_simple(f: ast.FunctionDef, count: int) -> bool:
    """`def p(a, b): return CONDITION`, nothing else."""
    spec = f.args
    bare = not (f.decorator_list or spec.vararg or spec.kwarg or spec.kwonlyargs or spec.posonlyargs or spec.defaults)
    body = f.body[1:] if isinstance(f.body[0], ast.Expr) and isinstance(f.body[0].value, ast.Constant) else f.body
    single = len(body) == 1 and isinstance(body[0], ast.Return) and body[0].value is not None
    return bare and single and len(spec.args) == count and not awaits(f)


def _planned(scene: Scene, test: ast.expr, asked: list[Asked]) -> Plan | NotPlanned:
    line = test.lineno
    reads = locals_read(scene, test)
    if why_not(test) or awaits(test) or "self" in reads:
        return NotPlanned(line, why_not(test) or "it awaits, or asks its own object")
    name = scene.wishes.name_for(scene.node.name) or _class_name(scene)
    if not name:
        return NotPlanned(line, "no free name for the class was found; give one with --name 'FUNCTION=NAME'")
    same = _alike(scene, test)
    shared = [a for a in asked if _uses(scene, a.predicate.name) > _uses_in(test, a.predicate.name) * len(same)]
    moved = {a.predicate.name: a for a in asked if a not in shared}
    if len(moved) < _ENOUGH:
        return NotPlanned(line, f"{shared[0].predicate.name} is asked elsewhere, too; fewer than three could move")
    if any(len({a.arguments for a in asked if a.predicate.name == n}) > 1 for n in moved):
        return NotPlanned(line, "one of its predicates is asked twice, about other things")
    sheet = scene.sheet()
    unit = sheet.unit(scene.node)
    place = sheet.in_parentheses(test)
    code = _class(scene, sheet, name, reads, test, place, moved, unit)
    for alike in same:
        sheet.replace(sheet.in_parentheses(alike), f"{name}({', '.join(reads)}).holds()")
    for a in moved.values():
        _take_out(scene, sheet, a.predicate)
    put_helper(scene, sheet, code)
    told = f"{len(moved)} predicates about {', '.join(reads)} are the class {name}"
    return Plan(line, told, sheet.result(), (name,), removed=tuple(moved))


def _class_name(scene: Scene) -> str:
    words = [w for w in words_of(scene.node.name.strip("_")) if w not in ("is", "may", "can", "has", "must", "should")]
    stem = "".join(w.capitalize() for w in words)
    taken = scene.all_words()
    return next((n for n in (f"{stem}Policy", f"{stem}Rules") if is_free(n, taken)), "")


def _uses(scene: Scene, name: str) -> int:
    beside = sum(1 for n in walk(scene.tree) if isinstance(n, ast.Name) and n.id == name)
    return beside + (10 if scene.others is not None and name in scene.others.words_beside(scene.path) else 0)


def _uses_in(test: ast.expr, name: str) -> int:
    return sum(1 for n in walk(test) if isinstance(n, ast.Name) and n.id == name)


def _class(
    scene: Scene,
    sheet: Sheet,
    name: str,
    reads: list[str],
    test: ast.expr,
    place: Range,
    moved: dict[str, Asked],
    unit: str,
) -> str:
    told = annotations(scene)
    typed = any(r in told for r in reads) or scene.node.returns is not None
    given = ", ".join(f"{r}: {told[r]}" if r in told else r for r in reads)
    arrow = " -> bool" if typed and is_surely_bool(test) else ""
    lines = [f"class {name}:", f'{unit}"""The question whether {scene.node.name} holds, and what it depends on."""', ""]
    lines += [f"{unit}def __init__(self, {given}){' -> None' if typed else ''}:"]
    lines += [f"{unit}{unit}self.{r} = {r}" for r in reads]
    lines += ["", f"{unit}def holds(self){arrow}:", *_method_body(scene, sheet, test, place, reads, reads, moved, unit)]
    for a in moved.values():
        expression = _value(a.predicate)
        returns = f" -> {ast.unparse(a.predicate.returns)}" if a.predicate.returns is not None else ""
        inner = sheet.in_parentheses(expression)
        parameters = [p.arg for p in a.predicate.args.args]
        body = _method_body(scene, sheet, expression, inner, parameters, list(a.arguments), moved, unit)
        lines += [
            "",
            f"{unit}def {_private(a.predicate.name)}(self){returns}:",
            *_docstring(sheet, a.predicate, unit),
            *body,
        ]
    return "\n".join(lines) + "\n"


def _value(f: ast.FunctionDef) -> ast.expr:
    last = f.body[-1]
    assert isinstance(last, ast.Return) and last.value is not None
    return last.value


def _docstring(sheet: Sheet, f: ast.FunctionDef, unit: str) -> list[str]:
    return [f"{unit}{unit}{sheet.code(f.body[0])}"] if len(f.body) > 1 else []


def _private(name: str) -> str:
    return f"_{name.lstrip('_')}"


def _method_body(
    scene: Scene,
    sheet: Sheet,
    e: ast.expr,
    place: Range,
    parameters: list[str],
    fields: list[str],
    moved: dict[str, Asked],
    unit: str,
) -> list[str]:
    """`return CONDITION` over the object's own values, predicates that moved being its methods."""
    inner = Sheet(scene.text)
    fieldname = dict(zip(parameters, fields, strict=True))
    calls = [n for n in walk(e) if isinstance(n, ast.Call) and isinstance(n.func, ast.Name) and n.func.id in moved]
    inside = {n for call in calls for n in walk(call)}
    for call in calls:
        assert isinstance(call.func, ast.Name)
        inner.replace(call, f"self.{_private(call.func.id)}()")
    for node in walk(e):
        if isinstance(node, ast.Name) and node.id in fieldname and node not in inside:
            inner.replace(node, f"self.{fieldname[node.id]}")
    text = inner.result()
    code = text[place.start : place.end + len(text) - len(scene.text)]
    lines = code.splitlines()
    home = sheet.indent(scene.text.count("\n", 0, place.start) + 1)
    if len(lines) > 1 and not code.startswith("("):
        lines = [f"({lines[0]}", *lines[1:-1], f"{lines[-1]})"]
    joined = " ".join(line.strip() for line in lines).replace("( ", "(").replace(" )", ")")
    if "#" not in code and len(joined) + 2 * len(unit) + 7 <= scene.line_length:
        bare = joined[1:-1] if len(lines) > 1 and joined.startswith("(") and joined.endswith(")") else joined
        return [f"{unit}{unit}return {bare}"]
    if len(lines) == 1 and isinstance(e, ast.BoolOp):
        word = "and" if isinstance(e.op, ast.And) else "or"
        parts = ast.parse(code.strip(), mode="eval").body
        assert isinstance(parts, ast.BoolOp)
        said = [ast.get_source_segment(code, v) or ast.unparse(v) for v in parts.values]
        said = [f"({s})" if isinstance(v, ast.BoolOp) else s for s, v in zip(said, parts.values, strict=True)]
        lines = ["(", f"{unit}{said[0]}", *(f"{unit}{word} {s}" for s in said[1:]), ")"]
        home = ""
    return [f"{unit}{unit}return {lines[0]}", *(f"{unit}{unit}{line.removeprefix(home)}" for line in lines[1:])]


def _take_out(scene: Scene, sheet: Sheet, f: ast.FunctionDef) -> None:
    """The function, the comments above it and the blank lines before it."""
    own = next(g for g in scene.functions if g.node is f)
    first = own.start
    while first > 1 and not sheet.line(first - 1).strip():
        first -= 1
    sheet.remove_lines(first, own.end)


STEP = Step(
    name="policy-class",
    group="name",
    order=145,
    summary="Related predicates over the same things move into a small class that answers one question.",
    why="The question and what it depends on stand together; the old place only asks.",
    when_not="When the predicates are asked one by one elsewhere, too.",
    before="""\
def may_enter(load, permit):
    return is_covered(load, permit) and is_light(load, permit) and not is_wet(load)


def is_covered(load, permit):
    return load.kind in permit.kinds


def is_light(load, permit):
    return load.kilos <= permit.most


def is_wet(load):
    return load.wet and load.kind == "paper"
""",
    after="""\
def may_enter(load, permit):
    return EnterPolicy(load, permit).holds()


class EnterPolicy:
    \"\"\"The question whether may_enter holds, and what it depends on.\"\"\"

    def __init__(self, load, permit):
        self.load = load
        self.permit = permit

    def holds(self):
        return self._is_covered() and self._is_light() and not self._is_wet()

    def _is_covered(self):
        return self.load.kind in self.permit.kinds

    def _is_light(self):
        return self.load.kilos <= self.permit.most

    def _is_wet(self):
        return self.load.wet and self.load.kind == "paper"
""",
    traps=(
        "A predicate that is asked elsewhere has to stay.",
        "An attribute that changes between two questions: the class keeps the object, not its values.",
    ),
    plans=plans,
    by_default=False,
)
