"""A census of texts that it has seen before, and one whose workers do not see the files."""

from concurrent.futures import ThreadPoolExecutor

import pytest

import dreck
import dreck.workbench.queries.census as module

YARD = """\
import enum


class Material(enum.Enum):
    GLASS = 1
    PAPER = 2
    STEEL = 3


class Load: ...


class Wet(Load): ...


def bay(material):
    if material is Material.GLASS:
        return 1
    if material is Material.PAPER:
        return 2
    raise ValueError(material)


def fee(load):
    return 2 if isinstance(load, Wet) else 1 if isinstance(load, Load) else 0


def word(code):
    match code:
        case "a":
            return 1
        case "b" | "c":
            return 2
"""


@pytest.fixture
def looked_into(monkeypatch, tmp_path):
    """The files whose texts were looked into."""
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path / "cache"))
    paths = []
    look = module.switches_in
    monkeypatch.setattr(module, "switches_in", lambda path, text: paths.append(path.name) or look(path, text))
    return paths


def test_what_is_known_of_a_text_is_not_looked_for_again(tmp_path, looked_into):
    yard, gate = tmp_path / "yard.py", tmp_path / "gate.py"
    yard.write_text(YARD)
    gate.write_text("def f(kind):\n    return {'a': 1, 'b': 2}.get(kind)\n")
    first = dreck.census(tmp_path)
    assert sorted(looked_into) == ["gate.py", "yard.py"] and len(first.groups) >= 2
    assert dreck.census(tmp_path) == first and len(looked_into) == 2
    assert dreck.census(tmp_path, cache=False) == first and len(looked_into) == 4
    yard.write_text(YARD.replace("STEEL = 3", "STEEL = 3\n    WOOD = 4"))
    changed = dreck.census(tmp_path)
    assert looked_into[4:] == ["yard.py"] and changed != first
    moved = tmp_path / "again.py"
    gate.rename(moved)
    assert str(moved) in str(dreck.census(tmp_path).as_json()) and looked_into[5:] == []


def test_texts_are_sent_along_to_workers_of_ones_own(tmp_path, looked_into):
    (tmp_path / "yard.py").write_text(YARD)
    (tmp_path / "odd.py").write_text("def f(:\n")
    alone = dreck.census(tmp_path, cache=False)

    class Elsewhere(ThreadPoolExecutor):
        """One whose workers come when the files are gone."""

        def map(self, function, items):
            items = list(items)
            (tmp_path / "yard.py").unlink()
            return super().map(function, items)

    with Elsewhere(1) as executor:
        found = dreck.census(tmp_path, executor=executor, cache=False)
    assert found == alone and len(found.skipped) == 1
