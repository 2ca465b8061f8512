"""One pinned case: the lines that build its arguments, call the function and check what it did."""

import ast
import re
from dataclasses import asdict, dataclass, replace
from typing import Any

from dreck.source.walking import walk

HELPERS = {
    "collected": '''async def collected(items):
    """The first items of an asynchronous generator, as a list."""
    found = []
    async for item in items:
        found.append(item)
        if len(found) == 60:
            break
    return found
''',
    "made": '''def made(kind, /, **attributes):
    """An object of class `kind` with these attributes and nothing else set up."""
    thing = kind.__new__(kind)
    for name, value in attributes.items():
        object.__setattr__(thing, name, value)
    return thing
''',
    "state": '''def state(value):
    """What `value` holds, objects as dictionaries with the name of their class."""
    if isinstance(value, list | tuple):
        return type(value)(map(state, value))
    if isinstance(value, dict):
        return {key: state(item) for key, item in value.items()}
    if not hasattr(value, "__dict__") or isinstance(value, type):
        return value
    attributes = {name: state(item) for name, item in vars(value).items()}
    return {"class": type(value).__name__, **attributes}
''',
}


@dataclass(frozen=True, slots=True)
class Case:
    """A case as it travels and is written.

    `way` names the way through; `setup` are lines before the call; `arguments` names with their source; `call`
    the call; `expected` the source of the result, when that is all there is to check; `checks` further lines;
    `raises` the exception's name and the source of its arguments, empty when these are Python's own words.
    """

    way: str
    setup: tuple[str, ...]
    arguments: tuple[tuple[str, str], ...]
    call: str
    expected: str | None = None
    checks: tuple[str, ...] = ()
    raises: tuple[str, str] | None = None
    output: str | None = None
    imports: frozenset[str] = frozenset()
    own: frozenset[str] = frozenset()
    helpers: frozenset[str] = frozenset()
    globals: tuple[tuple[str, str], ...] = ()

    @property
    def is_plain(self) -> bool:
        """Whether it fits a line of a table: literal arguments, one result or one exception."""
        if self.setup or self.checks or self.output is not None or self.globals:
            return False
        told = self.expected if self.raises is None else self.raises[1]
        names = {name for name, _ in self.arguments}
        return told is not None and not any(
            isinstance(n, ast.Name) and n.id in names for n in walk(ast.parse(told or "0"))
        )

    def called(self, old: str, new: str) -> "Case":
        """The same case for a function that has another name."""
        if old == new:
            return self
        call = re.sub(rf"(?<![\w.]){re.escape(old)}(?=\()", new, self.call)
        own = (self.own - {old.partition(".")[0]}) | {new.partition(".")[0]}
        return replace(self, call=call, own=own)

    def as_json(self) -> dict[str, Any]:
        return {k: sorted(v) if isinstance(v, frozenset) else v for k, v in asdict(self).items()}

    @classmethod
    def from_json(cls, data: dict[str, Any]) -> "Case":
        return cls(
            data["way"],
            tuple(data["setup"]),
            tuple((a, b) for a, b in data["arguments"]),
            data["call"],
            data["expected"],
            tuple(data["checks"]),
            tuple(data["raises"]) if data["raises"] else None,
            data["output"],
            frozenset(data["imports"]),
            frozenset(data["own"]),
            frozenset(data["helpers"]),
            tuple((a, b) for a, b in data["globals"]),
        )

    def lines(self, module: str) -> list[str]:
        """The body of its test function."""
        lines = [f"monkeypatch.setattr({module}, {quoted(name)}, {source})" for name, source in self.globals]
        lines += self.setup
        lines += [f"{name} = {source}" for name, source in self.arguments]
        if self.raises is not None:
            kind, args = self.raises
            lines.append(f"with pytest.raises({kind}){' as raised' if args else ''}:")
            lines.append(f"    {self.call}")
            lines.append(f"assert type(raised.value) is {kind}" if args else "")
            lines.append(f"assert raised.value.args == {args}" if args else "")
            return [line for line in [*lines, *self.checks, *self._printed()] if line]
        if self.expected in ("None", "True", "False"):
            lines.append(f"assert {self.call} is {self.expected}")
        elif self.expected is not None:
            lines += [f"result = {self.call}", f"assert result == {self.expected}"]
            lines += [f"assert type(result) is {kind}" for kind in _number_type(self.expected)]
            lines += ["assert repr(result) == " + quoted(shown) for shown in exact_repr(self.expected)]
        elif any(re.search(r"\bresult\b", check) for check in self.checks):
            lines.append(f"result = {self.call}")
        else:
            lines.append(self.call)
        return [*lines, *self.checks, *self._printed()]

    def _printed(self) -> list[str]:
        return [] if self.output is None else [f"assert capsys.readouterr().out == {quoted(self.output)}"]


def _number_type(source: str) -> list[str]:
    """The type of a number's literal: `==` alone takes 1, 1.0 and True for the same."""
    tree = ast.parse(source, mode="eval").body
    if isinstance(tree, ast.UnaryOp):
        tree = tree.operand
    is_number = isinstance(tree, ast.Constant) and type(tree.value) in (int, float)
    return [type(tree.value).__name__] if isinstance(tree, ast.Constant) and is_number else []


def exact_repr(source: str) -> list[str]:
    """What a literal that holds numbers prints as: `==` alone takes [1], [1.0] and [True] for the same."""
    try:
        value = ast.literal_eval(source)
    except ValueError:
        return []
    holds_numbers = any(
        isinstance(n, ast.Constant) and isinstance(n.value, int | float) for n in walk(ast.parse(source))
    )
    return [repr(value)] if isinstance(value, list | tuple | dict) and holds_numbers and "{" not in source else []


def quoted(value: str | bytes) -> str:
    """A string's literal in double quotes, where that needs no more escapes."""
    text = repr(value)
    prefix, body = ("b", text[2:-1]) if isinstance(value, bytes) else ("", text[1:-1])
    return f'{prefix}"{body}"' if '"' not in body and "\\'" not in body else text
