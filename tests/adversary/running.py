"""Pairs as texts, and the truth about them: both versions are run, and all that can be seen is put down."""

import sys
import types
from dataclasses import dataclass
from pathlib import Path
from typing import Any


@dataclass(frozen=True)
class Pair:
    """Code both versions share, the two versions, and a call that tells them apart."""

    name: str
    shared: str
    old: str
    new: str
    call: str

    @property
    def texts(self) -> tuple[str, str]:
        return self.shared + self.old, self.shared + self.new


SINCE = {"generics": (3, 12)}
"""Files whose pairs an older Python cannot read."""


def files_in(folder: Path) -> list[Path]:
    """The files of pairs that this Python can read."""
    return [file for file in sorted(folder.glob("*.txt")) if sys.version_info >= SINCE.get(file.stem, ())]


def pairs_in(text: str) -> list[Pair]:
    """`=== name`, shared lines, `--- old`, lines, `--- new`, lines, `--- call`, one expression."""
    found = []
    for part in text.split("=== ")[1:]:
        head, _, rest = part.partition("\n")
        shared, _, rest = rest.partition("--- old\n")
        old, _, rest = rest.partition("--- new\n")
        new, _, call = rest.partition("--- call\n")
        found.append(Pair(head.strip(), shared, old, new, call.strip()))
    return found


def seen(code: str, call: str) -> Any:
    """What a call comes to, with the log the code may have written and the chain of what it raised."""
    log: list[Any] = []
    module = sys.modules["yard"] = types.ModuleType("yard")
    space = module.__dict__
    space["log"] = log.append
    try:
        exec(compile(code, "<yard>", "exec"), space)
        result = told(eval(call, space))
    except Exception as error:
        result = chain(error)
    finally:
        del sys.modules["yard"]
    return result, told(log)


def told(value: Any) -> Any:
    if isinstance(value, list | tuple):
        return (type(value).__name__, *map(told, value))
    if isinstance(value, dict):
        return ("dict", *((told(k), told(v)) for k, v in value.items()))
    if isinstance(value, BaseException):
        return chain(value)
    if type(value).__module__ == "yard":
        return (type(value).__name__, told(vars(value)) if hasattr(value, "__dict__") else "")
    return (type(value).__name__, repr(value))


def chain(error: BaseException | None) -> Any:
    if error is None:
        return None
    context = None if error.__suppress_context__ else chain(error.__context__)
    return (type(error).__name__, str(error), chain(error.__cause__), context, error.__suppress_context__)
