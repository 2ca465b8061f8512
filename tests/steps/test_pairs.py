"""Each step on the text before and the text after, one pair a behaviour. Every step taken here is proved."""

import textwrap
from pathlib import Path

import pytest

import dreck
from dreck.model.views.shape import ifs
from dreck.source.functions import functions_in, parse
from dreck.steps import all_steps
from dreck.steps.catalogue import default_steps
from tests.conftest import typed

GUARD_CLAUSES = {
    "else raises": (
        """
        def f(load):
            if load.ok:
                weigh(load)
                store(load)
            else:
                raise ValueError(load)
        """,
        """
        def f(load):
            if not load.ok:
                raise ValueError(load)
            weigh(load)
            store(load)
        """,
    ),
    "more follows the if": (
        """
        def f(load):
            if load is not None:
                kilos = load.kilos
            else:
                return 0
            return kilos * 2
        """,
        """
        def f(load):
            if load is None:
                return 0
            kilos = load.kilos
            return kilos * 2
        """,
    ),
    "whole body in one if": (
        """
        def f(load):
            if load.ok and load.kilos == 3:
                weigh(load)
                press(load)
                store(load)
                sell(load)
        """,
        """
        def f(load):
            if not load.ok or load.kilos != 3:
                return
            weigh(load)
            press(load)
            store(load)
            sell(load)
        """,
    ),
    "a function that returns values leaves with None": (
        """
        def f(load):
            if load:
                for part in load:
                    if part.ok:
                        return part
                sweep()
        """,
        """
        def f(load):
            if not load:
                return None
            for part in load:
                if part.ok:
                    return part
            sweep()
        """,
    ),
    "in a loop": (
        """
        def f(loads):
            for load in loads:
                if load.ok:
                    weigh(load)
                    press(load)
                    store(load)
                    sell(load)
        """,
        """
        def f(loads):
            for load in loads:
                if not load.ok:
                    continue
                weigh(load)
                press(load)
                store(load)
                sell(load)
        """,
    ),
    "in a loop, with a short else": (
        """
        def f(loads, log):
            for load in loads:
                if load.ok:
                    weigh(load)
                    if load.wet:
                        dry(load)
                else:
                    log.append(load)
        """,
        """
        def f(loads, log):
            for load in loads:
                if not load.ok:
                    log.append(load)
                    continue
                weigh(load)
                if load.wet:
                    dry(load)
        """,
    ),
    "break in else": (
        """
        def f(loads):
            while True:
                if loads:
                    weigh(loads.pop())
                else:
                    break
        """,
        """
        def f(loads):
            while True:
                if not loads:
                    break
                weigh(loads.pop())
        """,
    ),
    "order is turned where nothing speaks of numbers without an order": (
        """
        def f(kilos):
            if kilos < 10:
                weigh(kilos)
            else:
                raise ValueError
        """,
        """
        def f(kilos):
            if kilos >= 10:
                raise ValueError
            weigh(kilos)
        """,
    ),
    "order is not turned where floats may come": (
        """
        def f(kilos: float):
            if kilos < 10:
                weigh(kilos)
            else:
                raise ValueError
        """,
        """
        def f(kilos: float):
            if not kilos < 10:
                raise ValueError
            weigh(kilos)
        """,
    ),
    "order is not turned where sets are compared": (
        """
        def f(kilos, known):
            if set(kilos) <= known:
                weigh(kilos)
            else:
                raise ValueError
        """,
        """
        def f(kilos, known):
            if not set(kilos) <= known:
                raise ValueError
            weigh(kilos)
        """,
    ),
    "order is turned where types are known": (
        """
        def f(kilos: int, loads):
            if kilos < 10 and len(loads) >= 3:
                weigh(kilos)
            else:
                raise ValueError
        """,
        """
        def f(kilos: int, loads):
            if kilos >= 10 or len(loads) < 3:
                raise ValueError
            weigh(kilos)
        """,
    ),
    "float annotation leaves NaN possible": (
        """
        def f(kilos: float):
            if kilos < 10:
                weigh(kilos)
            else:
                raise ValueError
        """,
        """
        def f(kilos: float):
            if not kilos < 10:
                raise ValueError
            weigh(kilos)
        """,
    ),
    "mixed and/or keeps its parentheses": (
        """
        def f(a, b, c):
            if (a == 1 or b == 2) and c is not None:
                weigh(a)
            else:
                raise ValueError
        """,
        """
        def f(a, b, c):
            if (a != 1 and b != 2) or c is None:
                raise ValueError
            weigh(a)
        """,
    ),
    "walrus": (
        """
        def f(line):
            if (found := find(line)) is not None:
                weigh(found)
            else:
                raise ValueError
        """,
        """
        def f(line):
            if (found := find(line)) is None:
                raise ValueError
            weigh(found)
        """,
    ),
    "comments go with their code": (
        """
        def f(load):
            # is it one of ours?
            if load.ours:  # yes
                # weigh it first
                weigh(load)  # twice
                # done
            # a stranger's
            else:  # no
                # send it away
                raise ValueError  # loudly
            # the end
        """,
        """
        def f(load):
            # a stranger's
            if not load.ours:  # no
                # send it away
                raise ValueError  # loudly
            # is it one of ours?
            # yes
            # weigh it first
            weigh(load)  # twice
            # done
            # the end
        """,
    ),
    "strings over several lines are not touched": (
        '''
        def f(load):
            if load.ok:
                print("""first
            second
                third""")
                press(
                    load,
                    2,
                )
            else:
                raise ValueError
        ''',
        '''
        def f(load):
            if not load.ok:
                raise ValueError
            print("""first
            second
                third""")
            press(
                load,
                2,
            )
        ''',
    ),
    "inside with and try": (
        """
        def f(path):
            with lock():
                try:
                    if path.ok:
                        weigh(path)
                        store(path)
                    else:
                        return 1
                finally:
                    sweep()
        """,
        """
        def f(path):
            with lock():
                try:
                    if not path.ok:
                        return 1
                    weigh(path)
                    store(path)
                finally:
                    sweep()
        """,
    ),
    "a method of a class": (
        """
        class Gate:
            def f(self, load):
                if load.ok:
                    self.weigh(load)
                    return 1
                else:
                    raise ValueError
        """,
        """
        class Gate:
            def f(self, load):
                if not load.ok:
                    raise ValueError
                self.weigh(load)
                return 1
        """,
    ),
    "async": (
        """
        async def f(load):
            if await load.ok():
                await weigh(load)
                await store(load)
            else:
                raise ValueError
        """,
        """
        async def f(load):
            if not await load.ok():
                raise ValueError
            await weigh(load)
            await store(load)
        """,
    ),
    "the exit that follows is the exception": (
        """
        def f(load):
            if load.ok:
                weigh(load)
                for part in load:
                    if part.wet:
                        dry(part)
                return load.kilos
            raise ValueError(load)
        """,
        """
        def f(load):
            if not load.ok:
                raise ValueError(load)
            weigh(load)
            for part in load:
                if part.wet:
                    dry(part)
            return load.kilos
        """,
    ),
}

