"""Chains: an if-chain, a run of guards or a `match` that compares one thing with keys, as keys and arms."""

import ast
import tokenize
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from dreck.model.views.shape import leaves
from dreck.source.functions import FunctionNode, blocks_of
from dreck.source.walking import walk
from dreck.steps.naming.predicates import first_line, last_line
from dreck.steps.support.scene import Scene
from dreck.steps.support.sheet import Sheet
from dreck.steps.support.trees import Untouchable


@dataclass(frozen=True, slots=True)
class Arm:
    """One arm: the test it has, as keys (a tuple for two subjects) or as it stands, and its body."""

    keys: tuple[ast.expr, ...]
    body: list[ast.stmt]
    line: int
    test: ast.expr | None = None


@dataclass(frozen=True, slots=True)
class Chain:
    """A chain in a block, from statement `start` up to (not with) `end`.

    `subjects` is what is compared, one or two expressions. `default` is what runs when no arm fits: None when
    nothing does. With `rest`, the default is what follows in the block, and belongs to it no further than `end`.
    """

    block: list[ast.stmt]
    start: int
    end: int
    subjects: tuple[ast.expr, ...]
    arms: tuple[Arm, ...]
    default: list[ast.stmt] | None
    rest: bool = False
    lead: str = ""
    """The line before it that gives the subject a name, where it is not to be worked out twice."""

    @property
    def first(self) -> ast.stmt:
        return self.block[self.start]

    @property
    def last(self) -> ast.stmt:
        return self.block[self.end - 1]

    @property
    def keys(self) -> list[ast.expr]:
        return [key for arm in self.arms for key in arm.keys]


def all_blocks(body: list[ast.stmt]) -> Iterator[list[ast.stmt]]:
    """A block and every block inside it, nested functions and classes left out; the `elif` of a chain is none."""
    yield body
    for s in body:
        if isinstance(s, ast.FunctionDef | ast.AsyncFunctionDef | ast.ClassDef):
            continue
        if isinstance(s, ast.If):
            chain: ast.stmt = s
            while isinstance(chain, ast.If):
                yield from all_blocks(chain.body)
                if len(chain.orelse) == 1 and isinstance(chain.orelse[0], ast.If):
                    chain = chain.orelse[0]
                    continue
                if chain.orelse:
                    yield from all_blocks(chain.orelse)
                break
        else:
            for block in blocks_of(s):
                if block:
                    yield from all_blocks(block)


def chains(
    function: FunctionNode, read: "Reader", fewest: int = 3, open_end: bool = False, tails: bool = False
) -> Iterator[Chain]:
    """Every chain of the function with enough arms, `read` saying what a test asks.

    With `open_end` what a ladder asks at its end about other things is its default; with `tails` a chain may begin
    at an `elif`, where those before it ask about other things.
    """
    for block in all_blocks(function.body):
        at = 0
        while at < len(block):
            found = _match(block, at, read) if isinstance(block[at], ast.Match) else _ifs(block, at, read, open_end)
            if found is not None and len(found.arms) >= fewest:
                yield found
                at = found.end
            else:
                yield from _tail(block[at], read, open_end, fewest) if tails else ()
                at += 1


def _tail(s: ast.stmt, read: "Reader", open_end: bool, fewest: int) -> Iterator[Chain]:
    """The first chain that begins at an `elif` of a ladder."""
    while isinstance(s, ast.If) and len(s.orelse) == 1 and isinstance(s.orelse[0], ast.If):
        found = _ifs(s.orelse, 0, read, open_end)
        if found is not None and len(found.arms) >= fewest:
            yield found
            return
        s = s.orelse[0]


