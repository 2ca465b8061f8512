"""The Python calls: load, survey, untangle, compare, and results that print well."""

import concurrent.futures

import pytest

import dreck
from tests.conftest import YARD


def straight(load):
    if load is None:
        return 0
    return load.kilos * 2


def tangled(load):
    if load is not None:
        result = load.kilos * 2
    else:
        result = 0
    return result


def wrong(load):
    if load is None:
        return 0
    return load.kilos * 3


def test_compare_live_functions():
    same = dreck.compare(tangled, straight)
    assert same
    assert same.status == "proved"
    assert str(same).startswith("proved: the same on every path")
    other = dreck.compare(tangled, wrong)
    assert not other
    assert other.status == "differs"
    assert "load.kilos" in other.difference.input
    assert "differs for" in str(other)


def test_compare_source_texts_and_targets():
    old = "def f(a):\n    if a: return 1\n    else: return 2\n"
    assert dreck.compare(old, "def g(a):\n    if not a: return 2\n    return 1\n")
    assert dreck.compare(YARD / "gate.py", YARD / "gate.py").status == "proved"
    unsettled = dreck.compare(old, "def f(a):\n    return 1 if a else 3\n", trial=False)
    assert unsettled.status == "unsettled"
    with pytest.raises(dreck.BadTarget):
        dreck.compare(old, straight)
    with pytest.raises(dreck.BadTarget):
        dreck.compare(len, straight)


def test_load_and_untangle():
    gate = dreck.load(YARD / "gate.py::admit")
    assert gate.tangle == 45
    assert gate.source.startswith("def admit(")
    result = dreck.untangle(gate)
    assert result.source.count("\n") < gate.source.count("\n")
    assert [s.step for s in result.steps] == ["return-at-once"] + ["guard-clauses"] * 5
    assert "tangle 45 -> 5" in str(result)
    assert result.diff.startswith("--- ")
    assert not result.written
    assert repr(result.files[0]) == f"<FileResult {YARD / 'gate.py'}: 1 functions changed>"
    assert len(repr(result.functions)) < 200
    whole = dreck.untangle(YARD / "gate.py")
    assert whole.source.startswith((YARD / "gate.py").read_text()[:40]) and "def admit(" in whole.source
    only = dreck.untangle(gate, steps=["return-at-once"])
    assert [s.step for s in only.steps] == ["return-at-once"]


def test_what_results_look_like(tmp_path):
    path = tmp_path / "gate.py"
    path.write_text("def admit(a: int):\n    if a > 3:\n        return 1\n    else:\n        return 2\n")
    pins = dreck.pin(path)
    assert repr(pins) == "<Pins: 2 cases of 1 functions>" and "Pinned" in repr(pins.functions[0])
    assert dreck.offer(YARD / "gate.py")._repr_html_().startswith("<table>")
    with pytest.raises(dreck.BadTarget, match="a lambda has no name"):
        dreck.assert_same(lambda a: 1, lambda a: 1)


def test_load_wants_one_function(tmp_path):
    with pytest.raises(dreck.BadTarget, match="name one of its"):
        dreck.load(YARD / "gate.py")
    with pytest.raises(dreck.BadTarget, match="is a class"):
        dreck.load(YARD / "materials.py::Bale")


def test_workers_of_ones_own_find_the_same(tmp_path):
    old, new = tmp_path / "old", tmp_path / "new"
    for folder, least in ((old, 3), (new, 4)):
        folder.mkdir()
        for name in ("gate", "scale"):
            body = f"    if kilos > {least}:\n        return 2\n    else:\n        return 1\n"
            (folder / f"{name}.py").write_text(f"def fee(kilos: int):\n{body}")
    with concurrent.futures.ThreadPoolExecutor(1) as pool:
        spread, alone = (dreck.untangle(old, verdict="proved", executor=of, cache=False) for of in (pool, None))
        assert spread.as_json() == alone.as_json() and len(alone.steps) == 2
        spread, alone = (dreck.compare(old, new, executor=of, cache=False) for of in (pool, None))
        assert spread.functions == alone.functions and spread.status == "differs"


def test_survey_frame_and_executor():
    plain = dreck.survey(YARD)
    assert plain.rows[0].function.endswith("desk.py::handle")
    frame = plain.to_frame()
    assert list(frame["tangle"])[0] == plain.rows[0].tangle
    assert len(frame) == len(plain)
    with concurrent.futures.ThreadPoolExecutor(2) as pool:
        assert dreck.survey(YARD, executor=pool).rows == plain.rows
    assert "handle" in str(plain)