EXIT_WITHOUT_ELSE = {
    "plain": (
        """
        def f(load):
            if load.empty:
                return 0
            else:
                kilos = load.kilos
                return kilos
        """,
        """
        def f(load):
            if load.empty:
                return 0
            kilos = load.kilos
            return kilos
        """,
    ),
    "a chain": (
        """
        def f(load):
            if load.empty:
                return 0
            elif load.wet:
                dry(load)
                return 1
            else:
                return load.kilos
        """,
        """
        def f(load):
            if load.empty:
                return 0
            if load.wet:
                dry(load)
                return 1
            return load.kilos
        """,
    ),
    "comments on the else line": (
        """
        def f(load):
            if load.empty:
                return 0
            # otherwise
            else:  # it is full
                # so weigh
                return load.kilos
                # end
        """,
        """
        def f(load):
            if load.empty:
                return 0
            # otherwise
            # it is full
            # so weigh
            return load.kilos
            # end
        """,
    ),
    "one-line suites": (
        """
        def f(loads):
            for load in loads:
                if load.empty: continue
                else: weigh(load); store(load)
        """,
        """
        def f(loads):
            for load in loads:
                if load.empty: continue
                weigh(load)
                store(load)
        """,
    ),
}

RETURN_AT_ONCE = {
    "every branch": (
        """
        def f(kilos):
            if kilos == 1:
                band = "A"
            else:
                band = "B"
            return band
        """,
        """
        def f(kilos):
            if kilos == 1:
                return "A"
            else:
                return "B"
        """,
    ),
    "a constant to begin with": (
        """
        def f(load):
            fee = 0  # free at first
            if load.ok:
                if load.wet:
                    fee = 3  # drying
            return fee
        """,
        """
        def f(load):
            if load.ok:
                if load.wet:
                    return 3  # drying
            return 0  # free at first
        """,
    ),
    "found in a loop": (
        """
        def f(lanes):
            found = None
            for lane in lanes:
                if lane.open:
                    found = lane
                    break
            return found
        """,
        """
        def f(lanes):
            for lane in lanes:
                if lane.open:
                    return lane
            return None
        """,
    ),
    "try and except": (
        """
        def f(scale):
            try:
                kilos = scale.read()
            except OSError:
                kilos = None
            return kilos
        """,
        """
        def f(scale):
            try:
                return scale.read()
            except OSError:
                return None
        """,
    ),
    "match": (
        """
        def f(kind):
            match kind:
                case "glass" | "jar":
                    line = 1
                case _:
                    line = 2
            return line
        """,
        """
        def f(kind):
            match kind:
                case "glass" | "jar":
                    return 1
                case _:
                    return 2
        """,
    ),
}

