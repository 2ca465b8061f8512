"""A difference on purpose: a condition on the arguments under which two versions may differ, and must."""

import ast
import copy

from dreck.errors import DreckError
from dreck.model.names.modules import ModuleNames
from dreck.model.names.scopes import param_names
from dreck.source.functions import FunctionNode
from dreck.source.walking import walk


def parsed(test: str) -> ast.expr:
    """The condition as an expression. Raises DreckError when it is none."""
    try:
        return ast.parse(test.strip(), mode="eval").body
    except (SyntaxError, ValueError) as error:
        raise DreckError(f"--expect '{test}': is no Python expression: {error}") from None


def knows(test: str, function: FunctionNode, names: ModuleNames) -> bool:
    """Whether every name in the condition is a parameter of the function or known in its module."""
    tree = parsed(test)
    bound = {n.id for n in walk(tree) if isinstance(n, ast.Name) and isinstance(n.ctx, ast.Store)}
    mentioned = {n.id for n in walk(tree) if isinstance(n, ast.Name)} - bound
    parameters = set(param_names(function.args))
    return all(name in parameters or names.kind(name) != "unknown" for name in mentioned)


def outside(function: FunctionNode, test: str) -> FunctionNode:
    """The function cut short where the condition holds: two such are the same when they agree everywhere else."""
    made = copy.copy(function)
    guard = ast.If(parsed(test), [ast.Return(ast.Constant(None))], [])
    made.body = [ast.fix_missing_locations(ast.copy_location(guard, function.body[0])), *function.body]
    return made
