"""Two steps of a yard's own: an early exit that says so in the log, and the shorter branch in front.

`log-early-exit` shows a setting; what it makes is no longer the same program, and so it is never taken: the judge
sees that. `short-branch-first` is a step like Dreck's own.
"""

import ast
from collections.abc import Iterable, Iterator

import libcst as cst

from dreck.steps.api import (
    FunctionNode,
    Options,
    Rewrite,
    Setting,
    Site,
    Step,
    Tree,
    Untouchable,
    as_block,
    leaves,
    negations,
    places,
    spliced,
)  # fmt: skip


def _long_then_short(function: FunctionNode) -> Iterator[Site]:
    """An `if` with an `else` that is much shorter, and none of them leaves."""
    for block, index, statement in places(function):
        if isinstance(statement, ast.If) and statement.orelse and not isinstance(statement.orelse[0], ast.If):
            long, short = (part[-1].end_lineno - part[0].lineno + 1 for part in (statement.body, statement.orelse))
            if long >= 3 * short and not leaves(statement.body) and not leaves(statement.orelse):
                yield Site(block.path, index, statement.lineno, f"{short} lines stand behind {long}", finishes=True)


def _swapped(tree: Tree, site: Site, options: Options) -> Iterable[Rewrite]:
    def change(block: cst.IndentedBlock) -> cst.IndentedBlock:
        statement = block.body[site.index]
        if not isinstance(statement, cst.If) or not isinstance(statement.orelse, cst.Else):
            raise Untouchable("no plain if and else stand there")
        if statement.orelse.leading_lines:
            raise Untouchable("a comment speaks of the else")
        test, _ = next(iter(negations(statement.test)))
        other = statement.orelse.with_changes(body=as_block(statement.body))
        made = statement.with_changes(test=test, body=as_block(statement.orelse.body), orelse=other)
        return spliced(block, site.index, [made])

    yield Rewrite(tree.edit(site.path, change))


SHORT_FIRST = Step(
    name="short-branch-first",
    group="yard",
    order=500,
    summary="The shorter of two branches stands first.",
    why="A reader is done with one line before the long branch begins.",
    when_not="Where one branch is the exception: it belongs behind what is usual.",
    before="""\
def weigh(load, log):
    if load.wet:
        log.note(load)
        load.dry()
        load.kilos = load.scale()
    else:
        load.kilos = load.scale()
""",
    after="""\
def weigh(load, log):
    if not load.wet:
        load.kilos = load.scale()
    else:
        log.note(load)
        load.dry()
        load.kilos = load.scale()
""",
    traps=("A comment above the `else:` speaks of what stands there; such a place is left alone.",),
    find=_long_then_short,
    apply=_swapped,
    by_default=False,
)


def _early_exits(function: FunctionNode) -> Iterator[Site]:
    for block, index, statement in places(function):
        if isinstance(statement, ast.If) and not statement.orelse and isinstance(statement.body[0], ast.Return):
            yield Site(block.path, index, statement.lineno, "it leaves without a word", finishes=True)


def _logged(tree: Tree, site: Site, options: Options) -> Iterable[Rewrite]:
    def change(block: cst.IndentedBlock) -> cst.IndentedBlock:
        statement = block.body[site.index]
        if not isinstance(statement, cst.If):
            raise Untouchable("no plain if stands there")
        call = f"{options.setting('log', 'print')}({options.setting('words', 'leaving')!r})\n"
        body = as_block(statement.body)
        made = statement.with_changes(body=body.with_changes(body=[cst.parse_statement(call), *body.body]))
        return spliced(block, site.index, [made])

    yield Rewrite(tree.edit(site.path, change))


LOGGED = Step(
    name="log-early-exit",
    group="yard",
    order=510,
    summary="An early exit says so. It never holds: to say something is to do something else.",
    why="It shows that the judge lets no step pass that changes what a program does, whoever wrote it.",
    when_not="Always.",
    before="def weigh(load):\n    if load.wet:\n        return 0\n    return load.kilos\n",
    after="def weigh(load):\n    if load.wet:\n        return 0\n    return load.kilos\n",
    traps=("All of it.",),
    find=_early_exits,
    apply=_logged,
    by_default=False,
    settings=(
        Setting("log", "The function that is called.", "print"),
        Setting("words", "What is said.", "leaving"),
    ),
)

STEPS = [SHORT_FIRST, LOGGED]
