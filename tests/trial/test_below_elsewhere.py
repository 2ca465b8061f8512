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


def alone(folder, beside, **others):
    """Both versions in one project, compared as two files of it."""
    (folder / "pyproject.toml").write_text("")
    for name, text in {"yard": EARLY, "later": LATE, "beside": beside, **others}.items():
        (folder / f"{name}.py").write_text(text)
    found = dreck.compare(folder / "yard.py", folder / "later.py")
    return dict(found.functions)


def test_one_of_the_project_where_two_files_are_compared(tmp_path):
    loud = alone(tmp_path, BESIDE.format("LOG.append(1)\n        "))
    assert loud["charged"].status == "unsettled" and "Under in beside.py" in loud["charged"].reason


def test_one_by_another_name_and_one_below_it(tmp_path):
    renamed = "from yard import LOG, Gate as Port\n\n\nclass Under(Port):\n    pass\n"
    below = "import beside\n\n\nclass Third(beside.Under):\n    def told(self):\n        print(3)\n        return 1\n"
    assert "Third in third.py" in alone(tmp_path, renamed, third=below)["charged"].reason


def test_a_project_that_only_answers(tmp_path):
    assert alone(tmp_path, BESIDE.replace("super().told()", "3").format(""))["charged"].status == "tested"
