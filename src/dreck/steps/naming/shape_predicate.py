"""shape-predicate: conditions of one shape that differ in a constant or a term become one predicate."""

import ast
from collections.abc import Iterator
from dataclasses import dataclass

from dreck.source.copying import copied
from dreck.source.walking import walk
from dreck.steps.catalogue import Step
from dreck.steps.naming.predicates import (
    Helper,
    conditions,
    has_private,
    locals_read,
    put_helper,
    why_not,
    written,
)
from dreck.steps.support.names.table_names import own_style
from dreck.steps.support.names.wording import is_free, naming_hint
from dreck.steps.support.names.words import thing_name, words_of
from dreck.steps.support.scene import NotPlanned, Plan, Scene
from dreck.steps.support.sheet import Sheet, one_line
from dreck.steps.support.spelled import as_written

_ENOUGH = 3
_MOST = 4
"""Tests in a row that one name still says all of."""


@dataclass(frozen=True, slots=True)
class Asked:
    """A condition, and the terms in it that may differ: constants and names, in the order they stand."""

    test: ast.expr
    terms: tuple[ast.expr, ...]


def plans(scene: Scene) -> Iterator[Plan | NotPlanned]:
    """The shapes that three conditions or more have in common, the one with most places first."""
    by_shape: dict[str, list[Asked]] = {}
    for test in _tests(scene):
        shape, terms = _shape(scene, test)
        by_shape.setdefault(shape, []).append(Asked(test, terms))
    for alike in sorted(by_shape.values(), key=len, reverse=True):
        if len(alike) >= _ENOUGH and len({ast.dump(a.test) for a in alike}) > 1:
            yield _planned(scene, alike)


def _tests(scene: Scene) -> Iterator[ast.expr]:
    """Conditions worth a predicate: two comparisons or a chained one, or a call with something round it."""
    for condition in conditions(scene.node):
        nodes = [condition.test, *(v for n in walk(condition.test) if isinstance(n, ast.BoolOp) for v in n.values)]
        for node in nodes:
            big = isinstance(node, ast.BoolOp) and len(node.values) <= _MOST
            chained = isinstance(node, ast.Compare) and len(node.ops) > 1
            if (big or chained) and not why_not(node) and not has_private(node):
                yield node


def _shape(scene: Scene, test: ast.expr) -> tuple[str, tuple[ast.expr, ...]]:
    """A condition with blanks for what may differ, and what stands in the blanks."""
    terms: list[ast.expr] = []
    made = copied(test)
    origins = {id(c): n for c, n in zip(walk(made), walk(test), strict=True)}

    class Blanks(ast.NodeTransformer):
        def visit_Constant(self, node: ast.Constant) -> ast.expr:
            terms.append(node)
            return ast.Constant("?")

        def visit_UnaryOp(self, node: ast.UnaryOp) -> ast.expr:
            if isinstance(node.op, ast.USub) and isinstance(node.operand, ast.Constant):
                terms.append(node)
                return ast.Constant("?")
            self.generic_visit(node)
            return node

        def visit_Name(self, node: ast.Name) -> ast.expr:
            if node.id in scene.scope.local or scene.names.kind(node.id) == "unknown" or node.id.isupper():
                terms.append(node)
                return ast.Constant("?")
            return node

        def visit_Attribute(self, node: ast.Attribute) -> ast.expr:
            if isinstance(node.value, ast.Name) and node.value.id[:1].isupper():
                terms.append(node)
                return ast.Constant("?")
            self.generic_visit(node)
            return node

    shape = ast.dump(Blanks().visit(made))
    return shape, tuple(origins[id(term)] for term in terms)  # type: ignore[misc]


def _planned(scene: Scene, alike: list[Asked]) -> Plan | NotPlanned:
    first, line = alike[0], alike[0].test.lineno
    columns = list(zip(*(a.terms for a in alike), strict=True))
    groups = _same_columns(columns)
    parameters = _parameters(scene, first, columns, groups)
    if parameters is None:
        return NotPlanned(line, "conditions of one shape, and no good names for what differs in them")
    code, order = _body(scene.sheet(), first, groups, parameters)
    wished = scene.wishes.name_for(ast.unparse(first.test))
    taken = scene.all_words()
    said = _name(parameters)
    if not wished and not said:
        hint = naming_hint(as_written(scene.text, first.test))
        return NotPlanned(line, f"conditions of one shape, and no good name for what they ask; give one with {hint}")
    name = wished or own_style(scene, said)
    if not is_free(name, taken):
        return NotPlanned(line, f"the name {name} is taken; give another with --name")
    sheet = scene.sheet()
    unit = sheet.unit(scene.node)
    helper = Helper(name, tuple(order), (f"return {code}",))
    for asked in alike:
        given = {parameters[g]: sheet.code(asked.terms[i]) for i, g in enumerate(groups) if g in parameters}
        call = f"{name}({', '.join(given[p] for p in order)})"
        sheet.replace(sheet.in_parentheses(asked.test), call)
    put_helper(scene, sheet, written(scene, helper, "", unit, "bool"))
    return Plan(line, f"{len(alike)} conditions of one shape ask {name}", sheet.result(), (name,))


