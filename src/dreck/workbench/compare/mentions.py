"""What a function speaks of, by name and without one, and what it may come to call by way of that."""

import ast
import re
from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence

from dreck.model.names.bindings import bound_by, statements_of
from dreck.model.names.modules import ModuleNames
from dreck.model.names.scopes import param_names
from dreck.proof.surroundings.handed_over import handed_over
from dreck.proof.surroundings.hooks import hooks_of
from dreck.proof.surroundings.implicit import may_run
from dreck.proof.surroundings.resting import BY_TEXTS, words_of
from dreck.source.functions import Function, FunctionNode
from dreck.source.walking import walk


def names_meant(node: FunctionNode) -> set[str]:
    """The names a function says that may mean something outside: not those of its parameters."""
    given = set(param_names(node.args)) - {name for n in walk(node) if isinstance(n, ast.Global) for name in n.names}
    inside = {n.id for s in node.body for n in walk(s) if isinstance(n, ast.Name)}
    around = [*node.decorator_list, node.args, *([node.returns] if node.returns is not None else [])]
    written = [n.value for part in around for n in walk(part) if isinstance(n, ast.Constant) and type(n.value) is str]
    by_text = {word for text in written for word in re.findall(r"[^\W\d]\w*", text)}  # annotations that are texts
    return (inside - given) | by_text | {n.id for part in around for n in walk(part) if isinstance(n, ast.Name)}


def may_call(
    caller: Function,
    functions: Iterable[Function],
    named: Collection[str],
    made: Mapping[str, set[str]],
    held: Mapping[str, set[str]],
) -> Iterator[str]:
    """The functions of a module that a function may come to call, in one step.

    By its name (`named`: with what is assigned to names), by what the module makes of it (`made`), as a method by its
    last name, by what attributes are set to (`held`), by a text where attributes are looked up by texts, and special
    methods without any of that.
    """
    node = caller.node
    said = names_meant(node) | {word for word in words_of(node) if not word.isidentifier()}
    if caller.owner is not None:
        said |= {word for d in caller.owner.decorator_list for word in words_of(d)}
    words = _led_to(said, made, held)
    by_texts = "looks up" in words
    for f in functions:
        name = f.node.name
        if (
            f.name.partition("#")[0] in words
            or (f.nested and name in words and _is_beside(f.name, caller.name))
            or (f.owner is not None and (f".{name}" in words or "any method" in words or runs_unnamed(node, f, named)))
            or (f.owner is None and f"@{name}" in words)
            or (by_texts and f"'{name}'" in words)
            or "any function" in words
        ):
            yield f.name


def hooks_in(functions: Mapping[str, Function], names: ModuleNames) -> list[str]:
    """The functions and methods of a module that code elsewhere may call, though nothing here does."""
    handed = handed_over(names.tree)
    by_class: dict[int, list[tuple[str, Function]]] = {}
    for name, f in functions.items():
        if f.owner is not None:
            by_class.setdefault(id(f.owner), []).append((name, f))
    found = [n for n, f in functions.items() if (f".{f.node.name}" if f.owner is not None else f.node.name) in handed]
    for methods in by_class.values():
        owner = methods[0][1].owner
        hooks = hooks_of(owner, names, {f.node.name for _, f in methods}) if owner is not None else ()
        found += [name for name, f in methods if f.node.name in hooks]
    return found


def _is_beside(name: str, caller: str) -> bool:
    """Whether a function inside another one can be seen by its name from inside that one."""
    return caller.startswith(f"{name.rpartition('.')[0]}.") and name != caller


def captured_otherwise(
    name: str, sides: Sequence[Mapping[str, Function]], proved: Collection[str], changed: Collection[str]
) -> str:
    """What a function inside others reads of their variables that they bind otherwise, as a reason; '' for nothing.

    Those that are proved to be the same bind what they bind; `changed` are names that mean something else.
    """
    parts = name.split(".")
    for around in (".".join(parts[:at]) for at in range(1, len(parts))):
        both = [side.get(around) for side in sides]
        if both[0] is not None and both[1] is not None and around not in proved:
            variable = _otherwise(sides[0][name].node, _bindings(both[0].node), _bindings(both[1].node), changed)
            if variable:
                return f"{around} binds {variable} otherwise"
    return ""


def _otherwise(
    node: FunctionNode, old: dict[str, list[ast.AST]], new: dict[str, list[ast.AST]], changed: Collection[str]
) -> str:
    read = {n.id for n in walk(node) if isinstance(n, ast.Name) and isinstance(n.ctx, ast.Load)}
    pending, seen = sorted(read & (old.keys() | new.keys())), set[str]()
    while pending:
        name = pending.pop(0)
        seen.add(name)
        reads = {n.id for s in old.get(name, []) for n in walk(s) if isinstance(n, ast.Name)}
        if [ast.dump(s) for s in old.get(name, [])] != [ast.dump(s) for s in new.get(name, [])]:
            return name
        if reads & (set(changed) - old.keys()):
            return name
        pending += sorted((reads & old.keys()) - seen - set(pending))
    return ""


def _bindings(node: FunctionNode) -> dict[str, list[ast.AST]]:
    """For each name, the statements of a function that bind it, functions inside left out, and its defaults."""
    found: dict[str, list[ast.AST]] = {}
    for s in statements_of(node.body):
        if not isinstance(s, ast.FunctionDef | ast.AsyncFunctionDef):
            for name in bound_by(s):
                found.setdefault(name, []).append(s)
    for name in param_names(node.args):
        found.setdefault(name, []).append(node.args)
    return found


def _led_to(said: set[str], made: Mapping[str, set[str]], held: Mapping[str, set[str]]) -> set[str]:
    found: set[str] = set()
    pending = list(said)
    while pending:
        word = pending.pop()
        if word not in found:
            found.add(word)
            pending += (w for w in made.get(word, ()) if w not in BY_TEXTS)
            pending += (w for w in held.get(word[1:], ()) if w not in BY_TEXTS) if word.startswith(".") else ()
    return found


def runs_unnamed(node: FunctionNode, method: Function, names: Collection[str]) -> bool:
    """Whether code may run a special method of a class (`__eq__`, a constructor) that it does not name."""
    special = method.node.name
    if not (special.startswith("__") and special.endswith("__")) or method.owner is None:
        return False
    return may_run(node, special, method.owner.name) or (special == "__init__" and method.owner.name in names)


def asserts(node: ast.AST) -> int:
    """How often it does what `python -O` leaves out."""
    return sum(isinstance(n, ast.Assert) or (isinstance(n, ast.Name) and n.id == "__debug__") for n in walk(node))