def test_nested_functions_are_straightened_inside_their_function(straighten):
    result = straighten(
        """
        def outer(loads, limit):
            def keep(load):
                if load.kilos > limit:
                    return True
                else:
                    weigh(load)
                    return False
            if loads:
                kept = [load for load in loads if keep(load)]
                store(kept)
                return kept
            else:
                return []
        """
    )
    assert {f.name for f in result.functions if f.changed} == {"outer", "outer.keep"}
    assert {s.verdict.status for s in result.steps} == {"proved"}
    compile(result.files[0].new, "x", "exec")
    assert "else" not in result.files[0].new


def test_a_trial_stands_in_where_proof_ends(straighten):
    code = """
        class Scale:
            def __init__(self, kilos):
                self.kilos = kilos
            def __enter__(self):
                return self
            def __exit__(self, *exc):
                self.kilos = 0

        def f(kilos: int):
            with Scale(kilos) as open_scale:
                if open_scale.kilos > 3:
                    found = "heavy"
                else:
                    found = "light"
            return found
    """
    proof_only = straighten(code, "return-at-once")
    assert proof_only.refused
    tested = straighten(code, "return-at-once", verdict="tested")
    assert {s.verdict.status for s in tested.steps} >= {"tested"}
    verdict = next(s.verdict for s in tested.steps if s.verdict.status == "tested")
    assert verdict.inputs > 0
    assert verdict.outcomes[0] == verdict.outcomes[1] > 0


@pytest.mark.parametrize("file", sorted(YARD.glob("*.py")), ids=lambda f: f.name)
def test_the_yard_keeps_its_comments_and_its_behaviour(file, tmp_path):
    from dreck.workbench.engine.straighten import comments

    old = file.read_text()
    result = dreck.untangle(file, verdict="proved")
    new = result.files[0].new
    assert not comments(old) - comments(new)
    (tmp_path / file.name).write_text(new)
    assert dreck.compare(file, tmp_path / file.name, trial=False, assume=["total-order"])
    assert all(s.verdict.status == "proved" for s in result.steps)


def test_what_was_measured_is_known_the_next_time(tmp_path, monkeypatch, write, capfd):
    """The same rows, with and without; a file that changed is measured anew; a damaged cache is begun anew."""
    from dreck.workbench.queries import survey as module
    from dreck.workbench.store.cache import cache_file

    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path / "cache"))
    measured = []
    measure_file = module.measure_file
    monkeypatch.setattr(
        module, "measure_file", lambda target: measured.append(target.path.name) or measure_file(target)
    )
    one = write("def f(a, b):\n    if a:\n        if b:\n            return 1\n    return 2\n", "one.py")
    two = write("def g(a):\n    return a\n", "two.py")
    first = dreck.survey(tmp_path)
    assert sorted(measured) == ["one.py", "two.py"]
    assert dreck.survey(tmp_path).rows == first.rows and len(measured) == 2
    assert dreck.survey(tmp_path, cache=False).rows == first.rows and len(measured) == 4
    two.write_text("def g(a):\n    if a:\n        return 1\n    return a\n")
    assert dreck.survey(tmp_path).rows != first.rows and measured[4:] == ["two.py"]
    assert dreck.survey(f"{one}::f").rows == first.rows[:1]
    cache_file().write_bytes(b"not a database at all" * 100)
    assert len(dreck.survey(tmp_path)) == 2 and "begun anew" in capfd.readouterr().err
    assert len(dreck.survey(tmp_path)) == 2 and not capfd.readouterr().err


ASSERTING = "def entered(kilos):\n    assert kilos > 0, 'empty'\n    return kilos\n"


def test_an_assertion_in_one_version_only_is_not_called_tested():
    """Python leaves assertions out when it is asked to (`-O`); a trial runs with them."""
    raising = "def entered(kilos):\n    if not kilos > 0:\n        raise AssertionError('empty')\n    return kilos\n"
    verdict = dreck.compare(ASSERTING, raising)
    assert verdict.status == "unsettled"
    assert "python -O" in verdict.reason
    assert dreck.compare(ASSERTING, ASSERTING.replace("kilos > 0", "bool(kilos > 0) is True")).status == "tested"


def test_loops_over_constants_inside_one_another_are_not_all_written_out():
    """Five of twelve rounds each would be a quarter of a million."""
    rounds = ", ".join(map(str, range(12)))
    heads = [f"{'    ' * n}for x{n} in ({rounds}):\n" for n in range(1, 6)]
    old = f"def f(ask):\n{''.join(heads)}{'    ' * 6}ask(x1)\n"
    verdict = dreck.compare(old, old.replace("(0, 1,", "(9, 1,"), trial=False)
    assert verdict.status == "unsettled" and "budget" not in verdict.reason
