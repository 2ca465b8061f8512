"""Methods and functions that code elsewhere calls: what a function comes to by way of them counts."""

import pytest

import dreck

OLD = "def f(one, two):\n    if two:\n        return {call}\n    return 0\n"
NEW = "def f(one, two):\n    if not two:\n        return 0\n    return {call}\n"
ENUM = "import enum\nclass Kind(enum.Enum):\n    GLASS = 'glass'\n"
MISSING = "    @classmethod\n    def _missing_(cls, value):\n        return {}\n"
PARSER = "from html.parser import HTMLParser\nclass Tags(HTMLParser):\n    tags = ()\n"
TAG = "    def handle_starttag(self, tag, attrs):\n        self.tags = {}\n"
VISITOR = "import ast\n{}class Names(ast.NodeVisitor):\n    def visit_Name(self, node):\n        word(node)\n"
WORD = "def word(node):\n    node.found = {}\n"
HANDLER = (
    "import logging\nkept = []\nclass Keeper(logging.Handler):\n    def emit(self, record):\n        kept.append({})\n"
)
NOWHERE = "from nowhere import Base\nclass Gate(Base):\n    def opened(self):\n        return {}\n"
CODECS = "import codecs\ndef swap(error):\n    return {}, error.end\ncodecs.register_error('swap', swap)\n"
LISTENING = "def set_up(bus):\n    def loaded(load):\n        return {}\n    bus.listen(loaded)\n"
OF_A_METHOD = "class Gate:\n    def __init__(self, bus):\n        bus.listen(self.opened)\n    def opened(self):\n        return {}\n"
DECORATED = "from yard import app, fire\n@app.on('load')\ndef loaded(load):\n    return {}\n"
PUT_THERE = "import warnings\ndef show(*given):\n    return {}\nwarnings.showwarning = show\n"
LOADED = "def loaded(load):\n    return {}\n"
BY_A_NAME = LOADED + "def set_up(bus):\n    handler = loaded\n    bus.listen(handler)\n"
BY_AN_ATTRIBUTE = (
    LOADED + "class Gate:\n    def __init__(self, bus):\n        self.told = loaded\n        bus.listen(self.told)\n"
)
BY_A_TABLE = (
    LOADED + "TOLD = {{'load': loaded}}\ndef set_up(bus):\n    for told in TOLD.values():\n        bus.listen(told)\n"
)
GIVEN_BACK = LOADED + "def pick():\n    return loaded\ndef set_up(bus):\n    bus.listen(pick())\n"
BY_DEFAULT = LOADED + "def set_up(bus, told=loaded):\n    bus.listen(told)\n"
IN_PART = "from functools import partial\n" + LOADED + "def set_up(bus):\n    bus.listen(partial(loaded, 3))\n"
REGISTERED = "from yard import bus\n@bus.register\n" + LOADED
CACHED = "from yard import region\n@region.cache('load')\n" + LOADED
OF_SETS = (
    "from collections.abc import Set\nclass Bag(Set):\n    @classmethod\n    def _from_iterable(cls, loads):\n"
    "        return {}\n"
)
LISTENER = "class Listener:\n    def opened(self):\n        return {}\n"
AN_OBJECT = LISTENER + "def set_up(bus):\n    bus.add(Listener())\n"
A_CLASS = LISTENER + "def set_up(bus):\n    bus.add(Listener)\n"
ITSELF = LISTENER + "    def __init__(self, bus):\n        bus.add(self)\n"
PLUGGED = "from yard import plug\n@plug\n" + LISTENER
IN_ITS_PART = LOADED + "def set_up(bus):\n    bus.told['load'] = loaded\n"
ADDED_TO_IT = LOADED + "def set_up(bus):\n    bus.told += [loaded]\n"
ITSELF_IN_PART = LISTENER + "    def set_up(self, bus):\n        bus.told['load'] = self\n"
OWN_SORTED = (
    "from yard import bus\n" + LOADED + "def sorted(loads, key):\n    bus.listen(key)\n"
    "def set_up(loads):\n    sorted(loads, key=loaded)\n"
)
OF_ITS_OWN = "class Gate:\n    def opened(self):\n        return {}\n"


