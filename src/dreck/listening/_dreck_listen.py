"""Listens, inside a command somebody runs, for the calls of watched functions. Imports nothing of Dreck."""

import ast
import atexit
import builtins
import importlib.machinery
import json
import os
import pickle
import sys
import threading
from typing import Any

from dreck.source.walking import walk

_MOST = 400
_KEEP = "__dreck_keep__"


def listen() -> None:
    """From now on the watched file is given to this process with a line more in each watched function."""
    watched = os.environ["DRECK_WATCH_FILE"]
    names = os.environ["DRECK_WATCH_NAMES"].split("\n")
    keeper = _Keeper(os.environ["DRECK_WATCH_TOLD"])
    setattr(builtins, _KEEP, keeper.keep)
    loader = importlib.machinery.SourceFileLoader
    usual = loader.get_code

    def get_code(self: Any, fullname: str) -> Any:
        path = self.get_filename(fullname)
        if os.path.realpath(path) != watched:
            return usual(self, fullname)
        tree = ast.parse(self.get_data(path))
        _mark(tree.body, "", names, {})
        return compile(ast.fix_missing_locations(tree), path, "exec", dont_inherit=True)

    vars_of_loader: Any = loader
    vars_of_loader.get_code = get_code
    arguments = _script_arguments()
    if arguments and os.path.realpath(arguments[0]) == watched:
        _run_as_script(arguments, names)


def _script_arguments() -> list[str]:
    """The script this process was started with and its arguments; [] when it was started otherwise."""
    rest = sys.orig_argv[1:]
    while rest and rest[0].startswith("-"):
        if rest[0] in ("-c", "-m", "-"):
            return []
        rest = rest[2:] if rest[0] in ("-W", "-X", "--check-hash-based-pycs") else rest[1:]
    return rest


def _run_as_script(arguments: list[str], names: list[str]) -> None:
    """Python reads a script by itself, past every loader: here it is run with its functions watched, to its end."""
    path = arguments[0]
    with open(path, "rb") as file:
        tree = ast.parse(file.read())
    _mark(tree.body, "", names, {})
    sys.argv = arguments
    sys.path.insert(0, os.path.dirname(os.path.realpath(path)))
    main = sys.modules["__main__"]
    vars(main).update(__file__=path, __name__="__main__", __builtins__=builtins)
    status = 0
    try:
        exec(compile(ast.fix_missing_locations(tree), path, "exec", dont_inherit=True), vars(main))
    except SystemExit as left:
        status = left.code if isinstance(left.code, int) else int(left.code is not None)
    except BaseException:
        sys.excepthook(*sys.exc_info())
        status = 1
    _end(status)


def _end(status: int) -> None:
    """What Python does at its end, as far as a script can tell."""
    vars(threading)["_shutdown"]()
    atexit._run_exitfuncs()
    for stream in (sys.stdout, sys.stderr):
        stream.flush()
    os._exit(status)


def _mark(body: list[ast.stmt], prefix: str, names: list[str], seen: dict[str, int]) -> None:
    for node in body:
        if isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef):
            dotted = prefix + node.name
            seen[dotted] = seen.get(dotted, 0) + 1
            unique = dotted if seen[dotted] == 1 else f"{dotted}#{seen[dotted]}"
            if unique in names:
                _mark_function(node, unique)
        elif isinstance(node, ast.ClassDef):
            _mark(node.body, f"{prefix}{node.name}.", names, seen)
        else:
            for field in ("body", "orelse", "finalbody"):
                _mark(getattr(node, field, []), prefix, names, seen)
            for handler in getattr(node, "handlers", []):
                _mark(handler.body, prefix, names, seen)


def _mark_function(node: ast.FunctionDef | ast.AsyncFunctionDef, unique: str) -> None:
    args = node.args
    names = [a.arg for a in (*args.posonlyargs, *args.args, *args.kwonlyargs)]
    if args.vararg or args.kwarg or (names and names[0] in ("cls", "mcs")):
        names = [n for n in names if n not in ("cls", "mcs")]
    pairs = ast.Dict([ast.Constant(n) for n in names], [ast.Name(n, ast.Load()) for n in names])
    call = ast.Expr(ast.Call(ast.Name(_KEEP, ast.Load()), [ast.Constant(unique), pairs], []))
    has_docstring = ast.get_docstring(node, clean=False) is not None
    at = 1 if has_docstring else 0
    ast.copy_location(call, node.body[0])
    for inner in walk(call):
        ast.copy_location(inner, node.body[0])
    node.body.insert(at, call)


class _Keeper:
    """Writes each call as a line: the arguments as they were when it came in."""

    def __init__(self, told: str) -> None:
        self.told = told
        self._busy = threading.local()
        self._counts: dict[str, int] = {}
        self._seen: set[str] = set()

    def keep(self, function: str, arguments: dict[str, Any]) -> None:
        if getattr(self._busy, "now", False) or self._counts.get(function, 0) >= _MOST:
            return
        self._busy.now = True
        try:
            line = self._line(function, arguments)
            if line not in self._seen:
                self._seen.add(line)
                self._counts[function] = self._counts.get(function, 0) + 1
                with open(self.told, "a") as file:
                    file.write(line + "\n")
        finally:
            self._busy.now = False

    def _line(self, function: str, arguments: dict[str, Any]) -> str:
        try:
            call = {name: pickle.dumps(value, 4).hex() for name, value in arguments.items()}
            for data in call.values():
                if len(data) > 200_000:
                    raise ValueError("too long")
        except Exception:
            return json.dumps({"function": function, "call": None})
        return json.dumps({"function": function, "call": call})


assert sys.version_info >= (3, 10)
