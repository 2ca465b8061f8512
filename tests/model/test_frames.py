"""What asks who called it, and what only has such a name."""

import ast

import pytest

from dreck.model.names.frames import looks_at_frames

ASKS = (
    "sys._getframe(1)",
    "inspect.stack()[1]",
    "stack()[1].function",
    "i.stack()",
    "look = inspect.stack",
    "warnings.warn('old', stacklevel=2)",
    "warnings.warn('old', DeprecationWarning, 2)",
    "traceback.print_stack()",
    "frame.f_back",
)
DOES_NOT = (
    "stack = []",
    "stack.append(1)",
    "self.stack.append(stack.pop())",
    "self.trace(1)",
    "bins.trace.append(1)",
    "return stack[-1]",
    "warnings.warn('old')",
    "traceback.format_exc()",
)


@pytest.mark.parametrize("line", ASKS)
def test_asks(line):
    assert looks_at_frames(ast.parse(f"def f():\n    {line}\n").body[0])


@pytest.mark.parametrize("line", DOES_NOT)
def test_does_not_ask(line):
    assert not looks_at_frames(ast.parse(f"def f():\n    {line}\n").body[0])
