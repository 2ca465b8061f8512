"""How a piece of code is left: by what is returned or raised in it, by `break`; and what takes an exception up."""

import ast
import builtins


def code_of(node: ast.AST | None) -> str:
    return "" if node is None else " ".join(ast.unparse(node).split())


def catches(handler: ast.ExceptHandler, how: str) -> bool:
    """Whether a handler surely takes what is raised there."""
    if not how.startswith("raise "):
        return False
    raised = how.removeprefix("raise ").partition("(")[0]
    if handler.type is None or code_of(handler.type) in ("BaseException", raised):
        return True
    kind = getattr(builtins, raised, None)
    names = handler.type.elts if isinstance(handler.type, ast.Tuple) else [handler.type]
    taken = [getattr(builtins, code_of(name), None) for name in names]
    return isinstance(kind, type) and any(isinstance(t, type) and issubclass(kind, t) for t in taken)


def told_exit(node: ast.Return | ast.Raise) -> str:
    value = node.value if isinstance(node, ast.Return) else node.exc
    word = "return" if isinstance(node, ast.Return) else "raise"
    return f"{word} {code_of(value)}".strip()


def leaving_in(body: list[ast.stmt]) -> list[ast.Return | ast.Raise]:
    """Returns and raises inside a loop, one of each kind."""
    found: dict[str, ast.Return | ast.Raise] = {}
    pending: list[ast.AST] = list(body)
    while pending:
        node = pending.pop(0)
        if isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef | ast.ClassDef | ast.Lambda):
            continue
        if isinstance(node, ast.Return | ast.Raise):
            found.setdefault(ast.dump(node), node)
        pending += ast.iter_child_nodes(node)
    return list(found.values())


def breaks(body: list[ast.stmt]) -> bool:
    for s in body:
        if isinstance(s, ast.Break):
            return True
        if isinstance(s, ast.For | ast.AsyncFor | ast.While | ast.FunctionDef | ast.AsyncFunctionDef | ast.ClassDef):
            continue
        parts = [getattr(s, name, []) for name in ("body", "orelse", "finalbody")]
        parts += [part.body for name in ("handlers", "cases") for part in getattr(s, name, [])]
        if any(breaks(part) for part in parts):
            return True
    return False
