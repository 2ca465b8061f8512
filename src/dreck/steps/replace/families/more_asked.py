"""Switches on classes that ask for more than the class in the same breath, and what to do about it."""

import ast
from collections.abc import Iterator

from dreck.model.views.shape import is_elif
from dreck.source.walking import walk
from dreck.steps.naming.predicates import statements
from dreck.steps.support.scene import NotPlanned, Scene

_FEWEST = 2


def more_asked(scene: Scene) -> Iterator[NotPlanned]:
    """The first such test of each switch that asks for two classes or more."""
    for part in (n for n in walk(scene.node) if isinstance(n, ast.comprehension)):
        yield from _in_comprehension(scene, part)
    chained = {id(s.orelse[0]) for s in statements(scene.node.body) if isinstance(s, ast.If) and is_elif(s)}
    for s in statements(scene.node.body):
        if isinstance(s, ast.Match):
            yield from _in_cases(s)
        elif isinstance(s, ast.If) and id(s) not in chained:
            yield from _in_tests(s)


def _in_comprehension(scene: Scene, part: ast.comprehension) -> Iterator[NotPlanned]:
    for test in part.ifs:
        match test:
            case ast.Call(func=ast.Name(id="isinstance"), args=[ast.Name(), ast.Name(id=name)]):
                if isinstance(scene.names.definitions.get(name), ast.ClassDef):
                    told = f"`{ast.unparse(test)}` picks inside of a comprehension; written as a loop the step takes it"
                    yield NotPlanned(test.lineno, told)


def _in_cases(s: ast.Match) -> Iterator[NotPlanned]:
    classes = [case for case in s.cases if isinstance(case.pattern, ast.MatchClass)]
    more = [c for c in classes if c.guard is not None or c.pattern.patterns or c.pattern.kwd_attrs]  # type: ignore[attr-defined]
    if len(classes) >= _FEWEST and more:
        asked = ast.unparse(more[0].pattern) + (f" if {ast.unparse(more[0].guard)}" if more[0].guard else "")
        told = f"`case {asked}` asks for more than the class: ask and take that inside of the case"
        yield NotPlanned(more[0].pattern.lineno, told)


def _in_tests(s: ast.If) -> Iterator[NotPlanned]:
    found: list[tuple[str, ast.expr]] = []
    arm: ast.stmt = s
    while isinstance(arm, ast.If):
        match arm.test:
            case ast.BoolOp(
                op=ast.And(), values=[ast.Call(func=ast.Name(id="isinstance"), args=[subject, _], keywords=[]), *_]
            ):
                found.append((ast.dump(subject), arm.test))
        arm = arm.orelse[0] if is_elif(arm) else ast.Pass()
    if len(found) >= _FEWEST and len({subject for subject, _ in found}) == 1:
        code = ast.unparse(found[0][1])
        told = f"`{code}` asks for more than the class: ask for the class alone, and the rest inside of that branch"
        yield NotPlanned(found[0][1].lineno, told)
