"""Versions that are decorated otherwise are judged as their callers see them, and never by the function inside alone."""

from pathlib import Path

import pytest

from dreck.workbench.compare.compare import compare_texts
from dreck.workbench.compare.sides import Text
from dreck.workbench.compare.wanted import Wanted

OLD = "def told(value):\n    if isinstance(value, list):\n        return [told(v) for v in value]\n    return str(value)\n"
GENERIC = """from functools import singledispatch


@singledispatch
def told(value):
    return str(value)


@told.register(list)
def _(value):
    return [told(v) for v in value]
"""
QUIET = """def quiet(f):
    def inner(value):
        try:
            return f(value)
        except {}:
            return None
    return inner


@quiet
def read(value):
    return int(value)
"""
READ = "def read(value):\n    try:\n        return int(value)\n    except ValueError:\n        return None\n"


def verdict(old, new, name, **options):
    sides = (Text(Path("yard.py"), text, name) for text in (old, new))
    return compare_texts(*sides, Wanted(**options)).verdict


def test_a_generic_function_written_by_hand_is_proved():
    found = verdict(OLD, GENERIC, "told", trial=False)
    assert found.status == "proved" and "calls-by-position" in found.assumptions


def test_what_differs_for_a_caller_differs():
    found = verdict(OLD, GENERIC.replace("told(v)", "v"), "told")
    assert found.status == "differs" and "list" in found.difference.input


@pytest.mark.parametrize(("caught", "status"), [("ValueError", "unsettled"), ("(ValueError, TypeError)", "differs")])
def test_what_a_decorator_does_counts_but_is_not_watched(caught, status):
    found = verdict(READ, QUIET.format(caught), "read")
    assert found.status == status
    assert status == "differs" or "does not watch" in found.reason


def test_a_method_in_another_decorator_is_left_open():
    """Its class finds it: what the function inside does alone says nothing of that."""
    old = "class Gate:\n    def fee(self, n):\n        return n\n"
    new = "from yard import shared\n\n\nclass Gate:\n    @shared\n    def fee(self, n):\n        return n + 1\n"
    assert (
        verdict(old, new.replace("from yard import shared", "def shared(f):\n    return f"), "Gate.fee").status
        == "unsettled"
    )


def test_a_test_case_calls_what_callers_call():
    new = GENERIC.replace("    return str(value)", "    return str(value) + '.'")
    found = verdict(OLD, new, "told", case=True)
    assert found.difference.case.call.startswith("told(")


def test_what_a_decorator_from_elsewhere_makes_is_called_by_nobody():
    """A command, a fixture, a route: its framework calls it, and not with these arguments."""
    old = "import argparse\n\n\ndef fee(n):\n    return n\n"
    new = "import argparse\n\n\n@argparse._copy_items\ndef fee(n):\n    return n + 1\n"
    found = verdict(old, new, "fee")
    assert found.status == "unsettled" and "runs the function inside" in found.reason
