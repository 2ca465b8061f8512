"""named-predicate: a compound condition gets a name that says why; then each half of it, where it has halves."""

import ast
from collections.abc import Iterator, Sequence
from dataclasses import replace

from dreck.source.functions import Function
from dreck.source.walking import walk
from dreck.steps.catalogue import Step
from dreck.steps.naming.answered import answered
from dreck.steps.naming.elsewhere import Place, same_elsewhere
from dreck.steps.naming.predicates import (
    Condition,
    Helper,
    awaits,
    check_movable,
    conditions,
    elif_arms,
    has_private,
    is_condition,
    is_surely_bool,
    locals_read,
    method_line,
    put_helper,
    returned,
    together,
    why_not,
    with_parts,
    written,
)
from dreck.steps.support.names.table_names import own_style
from dreck.steps.support.names.wording import Name, is_free, naming_hint, predicate_name
from dreck.steps.support.names.words import operands, root_of
from dreck.steps.support.scene import NotPlanned, Plan, Scene
from dreck.steps.support.sheet import Range, Sheet
from dreck.steps.support.spelled import as_written
from dreck.steps.support.trees import Untouchable

_LONG = 50


def plans(scene: Scene) -> Iterator[Plan | NotPlanned]:
    """The conditions of the function that are worth a name, each in the form its surroundings call for."""
    wished = [c for c in with_parts(scene) if _is_wished(scene, c)]
    found = wished if wished or scene.wishes.only_named else list(_worth_a_name(scene))
    yield from answered(scene) if not wished and not scene.wishes.only_named else ()
    for condition in found:
        try:
            check_movable(condition.test)
            yield from _forms(scene, condition, bool(wished))
        except Untouchable as error:
            yield NotPlanned(condition.test.lineno, str(error))
    if not found and not scene.wishes.only_named:
        yield from _short_ones(scene)


def _short_ones(scene: Scene) -> Iterator[NotPlanned]:
    """Conditions of two tests: nobody names them unasked, but a person may."""
    for condition in map(_turned_back, conditions(scene.node)):
        if isinstance(condition.test, ast.BoolOp) and condition.role != "value" and not why_not(condition.test):
            name = _name(scene, condition, "variable").text
            hint = naming_hint(as_written(scene.text, condition.test), name or "NAME")
            yield NotPlanned(condition.test.lineno, f"two tests are read at once; {hint} gives it a name anyway")


def _is_wished(scene: Scene, condition: Condition) -> bool:
    name = scene.wishes.name_for(_code(condition))
    match condition.statement:
        case ast.Assign(targets=[ast.Name()], value=value) if value is condition.test:
            return False  # it has a name: this one
    if not is_condition(condition.test):
        return False  # what it is called is its name
    return bool(name) and scene.node.name != name


def _code(condition: Condition) -> str:
    return ast.unparse(condition.test)


def _worth_a_name(scene: Scene) -> Iterator[Condition]:
    for condition in map(_turned_back, conditions(scene.node)):
        if condition.role == "value":
            yield from _halves(condition)
        elif _is_hard_to_read(scene, condition) and not _is_the_answer(scene, condition):
            yield condition


def _turned_back(condition: Condition) -> Condition:
    """`if not (A and B)` asks for `A and B`."""
    match condition.test:
        case ast.UnaryOp(op=ast.Not(), operand=ast.BoolOp() as inner):
            return Condition(inner, condition.role, condition.statement)
    return condition


def _is_the_answer(scene: Scene, condition: Condition) -> bool:
    """`if A and B: return True`, else False: the function's own name says what is asked."""
    if condition.statement not in scene.node.body[-2:]:
        return False
    match condition.branch:
        case [ast.Return(value=ast.Constant(value=bool()))]:
            return True
    return False


