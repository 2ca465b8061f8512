"""Type parameters that a function reads: which ones they are is told by the definitions around it alone."""

import ast

from dreck.model.names.modules import ModuleNames
from dreck.model.names.type_parameters import bound_to, names_of, read_in
from dreck.proof.subject import Subject


def parameters_apart(old: Subject, new: Subject) -> str:
    """Why two functions that read type parameters may mean other ones; '' when nothing is against it."""
    read = _read_by(old.node, old.names) | _read_by(new.node, new.names)
    if not read:
        return ""
    homes = {(s.home, s.enclosing) for s in (old, new)}
    if len(homes) > 1 or bound_to(read, old.names.tree) != bound_to(read, new.names.tree):
        return f"{', '.join(sorted(read))}: type parameters that may mean another thing in the other version"
    return ""


def reads_type_parameters(node: ast.AST, names: ModuleNames) -> bool:
    """Whether the body of a function may read a type parameter of its own or of what stands around it."""
    return bool(_read_by(node, names))


def _read_by(node: ast.AST, names: ModuleNames) -> frozenset[str]:
    body = getattr(node, "body", [])
    return read_in(body if isinstance(body, list) else [body], names.type_parameters | names_of(node))
