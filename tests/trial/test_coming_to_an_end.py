"""What is made up comes to an end, and what is neither yes nor no is no outcome that is missing."""

import subprocess
import sys

import dreck
from dreck.trial.inputs.recipes import A_CALL, Make
from dreck.trial.playing.patience import Patience, later_on, runs_out

QUEUE = """\
def drained(queue):
    count = 0
    while not queue.empty():
        load = queue.get()
        count += 1 if load.kind == "glass" else 2
    return count
"""


def test_a_queue_is_empty_some_time():
    patience = Patience()
    for _ in range(20):
        assert (patience.truth("queue"), patience.answer("queue.get()", 0)) == ("bool(queue)", "queue.get()")
        patience.note("queue.get()")
    assert (patience.truth("queue"), patience.answer("queue.get()", 0)) == ("bool(queue)'", "queue.get()'")


def test_a_part_of_a_part_of_a_part_has_no_parts():
    told = [Patience().truth("load" + ".parts[0]" * deep + ".parts") for deep in range(4)]
    assert [len(one) - len(one.rstrip("'")) for one in told] == [0, 0, 1, 2]


def test_a_yes_turns():
    options = [Make("value", True), Make("value", 3), Make("value", False)]
    assert [later_on(options[0], options, later).what for later in (1, 2)] == [False, True]
    assert later_on(None, options, 1).what == 3


def test_only_what_calls_do_not_change_runs_out():
    assert runs_out({"queue.get()'": Make("value", 1)})
    assert not runs_out({"queue.get()'": Make("value", 1), A_CALL: Make("value", "the objects")})
    assert not runs_out({"queue.get()": Make("value", 1)})


def test_a_loop_that_asks_again_and_again_is_tried():
    verdict = dreck.compare(QUEUE, QUEUE.replace("count += 1 if", "count = 1 if").replace("else 2", "else count + 2"))
    assert verdict.status == "differs"


def test_such_a_loop_can_be_pinned(tmp_path):
    (tmp_path / "line.py").write_text(QUEUE)
    (tmp_path / "test_line.py").write_text(dreck.pin(tmp_path / "line.py").text)
    done = subprocess.run([sys.executable, "-m", "pytest", "-q", "-p", "no:cacheprovider"], cwd=tmp_path, timeout=60)
    assert done.returncode == 0


MASKED = """\
class Weights:
    def __init__(self, kilos):
        self.kilos = kilos
    def __gt__(self, most):
        return [kilos > most for kilos in self.kilos]
def heavy(first, second):
    mask = Weights([first, second]) > 3
    total = 0
    for one in mask:
        total += one
    return total
"""


def test_an_answer_that_is_no_yes_and_no_no_is_nothing_to_reach():
    verdict = dreck.compare(MASKED, MASKED.replace("total += one", "total = total + one"), only=["heavy"])
    assert verdict.status == "tested", str(verdict)


WALKED = """\
def plain(value, kind=dict):
    if isinstance(value, list):
        return [plain(part, kind) for part in value]
    if isinstance(value, dict):
        made = kind()
        for key in value:
            made[key] = plain(value[key], kind)
        return made
    return value
"""
WALKED_OTHERWISE = """\
def plain(value, kind=dict):
    if not isinstance(value, list):
        if not isinstance(value, dict):
            return value
        made = kind()
        for key in value:
            made[key] = plain(value[key], kind)
        return made
    return list(plain(part, kind) for part in value)
"""


def test_what_is_gone_through_by_its_keys_may_be_of_another_class():
    found = dreck.compare(WALKED, WALKED_OTHERWISE)
    assert found.status == "tested", str(found)
    found = dreck.compare(WALKED, WALKED_OTHERWISE.replace("return list(", "return tuple("))
    assert found.status == "differs", str(found)
