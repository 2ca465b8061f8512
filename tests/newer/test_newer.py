"""Today's Python: type parameters, `type` statements, f-strings in f-strings, `except A, B:`, t-strings."""

import sys
import textwrap
from pathlib import Path

import pytest

import dreck
from dreck.workbench.compare.compare import compare_texts
from dreck.workbench.compare.sides import Text
from dreck.workbench.compare.wanted import Wanted

pytestmark = pytest.mark.skipif(sys.version_info < (3, 12), reason="not valid for this Python")
LATEST = pytest.mark.skipif(sys.version_info < (3, 14), reason="not valid for this Python")

PAIRS = {
    "type parameters": (
        """
        def first[T](bins: list[T], wanted: T) -> T | None:
            for b in bins:
                if b == wanted:
                    return b
                else:
                    continue
            return None
        """,
        """
        def first[T](bins: list[T], wanted: T) -> T | None:
            for b in bins:
                if b == wanted:
                    return b
            return None
        """,
    ),
    "a type statement at the top": (
        """
        type Kilos = int | float

        def fee(kilos: Kilos) -> int:
            if kilos:
                return 1
            else:
                return 2
        """,
        """
        type Kilos = int | float

        def fee(kilos: Kilos) -> int:
            if not kilos:
                return 2
            return 1
        """,
    ),
    "an f-string with quotes like its own": (
        """
        def told(bin):
            if bin:
                return f"{f"{bin["kind"]}: {", ".join(bin["parts"])}"}"
            else:
                return "none"
        """,
        """
        def told(bin):
            if not bin:
                return "none"
            return f"{f"{bin["kind"]}: {", ".join(bin["parts"])}"}"
        """,
    ),
    "a class with type parameters": (
        """
        class Bin[T]:
            def put(self, load: T) -> bool:
                if self.open:
                    return self.take(load)
                else:
                    return False
        """,
        """
        class Bin[T]:
            def put(self, load: T) -> bool:
                if not self.open:
                    return False
                return self.take(load)
        """,
    ),
}
LATEST_PAIRS = {
    "except without parentheses": (
        """
        def weigh(scale):
            try:
                kilos = scale.read()
            except OSError, ValueError:
                return None
            else:
                return kilos
        """,
        """
        def weigh(scale):
            try:
                kilos = scale.read()
            except (OSError, ValueError):
                return None
            return kilos
        """,
    ),
    "a t-string": (
        """
        def told(bin):
            if bin:
                return t"{bin} is {bin.kind!r:>9}"
            else:
                return None
        """,
        """
        def told(bin):
            if not bin:
                return None
            return t"{bin} is {bin.kind!r:>9}"
        """,
    ),
}
DIFFER = {
    "a t-string of another value": (
        'def told(bin, other):\n    return t"{bin}"\n', 'def told(bin, other):\n    return t"{other}"\n',
    ),
    "a t-string in another format": ('def told(bin):\n    return t"{bin!r}"\n', 'def told(bin):\n    return t"{bin}"\n'),
    "one of two exceptions": (
        "def f(g):\n    try:\n        g()\n    except OSError, ValueError:\n        return 1\n",
        "def f(g):\n    try:\n        g()\n    except OSError:\n        return 1\n",
    ),
    "two t-strings, read in the other order": (
        'def f(a, b):\n    x = t"{a()}"\n    y = t"{b()}"\n    return x, y\n',
        'def f(a, b):\n    y = t"{b()}"\n    x = t"{a()}"\n    return x, y\n',
    ),
}  # fmt: skip


def verdict(old: str, new: str):
    texts = (Text(Path("yard.py"), textwrap.dedent(text)) for text in (old, new))
    return compare_texts(*texts, Wanted(trial=False)).verdict


@pytest.mark.parametrize("name", PAIRS)
def test_proved(name):
    assert verdict(*PAIRS[name]).status == "proved", str(verdict(*PAIRS[name]))


@LATEST
@pytest.mark.parametrize("name", LATEST_PAIRS)
def test_the_latest_is_proved(name):
    assert verdict(*LATEST_PAIRS[name]).status == "proved", str(verdict(*LATEST_PAIRS[name]))


@LATEST
@pytest.mark.parametrize("name", DIFFER)
def test_the_latest_is_not_proved_when_it_differs(name):
    assert verdict(*DIFFER[name]).status != "proved"


@pytest.mark.parametrize("name", PAIRS)
def test_it_is_surveyed_and_outlined(name, tmp_path):
    path = tmp_path / "yard.py"
    path.write_text(textwrap.dedent(PAIRS[name][0]))
    assert dreck.survey(path, cache=False).rows[0].tangle > 0
    assert dreck.outline(path)


@LATEST
@pytest.mark.parametrize("name", LATEST_PAIRS)
def test_the_latest_is_surveyed_and_outlined(name, tmp_path):
    path = tmp_path / "yard.py"
    path.write_text(textwrap.dedent(LATEST_PAIRS[name][0]))
    assert dreck.survey(path, cache=False).rows
    assert dreck.outline(path)
