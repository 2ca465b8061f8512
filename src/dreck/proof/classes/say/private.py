"""Private methods of classes that derive from others elsewhere, under `private-names`."""

import ast

from dreck.model.names.bindings import bound_by, statements_of
from dreck.model.names.modules import ModuleNames
from dreck.model.names.nodes import every_node
from dreck.proof.classes.elsewhere import TAKING_PART, Elsewhere, asks_for_its_names
from dreck.proof.classes.members import Found, is_generic
from dreck.proof.classes.say.speech import Speech
from dreck.proof.classes.table import ClassTable
from dreck.source.functions import FunctionNode


def private_method(table: ClassTable, kind: str, name: str) -> Found | None:
    """The one function of the files under a private name, if it is a plain method of `kind` itself."""
    written = _sole_function(table, kind, name)
    return Found("method", kind, written) if written is not None and not written.decorator_list else None


def is_private_generic(table: ClassTable, kind: str, name: str) -> bool:
    """Whether the one function of the files under a private name is a generic method of `kind` itself."""
    written = _sole_function(table, kind, name)
    return written is not None and is_generic(written, table.names)


def _sole_function(table: ClassTable, kind: str, name: str) -> FunctionNode | None:
    """The one function of the files under a name, if it is what objects of `kind` have there.

    No class of the files from which `kind` derives, or that derives from it, has a say in what its methods are, and
    the bases from elsewhere leave the name alone.
    """
    names = table.names
    nodes = (n for tree in (names.tree, *names.trees) for n in every_node(tree))
    written = [n for n in nodes if isinstance(n, ast.FunctionDef | ast.AsyncFunctionDef) and n.name == name]
    home = table.classes.get(kind)
    if len(written) != 1 or home is None or written[0] not in home.body:
        return None
    stored = Speech.of(names)
    if any(map(stored.is_stored_by_name, TAKING_PART)):
        return None
    pending, seen = [kind, *table.below(kind)], set[str]()
    elsewhere = Elsewhere(name, names.module_called)
    while pending:
        one = pending.pop()
        if one in seen:
            continue
        seen.add(one)
        node = table.classes[one]
        if not _takes_no_part(table, one, node):
            return None
        for base in node.bases:
            source = table.base(base.value if isinstance(base, ast.Subscript) else base)
            if source in table.classes:
                pending.append(source)
            elif any(map(stored.is_stored_by_name, source.split("."))):
                return None  # another class may have been put in its place
            elif not elsewhere.leaves_alone(source):
                return None
    return written[0]


def _takes_no_part(table: ClassTable, kind: str, node: ast.ClassDef) -> bool:
    bound = {name for s in statements_of(node.body) for name in bound_by(s)}
    plain = not any(asks_for_its_names(s) for s in node.body)
    return plain and not bound & TAKING_PART and table.is_named_as_written(kind) and _is_abstract(node, table.names)


def _is_abstract(node: ast.ClassDef, names: ModuleNames) -> bool:
    """Whether its metaclass, if it has one, only keeps abstract classes from being made."""
    return all(k.arg == "metaclass" and names.stands_for(k.value) == "abc.ABCMeta" for k in node.keywords)
