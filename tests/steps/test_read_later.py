"""What a block leaves is handed back only where it may be read later."""

import ast

import pytest

from dreck.model.views.liveness import passed_by

CASES = {
    "read": ("a = 1\nprint(a)", 1, True),
    "bound before it is read": ("a = 1\na = 2\nprint(a)", 1, False),
    "bound on one side only": ("a = 1\nif b:\n    a = 2\nprint(a)", 1, True),
    "bound on both sides": ("a = 1\nif b:\n    a = 2\nelse:\n    a = 3\nprint(a)", 1, False),
    "read where it is bound": ("a = 1\na = a + 1", 1, True),
    "added to": ("a = 1\na += 1", 1, True),
    "bound by a loop that may not run": ("a = 1\nfor a in b:\n    pass\nprint(a)", 1, True),
    "bound anew in each round": ("for x in b:\n    a = 1\n    c(x)", 2, False),
    "read in the next round": ("for x in b:\n    c(a)\n    a = 1", 3, True),
    "bound first in another loop": ("for x in b:\n    a = 1\nfor x in b:\n    a = 2\n    c(a)", 2, False),
    "read after the loop": ("for x in b:\n    a = 1\n    c(x)\nc(a)", 2, True),
    "a loop is left before it is bound anew": (
        "for x in b:\n    a = 1\n    if x:\n        break\n    a = 2\nc(a)",
        2,
        True,
    ),
    "an error on the way": ("try:\n    a = 1\n    b()\n    a = 2\nexcept E:\n    c(a)", 2, True),
    "the function is left": ("if b:\n    a = 1\n    return 2\nprint(a)", 2, False),
    "an error is raised": ("if b:\n    a = 1\n    raise E\nprint(a)", 2, False),
    "a pattern binds it": ("a = 1\nmatch b:\n    case [a]:\n        c(a)\nc(a)", 1, True),
}


@pytest.mark.parametrize("title", CASES)
def test_whether_it_may_be_read(title):
    code, line, expected = CASES[title]
    function = ast.parse("def f(b, c):\n" + "".join(f"    {text}\n" for text in code.splitlines())).body[0]
    assert isinstance(function, ast.FunctionDef)
    block = next(n for n in ast.walk(function) if isinstance(n, ast.stmt) and n.lineno == line + 1)
    assert ("a" in passed_by(function, [block]).results) is expected
