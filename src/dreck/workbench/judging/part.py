"""The run of statements in which two versions of a function differ, as a function of its own, to be tried alone.

A trial of the whole function has to find inputs that lead to these statements; as a function of the variables they
are given, they are led to at once. What surrounds them stands word for word in both versions: where the two runs do
the same for all that they can be given, so do the functions. That the runs differ for something says nothing, since
it may never be given to them.
"""

import ast
import copy
from collections.abc import Sequence
from dataclasses import dataclass, replace

from dreck.model.names.scopes import assigned_in, scope_of
from dreck.model.views.control_flow import own_of_comprehensions
from dreck.model.views.liveness import Passed, bound_when_left, passed_by, read_where_caught, surely_bound_before
from dreck.source.copying import copied
from dreck.source.functions import Function, FunctionNode, blocks_of, functions_in, parse
from dreck.source.lines import indent_of, split_lines
from dreck.source.walking import walk
from dreck.trial.running.region import not_shared
from dreck.workbench.judging.acts_kept import acts_are_kept
from dreck.workbench.judging.candidates import Candidate

_SCOPES = (ast.FunctionDef, ast.AsyncFunctionDef, ast.Lambda, ast.ClassDef)
_LIVING = ("weakref", "finalize", "ref(")
"""Where a function speaks of these, or a file of `__del__`, it may matter when a variable lets go of an object."""
_HEEDING = frozenset(
    {
        "locals",
        "vars",
        "eval",
        "exec",
        "dir",
        "globals",
        "exc_info",
        "format_exc",
        "print_exc",
        "exception",
        "_getframe",
    }
)
"""Calls that see more than they are given: the variables around them, or an error that is being handled."""


@dataclass(frozen=True, slots=True)
class Part:
    """Both versions with one function more: what differs, alone. `told`: which lines, and what they are given."""

    old: Candidate
    new: Candidate
    told: str


@dataclass(frozen=True, slots=True)
class _Run:
    """Statements of one version that follow one another, in the function as its text has it."""

    function: Function
    body: tuple[ast.stmt, ...]
    text: str


def part_of(old: Candidate, new: Candidate) -> Part | None:
    """What differs, as a function; None where all of it does, or where it cannot stand alone."""
    sides = [_function_of(c) for c in (old, new)]
    if sides[0] is None or sides[1] is None:
        return None
    (mine, my_text), (theirs, their_text) = sides[0], sides[1]
    if _head(mine.node) != _head(theirs.node) or mine.nested or theirs.nested:
        return None
    found = _differing(mine.node.body, theirs.node.body)
    if found is None:
        return None
    runs = [_Run(mine, tuple(found[0]), my_text), _Run(theirs, tuple(found[1]), their_text)]
    if any(len(run.body) == len(run.function.node.body) for run in runs) or not all(map(_can_stand_alone, runs)):
        return None
    if not acts_are_kept(runs[0].body, runs[1].body, parse(my_text), parse(their_text)):
        return None
    passed = [passed_by(run.function.node, run.body) for run in runs]
    given = _given(runs, passed)
    if given is None:
        return None
    results = passed[0].results | passed[1].results
    if _is_of_lifetimes(runs) and _lets_go(runs, results, given):
        return None
    name = f"{mine.node.name}__part"
    if name in my_text or name in their_text:
        return None
    waits = any(isinstance(n, ast.Await) for run in runs for s in run.body for n in walk(s))
    made = [_with_part(c, run, name, given, results, waits) for c, run in zip((old, new), runs, strict=True)]
    first, last = runs[0].body[0].lineno, runs[0].body[-1].end_lineno or 0
    lines = f"line {first}" if first == last else f"lines {first} to {last}"
    return Part(made[0], made[1], f"{lines} alone, given {', '.join(given) or 'nothing'}")


def _function_of(c: Candidate) -> tuple[Function, str] | None:
    """The function as the text has it, where that is what is judged."""
    if c.aliases or c.enclosing:
        return None
    text = c.text()
    found = next((f for f in functions_in(parse(text, c.path), text) if f.name == c.name), None)
    return (found, text) if found is not None and ast.dump(found.node) == ast.dump(c.node) else None


def _head(f: FunctionNode) -> str:
    parts = (f.args, *f.decorator_list, *([f.returns] if f.returns is not None else []))
    return f"{type(f).__name__} {' '.join(map(ast.dump, parts))}"


