"""Recipes: how a value is made that plays a part of an input."""

import dataclasses
import io
import pickle
import re
from collections.abc import Iterable
from typing import Any

from dreck.trial.inputs.asked.uses import NOT_THERE

_INDEX = re.compile(r"\[\d+\]")
_LONG = 10**30
A_CALL = "what a call changes"
LATER = "'"
"""Behind a path: what stands there once objects have changed."""


def general(path: str) -> str:
    """The path with item numbers left out: `loads[2].kilos` is used as `loads[].kilos` is."""
    return _INDEX.sub("[]", path)


@dataclasses.dataclass(frozen=True, slots=True)
class Make:
    """A recipe: `value` (as it is), `named`, `flags`, `list`, `tuple`, `dict`, `iterator`, `instance`, `stand-in`…"""

    kind: str
    what: Any = None

    def __repr__(self) -> str:
        match self.kind:
            case "value":
                is_power = type(self.what) is int and self.what > _LONG and self.what.bit_count() == 1
                return f"2**{self.what.bit_length() - 1}" if is_power else repr(self.what)
            case "list" | "tuple" | "set":
                return f"a {self.kind} of {self.what}"
            case "below dict":
                return f"a {self.what[0].__name__}"
            case "buffer":
                return f"a file of {self.what!r}"
            case "iterator":
                return f"an iterator over {self.what}"
            case "failing":
                items, error = self.what
                return f"an iterator over {items} that then raises {error}"
            case "json":
                return "a text of JSON"
            case "below":
                return f"an object of a class below {self.what}"
            case "exact":
                return f"an instance of {self.what} itself"
            case "instance":
                return f"an instance of {self.what}"
            case "both":
                return f"an instance of {' and of '.join(self.what)}"
            case "class":
                return f"an instance of {self.what.__name__}"
            case "raise":
                return "not there" if str(self.what).startswith(NOT_THERE) else f"raises {self.what}"
            case "same":
                return f"the very {self.what}"
            case "equal":
                return f"equal to {self.what}"
            case "named":
                return str(self.what)
            case "flags":
                kind, names = self.what
                return " | ".join(f"{kind}.{name}" for name in names) or f"{kind}(0)"
            case "any member":
                return f"a member of an {self.what}"
            case "as it is":
                return self.kind
            case "as set up":
                return f"as {self.what}() leaves it"
            case "recorded":
                return recorded_repr(self.what)
        return f"a {self.kind}"


def played(call: dict[str, str]) -> dict[str, Make]:
    """The choice that puts recorded arguments (pickled, in hex, by parameter) where they came in."""
    return {name: Make("recorded", data) for name, data in call.items()}


class Unpickler(pickle.Unpickler):
    """Recorded arguments, with the classes of the version that runs: the other one has its own."""

    def __init__(self, data: str, namespace: dict[str, Any]) -> None:
        super().__init__(io.BytesIO(bytes.fromhex(data)))
        self.namespace = namespace

    def find_class(self, module: str, name: str) -> Any:
        if module in (self.namespace.get("__name__"), "__main__"):
            found: Any = self.namespace.get(name.partition(".")[0])
            for part in name.split(".")[1:]:
                found = getattr(found, part, None)
            if found is not None:
                return found
        return super().find_class(module, name)


def recorded_repr(data: str) -> str:
    """A recorded argument as people read it, cut to a line."""
    try:
        text = repr(pickle.loads(bytes.fromhex(data)))
    except Exception:  # of a class that only the script defines that was run
        return "a recorded object"
    return text if len(text) <= 120 else text[:117] + "..."


def distinct(makes: Iterable[Make]) -> list[Make]:
    """Each only once: `True` and `1` are two."""
    found: dict[str, Make] = {}
    for make in makes:
        what = hex(make.what) if type(make.what) is int else repr(make.what)
        found.setdefault(f"{make.kind} {type(make.what).__name__} {what}", make)
    return list(found.values())
