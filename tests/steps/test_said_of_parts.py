"""What a comment says of the lines below it, and of which of them."""

import ast

from dreck.source.functions import functions_in
from dreck.steps.naming.cuts import _candidates
from dreck.steps.support.arm_comments import said_of_block
from dreck.steps.support.scene import Others, Scene, Wishes
from dreck.steps.support.sheet import Sheet

ONE_PART = """\
def settle(load, bays):
    # find the bay
    bay = bays.get(load.kind)
    if bay is None:
        # nobody has been there yet
        bay = bays.made(load.kind)
    return bay
"""
TWO_PARTS = """\
def settle(load, bays):
    # find the bay
    bay = bays.get(load.kind)

    # put the load there
    bay.put(load)
    return bay
"""
LADDER = """\
def note(load, log):
    for part in load.parts:
        if part.open:
            if part.kind == 1:
                told = "first"
                log.first(part)
            elif part.kind == 2:
                told = "second"
                log.second(part)
            elif part.kind == 3:
                told = "third"
                log.third(part)
            else:
                told = "last"
                log.last(part)
            log.note(told)
    for part in load.parts:
        if part.shut:
            log.shut(part)
            log.count(part)
    log.close()
    log.end(load)
    return log
"""


def test_a_comment_speaks_of_all_of_a_block():
    assert list(said_of_block(Sheet(ONE_PART), 3, 6)) == [["find", "bay"]]


def test_a_comment_speaks_of_the_first_part_alone_where_another_begins_one():
    assert list(said_of_block(Sheet(TWO_PARTS), 3, 6)) == []
    assert list(said_of_block(Sheet(TWO_PARTS), 3, 3)) == [["find", "bay"]]


def test_the_rest_of_a_ladder_is_no_cut(tmp_path):
    tree = ast.parse(LADDER)
    functions = functions_in(tree, LADDER)
    scene = Scene(tmp_path / "yard.py", LADDER, tree, functions, functions[0], Wishes(), 88, Others([]))
    cuts = list(_candidates(scene))
    assert cuts
    assert all(LADDER.splitlines()[cut.first - 1].lstrip().startswith(("if", "for", "told")) for cut in cuts)