def _differing(old: list[ast.stmt], new: list[ast.stmt]) -> tuple[list[ast.stmt], list[ast.stmt]] | None:
    """The innermost statements outside of which two blocks say the same."""
    a, b = not_shared(old, new)
    if len(a) == len(b) == 1 and type(a[0]) is type(b[0]) and _around(a[0]) == _around(b[0]):
        pairs = [(x, y) for x, y in zip(blocks_of(a[0]), blocks_of(b[0]), strict=True) if _dumps(x) != _dumps(y)]
        if len(pairs) == 1:
            inner = _differing(*pairs[0])
            if inner is not None:
                return inner
    return (a, b) if a and b else None


def _dumps(block: Sequence[ast.stmt]) -> list[str]:
    return list(map(ast.dump, block))


def _around(s: ast.stmt) -> str:
    """A compound statement with nothing in its blocks."""
    if not any(True for _ in blocks_of(s)) or isinstance(s, _SCOPES):
        return f"{id(s)}"
    bare = copied(s)
    for block in blocks_of(bare):
        block.clear()
    return ast.dump(bare)


def _can_stand_alone(run: _Run) -> bool:
    """Whether nothing in it depends on where it stands, beside the variables that it reads and binds."""
    node = run.function.node
    bound, scope = assigned_in(list(run.body)), scope_of(node)
    if scope.shared:
        return False
    if bound & (scope.declared_global | scope.declared_nonlocal | scope.captured | scope.deleted):
        return False
    if read_where_caught(node, run.body) & bound:
        return False  # what is bound when an error comes is read where it is caught
    inside = [n for s in run.body for n in walk(s)]
    lasting = bool(scope.captured & assigned_in(node.body))
    at_once = _used_at_once(inside)
    if any(_depends_on_its_place(n) or (lasting and isinstance(n, _LAZY) and n not in at_once) for n in inside):
        return False
    return not any(map(_raises_again, run.body))


_LAZY = (ast.Lambda, ast.GeneratorExp)
_TAKING_ALL = frozenset(
    {"any", "all", "sum", "min", "max", "sorted", "tuple", "list", "set", "dict", "frozenset", "join"}
)


def _used_at_once(nodes: list[ast.AST]) -> set[ast.AST]:
    """The generator expressions that are run to their end where they stand."""
    calls = [n for n in nodes if isinstance(n, ast.Call) and n.args]
    return {n.args[0] for n in calls if getattr(n.func, "id", getattr(n.func, "attr", "")) in _TAKING_ALL}


def _depends_on_its_place(n: ast.AST) -> bool:
    match n:
        case ast.Name(id=word) | ast.Attribute(attr=word):
            return word in _HEEDING or (isinstance(n, ast.Name) and isinstance(n.ctx, ast.Del))
        case ast.Yield() | ast.YieldFrom() | ast.Global() | ast.Nonlocal():
            return True
    return isinstance(n, ast.FunctionDef | ast.AsyncFunctionDef | ast.ClassDef)


def _raises_again(s: ast.stmt) -> bool:
    """Whether a bare `raise` speaks of an error that came before the run."""
    if isinstance(s, ast.Raise):
        return s.exc is None
    handled = {id(h.body) for h in s.handlers} if isinstance(s, ast.Try | ast.TryStar) else set[int]()
    return any(_raises_again(inner) for block in blocks_of(s) if id(block) not in handled for inner in block)


def _given(runs: list[_Run], passed: list[Passed]) -> list[str] | None:
    """What both runs are given, in the order it is read; None where some of it may have no value there."""
    needed: list[str] = []
    for run, told in zip(runs, passed, strict=True):
        local = scope_of(run.function.node).local
        wanted = told.needed & local
        if not wanted <= surely_bound_before(run.function.node, run.body):
            return None
        aside = own_of_comprehensions(run.function.node)
        read = [n for s in run.body for n in walk(s) if isinstance(n, ast.Name) and n not in aside]
        order = [n.id for n in sorted(read, key=lambda n: (n.lineno, n.col_offset))]
        needed += [n for n in dict.fromkeys([*order, *sorted(wanted)]) if n in wanted]
    first = _first_parameter(runs[0].function)
    return list(dict.fromkeys([*first, *needed]))


def _first_parameter(f: Function) -> list[str]:
    """The `self` or `cls` of a method."""
    if f.owner is None or "staticmethod" in map(ast.unparse, f.node.decorator_list):
        return []
    args = [*f.node.args.posonlyargs, *f.node.args.args]
    return [args[0].arg] if args else []


