"""offer, --far, --gate: what could be done, taken as it is typed there."""

import json
import shlex
from itertools import combinations

import pytest

import dreck

YARD = """\
def fee(kind, kilos, member):
    if kind == "glass":
        return 3
    elif kind == "paper":
        return 5
    elif kind == "metal":
        return 9
    else:
        return 0


def book(loads, log):
    total = 0
    for load in loads:
        if load.kilos > 0:
            if not load.void:
                net = load.gross - load.tare
                if net > 900:
                    log.note(load)
                    net = 900
                if load.wet:
                    net -= 20
                total += net
    return total


def plain(n):
    return n + 1
"""


@pytest.fixture
def yard(tmp_path):
    (tmp_path / "yard.py").write_text(YARD)
    return tmp_path / "yard.py"


def test_the_best_stands_first_and_every_command_does_what_it_says(yard, call):
    found = dreck.offer(yard)
    gains = [o.gain for o in found]
    assert gains == sorted(gains, reverse=True) and gains[-1] > 0
    assert {"lookup-table", "named-block"} <= {s for o in found for s in o.steps}
    for offered in found:
        words = shlex.split(offered.command)[1:]
        words = [f"{yard}{w.removeprefix(str(yard))}" if w.startswith(str(yard)) else w for w in words]
        told = call(*[w.replace("NAME", "given_name") for w in words], "--json")
        assert told.returncode == 0, (offered.command, told.stderr)
        taken = [f for f in json.loads(told.stdout)["functions"] if f["steps"]]
        assert taken and taken[0]["after"]["tangle"] == offered.after.tangle, offered.command


def test_what_a_person_has_to_say_is_told(yard):
    cut = next(o for o in dreck.offer(yard) if o.steps == ("named-block",))
    assert cut.needs == ("a name",) and cut.command.endswith("--step named-block --name NAME")
    assert cut.gain < cut.before.tangle - cut.after.tangle  # what is cut out counts
    table = next(o for o in dreck.offer(yard) if o.steps == ("lookup-table",))
    assert table.needs == ("assumes hashable-key",)


def test_on_a_terminal_and_as_json(yard, call):
    told = call("offer", yard, "--top", "2").stdout
    assert told.count("dreck untangle") == 2 and "more offers (--top N)" in told
    shown = call("offer", yard, "--show", "1").stdout
    assert "offer 1:" in shown and "def book" in shown
    data = json.loads(call("offer", yard, "--json").stdout)
    assert {"function", "line", "steps", "before", "after", "verdict", "assumptions", "needs", "command"} <= set(
        data["offers"][0]
    )
    wrong = call("offer", yard, "--show", "99")
    assert wrong.returncode == 2 and "there are" in wrong.stderr
    nothing = call("offer", f"{yard}::plain")
    assert "nothing that would take something off the reader" in nothing.stdout


LINE = """\
def sort(loads, log):
    if loads:
        done = []
        for load in loads:
            # keep what is worth it
            if load.dry:
                log.weigh(load)
                if load.kilos > 3:
                    log.take(load)
                    log.keep(load)

            # what comes next
            if load.last:
                done.append(load)
        return done
    else:
        raise ValueError(loads)
"""


def test_two_commands_that_bring_more_than_one(tmp_path, call):
    yard = tmp_path / "line.py"
    yard.write_text(LINE)
    found = dreck.offer(yard)
    pair = next(o for o in found if " --write && " in o.command)
    assert all(pair.gain > o.gain for o in found if set(o.steps) < set(pair.steps))
    for command in pair.command.split(" && "):
        words = [w.replace("NAME", "sort_pieces") for w in shlex.split(command)[1:]]
        told = call(*words, *([] if "--write" in words else ["--write"]), "--json")
        assert told.returncode == 0, told.stderr
    assert sum(row.tangle for row in dreck.survey(yard)) == pair.before.tangle - pair.gain
    yard.write_text(LINE)
    (row,) = dreck.survey(yard, after=True)
    assert row.reached == row.tangle - max(o.gain for o in found)
    assert " reach " in call("survey", yard, "--after").stdout


BANDS = """

def band(kilos: int):
    if kilos < 10:
        return "small"
    elif kilos < 100:
        return "middle"
    elif kilos < 1000:
        return "large"
    else:
        return "huge"
"""