def _is_hard_to_read(scene: Scene, condition: Condition) -> bool:
    """Three operands or more, a long line, or a condition that is asked in several places."""
    test = condition.test
    if not isinstance(test, ast.BoolOp):
        return False
    leaf_count = sum(1 for n in walk(test) if isinstance(n, ast.expr) and _is_leaf(n, test))
    if leaf_count > 2 or len(ast.unparse(test)) > _LONG:
        return True
    simple = all(isinstance(_bare(value), ast.Name) for value in test.values)
    return not simple and len(same_elsewhere(scene, test, scene.functions)) > 1


def _is_leaf(e: ast.expr, test: ast.BoolOp) -> bool:
    return any(e in b.values and not isinstance(e, ast.BoolOp) for b in walk(test) if isinstance(b, ast.BoolOp))


def _bare(e: ast.expr) -> ast.expr:
    return e.operand if isinstance(e, ast.UnaryOp) else e


def _halves(condition: Condition) -> Iterator[Condition]:
    """The parts of a condition with more than two operands that are about one thing each."""
    test = condition.test
    assert isinstance(test, ast.BoolOp)
    parts = test.values
    for part in parts:
        if isinstance(part, ast.BoolOp) and len(parts) > 1:
            yield Condition(part, "part", condition.statement)
    if len(parts) < 3:
        return
    run: list[ast.expr] = []
    runs: list[list[ast.expr]] = []
    for part in parts:
        alike = run and root_of(part) == root_of(run[-1]) and not isinstance(part, ast.BoolOp)
        if not alike:
            run = []
            runs.append(run)
        run.append(part)
    for run in runs:
        if 1 < len(run) < len(parts):
            yield Condition(together(test, run), "part", condition.statement)


# --- forms ---------------------------------------------------------------------------------------------


def _forms(scene: Scene, condition: Condition, wished: bool) -> Iterator[Plan | NotPlanned]:
    reads = locals_read(scene, condition.test)
    asked = scene.wishes.form
    own = _self_name(scene)
    chosen = asked or _by_surroundings(scene, condition, reads, own)
    for form in dict.fromkeys([chosen, *([] if asked == "function" else _otherwise(chosen, reads, own))]):
        found = _in_form(scene, condition, form, reads, own, wished)
        if isinstance(found, Plan) and form != chosen:
            told = f"{found.reason}, since a variable would ask it before what protects it"
            found = replace(found, reason=told)
        if found is not None:
            yield found
        if asked and form == chosen and form != "variable":
            return


def _otherwise(form: str, reads: list[str], own: str) -> list[str]:
    """What is offered when a variable would ask too early."""
    return ["method" if own and own in reads else "function"] if form == "variable" else []


def _self_name(scene: Scene) -> str:
    from dreck.source.functions import instance_owner

    return scene.node.args.args[0].arg if instance_owner(scene.function) and scene.node.args.args else ""


def _by_surroundings(scene: Scene, condition: Condition, reads: list[str], own: str) -> str:
    """Only `self`: a property or method, as the class does it. Asked once, at once: a variable. Else a function."""
    if own and own in reads:
        return "property" if reads == [own] and _has_properties(scene) else "method"
    once = len(same_elsewhere(scene, condition.test, scene.functions)) < 2
    if condition.role == "if" and once and condition.statement not in elif_arms(scene.node, scene.sheet()):
        return "variable"
    return "function"


def _has_properties(scene: Scene) -> bool:
    assert scene.owner is not None
    return any(
        isinstance(d, ast.Name) and d.id == "property"
        for s in scene.owner.body
        if isinstance(s, ast.FunctionDef)
        for d in s.decorator_list
    )


def _in_form(
    scene: Scene, condition: Condition, form: str, reads: list[str], own: str, wished: bool
) -> Plan | NotPlanned | None:
    line = condition.test.lineno
    if form in ("method", "property") and own not in reads:
        return NotPlanned(line, f"a {form} has to read {own or 'self'}, and this condition does not")
    if form == "property" and (reads != [own] or awaits(condition.test)):
        return NotPlanned(line, "a property gets nothing but self, and this condition reads more")
    if form == "function" and has_private(condition.test):
        return NotPlanned(line, "it reads a private name of its class (`__…`), which a function outside cannot")
    name = _name(scene, condition, form)
    if not name.good and not wished and condition.role == "part":
        return None
    if not name.good:
        code = as_written(scene.text, condition.test)
        return NotPlanned(line, f"no good name was found; {naming_hint(code)} gives it one", code)
    if form == "variable":
        return _variable(scene, condition, name)
    return _helper(scene, condition, form, reads, own, name)


