"""A method of one's own in the place of an inherited one: whoever calls it gets another one."""

import pytest

import dreck

OLD = "{head}class Gate({base}):\n    def weigh(self, kilos):\n        if kilos > 3:\n            return 1\n        else:\n            return 2\n"
NEW = (
    OLD.replace("        else:\n            return 2\n", "        return 2\n")
    + "    def {name}(self, *given):\n        return 3\n"
)


@pytest.mark.parametrize(
    ("head", "base", "name", "holder"),
    [
        ("from string import Formatter\n", "Formatter", "format", "string.Formatter"),
        ("import string\n", "string.Formatter", "_vformat", "string.Formatter"),
        ("from string import Formatter as Base\n", "Base", "format", "string.Formatter"),
        ("from string import Formatter\nBase = Formatter\n", "Base", "format", "string.Formatter"),
        ("from html.parser import HTMLParser\n", "HTMLParser", "_scan_name", "html.parser.HTMLParser"),
        ("", "dict", "get", "builtins.dict"),
        ("class Yard:\n    def open(self):\n        return 1\n", "Yard", "open", "Yard"),
        ("from string import Formatter\nclass Yard(Formatter):\n    pass\n", "Yard", "format", "string.Formatter"),
        ("from string import Formatter\n", "Formatter", "heavy", ""),
        ("from nowhere import Formatter\n", "Formatter", "format", ""),
        ("", "", "format", ""),
    ],
)
def test_what_takes_the_place_of_an_inherited_method_is_told(head: str, base: str, name: str, holder: str):
    told = {"head": head, "base": base, "name": name}
    found = dreck.compare(OLD.format(**told), NEW.format(**told), trial=False)
    reasons = [verdict.reason for _, verdict in found.functions]
    assert (f"takes the place of what {holder} has" in reasons) is bool(holder), reasons
    assert found.status == ("unsettled" if holder else "proved")


def test_a_value_in_the_place_of_an_inherited_method():
    head = {"head": "from string import Formatter\n", "base": "Formatter"}
    new = NEW.format(**head, name="heavy").replace("    def heavy", "    format = print\n\n    def heavy")
    found = dreck.compare(OLD.format(**head), new, trial=False)
    assert "takes the place of what string.Formatter has" in [verdict.reason for _, verdict in found.functions]


def test_classes_inside_others_are_looked_at(write):
    inner = "".join(f"    {line}\n" for line in NEW.format(head="", base="dict", name="get").splitlines())
    old = "".join(f"    {line}\n" for line in OLD.format(head="", base="dict").splitlines())
    found = dreck.compare(f"class Yard:\n{old}", f"class Yard:\n{inner}", trial=False)
    assert "takes the place of what builtins.dict has" in [verdict.reason for _, verdict in found.functions]