ELIF_CHAIN = {
    "comments of both places": (
        """
        def f(load):
            if load.metal:
                start(magnet)
            # not metal
            else:  # something else
                # glass?
                if load.glass:  # yes
                    start(crusher)
                else:
                    start(belt)
                # after the inner one
            done(load)
        """,
        """
        def f(load):
            if load.metal:
                start(magnet)
            # not metal
            # something else
            # glass?
            elif load.glass:  # yes
                start(crusher)
            else:
                start(belt)
                # after the inner one
            done(load)
        """,
    ),
    "further down a chain": (
        """
        def f(load):
            if load.metal:
                a()
            elif load.wood:
                b()
            else:
                if load.glass:
                    c()
        """,
        """
        def f(load):
            if load.metal:
                a()
            elif load.wood:
                b()
            elif load.glass:
                c()
        """,
    ),
}

JOIN_TESTS = {
    "or gets parentheses": (
        """
        def f(load):
            if load.wet or load.cold:
                # below
                if load.paper:  # news
                    spread(load)
            return load
        """,
        """
        def f(load):
            # below
            if (load.wet or load.cold) and load.paper:  # news
                spread(load)
            return load
        """,
    ),
    "three deep": (
        """
        def f(load):
            if load.wet:
                if load.paper:
                    if load.ours:
                        spread(load)
        """,
        """
        def f(load):
            if load.wet and load.paper and load.ours:
                spread(load)
        """,
    ),
}