def _name(scene: Scene, condition: Condition, form: str) -> Name:
    wished = scene.wishes.name_for(_code(condition))
    taken = scene.all_words()
    if wished and wished in taken:
        raise Untouchable(f"the name '{wished}' is taken already")
    branch = condition.branch if condition.is_test else None
    alike = taken | {word.lstrip("_") for word in taken}
    name = predicate_name(condition.test, branch, alike, wished, _comment_above(scene, condition))
    styled = name.text if wished or form in ("variable", "property") else own_style(scene, name.text)
    return Name(styled if is_free(styled, taken) else name.text, name.good)


def _comment_above(scene: Scene, condition: Condition) -> str:
    """The one line of comment above an `if` or beside it, '' when there is none, or more."""
    sheet, line = scene.sheet(), condition.statement.lineno
    if condition.role not in ("if", "while") or line < 2:
        return ""
    above, further = sheet.line(line - 1).strip(), sheet.line(line - 2).strip() if line > 2 else ""
    return above if above.startswith("#") and not further.startswith("#") else ""


def _told(scene: Scene, name: Name, form: str, condition: Condition) -> str:
    return f"`{as_written(scene.text, condition.test)}` is called {name.text} ({form})"


def _variable(scene: Scene, condition: Condition, name: Name) -> Plan | NotPlanned:
    sheet = scene.sheet()
    place = _range(sheet, condition)
    statement = _first_of_chain(scene, condition.statement, sheet)
    if len(sheet.indent(statement.lineno).encode()) != statement.col_offset:
        return NotPlanned(condition.test.lineno, "its statement stands on the line of another")
    indent, unit = sheet.indent(statement.lineno), sheet.unit(scene.node)
    room = scene.line_length - len(indent.expandtabs(4))
    lines = returned(sheet, place, condition.test, room, indent, unit, f"{name.text} = ")
    sheet.insert(statement.lineno, "".join(f"{indent}{line}\n" for line in lines))
    _put(sheet, place, name.text)
    reason = _told(scene, name, "variable", condition)
    early = statement is not condition.statement or condition.role != "if"
    return Plan(condition.test.lineno, reason, sheet.result(), (name.text,), only_if_proved=early)


def _first_of_chain(scene: Scene, statement: ast.stmt, sheet: Sheet) -> ast.stmt:
    arms = elif_arms(scene.node, sheet)
    while statement in arms:
        statement = next(n for n in walk(scene.node) if isinstance(n, ast.If) and n.orelse == [statement])
    return statement


def _range(sheet: Sheet, condition: Condition) -> Range:
    """Where the condition stands; of operands in a row, from the first to the last."""
    if condition.role == "part" and isinstance(condition.test, ast.BoolOp):
        values = condition.test.values
        start, end = sheet.in_parentheses(values[0]).start, sheet.in_parentheses(values[-1]).end
        around = sheet.in_parentheses(condition.test)
        return around if around.start < start and around.end > end else Range(start, end)
    return sheet.in_parentheses(condition.test)


