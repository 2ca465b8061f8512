"""rule-list: a filter that grows a clause per wish becomes a list of rules that all must hold."""

import ast
from collections.abc import Iterator

from dreck.source.walking import walk
from dreck.steps.catalogue import Step
from dreck.steps.naming.elsewhere import turned
from dreck.steps.naming.predicates import awaits, conditions, is_surely_bool, locals_read, why_not
from dreck.steps.replace.tables.rows import alike_ifs, call_rows, optional_rules, rule_rows
from dreck.steps.replace.tables.rows.filters import Filter, filter_of
from dreck.steps.support.chains import comments_of
from dreck.steps.support.names.table_names import own_constant
from dreck.steps.support.names.wording import constant_name, is_free
from dreck.steps.support.names.words import words_of
from dreck.steps.support.scene import NotPlanned, Plan, Scene
from dreck.steps.support.sheet import Range, Sheet, one_line
from dreck.steps.support.spelled import spelled
from dreck.steps.support.trees import Untouchable

_MANY_IN_A_LOOP = 3
_MANY_IN_A_ROW = 4


def plans(scene: Scene) -> Iterator[Plan | NotPlanned]:
    """Loops that only collect what passes, and long rows of conditions that all must hold about the same things."""
    told = list(_found_in(scene))
    yield from told
    lines = {one.line for one in told}
    for loop in (n for n in walk(scene.node) if isinstance(n, ast.For)):
        guards = [s for s in loop.body if isinstance(s, ast.If) and isinstance(s.body[-1], ast.Continue)]
        if len(guards) > 1 and not any(loop.lineno <= line <= (loop.end_lineno or 0) for line in lines):
            yield NotPlanned(loop.lineno, f"its loop does more than collect what passes {len(guards)} guards; {_NAMED}")


_NAMED = "named-predicate names what they ask"


def _found_in(scene: Scene) -> Iterator[Plan | NotPlanned]:
    for block in _blocks(scene.node.body):
        for i in range(len(block) - 1):
            try:
                loop = filter_of(block[i], block[i + 1])
                if loop is not None:
                    yield _collected(scene, block, i, loop)
            except Untouchable as error:
                yield NotPlanned(block[i + 1].lineno, str(error))
    yield from optional_rules.plans(scene)
    yield from call_rows.plans(scene)
    alike = list(alike_ifs.plans(scene))
    yield from alike
    lines = {plan.line for plan in alike if isinstance(plan, Plan)}
    yield from (plan for plan in rule_rows.plans(scene) if plan.line not in lines)
    for condition in conditions(scene.node):
        test = condition.test
        if not isinstance(test, ast.BoolOp) or not isinstance(test.op, ast.And) or len(test.values) < _MANY_IN_A_ROW:
            continue
        if condition.is_test or is_surely_bool(test):
            yield _all_hold(scene, test)


def _blocks(body: list[ast.stmt]) -> Iterator[list[ast.stmt]]:
    from dreck.source.functions import blocks_of

    yield body
    for s in body:
        if not isinstance(s, ast.FunctionDef | ast.AsyncFunctionDef | ast.ClassDef):
            for block in blocks_of(s):
                yield from _blocks(block)


# --- a loop that filters -------------------------------------------------------------------------------


def _collected(scene: Scene, block: list[ast.stmt], i: int, found: Filter) -> Plan | NotPlanned:
    sheet = scene.sheet()
    loop, line = found.loop, found.loop.lineno
    names = {
        n.id
        for part in (loop.iter, found.item, *(t for t, _ in found.rules))
        for n in walk(part)
        if isinstance(n, ast.Name)
    }
    if found.name in names:
        return NotPlanned(line, f"the loop reads {found.name} while it fills it")
    targets = {n.id for n in walk(loop.target) if isinstance(n, ast.Name)}
    later = {n.id for s in block[i + 2 :] for n in walk(s) if isinstance(n, ast.Name) and isinstance(n.ctx, ast.Load)}
    if targets & later:
        return NotPlanned(line, f"{min(targets & later)} is read after the loop")
    for test, _ in found.rules:
        if why_not(test):
            return NotPlanned(line, why_not(test))
    following = block[i + 2] if i + 2 < len(block) else None
    returned = (
        isinstance(following, ast.Return) and isinstance(following.value, ast.Name) and following.value.id == found.name
    )
    listed = len(found.rules) >= _MANY_IN_A_LOOP and not found.any_of and isinstance(loop.target, ast.Name)
    rules, made = _rules_of(scene, sheet, found) if listed else ("", ())
    asked = [f"all(rule({sheet.code(loop.target)}) for rule in {made[0]})"] if listed else _parts(scene, sheet, found)
    indent = sheet.indent(block[i].lineno)
    lines = _comprehension(scene, sheet, found, asked, "return " if returned else f"{found.name} = ", indent)
    last = following if returned and following is not None else loop
    end = last.end_lineno or last.lineno
    code = "".join(
        f"{indent}{text}\n" if text.strip() else "\n" for text in [*(rules.splitlines() if listed else []), *lines]
    )
    sheet.replace_lines(block[i].lineno, end, code)
    passed = f" what passes {_counted(len(found.rules))}" if found.rules else ""
    told = f"the loop only collects{passed}"
    return Plan(line, f"{told}, which all must hold" if listed else told, sheet.result(), made)


