"""range-test: range tests read as ranges, "equal to one of these" reads as membership."""

from __future__ import annotations

import ast
from collections.abc import Iterable, Iterator

from dreck.model.views.shape import places
from dreck.source.functions import FunctionNode
from dreck.source.lossless import cst
from dreck.steps.catalogue import Options, Rewrite, Site, Step
from dreck.steps.support.trees import BetterNot, Tree, code_of, width


def find(function: FunctionNode) -> Iterator[Site]:
    """Statements with a test whose neighbouring operands say one thing about one value."""
    for block, index, statement in places(function):
        for test in _tests(statement):
            told = merged(test)
            if told is not None:
                yield Site(block.path, index, test.lineno, f"its operands say one thing: `{told}`")
                break


def _tests(statement: ast.stmt) -> Iterator[ast.BoolOp]:
    """The compound conditions in a statement's own expressions; the statements inside it have their own."""
    pending: list[ast.AST] = [statement]
    while pending:
        node = pending.pop(0)
        if isinstance(node, ast.BoolOp):
            yield node
        for child in ast.iter_child_nodes(node):
            is_arm = isinstance(child, ast.If) and isinstance(node, ast.If) and node.orelse == [child]
            if not isinstance(child, ast.stmt | ast.ExceptHandler | ast.match_case) or is_arm:
                pending.append(child)


def merged(test: ast.BoolOp, source: str = "") -> str | None:
    """The test with neighbouring operands made one where they can be, as code; None when none can.

    With the test's `source`, operands that stay are written as they were.
    """
    is_and = isinstance(test.op, ast.And)
    parts = list(test.values)
    i, changed = 0, False
    while i + 1 < len(parts):
        one = _as_range(parts[i], parts[i + 1]) if is_and else None
        one = one or _as_membership(parts[i], parts[i + 1], is_and) or _as_kinds(parts[i], parts[i + 1], is_and)
        one = one or (None if is_and else _as_one_case(parts[i], parts[i + 1]))
        if one is None:
            i += 1
        else:
            parts[i : i + 2] = [one]
            changed = True
    if not changed:
        return None
    if len(parts) == 1 and isinstance(parts[0], ast.BoolOp):
        is_and, parts = isinstance(parts[0].op, ast.And), parts[0].values
    word = " and " if is_and else " or "
    return word.join(_written(part, source) for part in parts)


def _written(part: ast.expr, source: str) -> str:
    if isinstance(part, ast.BoolOp) and not hasattr(part, "lineno"):
        word = " and " if isinstance(part.op, ast.And) else " or "
        return f"({word.join(_written(value, source) for value in part.values)})"
    code = (ast.get_source_segment(source, part) if source and hasattr(part, "lineno") else None) or ast.unparse(part)
    return f"({code})" if isinstance(part, ast.BoolOp | ast.IfExp | ast.NamedExpr | ast.Lambda) else code


_UPWARDS = (ast.Lt, ast.LtE)
_TURNED: dict[type[ast.cmpop], ast.cmpop] = {ast.Gt: ast.Lt(), ast.GtE: ast.LtE()}


def _as_range(a: ast.expr, b: ast.expr) -> ast.expr | None:
    """`x >= 3 and x < 10` is `3 <= x < 10`."""
    first, second = _upwards(a), _upwards(b)
    if first is None or second is None:
        return None
    for (low, op, middle), (also, above, high) in ((first, second), (second, first)):
        if _is_plain(middle) and ast.dump(middle) == ast.dump(also):
            return ast.Compare(low, [op, above], [middle, high])
    return None


def _upwards(e: ast.expr) -> tuple[ast.expr, ast.cmpop, ast.expr] | None:
    match e:
        case ast.Compare(left=left, ops=[op], comparators=[right]) if isinstance(op, _UPWARDS):
            return left, op, right
        case ast.Compare(left=left, ops=[op], comparators=[right]) if type(op) in _TURNED:
            return right, _TURNED[type(op)], left
    return None


def _is_plain(e: ast.expr) -> bool:
    """A name or an attribute of one: asking it once or twice is the same, as far as attributes are plain."""
    while isinstance(e, ast.Attribute):
        e = e.value
    return isinstance(e, ast.Name)


def _as_membership(a: ast.expr, b: ast.expr, is_and: bool) -> ast.expr | None:
    """`x == a or x == b` is `x in (a, b)`; `x != a and x != b` is `x not in (a, b)`."""
    first, second = _one_of(a, is_and), _one_of(b, is_and)
    if first is None or second is None or ast.dump(first[0]) != ast.dump(second[0]):
        return None
    op: ast.cmpop = ast.NotIn() if is_and else ast.In()
    return ast.Compare(first[0], [op], [ast.Tuple([*first[1], *second[1]], ast.Load())])


