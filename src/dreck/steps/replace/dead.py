"""Lines that never run once the answers to some tests are known."""

import ast

from dreck.source.walking import walk
from dreck.steps.replace.folding import Answer, fold, test_of


def dead_lines(body: list[ast.stmt], answer: Answer) -> list[tuple[int, int]]:
    """The lines, from first to last, that never run when the answers are known."""
    found: list[tuple[int, int]] = []
    for s in body:
        match s:
            case ast.If(test=test):
                known = fold(test, answer)
                decided = known.value if isinstance(known, ast.Constant) and isinstance(known.value, bool) else None
                for part, lives in ((s.body, decided is not False), (s.orelse, decided is not True)):
                    if part and not lives:
                        found.append((part[0].lineno, part[-1].end_lineno or part[-1].lineno))
                    elif part:
                        found += dead_lines(part, answer)
            case ast.Match(cases=cases):
                for case in cases:
                    asked = test_of(s.subject, case)
                    fits = fold(asked, answer) if asked is not None else None
                    if isinstance(fits, ast.Constant) and fits.value is False:
                        found.append((case.pattern.lineno, case.body[-1].end_lineno or case.body[-1].lineno))
                    else:
                        found += dead_lines(case.body, answer)
            case ast.For() | ast.While() | ast.With() | ast.Try():
                for block in (s.body, getattr(s, "orelse", []), getattr(s, "finalbody", [])):
                    found += dead_lines(block, answer)
    return found


def is_overwritten(chunk: list[str], following: list[str]) -> bool:
    """Whether a line gives a name a constant, and the next gives it another value at once, with no call on the way."""
    if len(chunk) != 1 or len(following) != 1:
        return False
    match _assigned(chunk[0]), _assigned(following[0]):
        case (name, ast.Constant()), (other, value) if value is not None:
            reads = (isinstance(n, ast.Call | ast.Await) or getattr(n, "id", "") == name for n in walk(value))
            return name == other and not any(reads)
    return False


def _assigned(line: str) -> tuple[str, ast.expr | None]:
    """The one name that a line assigns to, and the value; nothing for any other line."""
    if " = " not in line or "#" in line:
        return "", None
    try:
        body = ast.parse(line.strip()).body
    except SyntaxError:
        return "", None
    match body:
        case [ast.Assign(targets=[ast.Name(id=name)], value=value)]:
            return name, value
    return "", None
