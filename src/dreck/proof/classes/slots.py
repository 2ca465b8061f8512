"""`__slots__`: the names under which instances of a class keep what they are given (data model, 3.3.2.4)."""

import ast

from dreck.model.names.modules import ModuleNames


def slots_of(node: ast.ClassDef, names: ModuleNames) -> frozenset[str] | None:
    """The names in the `__slots__` of a class body; None where it is not plain to see what they are.

    None, too, where a name among them has a meaning of its own, is private to the class, or is bound in the body.
    """
    given = [s for s in node.body if "__slots__" in _targets(s)]
    if not given:
        return frozenset()
    plain = len(given) == 1 and isinstance(given[0], ast.Assign) and len(given[0].targets) == 1
    told = _words(getattr(given[0], "value", None), names) if plain else None
    bound = {n for s in node.body for n in (*_targets(s), getattr(s, "name", ""))}
    if told is None or any(word.startswith("__") for word in told) or bound & set(told):
        return None
    return frozenset(told)


def _targets(s: ast.stmt) -> list[str]:
    match s:
        case ast.Assign(targets=[ast.Name(id=name)]) | ast.AnnAssign(target=ast.Name(id=name), value=ast.expr()):
            return [name]
        case ast.Assign(targets=targets):
            return [n.id for t in targets for n in ast.walk(t) if isinstance(n, ast.Name)]
    return []


def _words(e: ast.expr | None, names: ModuleNames) -> list[str] | None:
    if isinstance(e, ast.Name) and names.is_bound_once(e.id):
        at_the_top = [s.value for s in names.tree.body if isinstance(s, ast.Assign) and _targets(s) == [e.id]]
        e = at_the_top[0] if len(at_the_top) == 1 and isinstance(at_the_top[0], ast.Constant | ast.Tuple) else None
    parts = e.elts if isinstance(e, ast.Tuple | ast.List) else [e]
    words = [p.value for p in parts if isinstance(p, ast.Constant) and isinstance(p.value, str)]
    return words if len(words) == len(parts) else None
