"""Kinds: chains that ask what class a value is of."""

import ast
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace

from dreck.model.names.files import file_of
from dreck.model.views.shape import leaves
from dreck.source.files import read
from dreck.source.functions import functions_in, parse
from dreck.source.walking import walk
from dreck.steps.naming.blocks import (
    Block,
    answering_text,
    block_lines,
    check_block,
    check_handed,
    own_statements,
    passed_together,
    plain_text,
    shortened,
    waits,
    yields,
)
from dreck.steps.replace.summed import sign_of, summed
from dreck.steps.replace.tables.arms.table_lines import body_lines
from dreck.steps.support.chains import Chain, Reader, chains, each_class, lines_of
from dreck.steps.support.raw import RAW
from dreck.steps.support.scene import Scene
from dreck.steps.support.sheet import Sheet, reindented
from dreck.steps.support.trees import Untouchable

_TAIL = 3


class TypeReader(Reader):
    """Reads `isinstance(x, A)`, `isinstance(x, (A, B))`; for exact classes, `type(x) is A` and tests of its name."""

    def __init__(self, exact: bool, named: Mapping[str, ast.Assign] | None = None, nothing: bool = False) -> None:
        """`named` are variables that hold the class of something, or its name; with `nothing`, `x is None` asks for the
        class of None."""
        self.exact = exact
        self.named = named or {}
        self.nothing = nothing

    def key_of(self, pattern: ast.pattern) -> ast.expr | None:
        """The class of `case Drum():`, which says nothing of its attributes."""
        match pattern:
            case ast.MatchClass(cls=kind, patterns=[], kwd_attrs=[]) if not self.exact:
                return kind
        return None

    def __call__(self, test: ast.expr) -> tuple[tuple[ast.expr, ...], tuple[ast.expr, ...]] | None:
        match test:
            case ast.Call(func=ast.Name(id="isinstance"), args=[subject, kinds], keywords=[]) if not self.exact:
                return (subject,), each_class(kinds)
            case ast.Compare(left=asked, ops=[ast.Is() | ast.Eq()], comparators=[kind]) if self.exact:
                if isinstance(asked, ast.Name) and asked.id in self.named:
                    asked = self.named[asked.id].value
                return _exact_class(asked, kind)
            case ast.Compare(left=subject, ops=[ast.Is()], comparators=[ast.Constant(value=None)]) if self.nothing:
                return (subject,), (OF_NONE,)
            case ast.BoolOp(op=ast.Or(), values=values) if self.nothing:
                asked_of = [self(value) for value in values]
                subjects = {ast.dump(a[0][0]) for a in asked_of if a is not None}
                if None not in asked_of and len(subjects) == 1:
                    return asked_of[0][0], tuple(key for a in asked_of for key in a[1])  # type: ignore[index]
        return None


OF_NONE: ast.expr = ast.Call(ast.Name("type", ast.Load()), [ast.Constant(None)], [])
"""`type(None)`, which has no name among the builtins."""


def _exact_class(asked: ast.expr, kind: ast.expr) -> tuple[tuple[ast.expr, ...], tuple[ast.expr, ...]] | None:
    """`type(x) is A`, `x.__class__ is A`, `type(x).__name__ == "A"`."""
    match asked, kind:
        case ast.Attribute(value=inner, attr="__name__"), ast.Constant(value=str() as name) if name.isidentifier():
            return _exact_class(inner, ast.Name(name, ast.Load()))
        case ast.Call(func=ast.Name(id="type"), args=[subject]), _:
            return (subject,), (kind,)
        case ast.Attribute(value=subject, attr="__class__"), _:
            return (subject,), (kind,)
    return None


def type_chains(
    scene: Scene, fewest: int = 2, nothing: bool = False, open_end: bool = False
) -> Iterator[tuple[Chain, bool]]:
    """Every chain on the class of a plain name, and whether it asks for the exact class.

    With `nothing` a chain may ask for None, too; with `open_end` what it asks about other things at its end is its
    default.
    """
    for exact in (False, True):
        for chain in chains(scene.node, TypeReader(exact, named_classes(scene), nothing), fewest, open_end):
            if isinstance(chain.subjects[0], ast.Name) and isinstance(chain.first, ast.If | ast.Match):
                yield chain, exact


