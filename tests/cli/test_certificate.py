"""`compare --certificate`: what each proof rests on, as JSON."""

import json

OLD = """\
LIMIT = 800


class Load:
    def heavy(self):
        return self.kilos > LIMIT


def admit(load, gate):
    if load is not None:
        for item in load.items:
            if item.kilos > LIMIT:
                gate.refuse(item)
            else:
                if item.wet:
                    gate.dry(item)
        return True
    else:
        return False
"""
NEW = """\
LIMIT = 800


class Load:
    def heavy(self):
        return self.kilos > LIMIT


def admit(load, gate):
    if load is None:
        return False
    for item in load.items:
        if item.kilos > LIMIT:
            gate.refuse(item)
            continue
        if item.wet:
            gate.dry(item)
    return True
"""


def test_written_and_complete(run, write, tmp_path):
    old, new = write(OLD, "old.py"), write(NEW, "new.py")
    done = run("compare", old, new, "--certificate", tmp_path / "cert.json", "--verdict", "proved")
    assert done.returncode == 0, done.stderr
    found = {f["function"]: f["certificate"] for f in json.loads((tmp_path / "cert.json").read_text())["certificates"]}
    assert found["Load.heavy"] is None
    certificate = found["admit"]
    assert certificate["accepted"] and certificate["refusal"] is None
    assert {"kind": "name", "says": "LIMIT is bound once", "line": 1} in certificate["axioms"]
    assert certificate["assumptions"] == ["plain-attributes", "plain-comparisons"]
    loops = [lemma for lemma in certificate["lemmas"] if "loop" in lemma]
    assert len(loops) == 1 and ["old item", "new item"] not in loops[0]["equal_at_head"]
    assert {"back_to": loops[0]["loop"]} in [step for lemma in certificate["lemmas"] for step in lemma.get("no", [])]


def test_only_of_what_is_proved(run, write, tmp_path):
    old, new = write(OLD, "old.py"), write(NEW.replace("return False", "return None"), "new.py")
    assert run("compare", old, new, "--certificate", tmp_path / "cert.json", "--verdict", "proved").returncode == 1
    written = json.loads((tmp_path / "cert.json").read_text())["certificates"]
    assert [f["function"] for f in written] == ["Load.heavy"]


def test_a_file_that_cannot_be_written(run, write, tmp_path):
    old = write(OLD, "old.py")
    done = run("compare", old, old, "--certificate", tmp_path / "none" / "cert.json")
    assert done.returncode == 2 and "cannot be written" in done.stderr and "Traceback" not in done.stderr
