"""Shape: how blocks end, what the exceptional case looks like; where names belong."""

import ast
import textwrap

import pytest

from dreck.model.names.modules import ModuleNames
from dreck.model.names.scopes import scope_of
from dreck.model.views.shape import blocks, exceptional, leaves, nest, places


def body(code: str) -> list[ast.stmt]:
    lines = textwrap.indent(code, "        ")
    return ast.parse(f"def f():\n    while x:\n{lines}").body[0].body[0].body


LEAVES = {
    "return": True,
    "raise E": True,
    "continue": True,
    "a()": False,
    "if a:\n    return\nelse:\n    raise E": True,
    "if a:\n    return": False,
    "if a:\n    return\nelif b:\n    break\nelse:\n    continue": True,
    "try:\n    return a()\nexcept E:\n    return b": True,
    "try:\n    return a()\nexcept E:\n    pass": False,
    "try:\n    a()\nfinally:\n    return": True,
    "with a:\n    return": False,
    "match a:\n    case 1:\n        return\n    case _:\n        return": True,
    "match a:\n    case 1:\n        return": False,
    "for x in y:\n    return": False,
}


@pytest.mark.parametrize(("code", "expected"), LEAVES.items())
def test_leaves(code, expected):
    assert leaves(body(code)) is expected


def test_exceptional_cases_rank():
    ranked = ["return a()", "return 0", "return 'no permit'", "return None", "raise E"]
    scores = [exceptional(body(code)) for code in ranked]
    assert scores == sorted(scores)
    assert len(set(scores)) == len(scores)


def test_what_running_off_the_end_amounts_to():
    code = """
        def f(a):
            if a:
                x()
            for b in a:
                if b:
                    y()
            try:
                z()
            finally:
                w()
            if a:
                last()
            else:
                with a:
                    inner()
    """
    function = ast.parse(textwrap.dedent(code)).body[0]
    found = {ast.unparse(block.body[-1]).splitlines()[0]: block.falls for block in blocks(function)}
    assert found["x()"] == ""
    assert found["y()"] == "continue"
    assert found["z()"] == ""
    assert found["last()"] == "return"
    assert found["inner()"] == "return"


def test_an_elif_is_part_of_its_chain():
    function = ast.parse("def f(a):\n    if a:\n        b()\n    elif c:\n        d()\n    else:\n        e()\n").body[
        0
    ]
    told = [ast.unparse(statement).splitlines()[0] for _, _, statement in places(function)]
    assert told == ["if a:", "b()", "d()", "e()"]
    assert len(nest(function.body[0])) == 1


def test_scopes():
    code = """
        def f(a, *rest, b=1, **more):
            global G
            with a as (c, [d, *e]):
                import os.path, sys as system
            try:
                (w := a)
            except E as err:
                pass
            for i, j in a:
                del i
            held, seen = 1, 2
            [k for k in a if (leaked := k)]
            def g():
                nonlocal held
                held = 2
                return seen
            match a:
                case {"x": p, **q} | [p, *q]:
                    G = p
            return lambda: c
    """
    scope = scope_of(ast.parse(textwrap.dedent(code)).body[0])
    assert {
        "a",
        "rest",
        "b",
        "more",
        "c",
        "d",
        "e",
        "os",
        "system",
        "w",
        "err",
        "i",
        "j",
        "held",
        "leaked",
        "g",
        "p",
        "q",
    } <= scope.local
    assert not {"G", "k", "sys"} & scope.local
    assert scope.captured == {"held", "seen", "c"}
    assert scope.shared == {"held"}
    assert scope.deleted == {"i"}
    assert scope.has_walrus
    assert not scope.is_generator


def test_what_names_mean_in_a_module():
    code = """
        import os
        from x import y as z
        LIMIT = 3
        state = None
        def f(): pass
        def g():
            global state, f2
            state = 1
        def f2(): pass
        if os:
            def len(): pass
        class A: pass
        A = 3
    """
    names = ModuleNames(ast.parse(textwrap.dedent(code)))
    kinds = {name: names.kind(name) for name in ("os", "z", "LIMIT", "state", "f", "f2", "nobody", "print")}
    assert kinds == {
        "os": "stable",
        "z": "stable",
        "LIMIT": "stable",
        "state": "varying",
        "f": "stable",
        "f2": "varying",
        "nobody": "unknown",
        "print": "stable",
    }
    assert names.is_builtin("print")
    assert not names.is_builtin("len")
    assert "f" in names.definitions
    assert "A" not in names.definitions
    star = ModuleNames(ast.parse("from x import *"))
    assert star.kind("print") == "varying"
    assert not star.is_builtin("print")
