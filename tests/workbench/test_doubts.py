"""Where `not a < b` may be no `a >= b`: what is divided, or has a point, reaches the comparison."""

import ast

import pytest

from dreck.workbench.engine.doubts import orders_doubtful

DOUBTFUL = [
    "share = a / b\nif share > 3: pass",
    "self.share = a / b\nif self.share > 3: pass",
    'd["share"] = a / b\nif d["share"] > 3: pass',
    "for x in (a / b, 2):\n    if x > 3: pass",
    "x = y = a / b\nz = y + 1\nif z > 3: pass",
    "a /= b\nif a > 3: pass",
    "if (x := a / b) > 3: pass",
    "xs = [p / b for p in a]\nif max(xs) > 3: pass",
    "xs = []\nfor p in a:\n    xs.append(p / b)\nif max(xs) > 3: pass",
    "def rate():\n    return a / b\nif rate() > 3: pass",
    "with a / b as c:\n    if c > 3: pass",
    "match a / b:\n    case c:\n        if c > 3: pass",
    "if a > 0.5: pass",
    "if a > 3: return float(b)",
    "if a > 3: return {1, 2}",
    "c: float = d\nif c > 3: pass",
]
FINE = [
    "if a > 3: return a / 2",
    "if a > 3: return a * 0.08",
    "share = a / b\nif a > 3: return share",
    "x = a / b\nx2 = 1\nif x2 > 3: return x",
    "if a == 0.5: pass",
]


@pytest.mark.parametrize("code", DOUBTFUL)
def test_doubtful(code):
    assert orders_doubtful(*_function(code))


@pytest.mark.parametrize("code", FINE)
def test_fine(code):
    assert not orders_doubtful(*_function(code))


def test_long_rows_of_assignments():
    rows = "\n".join(f"x{i} = x{i + 1} + 2" for i in range(3000))
    assert orders_doubtful(*_function(f"{rows}\nx3000 = a / 2\nif x0 > 3: pass"))
    assert not orders_doubtful(*_function(f"{rows}\nif x0 > 3: return a / 2"))


def _function(code):
    lines = "\n".join(f"    {line}" for line in code.splitlines())
    tree = ast.parse(f"def f(self, a, b, d):\n{lines}\n")
    return tree.body[0], tree
