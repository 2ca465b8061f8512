"""Lines that never run once the answers to some tests are known."""

import ast

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
