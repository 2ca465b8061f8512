"""Of functions that are not asked for only those are judged that may have a say in the verdict."""

import dreck
from dreck.workbench.judging import judge

_OLD = """\
def fee(kilos):
    return rated(kilos) + 1
def rated(kilos):
    return base(kilos) * 2
def base(kilos):
    return kilos + 1
"""


def _judged(monkeypatch, new: str) -> tuple[str, set[str]]:
    asked = []
    whole = judge.Judge.verdict

    def verdict(self, old, *given):
        asked.append(old.name)
        return whole(self, old, *given)

    monkeypatch.setattr(judge.Judge, "verdict", verdict)
    return dreck.compare(_OLD, new, only=["fee"], trial=False).status, set(asked)


def test_a_proof_asks_for_all_that_it_leads_to(monkeypatch):
    new = _OLD.replace("kilos + 1", "1 + kilos").replace("kilos) * 2", "kilos) * 2 ")
    assert _judged(monkeypatch, new) == ("unsettled", {"fee", "base"})


def test_what_is_open_already_asks_for_nothing_more(monkeypatch):
    new = _OLD.replace("kilos + 1", "1 + kilos").replace(") + 1", ") + 2")
    assert _judged(monkeypatch, new) == ("unsettled", {"fee"})
