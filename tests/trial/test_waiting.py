"""Code that waits: what ever wakes is gone on with at once, what never does is given up."""

import inspect
import textwrap

import pytest

from dreck import pin
from dreck.trial.server import Version, Wanted, run_trial

HEAD = "import asyncio, queue, threading, time\n"


@pytest.fixture
def tried(tmp_path):
    def run(body, change):
        path = tmp_path / "gate.py"
        old = HEAD + textwrap.dedent(body)
        path.write_text(old)
        name = "f"
        return run_trial(Version(path, old, name), Version(path, old.replace(*change), name), Wanted(inputs=20))

    return run


@pytest.mark.parametrize(
    "wait",
    [
        "await asyncio.sleep(3600)",
        "await asyncio.wait([asyncio.create_task(asyncio.sleep(9))])",
        "await asyncio.gather(asyncio.sleep(1), asyncio.sleep(2))",
        "asyncio.create_task(ticking())",
    ],
)
def test_what_sleeps_wakes_at_once(tried, wait):
    body = f"""
    async def ticking():
        while True:
            await asyncio.sleep(1)

    async def f(n: int):
        {wait}
        return "many" if n > 3 else "few"
    """
    assert tried(body, ("n > 3", "n > 5")).difference is not None
    same = tried(body, ("n > 3", "3 < n"))
    assert not same.problem
    assert same.outcomes == (0, 0) or same.outcomes[0] == same.outcomes[1]
    assert same.slips[0] == same.slips[1]


def test_a_limit_of_time_is_kept(tried):
    body = """
    async def f(n: int):
        try:
            async with asyncio.timeout(4):
                await asyncio.sleep(n)
        except TimeoutError:
            return "late"
        return "in time"
    """
    different = tried(body, ("timeout(4)", "timeout(0.5)")).difference
    assert different is not None and {different.old, different.new} == {"result: 'late'", "result: 'in time'"}


@pytest.mark.parametrize(
    "wait",
    [
        "import os; os.read(os.pipe()[0], 1)",
    ],
)
def test_what_never_wakes_is_given_up(tried, wait):
    body = f"""
    def f(n: int):
        if n > 3:
            {wait}
            return "many"
        return "few"
    """
    assert tried(body, ('"few"', '"none"')).difference is not None
    same = tried(body, ("n > 3", "3 < n"))
    assert same.difference is None and same.finished


def test_a_test_that_sleeps_long_is_not_written(tmp_path):
    path = tmp_path / "gate.py"
    path.write_text(
        HEAD
        + inspect.cleandoc(
            """
            def doze(n):
                time.sleep(n)
                return n > 3


            async def rest(n: int):
                await asyncio.sleep(60)
                return n > 3


            def plain(n: int):
                return n > 3
            """
        )
    )
    pins = pin(str(path))
    told = {p.function: p for p in pins.functions}
    assert told["plain"].cases
    assert told["rest"].why_not.endswith("a call that sleeps for more than a second")
    assert all(dict(case.arguments)["n"] not in ("2", "3", "4") for case in told["doze"].cases)
