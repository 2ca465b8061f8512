"""Where objects and files lie is no difference of what code does."""

import pytest

from dreck.trial.playing.addresses import without_places
from dreck.trial.server import Version, Wanted, run_trial


@pytest.mark.parametrize(
    ("text", "wanted"),
    [
        ("<Bin at 0x7f40b7fa2930>", "<Bin at 0x…>"),
        ("<weakref at 0x7f40b838f150; to 'Bin' at 0x1f>", "<weakref at 0x…; to 'Bin' at 0x…>"),
        ("['<Bin', '0x7fd703a4ad70>']", "['<Bin', '0x…>']"),
        ("module_7f40b83b4150", "module_0x…"),
        ("0xff and 0x7f", "0xff and 0x7f"),
        ("7f40b83b41501", "7f40b83b41501"),
    ],
)
def test_places_in_memory_are_left_out(text, wanted):
    assert without_places(text) == wanted


@pytest.mark.parametrize("apart", [False, True])
def test_two_trees_lie_in_two_folders(tmp_path, apart):
    code = (
        "import os\n\ndef f(a: int):\n    if a > 3:\n        return os.path.dirname(__file__)\n    return {}\n".format
    )
    versions = []
    for side, last in (("old", "str(a)"), ("new", "repr(a)")):
        folder = tmp_path / side
        folder.mkdir()
        (folder / "yard.py").write_text(code(last))
        versions.append(Version(folder / "yard.py", code(last), "f"))
    found = run_trial(*versions, Wanted(inputs=60, apart=apart))
    assert found.difference is None and not found.problem


def test_a_new_optional_parameter_is_no_difference_by_itself(tmp_path):
    old = "def f(a: int):\n    return a > 3\n"
    new = "def f(a: int, most: int = 3):\n    return a > most\n"
    found = run_trial(Version(tmp_path / "m.py", old, "f"), Version(tmp_path / "m.py", new, "f"), Wanted(inputs=40))
    assert found.difference is None or "arguments" not in found.difference.old
