"""split-choice: a chain that sets several variables becomes one choice for each, by the tests it depends on."""

import ast
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import combinations, product

from dreck.source.walking import walk
from dreck.steps.catalogue import Step
from dreck.steps.replace.discriminants import operands_of
from dreck.steps.replace.folding import fold
from dreck.steps.support.chains import Reader, all_blocks, comments_of, is_plain
from dreck.steps.support.scene import NotPlanned, Plan, Scene
from dreck.steps.support.sheet import Sheet
from dreck.steps.support.spelled import spelled, straight, turned
from dreck.steps.support.trees import Untouchable

_MOST_TESTS = 8
KEEP = ""
Truth = tuple[bool, ...]
"""How each of the chain's tests comes out, in one case."""


@dataclass(frozen=True, slots=True)
class Arms:
    """A chain as its tests in order, the last None for `else`, and what each arm assigns."""

    first: ast.If
    tests: tuple[ast.expr | None, ...]
    bodies: tuple[dict[str, ast.expr], ...]

    @property
    def names(self) -> tuple[str, ...]:
        """What is assigned, in the order it stands; what is worked out by a call comes last."""
        found = dict.fromkeys(name for body in self.bodies for name in body)
        return tuple(sorted(found, key=lambda name: any(_calls(b[name]) for b in self.bodies if name in b)))

    def value(self, arm: int | None, name: str) -> str:
        """What an arm gives to a name, as it can be compared; KEEP when the name keeps what it had."""
        return KEEP if arm is None or name not in self.bodies[arm] else ast.dump(self.bodies[arm][name])


def plans(scene: Scene) -> Iterator[Plan | NotPlanned]:
    """Every chain that does no more than assign two names or more, of which one depends on fewer tests than another."""
    for block in all_blocks(scene.node.body):
        for s in block:
            arms = _arms(s) if isinstance(s, ast.If) else None
            if arms is None or len(arms.names) < 2:
                continue
            try:
                yield _planned(scene, arms)
            except Untouchable as error:
                yield NotPlanned(s.lineno, str(error))


def _arms(s: ast.If) -> Arms | None:
    tests: list[ast.expr | None] = []
    bodies: list[dict[str, ast.expr]] = []
    rest: list[ast.stmt] = [s]
    while rest:
        match rest:
            case [ast.If(test=test, body=body, orelse=orelse)]:
                tests.append(test)
                bodies.append(_assigned(body))
                rest = orelse
            case _:
                tests.append(None)
                bodies.append(_assigned(rest))
                rest = []
    return Arms(s, tuple(tests), tuple(bodies)) if all(bodies) and len(bodies) > 1 else None


def _assigned(body: Sequence[ast.stmt]) -> dict[str, ast.expr]:
    """What a block of plain assignments gives to each name; {} for any other block."""
    found: dict[str, ast.expr] = {}
    for s in body:
        match s:
            case ast.Assign(targets=[ast.Name(id=name)], value=value) if name not in found:
                found[name] = value
            case ast.Assign(targets=[ast.Tuple(elts=names)], value=ast.Tuple(elts=values)) if len(names) == len(values):
                for target, value in zip(names, values, strict=True):
                    if not isinstance(target, ast.Name) or target.id in found:
                        return {}
                    found[target.id] = value
            case _:
                return {}
    return found


# --- what depends on what ------------------------------------------------------------------------------


def _planned(scene: Scene, arms: Arms) -> Plan:
    names = arms.names
    tests = _single_tests(arms)
    cases = _cases(arms, tests)
    if not cases:
        raise Untouchable("no case of it can come")
    sheet = scene.sheet()
    last = arms.first.end_lineno or arms.first.lineno
    if comments_of(sheet, arms.first.lineno, last):
        raise Untouchable("comments stand between its arms; they would lose their place")
    if _reads_what_it_sets(arms, names):
        raise Untouchable("an arm reads one of the names that it sets")
    indent = sheet.indent(arms.first.lineno)
    if len(indent.encode()) != arms.first.col_offset or not sheet.line(arms.first.lineno).lstrip().startswith("if"):
        raise Untouchable("it is an arm of another chain")
    all_needed = {name: _needed(tests, {c: arms.value(arm, name) for c, arm in cases.items()}) for name in names}
    if len(tests) > 1 and all(len(needed) == len(tests) for needed in all_needed.values()):
        raise Untouchable(f"{names[0]} depends on every test: there is one choice, and it is made here")
    if len(set(all_needed.values())) < 2:
        raise Untouchable(f"{' and '.join(names)} depend on the same tests: they are chosen together")
    ladders = _together([_ladder(name, arms, cases, tests, all_needed[name]) for name in names])
    written = [line for ladder in ladders for line in _written(sheet, ladder, sheet.unit(scene.node))]
    sheet.replace_lines(arms.first.lineno, last, "".join(f"{indent}{line}\n" for line in written))
    told = ", ".join(names[:-1]) + f" and {names[-1]}"
    reason = f"{told} are chosen apart, each by the tests that it depends on"
    return Plan(arms.first.lineno, reason, sheet.result())