class Reader:
    """What a test asks: subjects and keys. The plain one reads equality, identity of kinds, membership."""

    def __call__(self, test: ast.expr) -> tuple[tuple[ast.expr, ...], tuple[ast.expr, ...]] | None:
        match test:
            case ast.Compare(left=left, ops=[ast.Eq()], comparators=[right]) if _asks_type(left):
                return ((left,), (right,)) if isinstance(right, ast.Name | ast.Attribute) else None
            case ast.Compare(left=left, ops=[ast.Eq()], comparators=[right]):
                return ((right,), (left,)) if _is_key(left) and not _is_key(right) else _pair(left, right)
            case ast.Compare(left=left, ops=[ast.Is()], comparators=[right]) if _is_kind(left, right):
                return (left,), (right,)
            case ast.Compare(left=left, ops=[ast.In()], comparators=[ast.Tuple() | ast.List() | ast.Set() as many]):
                return ((left,), tuple(many.elts)) if all(map(_is_key, many.elts)) and many.elts else None
            case ast.BoolOp(op=ast.Or(), values=values):
                return self._either(values)
            case ast.BoolOp(op=ast.And(), values=[one, two]):
                return self._both(one, two)
        return None

    def key_of(self, pattern: ast.pattern) -> ast.expr | None:
        """The key that a pattern asks for; None for what asks for something else."""
        match pattern:
            case ast.MatchValue(value=value):
                return value
            case ast.MatchSingleton(value=value):
                return ast.copy_location(ast.Constant(value), pattern)
        return None

    def _either(self, values: Sequence[ast.expr]) -> tuple[tuple[ast.expr, ...], tuple[ast.expr, ...]] | None:
        parts = [self(value) for value in values]
        if any(p is None for p in parts):
            return None
        known = [p for p in parts if p is not None]
        if len({_dump(p[0]) for p in known}) > 1:
            return None
        return known[0][0], tuple(key for p in known for key in p[1])

    def _both(self, one: ast.expr, two: ast.expr) -> tuple[tuple[ast.expr, ...], tuple[ast.expr, ...]] | None:
        a, b = self(one), self(two)
        if a is None or b is None or len(a[0]) != 1 or len(b[0]) != 1 or len(a[1]) != 1 or len(b[1]) != 1:
            return None
        return (a[0][0], b[0][0]), (ast.Tuple([a[1][0], b[1][0]], ast.Load()),)


def _dump(parts: Sequence[ast.expr]) -> str:
    return " ".join(map(ast.dump, parts))


def _pair(left: ast.expr, right: ast.expr) -> tuple[tuple[ast.expr, ...], tuple[ast.expr, ...]] | None:
    return ((left,), (right,)) if _is_key(right) else None


def _is_key(e: ast.expr) -> bool:
    """A literal, a constant in capitals, a member of a class, or a class."""
    match e:
        case ast.Constant(value=value):
            return value is not ... and value == value
        case ast.UnaryOp(op=ast.USub(), operand=ast.Constant()):
            return True
        case ast.Attribute(value=ast.Name(id=owner), attr=attr):
            return owner[:1].isupper() or attr.isupper()
        case ast.Attribute(value=ast.Attribute(value=ast.Name(id=root), attr=owner)):
            return owner[:1].isupper() and root not in ("self", "cls")
    return isinstance(e, ast.Name) and (e.id.strip("_").isupper() or e.id in _CLASSES)


_CLASSES = frozenset({"int", "str", "float", "bool", "list", "dict", "tuple", "set", "bytes", "frozenset"})


def _is_kind(left: ast.expr, right: ast.expr) -> bool:
    """`x is Material.GLASS`, `type(x) is Bale`; not `x is None`."""
    if _asks_type(left):
        return isinstance(right, ast.Name | ast.Attribute)
    return (isinstance(right, ast.Attribute) and _is_key(right)) or _is_class(right)


def _is_class(e: ast.expr) -> bool:
    """A class by its name: of the builtins, or written as classes are."""
    return isinstance(e, ast.Name) and (e.id in _CLASSES or (e.id[:1].isupper() and not e.id.isupper()))


def _asks_type(e: ast.expr) -> bool:
    """`type(x)`, `x.__class__`."""
    match e:
        case ast.Call(func=ast.Name(id="type"), args=[_], keywords=[]) | ast.Attribute(attr="__class__"):
            return True
    return False


