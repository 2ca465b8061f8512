"""Code taken as a whole: names put in place of others, and what runs where a function is defined."""

import ast


class Renaming(ast.NodeTransformer):
    """Other names in place of some."""

    def __init__(self, names: dict[str, str]) -> None:
        self.names = names

    def visit_Name(self, node: ast.Name) -> ast.Name:
        return ast.copy_location(ast.Name(self.names.get(node.id, node.id), node.ctx), node)


def makes_only(e: ast.AST) -> bool:
    """Whether a lambda or a nested function only makes a function where it stands, and runs nothing there.

    Defaults, decorators and annotations are evaluated at once (language reference, 8.7).
    """
    match e:
        case ast.Lambda(args=args):
            at_once = [*args.defaults, *args.kw_defaults]
        case (
            ast.FunctionDef(decorator_list=[], args=args, returns=returns)
            | ast.AsyncFunctionDef(decorator_list=[], args=args, returns=returns)
        ):
            every = [*args.posonlyargs, *args.args, *args.kwonlyargs, args.vararg, args.kwarg]
            at_once = [*args.defaults, *args.kw_defaults, returns, *(a.annotation for a in every if a is not None)]
            if getattr(e, "type_params", None):
                return False
        case _:
            return False
    return all(isinstance(part, ast.Constant | None) for part in at_once)