def _counted(tests: int) -> str:
    return "a test" if tests == 1 else f"{tests} tests"


def _rules_of(scene: Scene, sheet: Sheet, found: Filter) -> tuple[str, tuple[str, ...]]:
    """The rules as a local list: what the function was given is seen by them, so no filter is a special case."""
    own = {n.id for n in walk(scene.node) if isinstance(n, ast.Name)}
    name = next((n for n in ("rules", "tests", "conditions") if is_free(n, own)), "")
    if not name or "rule" in own:
        raise Untouchable("the names rules and rule are taken")
    target = sheet.code(found.loop.target)
    unit = sheet.unit(scene.node)
    lines = [f"{name} = ["]
    for test, is_turned in found.rules:
        lines += [f"{unit}{comment}" for comment in _comments(sheet, test)]
        lines.append(f"{unit}lambda {target}: {_spelt(scene, sheet, test, is_turned)},")
    return "\n".join([*lines, "]"]), (name,)


def _comments(sheet: Sheet, test: ast.expr) -> list[str]:
    """What is said beside or above the test's line, to be said above the rule."""
    first = test.lineno
    while sheet.line(first - 1).strip().startswith("#"):
        first -= 1
    lines = comments_of(sheet, first, (test.end_lineno or test.lineno) + 1)
    return list(dict.fromkeys(lines))


def _spelt(scene: Scene, sheet: Sheet, test: ast.expr, is_turned: bool) -> str:
    if not is_turned:
        return one_line(sheet.code(test))
    return one_line(spelled(sheet, turned(test) if scene.in_order else _turned_exactly(test)))


def _turned_exactly(e: ast.expr) -> ast.expr:
    """The opposite that asks the same comparisons: `not a < b` is not `a >= b` for NaN."""
    match e:
        case ast.BoolOp(op=op, values=values):
            other: ast.boolop = ast.Or() if isinstance(op, ast.And) else ast.And()
            return ast.BoolOp(other, [_turned_exactly(value) for value in values])
        case ast.Compare(ops=[ast.Eq() | ast.NotEq() | ast.Is() | ast.IsNot() | ast.In() | ast.NotIn()]):
            return turned(e)
        case ast.UnaryOp(op=ast.Not(), operand=operand):
            return operand
    return ast.UnaryOp(ast.Not(), e)


def _parts(scene: Scene, sheet: Sheet, found: Filter) -> list[str]:
    """The conditions, each as it stands in the row of them."""
    parts = [_spelt(scene, sheet, test, is_turned) for test, is_turned in found.rules]
    return [_grouped(text, found.any_of) for text in parts] if len(parts) > 1 else parts


def _grouped(text: str, is_or: bool) -> str:
    e = ast.parse(text, mode="eval").body
    loose = isinstance(e, ast.IfExp | ast.Lambda) or (isinstance(e, ast.BoolOp) and isinstance(e.op, ast.Or) != is_or)
    return f"({text})" if loose else text