def _ifs(block: list[ast.stmt], at: int, read: Reader, open_end: bool) -> Chain | None:
    arms: list[Arm] = []
    subjects: tuple[ast.expr, ...] = ()
    default: list[ast.stmt] | None = None
    end = at
    while end < len(block) and isinstance(block[end], ast.If):
        s = block[end]
        assert isinstance(s, ast.If)
        more, otherwise = _arms(s, read, open_end)
        if more is None or (subjects and _dump(more[0]) != _dump(subjects)):
            break
        subjects = more[0]
        arms += more[1]
        end += 1
        if otherwise or not all(leaves(arm.body) for arm in more[1]):
            default = otherwise or None
            return Chain(block, at, end, subjects, tuple(arms), default)
    if not arms:
        return None
    is_rest = all(leaves(arm.body) for arm in arms) and end < len(block)
    if is_rest and leaves(block[end : end + 1]):
        return Chain(block, at, end + 1, subjects, tuple(arms), block[end : end + 1], True)
    return Chain(block, at, end, subjects, tuple(arms), None)


def _arms(
    s: ast.If, read: Reader, open_end: bool
) -> tuple[tuple[tuple[ast.expr, ...], list[Arm]] | None, list[ast.stmt]]:
    """The arms of one if-chain when all of them ask about the same subjects, and its `else`."""
    arms: list[Arm] = []
    subjects: tuple[ast.expr, ...] = ()
    node: ast.If = s
    while True:
        asked = read(node.test)
        if asked is None or (subjects and _dump(asked[0]) != _dump(subjects)):
            return ((subjects, arms), [node]) if arms and open_end else (None, [])
        subjects = asked[0]
        arms.append(Arm(asked[1], node.body, node.lineno, node.test))
        if len(node.orelse) == 1 and isinstance(node.orelse[0], ast.If):
            node = node.orelse[0]
            continue
        return (subjects, arms), node.orelse


def _match(block: list[ast.stmt], at: int, read: "Reader") -> Chain | None:
    s = block[at]
    assert isinstance(s, ast.Match)
    arms: list[Arm] = []
    default: list[ast.stmt] | None = None
    subject = s.subject
    subjects = tuple(subject.elts) if isinstance(subject, ast.Tuple) else (subject,)
    for case in s.cases:
        if case.guard is not None or default is not None:
            return None
        keys = _pattern_keys(case.pattern, len(subjects), read)
        if keys is None:
            return None
        if keys:
            arms.append(Arm(tuple(keys), case.body, case.pattern.lineno))
        else:
            default = case.body
    end = at + 1
    all_leave = default is None and bool(arms) and all(leaves(arm.body) for arm in arms)
    if all_leave and end < len(block) and leaves(block[end : end + 1]):
        return Chain(block, at, end + 1, subjects, tuple(arms), block[end : end + 1], True)
    return Chain(block, at, end, subjects, tuple(arms), default) if arms else None


def _pattern_keys(pattern: ast.pattern, size: int, read: "Reader") -> list[ast.expr] | None:
    """The keys a pattern names; [] for `case _`; None for any other pattern."""
    match pattern:
        case ast.MatchValue() | ast.MatchSingleton() | ast.MatchClass() if size == 1:
            key = read.key_of(pattern)
            return [key] if key is not None else None
        case ast.MatchSequence(patterns=parts) if size == 2 and len(parts) == 2:
            keys = [_pattern_keys(part, 1, read) for part in parts]
            if all(k is not None and len(k) == 1 for k in keys):
                return [ast.Tuple([k[0] for k in keys if k], ast.Load())]
        case ast.MatchOr(patterns=parts):
            keys = [_pattern_keys(part, size, read) for part in parts]
            if all(keys):
                return [key for part in keys for key in part or ()]
        case ast.MatchAs(pattern=None, name=None):
            return []
    return None


def each_class(kinds: ast.expr) -> tuple[ast.expr, ...]:
    """The classes in `A`, `(A, B)`, `A | B`."""
    match kinds:
        case ast.Tuple(elts=elts):
            return tuple(elts)
        case ast.BinOp(left=left, op=ast.BitOr(), right=right):
            return (*each_class(left), *each_class(right))
    return (kinds,)


# --- text ----------------------------------------------------------------------------------------------


def is_plain(e: ast.expr) -> bool:
    """A name, attributes of one, items of it under a constant key: asking again is the same, if these are plain."""
    match e:
        case ast.Name():
            return True
        case ast.Attribute(value=inner) | ast.Subscript(value=inner, slice=ast.Constant(value=str() | int())):
            return is_plain(inner)
        case ast.Call(func=ast.Attribute(value=inner, attr="get"), args=[key, *default], keywords=[]):
            is_word = isinstance(key, ast.Constant) and isinstance(key.value, str)
            fixed = len(default) < 2 and all(isinstance(d, ast.Constant) for d in default)
            return is_word and fixed and is_plain(inner)
    return False