PLAIN_BOOLEAN = {
    "return": (
        "def f(a):\n    if a == 1:\n        return True\n    else:\n        return False\n",
        "def f(a):\n    return a == 1\n",
    ),
    "follows": (
        "def f(a):\n    if a is None:\n        return True\n    return False\n",
        "def f(a):\n    return a is None\n",
    ),
    "turned": (
        "def f(a):\n    if a in (1, 2):\n        return False\n    return True\n",
        "def f(a):\n    return a not in (1, 2)\n",
    ),
    "no boolean": (
        "def f(a):\n    if a.ok:\n        return True\n    return False\n",
        "def f(a):\n    return bool(a.ok)\n",
    ),
    "no boolean, turned": (
        "def f(a):\n    if a.ok:\n        return False\n    return True\n",
        "def f(a):\n    return not a.ok\n",
    ),
    "assigned": (
        "def f(a, b):\n    if a == 1 and not b:\n        ok = True\n    else:\n        ok = False\n    g(ok)\n",
        "def f(a, b):\n    ok = a == 1 and not b\n    g(ok)\n",
    ),
    "order keeps its sense": (
        "def f(a, b):\n    if a < b:\n        return False\n    return True\n",
        "def f(a, b):\n    return a >= b\n",
    ),
    "order of whole numbers": (
        "def f(a: int):\n    if a < 3:\n        return False\n    return True\n",
        "def f(a: int):\n    return a >= 3\n",
    ),
}

CHOOSE_VALUE = {
    "the same call but for one argument": (
        "def f(load, log):\n    if load is None:\n        log.add(load, 'dry')\n    else:\n        log.add(load, 'press')\n",
        "def f(load, log):\n    log.add(load, 'dry' if load is None else 'press')\n",
    ),
    "a keyword, and the answer is kept": (
        "def f(load, bay):\n    if load is None:\n        slip = bay.slip(1, copies=2)\n    else:\n        slip = bay.slip(1, copies=3)\n    return slip.print()\n",
        "def f(load, bay):\n    slip = bay.slip(1, copies=2 if load is None else 3)\n    return slip.print()\n",
    ),
    "two arguments differ": (
        "def f(a, g):\n    if a:\n        g(1, 2)\n    else:\n        g(3, 4)\n",
        "def f(a, g):\n    if a:\n        g(1, 2)\n    else:\n        g(3, 4)\n",
    ),
    "attribute": (
        "def f(a, o):\n    if a:\n        o.x = 1\n    else:\n        o.x = 2\n",
        "def f(a, o):\n    o.x = 1 if a else 2\n",
    ),
    "tuple": (
        "def f(a, b):\n    if a:\n        x = a, b\n    else:\n        x = b, a\n    g(x)\n",
        "def f(a, b):\n    x = (a, b) if a else (b, a)\n    g(x)\n",
    ),
}

SHARED_LINES = {
    "after, comment kept": (
        """
        def f(a):
            if a:
                b()
                done()
            else:
                c()
                done()  # at last
        """,
        None,
    ),
    "a branch held nothing else": (
        """
        def f(a):
            if a:
                done()
            else:
                c()
                done()
        """,
        """
        def f(a):
            if not a:
                c()
            done()
        """,
    ),
    "before": (
        """
        def f(a):
            if a:
                n = 1
                b(n)
            else:
                n = 1
                c(n)
        """,
        """
        def f(a):
            n = 1
            if a:
                b(n)
            else:
                c(n)
        """,
    ),
}

KNOWN_TEST = {
    "unreachable": ("def f(a):\n    return a\n    g(a)\n", "def f(a):\n    return a\n"),
    "asked again": (
        "def f(a):\n    if a is None:\n        return 0\n    if a is not None:\n        return a.x\n    return 1\n",
        "def f(a):\n    if a is None:\n        return 0\n    return a.x\n",
    ),
    "asked again inside": (
        "def f(a, b):\n    if a == 1:\n        if a == 1:\n            b()\n        else:\n            c()\n",
        "def f(a, b):\n    if a == 1:\n        b()\n",
    ),
    "implied by a limit": (
        "def f(n):\n    if n < 10:\n        return 1\n    if n < 5:\n        return 2\n    return 3\n",
        "def f(n):\n    if n < 10:\n        return 1\n    return 3\n",
    ),
}