def named_classes(scene: Scene) -> dict[str, ast.Assign]:
    """Variables bound once, at the top of the function, to the class of a plain name or to what that is called."""
    bound = [n.id for n in walk(scene.node) if isinstance(n, ast.Name) and not isinstance(n.ctx, ast.Load)]
    found = {}
    for s in scene.node.body:
        match s:
            case ast.Assign(targets=[ast.Name(id=name)], value=value) if bound.count(name) == 1 and _asks_class(value):
                found[name] = s
    return found


def _asks_class(e: ast.expr) -> bool:
    match e:
        case ast.Attribute(value=inner, attr="__name__"):
            return _asks_class(inner)
        case ast.Call(func=ast.Name(id="type"), args=[ast.Name()], keywords=[]):
            return True
    return isinstance(e, ast.Attribute) and e.attr == "__class__" and isinstance(e.value, ast.Name)


def drop_name_of_class(scene: Scene, sheet: Sheet, chain: Chain) -> None:
    """A variable for the class goes when nothing but the tests of the chain has asked it."""
    tests = {n for arm in chain.arms if arm.test is not None for n in walk(arm.test)}
    for name, s in named_classes(scene).items():
        reads = [n for n in walk(scene.node) if isinstance(n, ast.Name) and n.id == name and n not in s.targets]
        if reads and all(n in tests for n in reads):
            sheet.replace_lines(s.lineno, s.end_lineno or s.lineno, "")


def home_of(scene: Scene, names: set[str]) -> Scene:
    """The module classes are defined in: this one, or the one file of the project they are imported from."""
    if not names or any(name in scene.names.definitions for name in names) or scene.others is None:
        return scene
    imports = [s for s in scene.tree.body if isinstance(s, ast.ImportFrom) and names & {a.name for a in s.names}]
    if len(imports) != 1 or not names <= {a.name for a in imports[0].names if a.asname is None}:
        return scene
    path = file_of(imports[0], scene.path)
    if path is None or path.resolve() not in {file.resolve() for file in scene.others.files}:
        return scene
    text = read(path).text
    tree = parse(text, path)
    return replace(scene, path=path, text=text, tree=tree, functions=functions_in(tree, text))


@dataclass(frozen=True, slots=True)
class Story:
    """What an arm does, as the body of a function of its own; `lines` has the subject under its old name."""

    lines: list[str]
    arm: int


@dataclass(frozen=True, slots=True)
class Moved:
    """A chain's arms as bodies of functions: what these are given, and the call that stands in its place.

    `call` has `{}` where the function's call comes. `last` is the last line the call replaces.
    """

    bodies: list[list[str]]
    given: list[str]
    call: str
    first: int
    last: int
    returns: bool
    waits: bool = False
    """Whether the functions are coroutines, and the call waits for what they come to."""


def moved(
    scene: Scene, sheet: Sheet, chain: Chain, unit: str, waiting: bool = False, tails: bool = True, sums: bool = True
) -> Moved:
    """The arms of a chain as functions; with `waiting` they may await, without `tails` what stands behind the chain
    stays there, without `sums` they give back what a variable has become, not what is added to it. Raises Untouchable
    when they cannot be."""
    found = _moved(scene, sheet, chain, unit, waiting, tails, sums)
    bodies = [arm.body for arm in chain.arms] + ([chain.default] if chain.default is not None else [])
    if not any(waits(Block(body, chain.first, False, (), False)) for body in bodies):
        return found
    if not waiting:
        raise Untouchable("its default awaits")
    return replace(found, call=found.call.replace("{}", "await {}"), waits=True)