def _as_one_case(a: ast.expr, b: ast.expr) -> ast.expr | None:
    """`x == a and c or x == b and c` is `x in (a, b) and c`: one operand differs, and makes one test with the other."""
    if not (isinstance(a, ast.BoolOp) and isinstance(b, ast.BoolOp) and len(a.values) == len(b.values)):
        return None
    both = list(zip(a.values, b.values, strict=True))
    differing = [i for i, (one, other) in enumerate(both) if ast.dump(one) != ast.dump(other)]
    if len(differing) != 1 or not isinstance(a.op, ast.And) or not isinstance(b.op, ast.And):
        return None
    one = _as_membership(*both[differing[0]], False) or _as_kinds(*both[differing[0]], False)
    if one is None:
        return None
    return ast.BoolOp(ast.And(), [*a.values[: differing[0]], one, *a.values[differing[0] + 1 :]])


def _one_of(e: ast.expr, is_and: bool) -> tuple[ast.expr, list[ast.expr]] | None:
    equal, inside = (ast.NotEq, ast.NotIn) if is_and else (ast.Eq, ast.In)
    match e:
        case ast.Compare(left=left, ops=[op], comparators=[right]) if isinstance(op, equal):
            if _is_plain(left) and _is_fixed(right):
                return left, [right]
        case ast.Compare(left=left, ops=[op], comparators=[ast.Tuple(elts=elts)]) if isinstance(op, inside):
            if _is_plain(left) and all(map(_is_fixed, elts)):
                return left, elts
    return None


def _is_fixed(e: ast.expr) -> bool:
    """A constant, or the name of one; a float that is not a number is equal to nothing, not even itself."""
    match e:
        case ast.Constant():
            return True
        case ast.UnaryOp(op=ast.USub(), operand=ast.Constant()):
            return True
        case ast.Attribute(value=ast.Name(id=owner)):
            return owner[:1].isupper()
    return isinstance(e, ast.Name) and e.id.isupper()


def _as_kinds(a: ast.expr, b: ast.expr, is_and: bool) -> ast.expr | None:
    """`isinstance(x, A) or isinstance(x, B)` is `isinstance(x, (A, B))`."""
    match a, b:
        case (
            ast.Call(func=ast.Name(id="isinstance") as called, args=[x, kinds]),
            ast.Call(func=ast.Name(id="isinstance"), args=[y, further]),
        ) if not is_and and _is_plain(x) and ast.dump(x) == ast.dump(y):
            both = [*_each(kinds), *_each(further)]
            return ast.Call(called, [x, ast.Tuple(both, ast.Load())], [])
    return None


def _each(kinds: ast.expr) -> list[ast.expr]:
    return list(kinds.elts) if isinstance(kinds, ast.Tuple) else [kinds]


def apply(tree: Tree, site: Site, options: Options) -> Iterable[Rewrite]:
    """Each condition of the statement is written anew where it can be, in the quotes it had."""
    made = tree.edit(site.path, lambda block: _edited(block, site.index))
    was, now = (code_of(t.block(site.path).body[site.index]).splitlines() for t in (tree, made))
    if any(width(made, site.path, line) > options.line_length for line in now if line not in was):
        raise BetterNot("it would not fit the line")
    yield Rewrite(made)


def _edited(block: cst.IndentedBlock, index: int) -> cst.IndentedBlock:
    from dreck.source.transformers import Respelled

    work = Respelled(_merged)
    statement = block.body[index].visit(work)
    if not work.done:
        raise BetterNot("it stands over several lines or has a comment in it")
    return block.with_changes(body=[*block.body[:index], statement, *block.body[index + 1 :]])


def _merged(test: cst.BooleanOperation) -> str | None:
    code = code_of(test.with_changes(lpar=(), rpar=()))
    if "\n" in code or "#" in code:
        return None
    tree = ast.parse(code, mode="eval").body
    told = merged(tree, code) if isinstance(tree, ast.BoolOp) else None
    return _in_double_quotes(told) if told is not None and '"' in code and "'" not in code else told


def _in_double_quotes(code: str) -> str:
    """`ast.unparse` writes single quotes; the code had double ones and none of the others."""
    return code.replace("'", '"')


STEP = Step(
    name="range-test",
    group="name",
    order=120,
    summary='Range tests read as ranges; "equal to one of these" reads as membership.',
    why="One value is asked about, so it is named once: `3 <= x < 10`, `x in (a, b)`, `isinstance(x, (A, B))`.",
    when_not="When the value is worked out by a call: it would be asked once instead of twice.",
    before="""\
def lane(load):
    if load.kilos >= 500 and load.kilos < 2000:
        return 2
    if load.kind == "paper" or load.kind == "glass":
        return 1
    return 3
""",
    after="""\
def lane(load):
    if 500 <= load.kilos < 2000:
        return 2
    if load.kind in ("paper", "glass"):
        return 1
    return 3
""",
    traps=(
        "`x in (a, b)` asks for identity before equality: `nan` is in `(nan,)`, and equal to nothing.",
        "A property that changes its answer is asked once instead of twice (`plain-attributes`).",
        "`x == a or y == b` is about two values.",
    ),
    find=find,
    apply=apply,
    by_default=False,
)