RANGE_TEST = {
    "either way round": ("def f(x):\n    return x > 3 and 10 > x\n", "def f(x):\n    return 3 < x < 10\n"),
    "three of one": (
        'def f(load):\n    if load.kind == "a" or load.kind == "b" or load.kind == "c":\n        g()\n',
        'def f(load):\n    if load.kind in ("a", "b", "c"):\n        g()\n',
    ),
    "none of them, and the rest as it was": (
        "def f(x, load):\n    if x != 3 and x != -4 and not load.wet:\n        g()\n",
        "def f(x, load):\n    if x not in (3, -4) and not load.wet:\n        g()\n",
    ),
    "kinds join a tuple": (
        "def f(x):\n    if isinstance(x, int) or isinstance(x, (str, bytes)):\n        g()\n",
        "def f(x):\n    if isinstance(x, (int, str, bytes)):\n        g()\n",
    ),
    "an elif and a loop": (
        "def f(x, y):\n    if y:\n        g()\n    elif x >= 1 and x <= 5:\n        h()\n    while 3 < y and y <= 9:  # on\n        y += 1\n",
        "def f(x, y):\n    if y:\n        g()\n    elif 1 <= x <= 5:\n        h()\n    while 3 < y <= 9:  # on\n        y += 1\n",
    ),
    "a call is asked twice": (
        "def f(x):\n    return g(x) > 3 and g(x) < 5\n",
        "def f(x):\n    return g(x) > 3 and g(x) < 5\n",
    ),
    "two values": ("def f(x, y):\n    return x == 1 or y == 2\n", "def f(x, y):\n    return x == 1 or y == 2\n"),
    "no order between the ends": ("def f(x):\n    return x > 3 and x > 5\n", "def f(x):\n    return x > 3 and x > 5\n"),
    "a comment inside stays": (
        "def f(x):\n    if (\n        x == 1  # one\n        or x == 2\n    ):\n        g()\n",
        "def f(x):\n    if (\n        x == 1  # one\n        or x == 2\n    ):\n        g()\n",
    ),
}

PAIRS = [
    pytest.param(step, before, after, id=f"{step}: {name}")
    for step, table in (
        ("guard-clauses", GUARD_CLAUSES),
        ("exit-without-else", EXIT_WITHOUT_ELSE),
        ("return-at-once", RETURN_AT_ONCE),
        ("elif-chain", ELIF_CHAIN),
        ("join-tests", JOIN_TESTS),
        ("plain-boolean", PLAIN_BOOLEAN),
        ("choose-value", CHOOSE_VALUE),
        ("shared-lines", SHARED_LINES),
        ("known-test", KNOWN_TEST),
        ("range-test", RANGE_TEST),
    )
    for name, (before, after) in table.items()
    if after is not None
]


@pytest.mark.parametrize(("step", "before", "after"), PAIRS)
def test_pair(straighten, step, before, after):
    result = straighten(before, step)
    assert result.files[0].new == textwrap.dedent(after)
    changed = textwrap.dedent(before) != textwrap.dedent(after)
    assert {taken.verdict.status for taken in result.steps} == ({"proved"} if changed else set())


@pytest.mark.parametrize("step", all_steps(), ids=lambda step: step.name)
def test_the_example_of_each_page(straighten, step):
    needs_a_trial = step.name in ("shared-term", "rule-list", "row-list")
    result = straighten(step.before, step.name, verdict="tested" if needs_a_trial else "proved", **typed(step))
    assert result.files[0].new == step.after
    assert step.why
    assert step.when_not
    assert step.traps


