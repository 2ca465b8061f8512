"""Optional rules: a filter whose clauses each let everything through unless they are asked for."""

import ast
from collections.abc import Iterator
from dataclasses import dataclass

from dreck.source.walking import walk
from dreck.steps.naming.predicates import own_expressions, statements
from dreck.steps.support.names.wording import is_free
from dreck.steps.support.scene import NotPlanned, Plan, Scene
from dreck.steps.support.trees import Untouchable

_FEWEST = 2
_LATE = (ast.Await, ast.Yield, ast.YieldFrom, ast.NamedExpr, ast.Lambda, ast.GeneratorExp)


@dataclass(frozen=True, slots=True)
class Clause:
    """One condition of the filter, and what says that it is asked for: None when it always counts."""

    asked: ast.expr | None
    rule: ast.expr
    whole: ast.expr


def plans(scene: Scene) -> Iterator[Plan | NotPlanned]:
    """Comprehensions that filter by clauses such as `crop is None or bed.crop == crop`."""
    for s in statements(scene.node.body):
        if not isinstance(s, ast.Return | ast.Assign | ast.Expr):
            continue
        for e in (n for top in own_expressions(s) for n in walk(top)):
            if not isinstance(e, ast.ListComp | ast.SetComp) or len(e.generators) != 1:
                continue
            clauses = _clauses(e.generators[0])
            if sum(c.asked is not None for c in clauses) < _FEWEST:
                continue
            try:
                yield _planned(scene, s, e, clauses)
                yield _planned(scene, s, e, [Clause(None, c.whole, c.whole) for c in clauses])
            except Untouchable as error:
                yield NotPlanned(e.lineno, str(error))


def is_optional(part: ast.expr, own: set[str]) -> bool:
    """Whether a clause lets everything through unless it is asked for; `own`: the names of an item."""
    return _clause(part, own).asked is not None


def _clauses(source: ast.comprehension) -> list[Clause]:
    own = {n.id for n in walk(source.target) if isinstance(n, ast.Name)}
    found: list[Clause] = []
    for test in source.ifs:
        for part in test.values if isinstance(test, ast.BoolOp) and isinstance(test.op, ast.And) else [test]:
            found.append(_clause(part, own))
    return found


def _clause(part: ast.expr, own: set[str]) -> Clause:
    match part:
        case ast.BoolOp(op=ast.Or(), values=[absent, *rest]) if not own & _names(absent):
            rule = rest[0] if len(rest) == 1 else ast.BoolOp(ast.Or(), rest)
            return Clause(_opposite(absent), rule, part)
    return Clause(None, part, part)


def _names(e: ast.AST) -> set[str]:
    return {n.id for n in walk(e) if isinstance(n, ast.Name)}


def _opposite(e: ast.expr) -> ast.expr:
    match e:
        case ast.UnaryOp(op=ast.Not(), operand=operand):
            return operand
        case ast.Compare(left=left, ops=[ast.Is()], comparators=[right]):
            return ast.Compare(left, [ast.IsNot()], [right])
        case ast.Compare(left=left, ops=[ast.Eq()], comparators=[right]):
            return ast.Compare(left, [ast.NotEq()], [right])
    return ast.UnaryOp(ast.Not(), e)


def _planned(scene: Scene, s: ast.stmt, e: ast.ListComp | ast.SetComp, clauses: list[Clause]) -> Plan:
    source = e.generators[0]
    for clause in clauses:
        if any(isinstance(n, _LATE) for part in (clause.asked, clause.rule) if part for n in walk(part)):
            raise Untouchable("a clause awaits, binds a name or makes a function")
    if not isinstance(source.target, ast.Name):
        raise Untouchable("the filter takes its items apart; give each a name first")
    sheet = scene.sheet()
    indent, unit = sheet.indent(s.lineno), sheet.unit(scene.node)
    if len(indent.encode()) != s.col_offset or sheet.comments_in(sheet.of(e)):
        raise Untouchable("comments stand in it, or it stands on the line of another statement")
    taken = scene.all_words()
    rules = next(n for n in ("rules", "filters", "wanted_rules") if is_free(n, taken) or n == "wanted_rules")
    item = source.target.id
    always = [c for c in clauses if c.asked is None]
    first = ", ".join(_rule(item, c.rule) for c in always) if clauses[: len(always)] == always else ""
    lines = [f"{rules} = [{first}]"]
    if len(lines[0]) > scene.line_length or len(always) == len(clauses):
        lines = [f"{rules} = [", *(f"{unit}{_rule(item, c.rule)}," for c in always), "]"]
    for clause in clauses[len(always) :] if first else clauses:
        added = f"{rules}.append({_rule(item, clause.rule)})"
        lines += [f"if {_double(ast.unparse(clause.asked))}:", f"{unit}{added}"] if clause.asked else [added]
    sheet.insert(s.lineno, "".join(f"{indent}{line}\n" for line in lines))
    begins, ends = ("[", "]") if isinstance(e, ast.ListComp) else ("{", "}")
    told = f"all(rule({item}) for rule in {rules})"
    filtered = f"{sheet.code(e.elt)} for {item} in {sheet.code(source.iter)} if {told}"
    sheet.replace(e, f"{begins}{filtered}{ends}")
    count = sum(c.asked is not None for c in clauses)
    told = f"{count} clauses are rules, added only when they are asked for" if count else "its clauses are rules"
    return Plan(e.lineno, told, sheet.result())


def _rule(item: str, rule: ast.expr) -> str:
    return f"lambda {item}: {_double(ast.unparse(rule))}"


def _double(code: str) -> str:
    return code.replace("'", '"') if '"' not in code else code
