"""Trials made before, and functions that are as they were but rest on something that is not."""

import pytest

import dreck.trial.server as server
from dreck.workbench.compare.compare import compare_texts
from dreck.workbench.compare.folders import compare_folders
from dreck.workbench.compare.sides import read_text
from dreck.workbench.compare.wanted import Wanted

OLD = "from fees import fee\n\n\ndef due(kilos: int):\n    return fee(kilos) + kilos % 7\n"
NEW = "from fees import fee\n\n\ndef due(kilos: int):\n    return fee(kilos) + (kilos - kilos // 7 * 7)\n"
FEES = "def fee(kilos):\n    return kilos * 2\n"


@pytest.fixture
def asked(monkeypatch):
    """How many trials were really made."""
    count = []
    ask = server._server.ask
    monkeypatch.setattr(
        server._Server, "ask", lambda self, request: count.append(request["new"]["name"]) or ask(request)
    )
    return count


@pytest.fixture
def yards(tmp_path, monkeypatch):
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path / "cache"))
    for side, text in (("old", OLD), ("new", NEW)):
        (tmp_path / side).mkdir()
        (tmp_path / side / "gate.py").write_text(text)
        (tmp_path / side / "fees.py").write_text(FEES)
    return tmp_path


def compared(yards, **wanted):
    return compare_texts(read_text(yards / "old/gate.py"), read_text(yards / "new/gate.py"), Wanted(**wanted)).verdict


def test_the_same_trial_is_made_once(yards, asked):
    first = compared(yards)
    assert first.status == "tested" and asked == ["due"]
    assert compared(yards) == first and asked == ["due"]


def test_without_the_cache_it_is_made_anew(yards, asked):
    compared(yards)
    assert compared(yards, cache=False).status == "tested" and len(asked) == 2


def test_what_it_imports_and_data_beside_it_count(yards, asked):
    compared(yards)
    (yards / "new/fees.py").write_text(FEES.replace("* 2", "* 2 + 0"))
    compared(yards)
    assert len(asked) == 2
    (yards / "old/fees.csv").write_text("glass,1\n")
    compared(yards)
    assert len(asked) == 3


def test_a_difference_is_kept_as_it_was_told(yards, asked):
    (yards / "new/gate.py").write_text(NEW.replace("// 7 * 7", "// 7 * 6"))
    first, made = compared(yards), len(asked)
    assert first.status == "differs"
    assert compared(yards) == first and len(asked) == made


def test_a_function_that_is_as_it_was_but_uses_what_is_not(yards):
    for side in ("old", "new"):
        (yards / side / "yard.py").write_text(
            "from fees import fee, even\n\n\ndef first(kilos: int):\n    return fee(kilos)\n\n\n"
            "def second(kilos: int):\n    return even(kilos)\n\n\ndef third(kilos: int):\n    return kilos\n"
        )
    even = "def even(kilos):\n    return not kilos % 2\n"
    (yards / "old/fees.py").write_text(FEES + even)
    (yards / "new/fees.py").write_text(FEES.replace("* 2", "* 3") + even.replace("not kilos % 2", "kilos % 2 == 0"))
    found = dict(compare_folders(yards / "old", yards / "new", Wanted()).functions)
    assert found["yard.py::first"].status == "differs"
    assert not {"yard.py::second", "yard.py::third"} & found.keys() or found["fees.py::even"].status != "tested"


def test_a_function_renamed_and_flattened_is_known_by_proof(tmp_path):
    (tmp_path / "old.py").write_text(
        "def admit(load, permit):\n    if permit is not None:\n        if load.kilos > 10:\n            load.weigh()\n"
        "        else:\n            load.note()\n        load.enter()\n        return load\n    else:\n"
        "        raise ValueError(load)\n\n\ndef other(x):\n    return x\n"
    )
    (tmp_path / "new.py").write_text(
        "def let_in(load, leave):\n    if leave is None:\n        raise ValueError(load)\n    if load.kilos > 10:\n"
        "        load.weigh()\n    else:\n        load.note()\n    load.enter()\n    return load\n\n\n"
        "def other(x):\n    return x\n"
    )
    found = compare_texts(read_text(tmp_path / "old.py"), read_text(tmp_path / "new.py"))
    assert found.moved == (("admit", "let_in"),) and not found.only_old
    assert dict(found.functions)["admit"].status == "proved"


def test_folders_with_nothing_changed_say_so(yards, run):
    (yards / "new/gate.py").write_text(OLD)
    done = run("compare", yards / "old", yards / "new")
    assert (done.returncode, done.stdout) == (0, "no function that both versions have is other than it was\n")


def test_constants_and_classes_that_are_not_the_same_are_told(yards, run):
    (yards / "old/fees.py").write_text(FEES + "UNUSED = 1\n\n\nclass Bin:\n    size = 3\n")
    (yards / "new/fees.py").write_text(FEES + "UNUSED = 2\n\n\nclass Bin:\n    size = 4\n")
    done = run("compare", yards / "old/fees.py", yards / "new/fees.py")
    assert "  defined otherwise: Bin, UNUSED\n" in done.stdout


def test_what_is_imported_by_a_made_name_counts(yards, asked):
    for side in ("old", "new"):
        text = (yards / side / "gate.py").read_text()
        (yards / side / "gate.py").write_text(
            text.replace("from fees import fee", "import importlib\n\nfee = importlib.import_module('fe' + 'es').fee")
        )
    compared(yards)
    (yards / "new/fees.py").write_text(FEES.replace("* 2", "* 2 + 0"))
    compared(yards)
    assert len(asked) == 2
