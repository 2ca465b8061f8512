"""Making cases of inputs that were tried, and running them as they will stand in the file."""

import ast
import re
import traceback
import types
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from dreck.pins.literals import Unwritable, Writer
from dreck.pins.stage import LiveModule, Pytest, compares, known_parts, plain_state
from dreck.source.functions import functions_in
from dreck.source.walking import walk
from dreck.trial.case import HELPERS, Case
from dreck.trial.inputs.candidates import Candidates
from dreck.trial.playing.patience import runs_out
from dreck.trial.playing.world import World
from dreck.trial.running.describe import Describer
from dreck.trial.running.loading.load import Version
from dreck.trial.running.run import ENDLESS, Runner
from dreck.trial.search.moves import Tried

_LONGEST_SLEEP = 1.0
"""Seconds: a test that sleeps longer is run by nobody."""
_RESERVED = frozenset(
    {"request", "monkeypatch", "capsys", "tmp_path", "pytest", "sys", "asyncio", "islice", "call", "calls", "result",
     "raised", "Mock", "AsyncMock", "SimpleNamespace", "sentinel", *HELPERS}
)  # fmt: skip
"""Names a test's own lines use, and those the runner keeps for itself."""


def _mangled(name: str, owner: type) -> str:
    private = name.startswith("__") and not name.endswith("__")
    return f"_{owner.__name__.lstrip('_')}{name}" if private else name


@dataclass(frozen=True, slots=True)
class _Global:
    """A module global as it stood when the module was loaded."""

    description: Any
    source: str
    imports: frozenset[str]

    def value(self, namespace: dict[str, Any]) -> Any:
        space = dict(namespace)
        for line in sorted(self.imports):
            exec(line, space)
        return eval(self.source, space)


