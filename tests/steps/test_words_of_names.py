"""Names made of words: what does something, what a block comes to, one of many; and answers that say what is wrong."""

import ast

import pytest

from dreck.model.views.shape import exceptional
from dreck.steps.support.names.agents import agent_of
from dreck.steps.support.names.deeds import with_each
from dreck.steps.support.names.results import by_result
from dreck.steps.support.names.words import one_of


@pytest.mark.parametrize(
    ("deed", "agent"),
    [
        ("convert", "converter"),
        ("parse line", "line parser"),
        ("run", "action"),
        ("validate permit", "permit validator"),
        ("take in", ""),
        ("weigh", ""),
        ("read all", ""),
        ("parse the line", ""),
    ],
)
def test_who_does_it(deed, agent):
    assert " ".join(agent_of(deed.split())) == agent


@pytest.mark.parametrize(
    ("many", "one"),
    [("parts", "part"), ("entries", "entry"), ("boxes", "box"), ("classes", "class"), ("glass", ""), ("bus", ""), ("x", "")],
)
def test_one_of_many(many, one):
    assert one_of(many) == one


@pytest.mark.parametrize(
    ("code", "name"),
    [
        ("fee = 3\nif a:\n    fee += a * 2", "compute_fee"),
        ("bays = []\nfor a in b:\n    bays.append(a)", "collect_bays"),
        ("if a:\n    lane = 'wide'\nelse:\n    lane = 'outer'", "choose_lane"),
        ("if a:\n    fee = 3\nelse:\n    log(a)\n    fee = 4", ""),
        ("fee = gate.read(3) * 2", ""),
        ("told = ''\nfor a in b:\n    told += a", ""),
        ("result = a * 2", ""),
        ("is_open = True\nif a:\n    is_open = False", ""),
        ("fee += a * 2", ""),
        ("a.fee = 3\nfee = a * 2", ""),
    ],
)
def test_what_a_block_comes_to(code, name):
    body = ast.parse(code).body
    stored = [n.id for n in ast.walk(ast.parse(code)) if isinstance(n, ast.Name) and isinstance(n.ctx, ast.Store)]
    result = name.partition("_")[2] or stored[-1]
    assert ["_".join(words) for words in by_result(body, result, ast.Module(body, []))] == ([name] if name else [])


@pytest.mark.parametrize(
    ("name", "method"), [("weigh_all", "weigh"), ("total_volume", "volume"), ("describe_loads", "describe"), ("weigh", "")]
)
def test_with_each(name, method):
    function = ast.parse(f"def {name}(loads):\n    for load in loads: pass\n").body[0]
    assert with_each(function, name, "load") == method
    assert with_each(function, name, "loads") == ""


WRONG = ["'unknown kind'", "f'no such {kind}'", "{'error': told}", "{'status': 'error'}", "(False, told)", "('told', 404)",
         "failure(told)", "Response(told, status=400)", "PermissionDenied()", "reply({'error': 1})"]  # fmt: skip
RIGHT = ["{'status': 'ok'}", "450", "(450, 500)", "('glass', 450.0)", "ErrorList()", "super().on_failure(error)", "(None, a)",
         "fee(404)", "Response(told, status=200)", "is_error(told)"]  # fmt: skip


@pytest.mark.parametrize("value", WRONG)
def test_an_answer_that_says_what_is_wrong(value):
    assert exceptional(ast.parse(f"def f():\n    return {value}").body[0].body) == 1.5


@pytest.mark.parametrize("value", RIGHT)
def test_an_answer_like_any_other(value):
    assert exceptional(ast.parse(f"def f():\n    return {value}").body[0].body) < 1.5
