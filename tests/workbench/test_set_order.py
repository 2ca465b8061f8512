"""A set of texts comes out in another order in each process: who alone shows its order is not said to do the same."""

import pytest

import dreck

HEAD = 'NAMES = {"glass", "paper"}\nFEES = {3, 2}\n\n\n'
SHOWN = [
    "    for name in NAMES:\n        out.append(name)\n    return out\n",
    "    out.extend(NAMES)\n    return out\n",
    "    return out + [name for name in set(NAMES)]\n",
    "    mine = NAMES | {out}\n    return list(mine)\n",
]


@pytest.mark.parametrize("body", SHOWN)
def test_the_order_of_a_set_that_one_version_shows(body):
    new = "    return [out, *sorted(NAMES)]\n"
    found = dreck.compare(f"{HEAD}def f(out):\n{body}", f"{HEAD}def f(out):\n{new}", only="f")
    assert found.status in ("differs", "unsettled")


def test_a_set_that_both_go_through_is_no_matter():
    old = f"{HEAD}def f(n: int):\n    told = [name for name in NAMES]\n    if n > 3:\n        return told\n    else:\n        return n\n"
    new = f"{HEAD}def f(n: int):\n    told = [name for name in NAMES]\n    return told if n > 3 else n\n"
    assert dreck.compare(old, new, only="f").status in ("proved", "tested")
