"""Hooks: methods that code elsewhere may call, because a class there, which theirs derives from, says so.

`_missing_` of an enum, `default` of an encoder, `visit_Call` of a visitor: no function of the file names them.
"""

import ast
from collections.abc import Collection

from dreck.model.names.modules import ModuleNames
from dreck.model.names.nodes import every_node, once_per_tree
from dreck.model.names.scopes import param_names
from dreck.model.names.worked_out import names_worked_out
from dreck.proof.classes.above import above
from dreck.proof.classes.bodies import bound_in_body
from dreck.proof.classes.elsewhere import Elsewhere
from dreck.proof.surroundings.inherited import classes_in
from dreck.source.functions import FunctionNode
from dreck.source.libraries import library_module
from dreck.source.walking import walk

_FUNCTIONS = (ast.FunctionDef, ast.AsyncFunctionDef)


def hooks_of(node: ast.ClassDef, names: ModuleNames, methods: Collection[str]) -> set[str]:
    """Those of its methods that a class elsewhere may call; all of them below one that cannot be read."""
    return {m for m in methods if not m.startswith("__") and any(_may_call(s, m) for s in above(node, names))}


def hooks_apart(old: ModuleNames, new: ModuleNames) -> dict[str, str]:
    """`Kind.method` of such as only one of two versions has, with how it is told.

    What only the new version has counts where a class that was found says its name.
    """
    before, after = classes_in(old.tree), classes_in(new.tree)
    found: dict[str, str] = {}
    answering = any(map(_answers, (old.tree, new.tree)))
    worked_out = names_worked_out(old.tree) | names_worked_out(new.tree)
    for kind in before.keys() & after.keys():
        mine, theirs = _methods(before[kind]), _methods(after[kind])
        hooks = hooks_of(before[kind], old, mine - theirs) if mine - theirs else set[str]()
        hooks |= {m for m in theirs - mine if any(_says(s, m) for s in above(after[kind], new))}
        told = "is there in one version only, and may be called by a class that it derives from"
        found |= {f"{kind}.{method}": told for method in hooks}
        told = "is there in one version only, and code elsewhere may ask an object for it"
        asked = _asked_for(before[kind], after[kind], answering, worked_out, texts_in(old.tree) | texts_in(new.tree))
        found |= {f"{kind}.{name}": told for name in asked}
    return found


def asks_for_private(old: ModuleNames, new: ModuleNames) -> bool:
    """Whether a class has private names in one version only while the files ask objects for names that may be any:
    that these are not among them is `private-names`."""
    if not {("", ""), _PRIVATE} & (names_worked_out(old.tree) | names_worked_out(new.tree)):
        return False
    before, after = classes_in(old.tree), classes_in(new.tree)
    apart = (bound_in_body(before[kind]) ^ bound_in_body(after[kind]) for kind in before.keys() & after.keys())
    return any(name.startswith("_") for names in apart for name in names)


def _asked_for(
    old: ast.ClassDef,
    new: ast.ClassDef,
    answering: bool,
    worked_out: Collection[tuple[str, str]],
    texts: Collection[str],
) -> set[str]:
    """The names that one version of a class alone binds and code elsewhere may ask any object for (`dict` for `keys`),
    or that may be worked out; all that are not private, where classes of the file answer for names they do not have.

    `"_" + word` may be any private name, and is taken for one that both versions have where no text says the word.
    """
    apart = bound_in_body(old) ^ bound_in_body(new)
    open_ = {name for name in apart if not name.startswith("_") and (answering or ("", "") in worked_out)}
    parts = [(first, last) for first, last in worked_out if first or last]
    told = {name for name in apart if name.removeprefix("_") in texts}
    made = {name for name in apart for first, last in parts if _is_made(name, first, last)
            if (first, last) != _PRIVATE or name in told}  # fmt: skip
    return {*(apart & _OF_ANY_OBJECT), *open_, *made}


def _is_made(name: str, first: str, last: str) -> bool:
    return name.startswith(first) and name.endswith(last)


_PRIVATE = ("_", "")


@once_per_tree
def texts_in(tree: ast.Module) -> frozenset[str]:
    """Every text that stands in a file."""
    return frozenset(n.value for n in every_node(tree) if isinstance(n, ast.Constant) and isinstance(n.value, str))


_OF_ANY_OBJECT = frozenset(
    {
        "keys",
        "items",
        "read",
        "readline",
        "readlines",
        "readinto",
        "write",
        "writelines",
        "flush",
        "close",
        "aclose",
        "fileno",
        "seek",
        "tell",
        "isatty",
        "readable",
        "writable",
        "seekable",
        "send",
        "throw",
        "acquire",
        "release",
        "mro",
        "numerator",
        "denominator",
        "as_integer_ratio",
        "utcoffset",
        "dst",
        "tzname",
        "fromutc",
        "getvalue",
        "find_spec",
        "load_module",
        "exec_module",
    }
)
"""What Python and its library ask of objects of whatever class."""


def calls_beyond(node: FunctionNode, functions: Collection[str]) -> bool:
    """Whether a function runs anything but functions of its own file and such of Python as call nothing back.

    What operators, loops and `with` come to may be code elsewhere, too; attributes are taken to be plain.
    """
    own = set(param_names(node.args)) | {n.id for n in walk(node) if isinstance(n, ast.Name) and not _is_read(n)}
    return any(_runs_beyond(n, functions, own) for n in walk(node))


def _runs_beyond(n: ast.AST, functions: Collection[str], own: set[str]) -> bool:
    match n:
        case ast.Call(func=ast.Name(id=name)):
            return name in own or not (name in functions or name in _QUIET)
        case ast.Compare(ops=ops):
            return not all(isinstance(op, ast.Is | ast.IsNot) for op in ops)
        case ast.Tuple() | ast.List():
            return not _is_read(n)
        case ast.UnaryOp(op=op):
            return not isinstance(op, ast.Not)
    return isinstance(n, _RUNNING)


def _is_read(n: ast.AST) -> bool:
    return isinstance(getattr(n, "ctx", None), ast.Load)


_RUNNING = (ast.Call, ast.BinOp, ast.AugAssign, ast.Subscript, ast.For, ast.AsyncFor, ast.comprehension, ast.Starred,
            ast.With, ast.AsyncWith, ast.Await, ast.YieldFrom, ast.JoinedStr, ast.Match)  # fmt: skip
_QUIET = frozenset({"isinstance", "issubclass", "id", "callable", "super", "type"})


def _may_call(source: str, method: str) -> bool:
    """Whether the class that is imported as `module.name` has the method or says it, or looks methods up by texts."""
    module = library_module(source.rpartition(".")[0])
    return not Elsewhere(method).leaves_alone(source) or (module is not None and _looks_up(module.tree))


def _says(source: str, method: str) -> bool:
    module = library_module(source.rpartition(".")[0])
    return (module is not None and module.says(method)) or Elsewhere(method).has(source)


@once_per_tree
def _answers(tree: ast.Module) -> bool:
    """Whether a class of a file answers for names that it does not have."""
    return any(isinstance(n, _FUNCTIONS) and n.name in ("__getattr__", "__getattribute__") for n in every_node(tree))


@once_per_tree
def _looks_up(tree: ast.Module) -> bool:
    return any(
        isinstance(n, ast.Call)
        and isinstance(n.func, ast.Name)
        and n.func.id == "getattr"
        and len(n.args) > 1
        and not isinstance(n.args[1], ast.Constant)
        for n in every_node(tree)
    )


def _methods(node: ast.ClassDef) -> set[str]:
    return {n.name for n in node.body if isinstance(n, _FUNCTIONS)}