def _helper(
    scene: Scene, condition: Condition, form: str, reads: list[str], own: str, name: Name
) -> Plan | NotPlanned | None:
    sheet = scene.sheet()
    is_method = form in ("method", "property")
    parameters = tuple([own, *(r for r in reads if r != own)] if is_method else reads)
    places = same_elsewhere(scene, condition.test, _within(scene, is_method), own if is_method else "")
    if not any(condition.test in place.parts or place.parts[0] in operands(condition.test) for place in places):
        return None
    home = sheet.indent(condition.statement.lineno)
    indent = sheet.indent(scene.node.lineno) if is_method else ""
    unit = sheet.unit(scene.node)
    typed = condition.is_test and not is_surely_bool(condition.test) and _is_typed(scene, parameters)
    prefix = "return bool(" if typed else "return "
    room = scene.line_length - len((indent + unit).expandtabs(4)) - typed
    body = returned(sheet, _range(sheet, condition), condition.test, room, home, unit, prefix)
    body = [*body[:-1], f"{body[-1]})"] if typed else body
    waits = awaits(condition.test)
    decorator = "@property" if form == "property" else ""
    code = written(scene, Helper(name.text, parameters, tuple(body), waits, decorator), indent, unit, "bool")
    for place in _apart(places):
        asked = _asked(name.text, form, place, parameters, own, waits)
        _put(sheet, place.range(sheet), _turned(asked, place, sheet))
    if is_method:
        sheet.insert(method_line(scene), f"\n{code}")
    else:
        put_helper(scene, sheet, code)
    reason = _told(scene, name, form, condition)
    more = f", in {len(places)} places" if len(places) > 1 else ""
    return Plan(condition.test.lineno, reason + more, sheet.result(), (name.text,))


def _is_typed(scene: Scene, parameters: Sequence[str]) -> bool:
    spec = scene.node.args
    annotated = {a.arg for a in (*spec.posonlyargs, *spec.args, *spec.kwonlyargs) if a.annotation is not None}
    return scene.node.returns is not None or any(p in annotated for p in parameters)


def _within(scene: Scene, is_method: bool) -> list[Function]:
    if not is_method:
        return scene.functions
    return [f for f in scene.functions if f.owner is scene.owner and not f.nested and _is_instance_method(f)]


def _is_instance_method(function: Function) -> bool:
    from dreck.source.functions import instance_owner

    return bool(instance_owner(function))


def _apart(places: list[Place]) -> list[Place]:
    """Places that do not stand inside one another."""
    kept: list[Place] = []
    for place in places:
        inside = {n for other in kept for part in other.parts for n in walk(part)}
        if not any(part in inside for part in place.parts):
            kept.append(place)
    return kept


def _asked(name: str, form: str, place: Place, parameters: Sequence[str], own: str, waits: bool) -> str:
    given = dict(zip(place.order, place.names, strict=True))
    if form == "property":
        return f"{given[own]}.{name}"
    others = ", ".join(given[p] for p in parameters if form == "function" or p != own)
    call = f"{name}({others})" if form == "function" else f"{given[own]}.{name}({others})"
    return f"await {call}" if waits else call


def _turned(code: str, place: Place, sheet: Sheet) -> str:
    if not place.turned:
        return code
    return f"(not {code})" if sheet.code(place.range(sheet)).startswith("(") else f"not {code}"


def _put(sheet: Sheet, place: Range, code: str) -> None:
    before, after = sheet.text[place.start - 1 : place.start], sheet.text[place.end : place.end + 1]
    left = " " if before.isalnum() or before == "_" else ""
    right = " " if after.isalnum() or after == "_" else ""
    sheet.replace(place, f"{left}{code}{right}")


STEP = Step(
    name="named-predicate",
    group="name",
    order=110,
    summary="A compound condition gets a name: a variable, a function, a method or a property.",
    why="A name says what is asked; the operands only say how it is worked out.",
    when_not="When the condition says why by itself, or no name is found that says more than the code.",
    before="""\
def admit(load, permit):
    if load.wet and load.kind == "paper" and not permit.covers_wet:
        raise ValueError("refused: dry it first")
    return permit.number
""",
    after="""\
def admit(load, permit):
    must_refuse = is_wet_paper(load) and not permit.covers_wet
    if must_refuse:
        raise ValueError("refused: dry it first")
    return permit.number


def is_wet_paper(load):
    return load.wet and load.kind == "paper"
""",
    traps=(
        "A variable for an operand that `and` or `or` protects runs it always; a function is offered instead.",
        "`(n := count()) > 3` binds a name that is read later: it stays where it is.",
        "The name may be taken, here, in the class family or in a module that imports this one.",
    ),
    plans=plans,
    by_default=False,
)
