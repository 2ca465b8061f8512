"""Names of another module in what is taken from it: they get that module's name before theirs."""

import ast

from dreck.model.names.modules import ModuleNames
from dreck.model.names.scopes import names_bound_inside, scope_of
from dreck.source.walking import walk


class ForeignNames(ast.NodeTransformer):
    """Names of the other module get its name before them; builtins, locals and parameters stay."""

    def __init__(self, theirs: ModuleNames, module: str) -> None:
        self.theirs = theirs
        self.module = module
        self.met: set[str] = set()
        self.own: list[set[str]] = []

    def visit_FunctionDef(self, node: ast.FunctionDef) -> ast.AST:
        return self._inside(node, set(scope_of(node).local) - scope_of(node).declared_global)

    def visit_AsyncFunctionDef(self, node: ast.AsyncFunctionDef) -> ast.AST:
        return self._inside(node, set(scope_of(node).local) - scope_of(node).declared_global)

    def visit_ClassDef(self, node: ast.ClassDef) -> ast.AST:
        """Names bound in a class body are read there, and not in its methods."""
        own = {n.id for s in node.body for n in walk(s) if isinstance(n, ast.Name) and not isinstance(n.ctx, ast.Load)}
        functions = [s for s in node.body if isinstance(s, ast.FunctionDef | ast.AsyncFunctionDef | ast.ClassDef)]
        node.bases = [self.visit(b) for b in node.bases]
        node.decorator_list = [self.visit(d) for d in node.decorator_list]
        self.own.append(own | {s.name for s in functions})
        for s in node.body:
            if s not in functions:
                self.visit(s)
            else:
                s.decorator_list = [self.visit(d) for d in s.decorator_list]
        self.own.pop()
        for s in functions:
            decorators, s.decorator_list = s.decorator_list, []
            self.visit(s)
            s.decorator_list = decorators
        return node

    def visit_Lambda(self, node: ast.Lambda) -> ast.AST:
        return self._inside(node, names_bound_inside(node))

    def _inside(self, node: ast.AST, own: set[str]) -> ast.AST:
        self.own.append(own | names_bound_inside(node))
        self.generic_visit(node)
        self.own.pop()
        return node

    def visit_Name(self, node: ast.Name) -> ast.AST:
        if any(node.id in own for own in self.own) or self.theirs.is_builtin(node.id) or "." in node.id:
            return node
        if isinstance(node.ctx, ast.Load) and self.theirs.kind(node.id) == "stable":
            self.met.add(node.id)
        elif not isinstance(node.ctx, ast.Load) and not self.own:
            return node
        return ast.copy_location(ast.Name(f"{self.module}.{node.id}", node.ctx), node)