def _with_part(c: Candidate, run: _Run, name: str, given: list[str], results: frozenset[str], waits: bool) -> Candidate:
    """The version with its run as a function beside the one it stands in."""
    f = run.function
    kept = results & scope_of(f.node).local
    leaving = _Leaving(run, given, kept)
    (made,) = ast.parse(f"{'async ' if waits else ''}def {name}(): pass").body
    assert isinstance(made, FunctionNode)
    last = leaving.left(None)
    made.body = [*(leaving.visit(s) for s in copy.deepcopy(list(run.body))), last]
    types = _annotations(f.node)
    made.args.args = [ast.arg(n, types.get(n)) for n in given]
    made.decorator_list = [d for d in f.node.decorator_list if ast.unparse(d) in ("staticmethod", "classmethod")]
    lines = split_lines(run.text)
    indent = indent_of(lines[f.node.lineno - 1])
    code = ast.unparse(ast.fix_missing_locations(made))
    put = "".join(f"{indent}{line}\n" if line else "\n" for line in code.splitlines())
    text = "".join([*lines[: f.end], "" if lines[f.end - 1].endswith(("\n", "\r")) else "\n", put, *lines[f.end :]])
    whole = f"{c.name.rpartition('.')[0]}.{name}".lstrip(".")
    node = next(g.node for g in functions_in(parse(text, c.path), text) if g.name == whole)
    return replace(c, text=lambda: text, name=whole, node=node)


def _is_of_lifetimes(runs: list[_Run]) -> bool:
    told = [ast.unparse(run.function.node) for run in runs]
    return any("__del__" in run.text for run in runs) or any(word in code for word in _LIVING for code in told)


def _lets_go(runs: list[_Run], results: frozenset[str], given: list[str]) -> bool:
    """Whether a variable of a run is let go of in it, or lives longer around it than in it."""
    bound = frozenset[str]().union(*(assigned_in(list(run.body)) for run in runs))
    return bool(bound - results or bound & set(given))


def _annotations(f: FunctionNode) -> dict[str, ast.expr | None]:
    """What parameters are said to be, as far as nothing else is put into them."""
    bound = assigned_in(f.body)
    every = (*f.args.posonlyargs, *f.args.args, *f.args.kwonlyargs)
    return {a.arg: a.annotation for a in every if a.arg not in bound}


class _Leaving(ast.NodeTransformer):
    """Every way out of a run tells which it is, by how many parts it has, and what the variables hold that are read
    afterwards: `(value,)` for a return, `((), (…))` where it ends, more for `break` and `continue`."""

    def __init__(self, run: _Run, given: list[str], results: frozenset[str]) -> None:
        self.run, self.given, self.results, self.loops = run, frozenset(given), results, 0

    def left(self, at: ast.stmt | None, further: int = 0) -> ast.Return:
        bound = self.given | bound_when_left(self.run.function.node, self.run.body, at)
        names: list[ast.expr] = [ast.Name(n, ast.Load()) for n in sorted(self.results & bound)]
        empty = [ast.Tuple([], ast.Load()) for _ in range(further)]
        parts: list[ast.expr] = [ast.Tuple([], ast.Load()), ast.Tuple(names, ast.Load()), *empty]
        return ast.Return(ast.Tuple(parts, ast.Load()))

    def _of(self, s: ast.stmt) -> ast.stmt:
        """The statement as it stands in the version, of which this is a copy."""
        places = (n for own in self.run.body for n in walk(own) if type(n) is type(s))
        return next(n for n in places if (n.lineno, n.col_offset) == (s.lineno, s.col_offset))

    def visit_Return(self, s: ast.Return) -> ast.stmt:
        value = s.value if s.value is not None else ast.Constant(None)
        return ast.copy_location(ast.Return(ast.Tuple([value], ast.Load())), s)

    def visit_Break(self, s: ast.Break) -> ast.stmt:
        return s if self.loops else ast.copy_location(self.left(self._of(s), 1), s)

    def visit_Continue(self, s: ast.Continue) -> ast.stmt:
        return s if self.loops else ast.copy_location(self.left(self._of(s), 2), s)

    def visit_For(self, s: ast.For) -> ast.stmt:
        return self._loop(s)

    def visit_AsyncFor(self, s: ast.AsyncFor) -> ast.stmt:
        return self._loop(s)

    def visit_While(self, s: ast.While) -> ast.stmt:
        return self._loop(s)

    def _loop(self, s: ast.For | ast.AsyncFor | ast.While) -> ast.stmt:
        self.loops += 1
        s.body = [self.visit(inner) for inner in s.body]
        self.loops -= 1
        s.orelse = [self.visit(inner) for inner in s.orelse]
        return s