def _calls(e: ast.expr) -> bool:
    """Whether working it out may change what a later test asks: such a choice comes last."""
    return any(isinstance(n, ast.Call | ast.Await) for n in walk(e))


def _single_tests(arms: Arms) -> list[ast.expr]:
    """The tests that stand alone in the chain, each once: those of its compound conditions are taken apart."""
    found: dict[str, ast.expr] = {}
    for test in arms.tests:
        for e in operands_of(test) if test is not None else ():
            if not _is_plain_test(e):
                raise Untouchable(f"`{ast.unparse(e)}` may do more than ask")
            found.setdefault(ast.dump(straight(e)), straight(e))
    if len(found) > _MOST_TESTS:
        raise Untouchable(f"{len(found)} tests have too many cases")
    return list(found.values())


def _is_plain_test(e: ast.expr) -> bool:
    match e:
        case ast.Compare(left=left, comparators=rights):
            return all(is_plain(part) or not any(map(_does, walk(part))) for part in (left, *rights))
        case ast.Call(func=ast.Name(id="isinstance"), args=[subject, _], keywords=[]):
            return is_plain(subject)
    return is_plain(e)


def _does(n: ast.AST) -> bool:
    is_len = isinstance(n, ast.Call) and isinstance(n.func, ast.Name) and n.func.id == "len"
    return isinstance(n, ast.Call | ast.Await | ast.NamedExpr | ast.Yield | ast.YieldFrom) and not is_len


def _cases(arms: Arms, tests: list[ast.expr]) -> dict[Truth, int | None]:
    """Which arm is taken for each way the tests can come out together."""
    found: dict[Truth, int | None] = {}
    for truth in product((True, False), repeat=len(tests)):
        if not _can_be(tests, truth):
            continue
        known = {ast.dump(test): outcome for test, outcome in zip(tests, truth, strict=True)}

        def answer(e: ast.expr, known: dict[str, bool] = known) -> bool | None:
            plain = straight(e)
            outcome = known.get(ast.dump(plain))
            return outcome if outcome is None or plain is e else not outcome

        found[truth] = next((at for at, test in enumerate(arms.tests) if test is None or _holds(test, answer)), None)
    return found


def _holds(test: ast.expr, answer: object) -> bool:
    folded = fold(test, answer)  # type: ignore[arg-type]
    return isinstance(folded, ast.Constant) and folded.value is True


def _can_be(tests: list[ast.expr], truth: Truth) -> bool:
    """Whether tests may come out so together: one thing is not equal to two constants."""
    taken: dict[str, set[str]] = {}
    for test, outcome in zip(tests, truth, strict=True):
        asked = Reader()(test) if outcome else None
        if asked is None or len(asked[0]) != 1:
            continue
        keys = {ast.dump(key) for key in asked[1]}
        subject = ast.dump(asked[0][0])
        taken[subject] = taken[subject] & keys if subject in taken else keys
    return all(taken.values())


def _needed(tests: list[ast.expr], values: dict[Truth, str]) -> tuple[int, ...]:
    """The fewest tests that decide a value."""
    for size in range(len(tests) + 1):
        for chosen in combinations(range(len(tests)), size):
            seen: dict[Truth, str] = {}
            if all(seen.setdefault(tuple(t[i] for i in chosen), v) == v for t, v in values.items()):
                return chosen
    return tuple(range(len(tests)))


def _reads_what_it_sets(arms: Arms, names: Sequence[str]) -> bool:
    parts: list[ast.AST] = [e for body in arms.bodies for e in body.values()]
    parts += [test for test in arms.tests if test is not None]
    return any(isinstance(n, ast.Name) and n.id in names for part in parts for n in walk(part))


# --- writing it ----------------------------------------------------------------------------------------


Row = tuple[ast.expr | None, str, ast.expr]
"""A test (None for `else`), the name, the value it then gets."""


def _ladder(
    name: str, arms: Arms, cases: dict[Truth, int | None], tests: list[ast.expr], needed: tuple[int, ...]
) -> list[Row]:
    """One name's choice: the simplest test that settles a value first, and so on."""
    left = {t: arms.value(arm, name) for t, arm in cases.items()}
    codes = {ast.dump(body[name]): body[name] for body in arms.bodies if name in body}
    order = [*codes, KEEP]
    rows: list[Row] = []
    while len(set(left.values())) > 1:
        test, chosen = _next_test(left, tests, needed, order)
        rows.append((test, name, codes[left[next(iter(chosen))]]))
        left = {t: v for t, v in left.items() if t not in chosen}
    last = next(iter(left.values()))
    rows = _alike_joined(rows)
    return rows if last == KEEP else _right_way_round([*rows, (None, name, codes[last])])


