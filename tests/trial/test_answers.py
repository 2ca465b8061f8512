"""Answers of the child: of the request that was made, about the whole of what came back."""

import signal
import threading

import pytest

import dreck

SLOW = "def f(a):\n    n = 0\n    for i in range(10 ** 6):\n        n += i % (a if a > 7 else 7)\n    return n{}\n"


class Interrupted(Exception):
    """What a test runner raises from a signal."""


@pytest.mark.parametrize("kind", [Interrupted, KeyboardInterrupt, TimeoutError])
def test_an_interrupted_comparison_leaves_no_answer_behind(kind):
    def interrupt(*_: object) -> None:
        raise kind

    before = signal.signal(signal.SIGALRM, interrupt)
    signal.setitimer(signal.ITIMER_REAL, 0.4)
    try:
        with pytest.raises(kind):
            for _ in range(50):
                dreck.compare(SLOW.format(""), SLOW.format(" + 0 * a"))
    finally:
        signal.setitimer(signal.ITIMER_REAL, 0)
        signal.signal(signal.SIGALRM, before)
    assert dreck.compare("def f(a):\n    return a\n", "def f(a):\n    return [a]\n").status == "differs"
    assert dreck.compare("def f(a):\n    return a * 2\n", "def f(a):\n    return a + a * 1\n").status != "proved"


def test_threads_get_their_own_answers():
    found: dict[int, str] = {}

    def ask(number: int) -> None:
        new = f"def f(a):\n    return ({number}, a)\n"
        found[number] = dreck.compare("def f(a):\n    return (0, a)\n", new).status

    threads = [threading.Thread(target=ask, args=(n,)) for n in range(4)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert found == {0: "proved", 1: "differs", 2: "differs", 3: "differs"}


LONG = {
    "the last of many": ("[0] * 6000", "[0] * 5999 + [1]"),
    "deep in many": ("[[i] for i in range(6000)]", "[[i] for i in range(5999)] + [[0]]"),
    "a dict's last value": ("{i: 0 for i in range(6000)}", "{i: i // 5999 for i in range(6000)}"),
    "a set of many": ("set(range(6000))", "set(range(5999)) | {6001}"),
    "one more": ("[0] * 6000", "[0] * 6001"),
}


@pytest.mark.parametrize("name", LONG)
def test_long_values_are_compared_as_a_whole(name):
    old, new = (f"def f(a):\n    return {code}\n" for code in LONG[name])
    assert dreck.compare(old, new).status == "differs"


CHAINS = {
    "from": ("raise KeyError(1) from e", "raise KeyError(1)"),
    "from None": ("raise KeyError(1) from None", "raise KeyError(1)"),
    "another cause": ("raise KeyError(1) from e", "raise KeyError(1) from TypeError(2)"),
}


@pytest.mark.parametrize("name", CHAINS)
def test_what_an_exception_was_raised_from_is_compared(name):
    head = "def f(a):\n    try:\n        return int(a)\n    except ValueError as e:\n        {}\n"
    assert dreck.compare(*(head.format(code) for code in CHAINS[name])).status == "differs"


def test_what_an_exception_was_raised_while():
    old = "def f(a: str):\n    try:\n        return int(a)\n    except ValueError:\n        raise KeyError(1)\n"
    new = (
        "def f(a: str):\n    try:\n        return int(a)\n    except ValueError:\n        pass\n    raise KeyError(1)\n"
    )
    assert dreck.compare(old, new).status == "differs"