LEFT_ALONE = {
    "three plain lines under a test": "def f(load):\n    if load.ok:\n        a()\n        b()\n        c()\n",
    "an even ladder": """
        def f(kind):
            if kind == "glass":
                return 1
            elif kind == "paper":
                return 2
            elif kind == "wood":
                return 3
            else:
                return 4
    """,
    "a guard that stands there already": """
        def f(load):
            if load.bad:
                log(load)
                sweep(load)
                clean(load)
                raise ValueError
            return load.kilos
    """,
    "a branch that changes what the next one tests": """
        def f(kind):
            if kind == 1:
                kind = 2
            elif kind == 2:
                kind = 3
            else:
                kind = 4
            log(kind)
    """,
    "rounded before it is returned": """
        def f(load):
            if load.ok:
                fee = load.kilos * 1.5 if load.wet else load.kilos
            else:
                fee = 0.0
            fee = round(fee)
            return fee
    """,
    "a comment that speaks to a tool": """
        def f(load):
            if load.empty:
                return 0
            else:  # pragma: no cover
                return load.kilos
    """,
    "finally that assigns": """
        def f(load):
            fee = 1
            try:
                fee = load.fee()
            finally:
                fee = 2
            return fee
    """,
}


@pytest.mark.parametrize("code", LEFT_ALONE.values(), ids=LEFT_ALONE)
def test_left_alone(straighten, code):
    result = straighten(code)
    assert result.diff == ""
    assert not result.steps


def test_to_a_fixed_point_and_no_further(straighten):
    """The gate of the demo, as a good engineer would write it by hand; a second run changes nothing."""
    from tests.conftest import YARD

    code = (YARD / "gate.py").read_text()
    once = straighten(code).files[0].new
    assert (
        once.split("def admit")[1]
        .split("def check_in")[0]
        .strip()
        .endswith(
            textwrap.dedent('''\
            if not gate.is_open:
                    return "refuse: yard closed"
                # nobody gets in without papers
                if permit is None:
                    return "refuse: no permit"
                if permit.valid_until < gate.today:
                    return "refuse: permit expired"
                if load.material not in permit.materials:
                    return "refuse: material not on permit"
                if load.kilos > permit.max_kilos:  # send them to the public weighbridge
                    return "refuse: too heavy"
                gate.lift_barrier()
                return "admit"''')
        )
    )
    assert straighten(once).diff == ""


def test_total_order_is_accepted_and_told_and_can_be_withdrawn(straighten, tmp_path):
    code = "def f(a, b):\n    if a < b:\n        weigh(a)\n    else:\n        raise ValueError\n"
    accepted = straighten(code)
    assert "if a >= b:" in accepted.source
    assert "total-order" in accepted.steps[0].verdict.assumptions
    assert "if a >= b:" in straighten(code.replace("weigh(a)", "weigh(a / 2)")).source  # it is not compared
    halved = code.replace("    if", "    a = total(load / 2 for load in a)\n    if", 1)
    for doubtful in ("import numpy\n" + code, halved, code.replace("< b", "< b + 0.5")):
        assert "if not a < b" in straighten(doubtful).source
        assert "if a >= b" in straighten(doubtful, assume=["total-order"]).source
    (tmp_path / "pyproject.toml").write_text('[tool.dreck]\ndoubt = ["total-order"]\n')
    assert "if not a < b:" in straighten(code).source


def test_those_taken_by_default_stand_in_one_room():
    assert default_steps() == tuple(step for step in all_steps() if step.by_default)


def test_what_a_step_needs_is_there_wherever_it_finds_something():
    """A function that lacks it is not asked."""
    found = set()
    for path in sorted(Path(dreck.__file__).parent.rglob("*.py")):
        text = path.read_text()
        for function in functions_in(parse(text, path), text):
            heads = [s for _, _, s in ifs(function.node)]
            having = {"", *(["if"] if heads else []), *(["else"] if any(s.orelse for s in heads) else [])}
            for step in default_steps():
                sites = list(step.find(function.node))
                assert not sites or step.needs in having, (path, function.name, step.name)
                found |= {step.name} if sites else set()
    assert len(found) > 3, "there is something to find"
