"""Tables and constants asked for by name on code as people have it: arms with lines in common, classes, sums."""

from pathlib import Path

import pytest

import dreck

FRAMED = """\
def line_for(kind, load):
    if kind == "glass":
        print("weigh")
        line = "belt"
        load.tag = 1
        load.close()
    elif kind == "metal":
        print("weigh")
        line = "magnet"
        load.tag = 2
        load.close()
    elif kind == "paper":
        print("weigh")
        line = "blower"
        load.tag = 3
        load.close()
    else:
        raise ValueError(kind)
    return line
"""
CLASSES = """\
class Item:
    pass


class Jar(Item):
    pass


class Lid(Item):
    pass


class Box(Item):
    pass


"""
GATE = """\
def gate(item):
    if isinstance(item, (Jar, Lid)):
        return 1
    elif isinstance(item, Box):
        return 2
    elif isinstance(item, Item):
        return 3
    raise TypeError(item)
"""
NAMED = """\
def name(item, given):
    if isinstance(item, Jar):
        word = "glass"
    elif isinstance(item, Box):
        word = "paper"
    elif isinstance(item, Lid):
        word = "metal"
    else:
        word = given
    return word
"""
DIGIT = """\
def check_digit(number):
    total = 0
    while number > 0:
        total += number % 11
        number = number // 11
    return 11 - total % 11
"""


def taken(tmp_path: Path, text: str, step: str, **wishes):
    path = tmp_path / "yard.py"
    path.write_text(text)
    return dreck.untangle(path, steps=step, **wishes)


def test_lines_all_arms_share_stand_around_the_table(tmp_path):
    result = taken(tmp_path, FRAMED, "lookup-table")
    assert [s.verdict.status for s in result.steps] == ["proved"]
    assert '    "metal": ("magnet", 2),\n' in result.source
    assert (
        '    print("weigh")\n    line, load.tag = LINE_BY_KIND[kind]\n    load.close()\n    return line'
        in result.source
    )


def test_a_shared_line_that_changes_what_is_looked_up_is_not_moved(tmp_path):
    text = FRAMED.replace('print("weigh")', "kind = load.kind()")
    assert not taken(tmp_path, text, "lookup-table").steps


def test_comments_beside_shared_lines_are_not_lost(tmp_path):
    above = FRAMED.replace(
        '        print("weigh")\n        line = "belt"',
        '        # first\n        print("weigh")\n        line = "belt"',
    )
    below = FRAMED.replace("        load.close()\n    else", "        # at last\n        load.close()\n    else")
    assert not any(taken(tmp_path, text, "lookup-table").steps for text in (above, below))
    text = FRAMED.replace(
        '        print("weigh")\n        line = "magnet"', '        print("weigh")  # twice\n        line = "magnet"'
    )
    assert not taken(tmp_path, text, "lookup-table").steps


@pytest.mark.parametrize("code", [GATE, NAMED])
def test_values_by_class_are_rows_in_their_order(tmp_path, code):
    result = taken(tmp_path, CLASSES + code, "lookup-table")
    assert [s.verdict.status for s in result.steps] == ["proved"]
    assert "_BY_CLASS:\n        if isinstance(item, kind):" in result.source


def test_a_row_holds_all_the_classes_of_its_arm(tmp_path):
    assert "    ((Jar, Lid), 1),\n" in taken(tmp_path, CLASSES + GATE, "lookup-table").source


def test_a_number_of_the_arithmetic_is_named_everywhere_in_the_function(tmp_path):
    asked = taken(tmp_path, DIGIT, "named-constant")
    assert not asked.steps and "--name 11=NAME" in str(asked.refused[0].reason)
    result = taken(tmp_path, DIGIT, "named-constant", names={"11": "MODULUS"})
    assert [s.verdict.status for s in result.steps] == ["proved"]
    assert "11" not in result.source.replace("MODULUS = 11", "") and result.source.count("MODULUS") == 5


SWITCH = """\
def fee(tool):
    if isinstance(tool, Jar):
        return 1
    elif isinstance(tool, Box):
        return 2
"""


