"""New parameters: for callers from before they are names that have their default."""

import ast
from dataclasses import replace

from dreck.model.names.modules import ModuleNames
from dreck.model.names.scopes import scope_of
from dreck.source.copying import copied
from dreck.source.functions import FunctionNode
from dreck.source.walking import walk
from dreck.trial.running.renaming import added_parameters
from dreck.workbench.judging.candidates import Candidate


def for_callers_from_before(old: Candidate, new: Candidate) -> Candidate | None:
    """The new version as those see it who give none of its new parameters; None when it has none, or not plainly so.

    A default is worked out once, where the function is defined: only what means the same at each call is taken.
    """
    added = added_parameters(old.node, new.node)
    if not added or not all(_is_settled(d, new.names, new.node) for d in added.values()):
        return None
    node = copied(new.node)
    spec = node.args
    gone = len([a for a in spec.args if a.arg in added])
    spec.args = [a for a in spec.args if a.arg not in added]
    spec.defaults = spec.defaults[: len(spec.defaults) - gone]
    kept = [(a, d) for a, d in zip(spec.kwonlyargs, spec.kw_defaults, strict=True) if a.arg not in added]
    spec.vararg, spec.kwarg = None, None  # those the old version has are never new
    spec.kwonlyargs, spec.kw_defaults = [a for a, _ in kept], [d for _, d in kept]
    put = {name: d for name, d in added.items() if _can_be_put(name, d, node)}
    node.body = [_Putting(put).visit(s) for s in node.body]
    named = {n.id for s in node.body for n in walk(s) if isinstance(n, ast.Name)}
    left = {name: d for name, d in added.items() if name not in put and name in named}
    bound = [ast.Assign([ast.Name(name, ast.Store())], copied(d)) for name, d in left.items()]
    for s in bound:
        ast.copy_location(s, node.body[0])
        ast.fix_missing_locations(s)
    node.body = [*bound, *node.body]
    return replace(new, node=node)


class _Putting(ast.NodeTransformer):
    """The default where the name of the parameter is read."""

    def __init__(self, defaults: dict[str, ast.expr]) -> None:
        self.defaults = defaults

    def visit_Name(self, node: ast.Name) -> ast.expr:
        found = self.defaults.get(node.id)
        return ast.copy_location(copied(found), node) if found is not None else node


def _can_be_put(name: str, default: ast.expr, node: FunctionNode) -> bool:
    """Whether nothing binds the parameter anew or looks at it by name, and nothing hides what its default reads."""
    scope = scope_of(node)
    read = {n.id for n in walk(default) if isinstance(n, ast.Name)}
    shut = any(isinstance(n, _SCOPES) for s in node.body for n in walk(s))
    stored = any(isinstance(n, ast.Name) and n.id == name and not isinstance(n.ctx, ast.Load) for n in walk(node))
    looks = any(isinstance(n, ast.Name) and n.id in ("locals", "vars", "eval", "exec", "dir") for n in walk(node))
    return not (isinstance(default, ast.Dict) or shut or stored or looks or read & scope.local)


_SCOPES = (ast.FunctionDef, ast.AsyncFunctionDef, ast.Lambda, ast.ClassDef, ast.ListComp, ast.SetComp, ast.DictComp,
           ast.GeneratorExp, ast.Global, ast.Nonlocal, ast.MatchAs, ast.MatchStar, ast.MatchMapping)  # fmt: skip


def _is_settled(default: ast.expr, names: ModuleNames, function: FunctionNode) -> bool:
    match default:
        case ast.Constant() | ast.UnaryOp(op=ast.USub(), operand=ast.Constant()):
            return True
        case ast.Dict(keys=[]):
            return True  # what `**others` collects: a new one at each call
        case ast.Tuple(elts=elts):
            return all(_is_settled(e, names, function) for e in elts)
        case ast.Name(id=name):
            return names.is_settled(name, function.lineno)
    return False