def is_asked_twice(e: ast.expr) -> bool:
    """Whether asking a subject once more is the same: a plain place, the class of what stands there, a length."""
    match e:
        case ast.Call(func=ast.Name(id="type"), args=[inner], keywords=[]):
            return is_plain(inner)
        case ast.Call(func=ast.Name(id="len"), args=[ast.Name()], keywords=[]):
            return True
    return is_plain(e)


def subject_code(sheet: Sheet, chain: Chain) -> str:
    """The subject as a key: two of them as a tuple."""
    codes = [_code(sheet, s) for s in chain.subjects]
    return codes[0] if len(codes) == 1 else ", ".join(codes)


def _code(sheet: Sheet, e: ast.expr) -> str:
    return sheet.code(e) if hasattr(e, "lineno") else ast.unparse(e)


def key_code(sheet: Sheet, key: ast.expr) -> str:
    if hasattr(key, "lineno"):
        return sheet.code(key)
    if not isinstance(key, ast.Tuple):
        return ast.unparse(key)
    return f"({', '.join(sheet.code(part) for part in key.elts)})"


def lines_of(sheet: Sheet, chain: Chain) -> tuple[int, int]:
    """The first and the last line of a chain, the comments at the end of its last arm among them. Raises Untouchable
    when it shares a line with something else."""
    first, last = chain.first.lineno, chain.last.end_lineno or chain.last.lineno
    if chain.default is None:
        indent = sheet.indent(first)
        last = max([last, *(n for n in sheet.comments_below(last, indent) if sheet.indent(n) != indent)])
    if len(sheet.indent(first).encode()) != chain.first.col_offset:
        raise Untouchable("it stands on the line of another statement")
    return first, last


def comments_of(sheet: Sheet, first: int, last: int) -> list[str]:
    """The comments in a range of lines, as they stand."""
    return [t.string for t in sheet.tokens if t.type == tokenize.COMMENT and first <= t.start[0] <= last]


def check_keys(keys: Sequence[ast.expr]) -> None:
    """Raises Untouchable for keys that would meet in a dict, or never be found there."""
    seen: dict[object, str] = {}
    for key in keys:
        code = ast.unparse(key)
        try:
            value: object = ast.literal_eval(key)
        except (ValueError, TypeError, SyntaxError):
            value = code if not isinstance(key, ast.Constant) else key
        if value != value:
            raise Untouchable("NaN is equal to nothing, and a table would find it")
        if value in seen:
            told = f"{seen[value]} and {code} are one key" if seen[value] != code else f"{code} is asked for twice"
            raise Untouchable(f"{told} in a table")
        seen[value] = code


def table_line(scene: Scene, sheet: Sheet, code: str) -> int:
    """The line a table goes before: above the function, or below the last thing it needs that is bound later."""
    first = first_line(scene.outermost)
    while first > 1 and sheet.line(first - 1).startswith("#"):
        first -= 1
    needed = {n.id for n in walk(ast.parse(code)) if isinstance(n, ast.Name) and isinstance(n.ctx, ast.Load)}
    later = [s for s in scene.tree.body if s.lineno >= first and _bound_by(s) & needed]
    if not later:
        return first
    return last_line({f.node: f.end for f in scene.functions}, later[-1]) + 1


def _bound_by(s: ast.stmt) -> set[str]:
    match s:
        case ast.Import() | ast.ImportFrom():
            return {alias.asname or alias.name.split(".")[0] for alias in s.names}
        case ast.Assign() | ast.AnnAssign():
            return {n.id for n in walk(s) if isinstance(n, ast.Name) and isinstance(n.ctx, ast.Store)}
    return {getattr(s, "name", "")}


def put_table(scene: Scene, sheet: Sheet, code: str) -> None:
    """A table at the top of the module, with the blank lines around it that its place calls for."""
    line = table_line(scene, sheet, code)
    below = line > scene.outermost.lineno
    sheet.insert(line, f"\n\n{code}" if below else f"{code}\n\n")