def test_the_kinds_a_switch_asks_for_are_all_when_that_is_assumed(tmp_path):
    plain = CLASSES.replace("(Item)", "") + SWITCH
    result = taken(tmp_path, plain, "polymorphic-methods", assume=["known-kinds"])
    assert [s.verdict.status for s in result.steps] == ["proved"]
    assert "known-kinds" in result.steps[0].verdict.assumptions and "    return tool.fee()\n" in result.source
    assert "isinstance" in taken(tmp_path, plain, "polymorphic-methods").source


def test_what_is_bound_twice_is_not_known_by_its_kinds(tmp_path):
    """Only behind the one place that binds it a test can stand which says what both versions do with others."""
    plain = CLASSES.replace("(Item)", "") + SWITCH.replace("def fee(tool):", "def fee(box):\n    tool = box.tool")
    assert taken(tmp_path, plain, "polymorphic-methods", assume=["known-kinds"]).steps
    again = plain.replace("    tool = box.tool", "    tool = box.tool\n    if box.spare:\n        tool = box.spare")
    assert not taken(tmp_path, again, "polymorphic-methods", assume=["known-kinds"]).steps


def test_an_assumption_nobody_knows_is_refused(tmp_path):
    with pytest.raises(dreck.DreckError):
        taken(tmp_path, DIGIT, "named-constant", assume=["known-kind"])


ROWS = """\
def total(counts):
    kilos = 0
    kilos += bulk(counts, "glass", 40)
    kilos += bulk(counts, "paper", 30)
    kilos += bulk(counts, "metal", 20)
    return kilos


def bulk(counts, name, at):
    return counts.get(name, 0) * at
"""


def test_rows_can_be_passed_in(tmp_path):
    result = taken(tmp_path, ROWS, "rule-list", form="parameter")
    assert [s.verdict.status for s in result.steps] == ["proved"]
    assert result.steps[0].verdict.assumptions[-1] == "calls-as-before"
    assert "def total(counts, rows=BULK_ROWS):" in result.source and "for name, at in rows:" in result.source


def test_rows_are_not_passed_where_arguments_are_collected(tmp_path):
    text = ROWS.replace("total(counts)", "total(counts, *others)")
    assert not taken(tmp_path, text, "rule-list", form="parameter").steps
    assert taken(tmp_path, text, "rule-list").steps


@pytest.mark.parametrize(
    ("parameters", "status"),
    [
        ("kilos, times=2", "proved"),
        ("kilos, *, times=2", "proved"),
        ("kilos, times=LIMIT", "proved"),
        ("kilos, times=3", "differs"),
        ("times=2, kilos=1", "differs"),
        ("kilos, times=2, **others", "proved"),
    ],
)
def test_a_new_parameter_is_given_by_nobody_from_before(parameters, status):
    old = "LIMIT = 2\n\n\ndef f(kilos):\n    return kilos * 2\n"
    new = f"LIMIT = 2\n\n\ndef f({parameters}):\n    return kilos * times\n"
    found = dreck.compare(old, new)
    assert found.status == status, str(found)


@pytest.mark.parametrize(
    ("body", "becomes"),
    [
        ("    if a.full:\n        return 1\n    return 2\n", "    return 1 if a.full else 2\n"),
        ("    if a.full:\n        return 1\n    else:\n        return 2\n", "    return 1 if a.full else 2\n"),
        ("    if a.full:\n        return 1, 2\n    return 3, 4\n", "    return (1, 2) if a.full else (3, 4)\n"),
        ("    if a.full:\n        return 1  # no room\n    return 2\n", ""),
        ("    if a.full:\n        return 1\n    # there is room\n    return 2\n", ""),
        ("    if a.full:\n        return True\n    return False\n", ""),
        ("    if a.full:\n        return 1\n    elif a.half:\n        return 2\n    return 3\n", ""),
    ],
)
def test_two_returns_become_one_for_who_names_the_step(tmp_path, body, becomes):
    text = f"def f(a):\n{body}"
    result = taken(tmp_path, text, "choose-value")
    assert result.source == (f"def f(a):\n{becomes}" if becomes else text)
    (tmp_path / "yard.py").write_text(text)
    assert "choose-value" not in [s.step for s in dreck.untangle(tmp_path / "yard.py").steps]


