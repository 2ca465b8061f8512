"""A change on purpose: all but one block of a function has to be what it was, and that block a declared statement."""

import ast
from dataclasses import replace

from dreck.errors import DreckError
from dreck.source.functions import functions_in, parse
from dreck.source.walking import walk
from dreck.workbench.compare.compare import judge_rewrite
from dreck.workbench.compare.sides import Text
from dreck.workbench.compare.wanted import Wanted
from dreck.workbench.judging.verdict import Verdict


def judged_on_purpose(old: Text, new: Text, name: str, statement: str, expect: str, wanted: Wanted) -> Verdict:
    """The verdict on everything but what is changed on purpose, with an input that shows the change.

    `statement` is what the changed block of function `name` becomes. With `expect` the two may differ only where
    that condition on the arguments holds; without, everything but one block has to be the same code.
    """
    if expect:
        try:
            return judge_rewrite(old, new, replace(wanted, expect=expect))
        except DreckError:
            return Verdict("unsettled", reason=f"`{expect}` is no condition on the arguments; write a guard first")
    against = _all_but_one_block(old, new, name, statement)
    if against:
        return Verdict("unsettled", reason=against)
    same = Verdict("proved", reason="all but the block named is the same code")
    if not wanted.trial:
        return same
    shown = judge_rewrite(old, new, wanted)
    if shown.status != "differs" or shown.difference is None:
        why = f": {shown.reason}" if shown.reason else ""
        return replace(same, reason=f"no input was found that comes there{why}")
    return replace(same, inputs=shown.inputs, expected=shown.difference)


def _all_but_one_block(old: Text, new: Text, name: str, statement: str) -> str:
    """Why two modules are not the same code but for one block of one function; '' when they are."""
    trees = [parse(side.text, side.path) for side in (old, new)]
    places = []
    for tree, side in zip(trees, (old, new), strict=True):
        found = [f.node for f in functions_in(tree, side.text) if f.name == name]
        if len(found) != 1:
            return f"{name} is not there, or twice"
        places.append(found[0])
    wanted = ast.dump(ast.parse(statement).body[0])
    blocks = [_blocks(place) for place in places]
    if len(blocks[0]) != len(blocks[1]):
        return "more than one block is another"
    others = [(a, b) for a, b in zip(*blocks, strict=True) if list(map(ast.dump, a)) != list(map(ast.dump, b))]
    innermost = [(a, b) for a, b in others if len(b) and ast.dump(b[-1]) == wanted and len(a) == len(b)]
    if not innermost:
        return f"no block becomes `{statement}`"
    before, after = innermost[-1]
    if list(map(ast.dump, before[:-1])) != list(map(ast.dump, after[:-1])):
        return "more than one statement is another"
    before[-1] = after[-1]
    return "" if ast.dump(trees[0]) == ast.dump(trees[1]) else "more than one block is another"


def _blocks(node: ast.AST) -> list[list[ast.stmt]]:
    """Every block below a node, outer ones first."""
    found = []
    for n in walk(node):
        for field in ("body", "orelse", "finalbody"):
            block = getattr(n, field, None)
            if isinstance(block, list) and block and isinstance(block[0], ast.stmt):
                found.append(block)
    return found