def _same_columns(columns: list[tuple[ast.expr, ...]]) -> list[int]:
    """For each term its group: terms that are the same in every condition are one parameter."""
    dumps = [tuple(map(ast.dump, column)) for column in columns]
    return [dumps.index(dump) for dump in dumps]


def _parameters(
    scene: Scene, first: Asked, columns: list[tuple[ast.expr, ...]], groups: list[int]
) -> dict[int, str] | None:
    """A name for each group that becomes a parameter: what differs, and what only the function knows."""
    found: dict[int, str] = {}
    for group in dict.fromkeys(groups):
        terms = columns[group]
        varies = len(set(map(ast.dump, terms))) > 1
        local = any(locals_read(scene, t) for t in terms)
        if not varies and not local:
            continue
        name = _parameter(first.test, first.terms[group], terms, set(found.values()))
        if not name:
            return None
        found[group] = name
    limited = {g: _limited(first.test, first.terms[g]) for g, name in found.items() if name in ("low", "high")}
    if len(set(limited.values())) > 1:  # limits of different things are no two ends of one range
        found |= {g: f"{found[g]}_{thing}" for g, thing in limited.items()}
    return found


def _limited(test: ast.expr, term: ast.expr) -> str:
    """What a limit is a limit of."""
    for node in walk(test):
        sides = [node.left, *node.comparators] if isinstance(node, ast.Compare) else []
        if term in sides:
            at = sides.index(term)
            return "_".join(words_of(thing_name(sides[at - 1 if at else 1]))) or "value"
    return "value"


def _parameter(test: ast.expr, term: ast.expr, terms: tuple[ast.expr, ...], used: set[str]) -> str:
    names = {t.id for t in terms if isinstance(t, ast.Name)}
    if len(names) == 1 and all(isinstance(t, ast.Name) for t in terms):
        return _free(names.pop().lower(), used)
    role = _role(test, term)
    if names and not role:
        return _free("value", used)
    return _free(role, used) if role else ""


def _role(test: ast.expr, term: ast.expr) -> str:
    """What a term is to the condition: a lower or an upper limit, or what something is to be equal to."""
    for node in walk(test):
        if not isinstance(node, ast.Compare):
            continue
        sides = [node.left, *node.comparators]
        if term not in sides:
            continue
        at = sides.index(term)
        if at == 0:
            return {"Lt": "low", "LtE": "low", "Gt": "high", "GtE": "high"}.get(type(node.ops[0]).__name__, "value")
        op = type(node.ops[at - 1]).__name__
        other = words_of(thing_name(sides[at - 1]))
        if op in ("Eq", "NotEq", "Is", "IsNot"):
            return "_".join(other) or "value"
        return {"Lt": "high", "LtE": "high", "Gt": "low", "GtE": "low"}.get(op, "")
    return "value"


def _free(name: str, used: set[str]) -> str:
    number, made = 2, name
    while made in used:
        made, number = f"{name}_{number}", number + 1
    return made


def _body(sheet: Sheet, first: Asked, groups: list[int], parameters: dict[int, str]) -> tuple[str, list[str]]:
    """The condition over its parameters, and these in a reader's order: things first, limits last."""
    named = {id(term): parameters[g] for term, g in zip(first.terms, groups, strict=True) if g in parameters}
    whole = sheet.of(first.test)
    parts, at = [], whole.start
    for term in sorted((t for t in first.terms if id(t) in named), key=lambda t: sheet.of(t).start):
        parts += [sheet.text[at : sheet.of(term).start], named[id(term)]]
        at = sheet.of(term).end
    code = one_line("".join([*parts, sheet.text[at : whole.end]]))
    order = list(dict.fromkeys(named.values()))
    limits = [p for p in ("low", "high") if p in order]
    return code, [*(p for p in order if p not in limits), *limits]


def _name(parameters: dict[int, str]) -> str:
    """What conditions ask whether a thing lies between two limits, or is of a kind; '' where no word says why."""
    names = set(parameters.values())
    if {"low", "high"} <= names:
        return "is_between"
    things = [n for n in names if n not in ("low", "high", "value", "self") and not n[-1:].isdigit()]
    return f"matches_{things[0]}" if len(things) == 1 == len(names) and len(things[0]) > 3 else ""


STEP = Step(
    name="shape-predicate",
    group="name",
    order=112,
    summary="Conditions of one shape that differ in a constant or a term become one predicate.",
    why="The shape is said once and has a name; what differs stands in the calls.",
    when_not="When the conditions look alike by chance and will go different ways.",
    before="""\
def lane(kilos):
    if 0 <= kilos and kilos < 100:
        return "hand"
    if 100 <= kilos and kilos < 900:
        return "belt"
    if 900 <= kilos and kilos < 5000:
        return "crane"
    return None
""",
    after="""\
def lane(kilos):
    if is_between(kilos, 0, 100):
        return "hand"
    if is_between(kilos, 100, 900):
        return "belt"
    if is_between(kilos, 900, 5000):
        return "crane"
    return None


def is_between(kilos, low, high):
    return low <= kilos and kilos < high
""",
    traps=(
        "A term that is worked out by a call and was protected by `and` would be worked out always.",
        "`<` in one of them and `<=` in another are two shapes.",
    ),
    plans=plans,
    by_default=False,
)