def test_a_sum_that_stands_twice_gets_a_name(tmp_path):
    text = "def digit(number):\n    if number % 11 == 10:\n        return 'X'\n    return str(number % 11)\n"
    result = taken(tmp_path, text, "shared-term")
    assert [s.verdict.status for s in result.steps] == ["proved"] and "remainder = number % 11\n" in result.source


ENTER = """\
import math


def may_enter(load, permit, gate):
    if gate["open"] and load.kilos > 0 and load.kilos <= permit.limit and not permit.revoked:
        return math.ceil(load.kilos)
    return 0
"""


def test_a_policy_is_made_of_a_condition_in_one_go(tmp_path):
    asked = taken(tmp_path, ENTER, "policy-class")
    assert not asked.steps and "--name 'load.kilos <= permit.limit=NAME'" in str(asked.refused[0].reason)
    result = taken(tmp_path, ENTER, "policy-class", names={"load.kilos <= permit.limit": "is_within_limit"})
    assert [s.verdict.status for s in result.steps] == ["proved"]
    assert "class EnterPolicy:" in result.source and "if EnterPolicy(gate, load, permit).holds():" in result.source
    assert "def _is_within_limit(self):" in result.source and "\n\n\n\n" not in result.source


def test_fields_are_called_by_what_they_hold(tmp_path):
    text = 'FEE_OF = {"glass": 3, "paper": 1}\nLINE_OF = {"glass": "belt", "paper": "press"}\n\n\ndef told(kind):\n    return FEE_OF[kind], LINE_OF[kind]\n'
    result = taken(tmp_path, text, "row-list")
    assert "    fee: int\n    line: str\n" in result.source and "ROWS[kind].fee, ROWS[kind].line" in result.source


def test_a_condition_of_several_lines_keeps_its_comments_and_its_shape(tmp_path):
    told = 'if (\n        gate["open"]  # the yard\n        and load.kilos > 0\n        and load.kilos <= permit.limit\n    ):'
    text = ENTER.replace(
        'if gate["open"] and load.kilos > 0 and load.kilos <= permit.limit and not permit.revoked:', told
    )
    result = taken(tmp_path, text, "policy-class", names={"load.kilos <= permit.limit": "is_within_limit"})
    assert "        return (\n            self._is_open()  # the yard\n" in result.source, result.source


def test_a_test_that_runs_code_is_not_left_with_nothing_behind_it(tmp_path):
    text = (
        "def sql(vendor, param, rows):\n    if not hasattr(param, 'sql'):\n        if vendor == 'a':\n            rows.append(1)\n"
        "        elif vendor == 'b':\n            rows.append(2)\n    if vendor == 'a':\n        rows.append(3)\n    return rows\n"
    )
    result = taken(tmp_path, text, "regroup")
    assert not result.steps and "nothing behind it" in str(result.refused[-1].reason)


def test_values_of_several_lines_stand_on_one(tmp_path):
    text = FRAMED.replace('line = "magnet"', 'line = (\n            "magnet",\n            "belt",\n        )')
    assert '    "metal": (("magnet", "belt",), 2),\n' in taken(tmp_path, text, "lookup-table").source


def test_a_comment_for_a_tool_keeps_methods_out_of_a_table(tmp_path):
    import dreck

    arms = "".join(
        f'        {word} kind == "{kind}":\n            return self.{kind}(load){said}\n'
        for word, kind, said in (("if", "glass", ""), ("elif", "paper", "  # noqa: E501"), ("elif", "card", ""))
    )
    file = tmp_path / "line.py"
    file.write_text(f"class Line:\n    def take(self, kind, load):\n{arms}        raise ValueError(kind)\n")
    result = dreck.untangle(file, steps=["call-table"])
    assert not result.steps and "a comment for a tool" in result.files[0].functions[0].refused[0].reason