def _comprehension(scene: Scene, sheet: Sheet, found: Filter, tests: list[str], prefix: str, indent: str) -> list[str]:
    word, wide = "or" if found.any_of else "and", len(indent.expandtabs(4))
    test = f" {word} ".join(tests)
    head = f"{sheet.code(found.item)} for {sheet.code(found.loop.target)} in {sheet.code(found.loop.iter)}"
    tail = f" if {test}" if test else ""
    one = f"{prefix}[{head}{tail}]"
    if wide + len(one) <= scene.line_length:
        return [one]
    unit = sheet.unit(scene.node)
    parts = [sheet.code(found.item), f"for {sheet.code(found.loop.target)} in {sheet.code(found.loop.iter)}"]
    if wide + len(f"{unit}if {test}") <= scene.line_length:
        parts.append(f"if {test}")
    else:
        parts += [f"if {tests[0]}", *(f"{word} {further}" for further in tests[1:])]
    return [f"{prefix}[", *(f"{unit}{part}" for part in parts), "]"]


# --- a row of conditions -------------------------------------------------------------------------------


def _all_hold(scene: Scene, test: ast.BoolOp) -> Plan | NotPlanned:
    line = test.lineno
    reads = locals_read(scene, test)
    if why_not(test) or awaits(test):
        return NotPlanned(line, why_not(test) or "it awaits")
    if len(reads) > 2 or not reads:
        return NotPlanned(
            line, f"its conditions are about {', '.join(reads) or 'nothing'}: too many things for one list"
        )
    if any(isinstance(v, ast.BoolOp) for v in test.values) and len(test.values) < _MANY_IN_A_ROW:
        return NotPlanned(line, "its conditions belong together")
    wished = scene.wishes.name_for(ast.unparse(test))
    taken = scene.all_words()
    name = wished or own_constant(scene, constant_name([*_question(scene.node.name), "rules"], taken))
    if "rule" in scene.scope.local or (wished and wished in taken):
        return NotPlanned(line, f"the name {wished or 'rule'} is taken")
    sheet = scene.sheet()
    unit = sheet.unit(scene.node)
    given = ", ".join(reads)
    place = sheet.in_parentheses(test)
    rules = []
    for value in test.values:
        said = sheet.in_parentheses(value)
        rules += [f"{unit}{comment}\n" for comment in _beside(sheet, said, place)]
        rules.append(f"{unit}lambda {given}: {one_line(sheet.code(value))},\n")
    sheet.replace(place, f"all(rule({given}) for rule in {name})")
    _put(scene, sheet, f"{name} = (\n{''.join(rules)})\n")
    return Plan(line, f"{len(test.values)} conditions that all must hold are the list {name}", sheet.result(), (name,))


def _beside(sheet: Sheet, said: Range, whole: Range) -> list[str]:
    """The comments at the end of an operand's line, as far as they belong to the condition."""
    end = sheet.text.find("\n", said.end)
    return [t.string for t in sheet.comments_in(Range(said.end, min(end if end > 0 else said.end, whole.end)))]


def _question(name: str) -> list[str]:
    words = [w for w in words_of(name.strip("_")) if w not in ("is", "may", "can", "has", "must", "should")]
    return words[:3]


def _put(scene: Scene, sheet: Sheet, code: str) -> None:
    """Above the function, or with the module's constants when it is a method."""
    outer = scene.outermost
    first = min([outer.lineno, *(d.lineno for d in getattr(outer, "decorator_list", []))])
    while first > 1 and sheet.line(first - 1).strip().startswith("#"):
        first -= 1
    sheet.insert(first, f"{code}\n\n")


STEP = Step(
    name="rule-list",
    group="name",
    order=140,
    summary="A filter that grows a clause per wish becomes a list of rules that all must hold.",
    why="A new rule is a new line, and a filter that nobody asked for is a rule like the others.",
    when_not="When there are few rules and none will come; a plain condition is easier to follow and to debug.",
    before="""\
def find_loads(loads, kind=None, lightest=None):
    found = []
    for load in loads:
        if not load.checked:
            continue
        if kind is not None and load.kind != kind:
            continue
        if lightest is not None and load.kilos < lightest:
            continue
        found.append(load)
    return found
""",
    after="""\
def find_loads(loads, kind=None, lightest=None):
    rules = [
        lambda load: load.checked,
        lambda load: kind is None or load.kind == kind,
        lambda load: lightest is None or load.kilos >= lightest,
    ]
    return [load for load in loads if all(rule(load) for rule in rules)]
""",
    traps=(
        "The loop variable lives on after a loop, and not after a comprehension.",
        "A rule sees the function's variables as they are when it is asked.",
        "`all` gives a bool; `a and b` gives one of its operands.",
    ),
    plans=plans,
    asks=("quiet-tests",),
    by_default=False,
)
