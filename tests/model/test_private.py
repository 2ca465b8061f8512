"""Private names of classes: where a word may be one as Python reads it, and in how many classes one is said."""

import ast

import pytest

from dreck.model.names.private import means_several, spelt_out


@pytest.mark.parametrize(
    ("text", "found"),
    [
        ("_Load__kilos", "__kilos"),
        ("load._Load__kilos and more", "__kilos"),
        ("_Wet__Load__kilos", "__kilos"),
        ("Load__kilos", ""),
        ("a_Load__kilos", ""),
        ("_Load_kilos", ""),
        ("_Load__kilos_", ""),
        ("_a" * 60_000 + " __b", ""),
        ("_Load" + "_" * 60_000, ""),
    ],
)
def test_a_private_name_that_is_spelt_out(text, found):
    tree = ast.parse(f"def f(load):\n    return load.__kilos\nTOLD = {text!r}\n")
    assert spelt_out(tree.body[0], [tree]) == found


@pytest.mark.parametrize(
    ("code", "several"),
    [
        ("class A:\n    def __f(self):\n        return self.__f()\n", False),
        (
            "class A:\n    def __f(self):\n        pass\nclass B(A):\n    def g(self):\n        return self.__f()\n",
            True,
        ),
        (
            "class A:\n    class B:\n        def __f(self):\n            pass\n    def g(self):\n        self.__f()\n",
            True,
        ),
        ("class A:\n    def __f(self):\n        pass\ndef g(a):\n    return a.__f\n", True),
        ("class A:\n    def f(self):\n        def g():\n            return self.__f\n        self.__f = g\n", False),
    ],
)
def test_a_name_in_several_classes(code, several):
    assert means_several("__f", [ast.parse(code)]) is several