def test_far_takes_what_needs_nobody(yard):
    yard.write_text(YARD + BANDS)
    flat, far = dreck.untangle(yard), dreck.untangle(yard, far=True)
    assert {t.step for t in flat.steps} < {t.step for t in far.steps}
    assert all(t.verdict.status == "proved" for t in far.steps)


def test_a_gate_writes_nothing(yard, call):
    assert call("untangle", yard, "--gate").returncode == 1
    assert yard.read_text() == YARD
    assert call("untangle", f"{yard}::plain", "--gate").returncode == 0
    refused = call("untangle", yard, "--gate", "--write")
    assert refused.returncode == 2 and "--gate writes nothing" in refused.stderr


WHOLE = """\
def sort(loads, log):
    done = []
    for load in loads:
        # keep what is worth it
        if load.dry:
            log.weigh(load)
            if load.kilos > 3:
                log.take(load)
                if load.clear:
                    log.stamp(load)
                    log.keep(load)

        # what comes next
        if load.last:
            done.append(load)
        elif load.first:
            log.begin(load)
    return done
"""


def test_a_smaller_cut_is_offered_beside_the_whole(tmp_path):
    yard = tmp_path / "line.py"
    yard.write_text(WHOLE)
    best = dreck.offer(yard).offers[0]
    assert (best.steps, best.line, best.last, best.verdict) == (("named-block",), 8, 11, "proved")


def test_one_cut_is_not_offered_under_two_names(tmp_path):
    """Lines and most of the same lines are one place; a branch that is cut out is the same cut as its lines are."""
    arms = "".join(
        f"        if kind == 'k{n}':\n            if load.wet:\n                out.wet(load)\n            else:\n"
        f"                out.dry(load)\n            if load.kilos > {n}:\n                out.heavy(load)\n"
        for n in range(4)
    )
    file = tmp_path / "line.py"
    file.write_text(f"def sort(loads, out):\n    for load in loads:\n        kind = load.kind\n{arms}    return out\n")
    cuts = [o for o in dreck.offer(file) if o.steps in (("named-block",), ("named-branch",))]
    assert cuts
    for one, other in combinations(cuts, 2):
        common = min(one.last, other.last) - max(one.line, other.line) + 1
        assert common <= (max(one.last, other.last) - min(one.line, other.line) + 1) / 2


def test_a_cut_of_a_method_is_judged_under_a_private_name(tmp_path):
    lines = YARD[YARD.index("def book") : YARD.index("def plain")].rstrip().replace("(loads, log)", "(self, loads, log)")
    desk = "from threading import Thread\n\n\nclass Desk(Thread):\n" + "".join(f"    {line}\n" for line in lines.splitlines())
    (tmp_path / "desk.py").write_text(desk.replace("log.note(load)", "self.noted = load"))
    cuts = [o for o in dreck.offer(tmp_path / "desk.py") if o.steps == ("named-block",)]
    assert cuts and {o.verdict for o in cuts} == {"proved"}


def test_names_that_are_made_are_told(yard, call):
    found = dreck.offer(yard)
    table = next(o for o in found if o.steps == ("lookup-table",))
    assert table.makes and all(not o.makes for o in found if "a name" in o.needs)
    assert f"makes {table.makes[0]}" in call("offer", yard).stdout
    told = json.loads(call("offer", yard, "--json").stdout)["offers"]
    assert [o["makes"] for o in told] == [list(o.makes) for o in found]


def test_one_statement_is_no_cut(tmp_path):
    said = "{0}desk.say(\n{0}    load,\n{0}    line=line,\n{0}    least=3,\n{0}    at_most=9,\n{0})\n"
    test = f"        if load.kilos > 9:\n            if load.wet:\n{said.format(' ' * 16)}"
    head = "def told(loads, line, desk):\n    for load in loads:\n        line.take(load)\n        line.move()\n"
    (tmp_path / "yard.py").write_text(f"{head}{test}    return loads\n")
    cuts = [o for o in dreck.offer(tmp_path / "yard.py") if "named-block" in o.steps]
    assert all(o.last - o.line > 5 for o in cuts), cuts
