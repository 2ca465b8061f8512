"""Methods that a class has of its own in the new version only, while in the old one it surely inherits them."""

import ast
from collections.abc import Iterator

from dreck.model.names.modules import ModuleNames
from dreck.proof.classes.elsewhere import Elsewhere
from dreck.proof.classes.table import ClassTable


def inherited_before(old: ModuleNames, new: ModuleNames) -> Iterator[tuple[str, str]]:
    """Each with the class that it comes from in the old version: to call it does something else now, perhaps."""
    before, after = ClassTable(old), ClassTable(new)
    for kind in before.classes.keys() & after.classes.keys():
        for name in after.bound_in(kind).keys() - before.bound_in(kind).keys():
            holder = _holder(before, kind, name)
            if holder and isinstance(after.bound_in(kind)[name][0], ast.FunctionDef | ast.AsyncFunctionDef):
                yield f"{kind}.{name}", holder


def _holder(table: ClassTable, kind: str, name: str) -> str:
    """A class above `kind` that surely has the name; '' when none is known to."""
    pending, seen = [kind], set[str]()
    while pending:
        one = pending.pop()
        if one in seen:
            continue
        seen.add(one)
        if one != kind and name in table.bound_in(one):
            return one
        for base in table.classes[one].bases:
            source = table.base(base.value if isinstance(base, ast.Subscript) else base)
            if source in table.classes:
                pending.append(source)
            elif not table.names.is_of_project(source) and Elsewhere(name).has(source):
                return source
    return ""