@dataclass(slots=True)
class Caser:
    """Makes cases of inputs a search has tried, and runs them again as they will stand in the file."""

    runner: Runner
    candidates: Candidates
    tree: ast.Module
    node: ast.FunctionDef | ast.AsyncFunctionDef
    module: str
    called: str
    raising: frozenset[int] = frozenset()
    first: dict[str, "_Global"] = field(default_factory=dict)
    changing: set[str] = field(default_factory=set)
    """Arguments that some case leaves changed: every case then says how it leaves them."""
    prints: bool = False
    _spaces: dict[Any, dict[str, Any]] = field(default_factory=dict)
    _bodies: dict[int, tuple[types.CodeType, types.CodeType | None]] = field(default_factory=dict)
    _kept: list[Case] = field(default_factory=list)

    @classmethod
    def of(cls, runner: Runner, candidates: Candidates, path: str, text: str, name: str) -> "Caser":
        """For the function `name` of the module `text`, just after the module was loaded."""
        tree = ast.parse(text)
        function = next(f for f in functions_in(tree, text) if f.name == name)
        raises = [n for n in walk(tree) if isinstance(n, ast.Raise)]
        lines = frozenset(line for n in raises for line in range(n.lineno, (n.end_lineno or n.lineno) + 1))
        made = cls(runner, candidates, tree, function.node, Path(path).stem, name.partition("#")[0], lines)
        made.remember()
        return made

    @property
    def version(self) -> Version:
        return self.runner.version

    def case(self, tried: Tried, way: str) -> Case:
        """The case for one input. Raises Unwritable when no few lines give it, or it does not hold still."""
        if runs_out(tried.used):
            raise Unwritable("an object that answers otherwise in the end")
        world = World(self.candidates, dict(tried.used), self.version.namespace)
        args, kwargs = self.runner.arguments(world)
        first = Writer(self.module, self.version.namespace, tried.used, world.at)
        self._call(args, kwargs, first)
        shared = frozenset(i for i, count in first.met.items() if count > 1)
        taken = {*self.runner.parameters(), *self.version.namespace, "calls", "call"}
        writer = Writer(self.module, self.version.namespace, tried.used, world.at, shared=shared, taken=taken)
        named, call = self._call(args, kwargs, writer)
        chosen = ((name, tried.used[name]) for name in self.version.varying if name in tried.used)
        state = tuple((name, writer.of(make.what)) for name, make in chosen if make.kind == "value")
        draft = Case(way, tuple(writer.setup), named, call, None, (), None, None, *self._needs(writer), state)
        seen = self._played(draft, tried)
        slept = self.runner.still.slept + self.runner.cage.loop().passed
        if slept > _LONGEST_SLEEP:
            raise Unwritable("a call that sleeps for more than a second")
        if seen != self._played(draft, tried):
            raise Unwritable("a result that differs from run to run")
        with self.runner.still.another():
            if seen != self._played(draft, tried):
                raise Unwritable("a result that depends on the clock or on chance")
        return seen

    def _needs(self, writer: Writer) -> tuple[frozenset[str], frozenset[str], frozenset[str]]:
        return frozenset(writer.imports), frozenset(writer.own), frozenset(writer.helpers)

    def _call(self, args: list[Any], kwargs: dict[str, Any], writer: Writer) -> tuple[tuple[tuple[str, str], ...], str]:
        names = [p for p in self.runner.parameters() if p not in kwargs]
        owner = self.version.owner
        named: list[tuple[str, str]] = []
        given: list[str] = []
        target = self.called
        if owner is not None and target.endswith(".__init__"):
            target, args, names = target.removesuffix(".__init__"), args[1:], names[1:]
            owner = None
        for position, value in enumerate(args):
            name = names[position] if position < len(names) else f"more{position}"
            if position == 0 and owner is not None and name in ("cls", "mcs"):
                continue
            name = self._free(name)
            if position == 0 and owner is not None and name == "self":
                name = self._instance_name(owner)
                target = f"{name}.{_mangled(self.called.rpartition('.')[2], owner)}"
                if self.version.is_property:
                    named.append((name, writer.of(value)))
                    return tuple(named), target
            else:
                given.append(name)
            named.append((name, writer.of(value)))
        for name, value in kwargs.items():
            if not name.isidentifier():
                raise Unwritable("a keyword that is no identifier")
            own_name = self._free(name)
            named.append((own_name, writer.of(value)))
            given.append(f"{name}={own_name}")
        if target.partition(".")[0] == self.called.partition(".")[0]:
            writer.own.add(self.called.partition(".")[0])
        return tuple(named), self._run_to_end(f"{target}({', '.join(given)})", writer)

    def _free(self, name: str) -> str:
        """A parameter's name as a test may use it: no fixture's, no helper's, none of what is called."""
        is_taken = name in _RESERVED or name in (self.called.partition(".")[0], self.module)
        return f"{name}_" if is_taken else name

    def _instance_name(self, owner: type) -> str:
        name = re.sub(r"(?<=[a-z0-9])(?=[A-Z])", "_", owner.__name__.strip("_")).lower()
        taken = {*self.runner.parameters(), *self.version.namespace}
        return f"{name}_" if name in taken else name

    def _run_to_end(self, call: str, writer: Writer) -> str:
        is_generator = any(isinstance(n, ast.Yield | ast.YieldFrom) for n in _own_nodes(self.node))
        if isinstance(self.node, ast.AsyncFunctionDef):
            writer.imports.add("import asyncio")
            if is_generator:
                writer.helpers.add("collected")
            return f"asyncio.run(collected({call}))" if is_generator else f"asyncio.run({call})"
        if is_generator:
            writer.imports.add("from itertools import islice")
            return f"list(islice({call}, 60))"
        return call

    # --- playing -----------------------------------------------------------------------------------

    def _played(self, draft: Case, tried: Tried) -> Case:
        """Runs the lines of `draft` and completes it by what they do."""
        space = self.space(draft)
        with self._globals_kept():
            try:
                for name, source in draft.globals:
                    self.version.namespace[name] = eval(source, space)
                exec("\n".join(draft.setup), space)
                for name, source in draft.arguments:
                    space[name] = eval(source, space)
            except Exception as problem:
                raise Unwritable(f"arguments that cannot be built again ({type(problem).__name__})") from None
            values = {name: space[name] for name, _ in draft.arguments}
            before = {name: Describer().of(value) for name, value in values.items()}
            code = compile(draft.call, "<pin>", "eval")
            self.version.watcher.begin()
            result, error, output = self.runner.guarded(lambda: self._evaluated(code, space))
            if self.runner.surroundings.takes_words:
                raise Unwritable("the words of a command line, or what somebody types")
            if tuple(self.version.watcher.trail) != tried.trail:
                raise Unwritable("stand-ins that no plain object can play")
            if self.runner.cage.told:
                raise Unwritable(f"something the cage refuses ({self.runner.cage.told[0]})")
            if self.runner.cage.left():
                raise Unwritable("a file that is written")
            if self.runner.cage.reads_of_here():
                raise Unwritable("a file that is read")
            if error == ENDLESS or isinstance(error, tuple):
                raise Unwritable("a run that does not come to an end")
            return self._completed(draft, space, before, (result, error, output))

    def _evaluated(self, code: types.CodeType, space: dict[str, Any]) -> Any:
        return eval(code, space)

    def _completed(
        self,
        draft: Case,
        space: dict[str, Any],
        before: dict[str, Any],
        ended: tuple[Any, Any, str],
    ) -> Case:
        result, died, output = ended
        self.prints |= bool(output)
        writer = Writer(self.module, self.version.namespace)
        writer.imports, writer.own = set(draft.imports), set(draft.own)
        writer.helpers = set(draft.helpers)
        names = [name for name, _ in draft.arguments]
        writer.known = known_parts({name: space[name] for name in names})
        checks: list[str] = []
        expected, raises = None, None
        if died is not None:
            raises = self._raised(died, writer)
        else:
            expected = self._expected(result, writer, checks, names, space)
        checks += self._afterwards(names, space, before, writer)
        checks += self._calls(space, writer)
        changed = self._changed_globals(draft, writer, checks)
        return Case(
            draft.way, draft.setup, draft.arguments, draft.call, expected, tuple(checks), raises,
            output if self.prints else None,
            *self._needs(writer), changed,
        )  # fmt: skip

    def _raised(self, error: BaseException, writer: Writer) -> tuple[str, str]:
        kind = writer.of(type(error))
        own_words = traceback.extract_tb(error.__traceback__)[-1:]
        told = own_words and own_words[0].filename == self.version.function.__code__.co_filename
        if not (told and own_words[0].lineno in self.raising):
            return kind, ""
        try:
            return kind, writer.of(error.args)
        except Unwritable:
            return kind, ""

    def _expected(
        self, result: Any, writer: Writer, checks: list[str], names: list[str], space: dict[str, Any]
    ) -> str | None:
        known = writer.known.get(id(result))
        if known is not None and not isinstance(result, bool | int | float | str | bytes | type(None) | tuple):
            checks.append(f"assert result is {known}")
            return None
        if isinstance(result, float) and result != result:
            checks.append('assert repr(result) == "nan"')
            return None
        if compares(result, writer.known):
            return writer.of(result)
        writer.helpers.add("state")
        checks.append(f"assert state(result) == {writer.of(plain_state(result))}")
        return None

    def _afterwards(
        self, names: list[str], space: dict[str, Any], before: dict[str, Any], writer: Writer
    ) -> Iterator[str]:
        for name in names:
            value = space[name]
            if Describer().of(value) != before[name]:
                self.changing.add(name)
            elif name not in self.changing or isinstance(value, bool | int | float | str | bytes | type(None)):
                continue
            kept = {
                i: n for i, n in writer.known.items() if i != id(value) and not n.startswith((f"{name}.", name + "["))
            }
            inner = Writer(self.module, self.version.namespace, known=kept)
            if isinstance(value, list | dict | set) and compares(value, kept):
                yield f"assert {name} == {inner.of(value)}"
            else:
                writer.helpers.add("state")
                yield f"assert state({name}) == {inner.of(plain_state(value))}"
            writer.imports |= inner.imports
            writer.own |= inner.own

    def _calls(self, space: dict[str, Any], writer: Writer) -> Iterator[str]:
        calls = space.get("calls")
        if calls is None or not hasattr(calls, "mock_calls"):
            return
        told = []
        for name, args, kwargs in calls.mock_calls:
            given = [writer.of(a) for a in args] + [f"{k}={writer.of(v)}" for k, v in kwargs.items()]
            told.append(f"call.{name}({', '.join(given)})")
        yield f"assert calls.mock_calls == [{', '.join(told)}]"

    # --- module globals ----------------------------------------------------------------------------

    @contextmanager
    def _globals_kept(self) -> Iterator[None]:
        """Module globals stand as they stood when the module was loaded, before and after the block."""
        self._restore()
        try:
            yield
        finally:
            self._restore()

    def remember(self) -> None:
        """Notes how the module globals stand, just after the module was loaded."""
        self.first.update(self._written_globals())

    def _written_globals(self) -> dict[str, "_Global"]:
        found = {}
        for name in self.runner.globals:
            writer = Writer(self.module, self.version.namespace)
            value = self.version.namespace.get(name)
            try:
                found[name] = _Global(Describer().of(value), writer.of(value), frozenset(writer.imports))
            except Unwritable:
                continue
        return found

    def _restore(self) -> None:
        for name, first in self.first.items():
            if Describer().of(self.version.namespace.get(name)) != first.description:
                self.version.namespace[name] = first.value(self.version.namespace)

    def _changed_globals(self, draft: Case, writer: Writer, checks: list[str]) -> tuple[tuple[str, str], ...]:
        """Module globals the input sets, and those the call leaves changed; what these hold is checked."""
        given = dict(draft.globals)
        changed = list(draft.globals)
        for name, first in self.first.items():
            value = self.version.namespace.get(name)
            before = Describer().of(eval(given[name])) if name in given else first.description
            if Describer().of(value) == before:
                continue
            if name not in given:
                changed.append((name, first.source))
                writer.imports |= first.imports
            checks.append(f"assert {self.module}.{name} == {writer.of(value)}")
        return tuple(changed)

    # --- running a finished case -------------------------------------------------------------------

    def space(self, case: Case) -> dict[str, Any]:
        """The names the lines of a case may use, as the file will have them."""
        mark = (case.imports, case.helpers)
        if mark not in self._spaces:
            made: dict[str, Any] = {"pytest": Pytest}
            for line in sorted(case.imports):
                exec(line, made)
            for name in HELPERS:
                exec(HELPERS[name], made)
            self._spaces[mark] = made
        space = {**self._spaces[mark], self.module: LiveModule(self.version.namespace)}
        if "asyncio" in space:
            space["asyncio"] = types.SimpleNamespace(run=self.runner.cage.loop().run)
        for name in case.own | {self.called.partition(".")[0]}:
            space[name] = self.version.namespace.get(name)
        return space

    def holds(self, case: Case) -> bool:
        """Whether the case, run as it stands in the file, passes on the code as it is now."""
        body, checked = self._lines(case)
        space = self.space(case)
        printed: list[str] = []
        space["capsys"] = types.SimpleNamespace(readouterr=lambda: types.SimpleNamespace(out=printed[0]))
        space["monkeypatch"] = types.SimpleNamespace(setattr=setattr)
        with self._globals_kept():
            _, error, output = self.runner.guarded(lambda: exec(body, space))
            printed.append(output)
            if error is None and checked is not None:
                _, error, _ = self.runner.guarded(lambda: exec(checked, space))
        return error is None

    def _lines(self, case: Case) -> tuple[types.CodeType, types.CodeType | None]:
        """The body of the case, and its last line when that looks at what was printed."""
        found = self._bodies.get(id(case))
        if found is None:
            lines = case.lines(self.module)
            last = None if case.output is None else compile(lines.pop(), "<pin>", "exec")
            found = self._bodies[id(case)] = compile("\n".join(lines), "<pin>", "exec"), last
            self._kept.append(case)
        return found


def _own_nodes(node: ast.AST) -> Iterator[ast.AST]:
    for child in ast.iter_child_nodes(node):
        if not isinstance(child, ast.FunctionDef | ast.AsyncFunctionDef | ast.Lambda | ast.ClassDef):
            yield child
            yield from _own_nodes(child)
