"""Classes of files beside, below those that a trial makes: what they do otherwise is not passed over."""

import dreck

YARD = """LOG = []


class Gate:
    def told(self):
        return 1

    def fee(self):
        {}


def charged(gate: Gate):
    {}
"""
EARLY = YARD.format(
    "found = self.told()\n        LOG.append(2)\n        return found",
    "found = gate.told()\n    LOG.append(2)\n    return found",
)
LATE = YARD.format("LOG.append(2)\n        return self.told()", "LOG.append(2)\n    return gate.told()")
BESIDE = "from yard import LOG, Gate\n\n\nclass Under(Gate):\n    def told(self):\n        {}return super().told()\n"


def compared(folder, beside):
    for side, text in (("old", EARLY), ("new", LATE)):
        (folder / side).mkdir(parents=True)
        (folder / side / "yard.py").write_text(text)
        (folder / side / "beside.py").write_text(beside)
    found = dreck.compare(folder / "old", folder / "new")
    return {name.rpartition("::")[2]: verdict for name, verdict in found.functions}


def test_a_method_that_does_more_in_another_file(tmp_path):
    loud = compared(tmp_path, BESIDE.format("LOG.append(1)\n        "))
    assert loud["Gate.fee"].status == loud["charged"].status == "unsettled"
    assert "Under" in loud["charged"].reason


def test_one_that_only_answers(tmp_path):
    quiet = compared(tmp_path, BESIDE.replace("super().told()", "3").format(""))
    assert quiet["Gate.fee"].status == quiet["charged"].status == "tested"
