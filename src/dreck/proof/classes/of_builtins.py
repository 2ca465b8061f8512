"""Classes of the files that derive from built-in types, and what they say for values known to be of such a type.

A value that `isinstance(x, dict)` or an annotation calls a `dict` may be of a class of the files below it. Bases are
followed through the files and the texts of libraries; one that nobody can read may be any class.
"""

import ast
import builtins
from functools import lru_cache

from dreck.model.names.bindings import bound_by
from dreck.model.names.elsewhere.library_bases import built_ins_above
from dreck.model.names.modules import ModuleNames
from dreck.model.names.nodes import every_node
from dreck.proof.classes.above import UNKNOWN, roots_of
from dreck.proof.classes.bodies import statements_of
from dreck.proof.classes.put_later import specials_put
from dreck.proof.classes.say.quiet import is_quiet
from dreck.proof.classes.shaping import ANYTHING, shaped
from dreck.source.functions import FunctionNode

_QUIET_SPECIALS = frozenset(
    {"__init__", "__new__", "__slots__", "__doc__", "__module__", "__annotations__", "__qualname__", "__reduce__",
     "__reduce_ex__", "__getstate__", "__setstate__", "__getnewargs__", "__getnewargs_ex__", "__copy__", "__deepcopy__",
     "__class_getitem__", "__init_subclass__", "__post_init__", "__match_args__", "__del__"}
)  # fmt: skip
"""What a class may say without what is worked out of its objects, compared or asked of them becoming its own."""
_TOLD = frozenset({"__str__", "__repr__", "__format__"})
_OF_MODULES = frozenset({"__main__", "__all__", "__name__", "__file__", "__version__", "__dict__", "__path__"})
_TUPLES = frozenset({"namedtuple", "NamedTuple"})


@lru_cache(maxsize=256)
def below_builtin(names: ModuleNames, kind: type) -> tuple[ast.ClassDef, ...]:
    """The classes of the files which may derive from a built-in type, and those that these derive from."""
    classes = _classes(names)
    below = [n for nodes in classes.values() for n in nodes if kind is object or (n.bases and _may_be(n, kind, names))]
    found = dict.fromkeys(below)
    pending = list(below)
    while pending:
        node = pending.pop()
        fresh = [n for b in node.bases for n in classes.get(_last(b), ()) if n not in found]
        found |= dict.fromkeys(fresh)
        pending += fresh
    return tuple(found)


@lru_cache(maxsize=256)
def are_plain(names: ModuleNames, kind: str) -> bool:
    """Whether no class of the files that derives from a built-in type has operators or questions of its own."""
    built_in = getattr(builtins, kind, None)
    if not isinstance(built_in, type) or kind == "bool":
        return True
    put = {w for w in specials_put(names) | shaped(names) if w == ANYTHING or w.startswith("__")}
    if put - _OF_MODULES - _QUIET_SPECIALS - _TOLD:
        return False
    return all(says_nothing(node, names) for node in below_builtin(names, built_in))


def says_nothing(node: ast.ClassDef, names: ModuleNames) -> bool:
    """Whether a class body gives its objects no operators, and no answers of their own."""
    for s in statements_of(node.body):
        for name in bound_by(s):
            if not (name.startswith("__") and name.endswith("__")) or name in _QUIET_SPECIALS:
                continue
            if not (name in _TOLD and isinstance(s, FunctionNode) and is_quiet(s.body, names)):
                return False
    return True


def _may_be(node: ast.ClassDef, kind: type, names: ModuleNames) -> bool:
    if any(isinstance(b, ast.Call) and _last(b.func) in _TUPLES for b in node.bases):
        return kind is tuple
    above = [built_ins_above(source) if source != UNKNOWN else None for source in roots_of(node, names)]
    return any(found is None or kind in found for found in above)


@lru_cache(maxsize=16)
def _classes(names: ModuleNames) -> dict[str, list[ast.ClassDef]]:
    found: dict[str, list[ast.ClassDef]] = {}
    for tree in (names.tree, *names.trees, *names.others):
        for n in every_node(tree):
            if isinstance(n, ast.ClassDef):
                found.setdefault(n.name, []).append(n)
    return found


def _last(e: ast.expr) -> str:
    e = e.value if isinstance(e, ast.Subscript) else e
    return e.attr if isinstance(e, ast.Attribute) else getattr(e, "id", "")