def _moved(
    scene: Scene, sheet: Sheet, chain: Chain, unit: str, waiting: bool, tails: bool, sums: bool
) -> Moved:
    first, last = lines_of(sheet, chain)
    blocks = [Block(arm.body, chain.first, False, (), False) for arm in chain.arms]
    for block in blocks:
        check_block(scene, block, out_of_class=True)
        if yields(block) or (waits(block) and not waiting):
            raise Untouchable("an arm awaits or yields")
        if own_statements(block.body, ast.Continue):
            raise Untouchable("an arm continues the loop around it")
    value = _one_value(chain) if sums else None
    if value is not None:
        return _as_values(scene, sheet, chain, value, first, last)
    tail = _tail(scene, chain) if tails else None
    if tail is not None:
        return _with_tail(scene, sheet, chain, blocks, tail, unit, first)
    given, results = passed_together(scene, blocks)
    total = summed(blocks, results) if sums else None
    told = [total.giving(plain_text(scene, block, "return")) for block in blocks] if total is not None else [None]
    if total is not None and None not in told:
        others = [g for g in given if g != total.name]
        return Moved([t for t in told if t], others, f"{total.name} {total.sign} {{}}", first, last, False)
    returning = [bool(own_statements(block.body, ast.Return)) for block in blocks]
    if any(returning) and not all(leaves(block.body) for block in blocks):
        raise Untouchable("some arms return and others go on")
    back = f"return {', '.join(results)}" if results else "return"
    check_handed(given, results)
    bodies = [_answering(scene, block, results, back) for block in blocks]
    call = "return {}" if any(returning) else f"{', '.join(results)} = {{}}" if results else "{}"
    return Moved(bodies, given, call, first, last, any(returning))


def _answering(scene: Scene, block: Block, results: list[str], back: str) -> list[str]:
    """The lines of an arm that hands back what it comes to."""
    if len(results) == 1:
        told = answering_text(scene, block, *block_lines(scene.sheet(), block), results[0])
        if told is not None and not any(line.startswith(RAW) for line in told):
            return told
    body = plain_text(scene, block, back)
    return shortened([*body, back], scene.line_length) if results and not leaves(block.body) else body


def _one_value(chain: Chain) -> list[ast.expr] | None:
    """The values of arms that each only assign one and the same name, or add to it."""
    parts: list[tuple[str, ast.expr]] = []
    for arm in chain.arms:
        match arm.body:
            case [ast.AugAssign(target=ast.Name(id=name), op=op, value=value)]:
                parts.append((f"{name} {type(op).__name__}", value))
            case [ast.Assign(targets=[ast.Name(id=name)], value=value)]:
                parts.append((f"{name} =", value))
            case _:
                return None
    return [value for _, value in parts] if len({told for told, _ in parts}) == 1 else None


def _as_values(scene: Scene, sheet: Sheet, chain: Chain, values: list[ast.expr], first: int, last: int) -> Moved:
    from dreck.steps.naming.predicates import locals_read

    s = chain.arms[0].body[0]
    match s:
        case ast.AugAssign(target=ast.Name(id=name), op=op) if sign_of(op):
            call = f"{name} {sign_of(op)} {{}}"
        case ast.Assign(targets=[ast.Name(id=name)]):
            call = f"{name} = {{}}"
        case _:
            raise Untouchable("its arms change a value in a way Dreck does not know")
    given = list(dict.fromkeys(n for v in values for n in locals_read(scene, v)))
    bodies = []
    for arm, value in zip(chain.arms, values, strict=True):
        code = sheet.code(value)
        if "\n" in code:
            code = f"({code})"
        block = Block(arm.body, chain.first, False, (), False)
        comments = _said(sheet, block)
        bodies.append([*comments, f"return {code}"])
    return Moved(bodies, given, call, first, last, False)


def _said(sheet: Sheet, block: Block) -> list[str]:
    from dreck.steps.support.chains import comments_of

    return comments_of(sheet, *block_lines(sheet, block))


