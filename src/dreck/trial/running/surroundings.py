"""Variables of the process's environment: those the code reads are inputs, those it sets are part of what it does.

So are the word for the system it runs on, which code compares with others, the words of a command line, and what is
typed.
"""

import ast
import io
import itertools
import os
import re
import sys
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

from dreck.source.functions import FunctionNode
from dreck.source.walking import walk
from dreck.trial.playing.world import World
from dreck.trial.running.settable import Settable
from dreck.trial.sandbox.cage import Cage

_MOST = 6
_MOST_NAMES = 12
_MOST_WORDS = 8
SYSTEMS = {"sys.platform": ("win32", "darwin"), "os.name": ("nt",)}


@dataclass(frozen=True, slots=True)
class Asked:
    """What code asks of its surroundings: variables, words for the system, a command line, what is typed, files."""

    names: tuple[str, ...] = ()
    systems: frozenset[str] = frozenset()
    compared: frozenset[str] = frozenset()
    words: tuple[str, ...] = ()
    reads_words: bool = False
    reads_typed: bool = False
    names_of_files: tuple[str, ...] = ()
    opens_files: bool = False
    asks_where: bool = False

    @classmethod
    def by(cls, function: FunctionNode, beside: Iterable[FunctionNode]) -> "Asked":
        """What a function asks for, and those beside it that it comes to; of files all of them."""
        every = [function, *beside]
        functions = _come_to(every)
        nodes = [node for one in functions for node in walk(one)]
        systems = frozenset(word for word in SYSTEMS if any(_is(node, word) for node in nodes))
        return cls(
            names=tuple(dict.fromkeys(name for one in functions for name in _names(one))),
            systems=systems,
            compared=frozenset(text for one in functions for word in systems for text in _compared(one, word)),
            words=tuple(dict.fromkeys(word for one in functions for word in _words(one))),
            reads_words=any(map(_reads_arguments, nodes)),
            reads_typed=any(map(_reads_what_is_typed, nodes)),
            names_of_files=tuple(dict.fromkeys(text for one in every for text in _names_said(one))),
            opens_files=any(map(_asks_for_files, every)),
            asks_where=any(map(_asks_where, every)),
        )

    def with_those(self, later: "Asked") -> "Asked":
        """What the code of either version asks for: both are run in the same surroundings."""
        return Asked(
            tuple(dict.fromkeys([*self.names, *later.names])),
            self.systems | later.systems,
            self.compared | later.compared,
            tuple(dict.fromkeys([*self.words, *later.words])),
            self.reads_words or later.reads_words,
            self.reads_typed or later.reads_typed,
            tuple(dict.fromkeys([*self.names_of_files, *later.names_of_files])),
            self.opens_files or later.opens_files,
            self.asks_where or later.asks_where,
        )


class Surroundings:
    """The variables that a function reads by a constant name, and the word for the system where it reads one."""

    def __init__(
        self, function: FunctionNode, beside: Iterable[FunctionNode], namespace: dict[str, Any], cage: Cage
    ) -> None:
        beside = list(beside)
        self.settable = Settable([function, *beside], namespace)
        self._cage = cage
        self.asked = Asked.by(function, beside)

    @property
    def asked(self) -> Asked:
        """What the code asks for, or that of both versions once they know of each other."""
        return self._asked

    @asked.setter
    def asked(self, asked: Asked) -> None:
        self._asked = asked
        self._files = ("text", *asked.names_of_files[:_MOST]) if asked.opens_files else ()
        self._names = list(asked.names[:_MOST_NAMES])
        self._system = max(asked.systems, default="")  # `sys.platform` says what `os.name` has to be
        self._says_both = len(asked.systems) > 1
        self._systems = tuple(dict.fromkeys([*sorted(asked.compared), *SYSTEMS.get(self._system, ())]))
        words = list(asked.words[:_MOST_WORDS])
        self._lines = tuple(_command_lines(words)) if asked.reads_words else ()
        self._typed = tuple(_typed(words)) if asked.reads_typed else ()

    @property
    def takes_words(self) -> bool:
        """Whether the code reads a command line, or what somebody types."""
        return bool(self._lines or self._typed)

    @contextmanager
    def given(self, world: World) -> Iterator[None]:
        """As long as the block lasts they stand as the input says."""
        before = dict(os.environ) if self._names else {}
        home, _, word = self._system.partition(".")
        system = getattr(sys.modules.get(home), word, "")
        if system:
            setattr(sys.modules[home], word, world.answer(self._system, (system, *self._systems)))
        name_of_system = os.name
        if self._says_both:
            os.name = "nt" if sys.platform == "win32" else "posix"
        arguments, keyboard = sys.argv, sys.stdin
        world.beyond.append(self._change)
        if self._lines:
            sys.argv = ["yard", *world.answer("sys.argv[1:]", self._lines)]
        if self._typed:
            sys.stdin = Typed(world.answer("what is typed", self._typed))
        for name in self._names:
            path = f"os.environ[{name!r}]"
            world.candidates.types.setdefault(path, None | str)
            value = world.at(path)
            if isinstance(value, str) and "\0" not in value:
                os.environ[name] = value
            else:
                os.environ.pop(name, None)
        try:
            with self.settable.given(world):
                yield
        finally:
            sys.argv, sys.stdin = arguments, keyboard
            os.name = name_of_system
            if system:
                setattr(sys.modules[home], word, system)
            if self._names:
                put_back(before)

    def _change(self) -> None:
        """What is called sets the same variables, puts a word on the command line, and changes files."""
        for name in self._names:
            os.environ[name] = f"{os.environ.get(name, '')}x"
        if self._lines:
            sys.argv.append("later")
        if self._files:
            self._cage.change_files(self._files, leave=self._asked.asks_where)


