"""Names out of what is said: of a comment above a case, and of what people are told when it comes."""

import ast

import pytest

from dreck.steps.support.names.said import said_above, told_to_people
from dreck.steps.support.names.wording import predicate_name

COMMENTS = {
    "# already weighed": "is_already_weighed",
    "# too heavy for the small scale": "is_too_heavy",
    "# Wet paper is worth nothing.": "is_wet_paper",
    "# skip empty loads": "is_empty",
    "# ignore closed gates": "is_closed",
    "# is it due for service?": "is_due_for_service",
    "# if the permit has expired": "permit_has_expired",
    "# the gate is shut": "gate_is_shut",
    "# a load that is wet": "is_wet",
    "# holders of a permit that is still valid": "has_valid_permit",
    "# no permit": "has_no_permit",
}
"""A comment, and the first name out of it."""
NOTHING_OF_THE_CASE = [
    "# not sure why",
    "# is this still needed?",
    "# are we there yet?",
    "# not yet implemented",
    "# nothing to do",
    "# refuse wet paper",
    "# special case",
    "# skip the rest",
    "# TODO: fix",
    "# see load.kilos",
    "# only 3 left",
    "# drop duplicates",
    "# compute weighing date",
    "# (load, gate) -> admit",
]
TOLD = {
    'raise ValueError("too heavy for us")': "is_too_heavy",
    'raise ValueError("no permit")': "has_no_permit",
    'raise ValueError("not worth weighing")': "is_not_worth_weighing",
    'raise ValueError("full")': "is_full",
    'return "closed"': "is_closed",
    'print("needs drying")': "needs_drying",
}
TELLS_NOTHING = [
    'raise ValueError("must be positive")',
    'raise NotImplementedError("not implemented")',
    'raise ValueError(f"too heavy: {kilos}")',
    'raise KeyError("kind")',
    'print("must be dry")',
    'return "DUE"',
]
READ = {
    "limit is not None and kilos > limit.max_kilos": "exceeds_max_kilos",
    "MAX_QUEUE is not None and len(queue) > MAX_QUEUE": "exceeds_max_queue",
    "load.kilos < MIN_KILOS": "is_below_min_kilos",
    "slip.startswith('\"') and slip.endswith('\"')": "is_quoted",
    "gate is not None and gate.strict": "is_strict",
    "gate is not None and gate.permit": "has_permit",
    "not gate.has_permit()": "has_no_permit",
    "not gate.contains_load()": "",
    "gate.pause_until > now": "",
    "gate.valid_until > now": "is_valid",
    "port is not None and not yard.is_valid_port(port)": "has_invalid_port",
    "not is_valid_port(one) or not is_valid_port(other)": "has_invalid_port",
    "not is_valid_port(one) or not is_valid_code(other)": "",
    "slip and not slip.endswith('\\n')": "has_no_trailing_newline",
    "path and path[-1] == '/'": "has_trailing_slash",
    "path != '/' and path.endswith('/')": "",
    "not line or line.startswith('#')": "is_blank_or_comment",
    "not line or other.startswith('#')": "",
    "wanted_kind is not None and load.kind != wanted_kind": "is_not_wanted_kind",
    "load.kind == best_effort": "",
    "start and day < start": "is_before_start",
    "permit and today > permit.end_date": "is_after_end_date",
    "gate and not gate.is_unlocked": "is_locked",
    "gate and not gate.unique": "is_not_unique",
    "load and not load.code": "has_no_code",
    "load and load.code == 0": "",
    "queue and isinstance(queue[-1], Permit)": "",
    "load.is_wet and load.is_heavy": "is_wet_and_heavy",
    "gate.is_open and gate.has_valid_permit(load)": "",
    "gate is not None and gate.cfg": "",
    "gate is not None and gate.has_entry(load)": "has_entry",
}
"""A condition, and what it is called by what it reads alone."""


@pytest.mark.parametrize("comment", COMMENTS)
def test_a_comment_names_a_case(comment):
    assert "_".join(next(said_above(comment))) == COMMENTS[comment]


@pytest.mark.parametrize("comment", NOTHING_OF_THE_CASE)
def test_a_comment_that_names_none(comment):
    assert list(said_above(comment)) == []


@pytest.mark.parametrize("code", TOLD)
def test_what_people_are_told_names_a_case(code):
    assert "_".join(next(told_to_people(ast.parse(code).body[0]))) == TOLD[code]


@pytest.mark.parametrize("code", TELLS_NOTHING)
def test_what_people_are_told_names_none(code):
    assert list(told_to_people(ast.parse(code).body[0])) == []


@pytest.mark.parametrize("code", READ)
def test_what_a_condition_reads_names_it(code):
    assert predicate_name(ast.parse(code, mode="eval").body, None, ()).text == READ[code]


FOLLOWING = {
    "if kilos is None or kilos <= 0:\n raise ValueError('kilos must be positive')": "is_invalid_kilos",
    "if load.kilos is None or load.wet:\n raise ValueError('bad load')": "is_invalid_load",
    "if strict and slip.startswith('x'):\n raise ValueError('bad slip')": "",
    "if kilos is None or kilos <= 0:\n raise ValueError('no more')": "",
    "if load.kilos and gate.line:\n gate.stamp(load)": "should_stamp",
    "if load.kilos and gate.line:\n fprintf(load)": "",
    "if load.kilos and progress:\n progress(load)": "",
    "if load.kilos or gate.line:\n continue": "",
    "if one and two:\n raise ValueError('too many loads')": "has_too_many_loads",
}
"""A condition and what follows from it, and what the condition is called by that."""


@pytest.mark.parametrize("code", FOLLOWING)
def test_what_follows_from_a_condition_names_it(code):
    branch = ast.parse(f"while True:\n {code.replace(chr(10), chr(10) + ' ')}").body[0].body[0]
    assert predicate_name(branch.test, branch.body, ()).text == FOLLOWING[code]