@pytest.mark.parametrize(
    ("before", "after", "call"),
    [
        (ENUM + MISSING.format("cls.GLASS"), ENUM, "Kind(one)"),
        (ENUM, ENUM + MISSING.format("cls.GLASS"), "Kind(one)"),
        (ENUM + MISSING.format("cls.GLASS"), ENUM + MISSING.format("None"), "Kind(one)"),
        (PARSER + TAG.format("tag"), PARSER, "one.feed(two)"),
        (PARSER + TAG.format("tag"), PARSER + TAG.format("attrs"), "one.feed(two)"),
        (VISITOR.format(WORD.format(1)), VISITOR.format(WORD.format(2)), "one.visit(two)"),
        (HANDLER.format(1), HANDLER.format(2), "logging.warning(one)"),
        (NOWHERE.format(1), NOWHERE.format(2), "one.go()"),
        (CODECS.format("'?'"), CODECS.format("'!'"), "one.encode('ascii', errors='swap')"),
        (LISTENING.format(1), LISTENING.format(2), "one.fire()"),
        (OF_A_METHOD.format(1), OF_A_METHOD.format(2), "one.fire()"),
        (DECORATED.format(1), DECORATED.format(2), "fire(one)"),
        (PUT_THERE.format(1), PUT_THERE.format(2), "one.warn()"),
        *((text.format(1), text.format(2), "one.fire()") for text in (BY_A_NAME, BY_AN_ATTRIBUTE, BY_A_TABLE)),
        *((text.format(1), text.format(2), "one.fire()") for text in (GIVEN_BACK, BY_DEFAULT, IN_PART)),
        *((text.format(1), text.format(2), "one.fire()") for text in (REGISTERED, CACHED)),
        *((text.format(1), text.format(2), "one.fire()") for text in (AN_OBJECT, A_CLASS, ITSELF, PLUGGED, OWN_SORTED)),
        *((text.format(1), text.format(2), "one.fire()") for text in (IN_ITS_PART, ADDED_TO_IT, ITSELF_IN_PART)),
        (OF_SETS.format("set(loads)"), OF_SETS.format("loads"), "one | two"),
        (HANDLER.format(1), HANDLER.format(2), "[*one]"),
    ],
)
def test_what_code_elsewhere_calls_counts(before: str, after: str, call: str):
    told = [before + OLD.format(call=call), after + NEW.format(call=call)]
    assert dreck.compare(*told, only="f", trial=False).status == "unsettled"
    quiet = [before + OLD.format(call="isinstance(one, str)"), after + NEW.format(call="isinstance(one, str)")]
    assert dreck.compare(*quiet, only="f", trial=False).status == "proved"


def test_a_parameter_called_as_a_function_of_the_file_is_another():
    told = [HANDLER.format(n) + "def two(load):\n    return load\n" for n in (1, 2)]
    texts = [told[0] + OLD.format(call="two(one)"), told[1] + NEW.format(call="two(one)")]
    assert dreck.compare(*texts, only="f", trial=False).status == "unsettled"


@pytest.mark.parametrize(
    ("before", "after"),
    [
        (OF_ITS_OWN.format(1), OF_ITS_OWN.format(2)),
        (WORD.format(1), WORD.format(2)),
        (PARSER, PARSER + "    def heavy(self):\n        return 1\n"),
        (NOWHERE.format(1), NOWHERE.format(1) + "    def heavy(self):\n        return 1\n"),
    ],
)
def test_what_nobody_is_handed_does_not_count(before: str, after: str):
    told = [before + OLD.format(call="one.go()"), after + NEW.format(call="one.go()")]
    assert dreck.compare(*told, only="f", trial=False).status == "proved"