class Typed(io.StringIO):
    """What somebody types while the code runs."""


def _command_lines(words: list[str]) -> Iterator[tuple[str, ...]]:
    yield from ((), ("text",), ("text", "12"), ("there",))
    for word in words:
        yield from ((word,), (word, "text"), ("text", word))
    yield from itertools.pairwise(words)


def _typed(words: list[str]) -> Iterator[str]:
    yield from ("text\n", "", "12\n", "\n", " text \n7\n", "y\n")
    for word in words:
        yield from (f"{word}\n", f"text\n{word}\n12\n")


@lru_cache(maxsize=1024)
def _asks_for_files(function: ast.AST) -> bool:
    said = {n.id for n in walk(function) if isinstance(n, ast.Name)}
    return bool(said & {"open", "os", "Path", "pathlib", "shutil", "glob", "exists", "isfile"})


def _come_to(every: list[FunctionNode]) -> list[FunctionNode]:
    """Of these functions the first one, and those that it speaks of, itself or by way of others."""
    found, left = every[:1], every[1:]
    for function in found:
        said = {n.id if isinstance(n, ast.Name) else getattr(n, "attr", "") for n in walk(function)}
        found += [f for f in left if f.name in said]
        left = [f for f in left if f.name not in said]
    return found


def _words(function: FunctionNode) -> Iterator[str]:
    """Texts of one word that stand in the code."""
    texts = (n.value for n in walk(function) if isinstance(n, ast.Constant) and isinstance(n.value, str))
    return (text for text in texts if text and len(text.split()) == 1)


@lru_cache(maxsize=1024)
def _asks_where(function: ast.AST) -> bool:
    """Whether what it does depends on the folder that the process stands in, and not only on the files there."""
    return any(isinstance(n, ast.Attribute | ast.Name) and _last(n) in _OF_THE_FOLDER for n in walk(function))


def _last(e: ast.Attribute | ast.Name) -> str:
    return e.attr if isinstance(e, ast.Attribute) else e.id


_OF_THE_FOLDER = frozenset({"getcwd", "getcwdb", "cwd", "abspath", "absolute", "resolve", "realpath"})


@lru_cache(maxsize=1024)
def _names_said(function: ast.AST) -> tuple[str, ...]:
    texts = (n.value for n in walk(function) if isinstance(n, ast.Constant) and isinstance(n.value, str))
    return tuple(text for text in texts if _NAME_OF_A_FILE.fullmatch(text))


_NAME_OF_A_FILE = re.compile(r"[\w-][\w.-]{0,40}")


def _reads_arguments(n: ast.AST) -> bool:
    match n:
        case ast.Attribute(value=ast.Name(id="sys"), attr="argv"):
            return True
        case ast.Call(func=ast.Attribute(attr="parse_args" | "parse_known_args"), args=[], keywords=[]):
            return True
    return False


def _reads_what_is_typed(n: ast.AST) -> bool:
    match n:
        case ast.Call(func=ast.Name(id="input")) | ast.Attribute(value=ast.Name(id="sys"), attr="stdin"):
            return True
    return False


def _names(function: FunctionNode) -> Iterator[str]:
    for node in walk(function):
        match node:
            case (
                ast.Call(
                    func=ast.Attribute(value=base, attr="get" | "getenv" | "pop"),
                    args=[ast.Constant(value=str() as n), *_],
                )
                | ast.Subscript(value=base, slice=ast.Constant(value=str() as n))
                | ast.Compare(left=ast.Constant(value=str() as n), comparators=[base])
            ) if _is(base, "os.environ") or (isinstance(base, ast.Name) and base.id in ("environ", "os")):
                yield n


def _is(node: ast.AST, word: str) -> bool:
    home, _, attribute = word.partition(".")
    match node:
        case ast.Attribute(value=ast.Name(id=name), attr=attr):
            return (name, attr) == (home, attribute)
    return False


def _compared(function: FunctionNode, word: str) -> Iterator[str]:
    """The texts that the word for the system is held against."""
    for node in walk(function):
        match node:
            case ast.Compare() | ast.Call(func=ast.Attribute(attr="startswith")):
                parts = list(walk(node))
            case ast.Match(cases=cases):
                parts = [node.subject, *(inner for case in cases for inner in walk(case.pattern))]
            case _:
                continue
        if word and any(_is(part, word) for part in parts):
            yield from (n.value for n in parts if isinstance(n, ast.Constant) and isinstance(n.value, str))


def put_back(before: dict[str, str]) -> tuple[tuple[str, str | None], ...]:
    """Puts the process's environment back as it was; gives what had changed."""
    after = dict(os.environ)
    if after == before:
        return ()
    os.environ.clear()
    os.environ.update(before)
    names = sorted(n for n in {*before, *after} if before.get(n) != after.get(n))
    return tuple((n, after.get(n)) for n in names)
