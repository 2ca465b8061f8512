"""What classes do that no trial makes, where they take the place of those that it has made: such as stand in functions,
in other classes, in files that the module does not import."""

import ast
from collections.abc import Collection

from dreck.model.names.bindings import statements_of
from dreck.model.names.modules import ModuleNames
from dreck.model.names.nodes import every_node
from dreck.proof.classes.put_later import put_later
from dreck.proof.classes.say.hidden import may_override
from dreck.proof.classes.say.wilful import loud_in
from dreck.proof.classes.table import ClassTable
from dreck.source.functions import FunctionNode
from dreck.source.walking import walk
from dreck.workbench.judging.below_elsewhere import loud_below
from dreck.workbench.judging.candidates import Candidate

_NOT_MADE = "which a trial does not make"
_NOT_ASKED = frozenset(
    {"__init__", "__new__", "__post_init__", "__init_subclass__", "__set_name__", "__class_getitem__"}
)


def of_hidden(old: Candidate, new: Candidate) -> str:
    """What is done another number of times, or in another order, and may be done otherwise by an object of a class that
    no trial makes; '' when there is nothing such."""
    if _shape(old.node) == _shape(new.node):
        return ""
    said = {n.attr for c in (old, new) for n in walk(c.node) if isinstance(n, ast.Attribute)}
    for c in (old, new):
        hidden, inside = _hidden(c.names), _inside(c.names)
        put = sorted(said & put_later(c.names)) if inside else []
        if put:
            return f"`{put[0]}` is put on classes, and may do more on {inside[0].name}, {_NOT_MADE}"
        table = ClassTable(c.names) if hidden else None
        unclear = table is not None and len(table.classes) < sum(isinstance(s, ast.ClassDef) for s in c.names.tree.body)
        for node in hidden:
            for word in _asked(loud_in(node, c.names), said):
                if table is not None and (unclear or any(may_override(table, k, word) for k in table.classes)):
                    return f"{node.name}, {_NOT_MADE}, has a `{word}` of its own that does more"
    for kind, file, words in loud_below(old, new):
        for word in _asked(words, said):
            return f"{kind} in {file}, {_NOT_MADE}, has a `{word}` of its own that does more"
    return ""


def _asked(words: Collection[str], said: set[str]) -> list[str]:
    """Those of the names by which a function may come to what stands under them."""
    return sorted(w for w in words if w in said or (w.startswith("__") and w not in _NOT_ASKED))


def _hidden(names: ModuleNames) -> list[ast.ClassDef]:
    """The classes of the files that no trial makes, if any of them derives from something."""
    return _beside(names, (names.tree, *names.trees))


def _inside(names: ModuleNames) -> list[ast.ClassDef]:
    """Those of them that stand in functions or in other classes."""
    return _beside(names, (names.tree, *names.trees, *names.others))


def _beside(names: ModuleNames, shown: tuple[ast.Module, ...]) -> list[ast.ClassDef]:
    """The classes but for those at the top of the files that are `shown`, if any of them derives from something."""
    top = {s for tree in shown for s in statements_of(tree.body)}
    trees = (names.tree, *names.trees, *names.others)
    found = [n for tree in trees for n in every_node(tree) if isinstance(n, ast.ClassDef) and n not in top]
    return found if any(n.bases for n in found) else []


def _shape(node: FunctionNode) -> list[tuple[int, str]]:
    """What a function does and asks, of what, and within what."""
    found: list[tuple[int, str]] = []
    pending: list[tuple[int, ast.AST]] = [(0, s) for s in reversed(node.body)]
    while pending:
        depth, n = pending.pop()
        if isinstance(n, ast.expr_context):
            continue
        told = getattr(n, "attr", getattr(n, "id", getattr(n, "value", None) if isinstance(n, ast.Constant) else None))
        found.append((depth, f"{type(n).__name__} {told!r}"))
        pending += [(depth + 1, child) for child in reversed(list(ast.iter_child_nodes(n)))]
    return found