def _tail(scene: Scene, chain: Chain) -> list[ast.stmt] | None:
    """What follows a chain that ends its function, when it is short enough to follow each arm."""
    if chain.block is not scene.node.body:
        return None
    rest = chain.block[chain.end :]
    if len(rest) > _TAIL or (rest and not leaves(rest)):
        return None
    returns = any(own_statements(arm.body, ast.Return) for arm in chain.arms)
    if not rest and not returns and not all(leaves(arm.body) for arm in chain.arms):
        return None
    if any(not isinstance(s, ast.Return | ast.Expr | ast.Assign | ast.Raise) for s in rest):
        return None
    return rest if not rest or returns or _is_one_line_return(rest) else None


def _is_one_line_return(rest: list[ast.stmt]) -> bool:
    """Whether no more than a `return` follows: longer, it would be said again in each arm."""
    return len(rest) == 1 and isinstance(rest[0], ast.Return) and rest[0].lineno == rest[0].end_lineno


def _with_tail(
    scene: Scene, sheet: Sheet, chain: Chain, blocks: list[Block], tail: list[ast.stmt], unit: str, first: int
) -> Moved:
    """Each arm with what followed the chain behind it: it then always leaves."""
    from dreck.steps.naming.predicates import locals_read

    after: list[str] = []
    last = chain.last.end_lineno or chain.last.lineno
    if tail:
        indent = sheet.indent(tail[0].lineno)
        last = tail[-1].end_lineno or tail[-1].lineno
        after = [sheet.line(n).rstrip("\r\n").removeprefix(indent) for n in range(tail[0].lineno, last + 1)]
    bodies, given = [], []
    for block in blocks:
        own = plain_text(scene, block, "return")
        whole = own if leaves(block.body) else [*own, *after]
        bodies.append(shortened(whole, scene.line_length))
        body: Sequence[ast.stmt] = block.body if leaves(block.body) else [*block.body, *tail]
        bound = {n.id for s in body for n in walk(s) if isinstance(n, ast.Name) and isinstance(n.ctx, ast.Store)}
        before = _bound_before(scene, chain)
        given += [n for s in body for n in locals_read(scene, s) if n not in bound or n in before]
    return Moved(bodies, list(dict.fromkeys(given)), "return {}", first, last, True)


def _bound_before(scene: Scene, chain: Chain) -> set[str]:
    early = scene.node.body[: chain.start]
    stored = {n.id for s in early for n in walk(s) if isinstance(n, ast.Name) and isinstance(n.ctx, ast.Store)}
    return stored | set(scene.scope.params)


def called(scene: Scene, sheet: Sheet, chain: Chain, parts: Moved, asks: str, call: str) -> str:
    """The lines that stand where the chain stood. `asks` is the test that a value is of one of the kinds."""
    indent, unit = sheet.indent(parts.first), sheet.unit(scene.node)
    line = parts.call.format(call)
    rest = _rest(sheet, chain, parts, indent)
    default = body_lines(sheet, chain) if chain.default is not None else []
    if chain.default is None or (parts.returns and not leaves(chain.default)):
        lines = [f"if {asks}:", f"{unit}{line}", *default, *rest]
    elif leaves(chain.default):
        other = asks.replace(") in (", ") not in (") if asks.startswith("type(") else f"not {asks}"
        lines = [f"if {other}:", *reindented(default, unit), line]
    else:
        lines = [f"if {asks}:", f"{unit}{line}", "else:", *reindented(default, unit)]
    return "".join(f"{indent}{text}\n" if text.strip() else "\n" for text in lines)


def _rest(sheet: Sheet, chain: Chain, parts: Moved, indent: str) -> list[str]:
    """What followed the chain and was taken into its arms: other kinds still need it."""
    end = chain.last.end_lineno or chain.last.lineno
    if not parts.returns or parts.last <= end:
        return []
    lines = [sheet.line(n).rstrip("\r\n").removeprefix(indent) for n in range(end + 1, parts.last + 1)]
    return [text for text in lines if text.strip()]