def _right_way_round(rows: list[Row]) -> list[Row]:
    """`if not a or not b` with an `else` asks for both the other way round."""
    match rows:
        case [(ast.BoolOp(values=values), name, value), (None, _, other)]:
            asked = [_contrary(e) for e in values]
            if sum(map(_is_negated, values)) > sum(map(_is_negated, asked)):
                op = ast.And() if isinstance(rows[0][0].op, ast.Or) else ast.Or()  # type: ignore[union-attr]
                return [(ast.BoolOp(op, asked), name, other), (None, name, value)]
    return rows


def _contrary(e: ast.expr) -> ast.expr:
    if isinstance(e, ast.UnaryOp) and isinstance(e.op, ast.Not):
        return e.operand
    plain = straight(e)
    return turned(e) if plain is e else plain


def _is_negated(e: ast.expr) -> bool:
    match e:
        case ast.UnaryOp(op=ast.Not()) | ast.Compare(ops=[ast.NotEq() | ast.NotIn() | ast.IsNot()]):
            return True
    return False


def _alike_joined(rows: list[Row]) -> list[Row]:
    """Plain tests that stand one behind the other and give the same value are one."""
    found: list[Row] = []
    for test, name, value in rows:
        before = found[-1] if found else None
        tests = [t for t in (before[0] if before else None, test) if t is not None and not isinstance(t, ast.BoolOp)]
        if before is not None and len(tests) == 2 and ast.dump(before[2]) == ast.dump(value):
            found[-1] = (ast.BoolOp(ast.Or(), list(tests)), name, value)
        else:
            found.append((test, name, value))
    return found


def _next_test(
    left: dict[Truth, str], tests: list[ast.expr], needed: tuple[int, ...], order: list[str]
) -> tuple[ast.expr, set[Truth]]:
    literals: list[tuple[ast.expr, set[Truth]]] = []
    for i in needed:
        literals.append((tests[i], {t for t in left if t[i]}))
    for i in needed:
        literals.append((turned(tests[i]), {t for t in left if not t[i]}))
    both = [
        (ast.BoolOp(op, [a, b]), one & two if isinstance(op, ast.And) else one | two)
        for op in (ast.Or(), ast.And())
        for (a, one), (b, two) in combinations(literals, 2)
    ]
    for tried in (literals, both):
        settling = [(e, ts) for e, ts in tried if ts and ts != set(left) and len({left[t] for t in ts}) == 1]
        fitting = [(e, ts) for e, ts in settling if left[next(iter(ts))] != KEEP]
        if fitting:
            return min(fitting, key=lambda found: (order.index(left[next(iter(found[1]))]), -len(found[1])))
    raise Untouchable("no short test settles one of the values")


def _together(ladders: list[list[Row]]) -> list[list[list[Row]]]:
    """Ladders, each as rows side by side: names that the same tests choose in the same order share one."""
    found: dict[tuple[str, ...], list[list[Row]]] = {}
    for ladder in ladders:
        found.setdefault(tuple(ast.dump(test) if test is not None else "" for test, _, _ in ladder), []).append(ladder)
    return [[list(rows) for rows in zip(*alike, strict=True)] for alike in found.values()]


def _written(sheet: Sheet, ladder: list[list[Row]], unit: str) -> list[str]:
    if len(ladder) == 1 and ladder[0][0][0] is None:
        return [_given(sheet, row) for row in ladder[0]]
    lines: list[str] = []
    for at, rows in enumerate(ladder):
        test = rows[0][0]
        head = "else:" if test is None else f"{'elif' if at else 'if'} {spelled(sheet, test)}:"
        lines += [head, *(f"{unit}{_given(sheet, row)}" for row in rows)]
    return lines


def _given(sheet: Sheet, row: Row) -> str:
    _, name, value = row
    return f"{name} = {sheet.code(value)}"


STEP = Step(
    name="split-choice",
    group="flatten",
    order=180,
    summary="A chain that sets several variables becomes one choice for each.",
    why="Two small decisions are read one after the other; spelled out together they are read as their product.",
    when_not="When the variables really are chosen together: then the chain says so.",
    before="""\
def slip(wet, heavy):
    if wet and heavy:
        price = 3
        gate = "A"
    elif wet:
        price = 3
        gate = "B"
    elif heavy:
        price = 5
        gate = "A"
    else:
        price = 5
        gate = "B"
    return price, gate
""",
    after="""\
def slip(wet, heavy):
    if wet:
        price = 3
    else:
        price = 5
    if heavy:
        gate = "A"
    else:
        gate = "B"
    return price, gate
""",
    traps=(
        "A test that `and` or an earlier arm protected is asked always (`quiet-tests`).",
        "Where no arm fits, the names keep what they had.",
    ),
    plans=plans,
    asks=("quiet-tests",),
    by_default=False,
)
