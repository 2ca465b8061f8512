"""Families seen through: a class whose kinds became subclasses made by a factory, read as the one class it was.

The judge compares functions; here the objects themselves have other classes than before. So the new texts are
read back: the factory as the constructor, and each method as a choice, by the code the object holds, between
what its subclasses do. What makes that reading right is checked on the texts, and refused when it does not hold.
"""

import ast
import copy
from collections.abc import Iterator, Mapping
from pathlib import Path
from typing import TypeAlias

from dreck.model.names.scopes import scope_of
from dreck.proof.one_family import Family, NotOneFamily, check_class, check_code, check_uses, defines, in_order_asked
from dreck.source.copying import copied
from dreck.source.functions import parse
from dreck.source.walking import walk

_Kinds: TypeAlias = list[tuple[ast.expr, ast.ClassDef]]


def seen_through(
    home: Path, base: str, texts: Mapping[Path, str], beside: Mapping[Path, ast.Module] | None = None
) -> dict[Path, str]:
    """`texts` (the module at `home` and others that change with it) with the family read as the one class it was.

    `beside`: other files that an object may come to. Raises NotOneFamily when an object could be told from what it
    was, or be made without the factory.
    """
    trees = {path: parse(text, path) for path, text in texts.items() if path.suffix == ".py"}
    family = _family(trees[home], base)
    check_class(family, trees[home])
    check_code(family, {**(beside or {}), **trees})
    for path, tree in {**(beside or {}), **trees}.items():
        check_uses(family, tree, path)
    kinds = in_order_asked(family, {**(beside or {}), **trees})
    chosen = {s.name: _choice(family, kinds, s) for s in family.base.body if isinstance(s, ast.FunctionDef)}
    family.base.body = [chosen.get(s.name, s) if isinstance(s, ast.FunctionDef) else s for s in family.base.body]
    gone = {family.factory.name, family.table, *(kind.name for _, kind in family.kinds)}
    trees[home].body = [s for s in trees[home].body if not defines(s, gone)]
    back = _Back(family.factory.name, base, home.stem)
    return {path: ast.unparse(ast.fix_missing_locations(back.visit(tree))) + "\n" for path, tree in trees.items()}


def _family(tree: ast.Module, base: str) -> Family:
    classes = {s.name: s for s in tree.body if isinstance(s, ast.ClassDef)}
    for s in tree.body:
        match s:
            case ast.FunctionDef(
                body=[
                    *_,
                    ast.Return(value=ast.Call(func=ast.Call(func=ast.Attribute(value=ast.Name(id=table), attr="get")))),
                ]
            ) if any(isinstance(n, ast.Name) and n.id == base for n in walk(s)):
                rows = next((t.value for t in tree.body if defines(t, {table}) and isinstance(t, ast.Assign)), None)
                if isinstance(rows, ast.Dict):
                    code = _check_factory(s, classes[base], table)
                    return Family(classes[base], code, tuple(_kinds(rows, classes, base)), table, s)
    raise NotOneFamily(f"no factory makes the kinds of {base}")


def _kinds(rows: ast.Dict, classes: Mapping[str, ast.ClassDef], base: str) -> Iterator[tuple[ast.expr, ast.ClassDef]]:
    named = {v.id for v in rows.values if isinstance(v, ast.Name)}
    for node in classes.values():
        if node.name not in named and any(isinstance(b, ast.Name) and b.id in {base, *named} for b in node.bases):
            raise NotOneFamily(f"{node.name} derives from it, too")
    own = {s.name: s for s in classes[base].body if isinstance(s, ast.FunctionDef)}
    for key, value in zip(rows.keys, rows.values, strict=True):
        if not isinstance(value, ast.Name) or not isinstance(key, ast.Constant | ast.Attribute | ast.Name):
            raise NotOneFamily("the table of its kinds holds more than classes by code")
        kind = classes[value.id]
        if [ast.unparse(b) for b in kind.bases] != [base] or kind.keywords or kind.decorator_list:
            raise NotOneFamily(f"{kind.name} is more than a kind of {base}")
        for s in kind.body:
            if isinstance(s, ast.FunctionDef) and s.name in own and not s.name.startswith("__"):
                if ast.dump(s.args) != ast.dump(own[s.name].args) or s.decorator_list or own[s.name].decorator_list:
                    raise NotOneFamily(f"{kind.name}.{s.name} takes other arguments")
            elif not (isinstance(s, ast.Expr) and isinstance(s.value, ast.Constant)) and not isinstance(s, ast.Pass):
                raise NotOneFamily(f"{kind.name} brings something that {base} does not have")
        yield key, kind


def _check_factory(factory: ast.FunctionDef, base: ast.ClassDef, table: str) -> str:
    """The attribute that holds the code, once the factory is seen to choose by it and hand everything on."""
    setting = next((s for s in base.body if isinstance(s, ast.FunctionDef) and s.name == "__init__"), None)
    last = factory.body[-1]
    assert isinstance(last, ast.Return) and isinstance(last.value, ast.Call) and isinstance(last.value.func, ast.Call)
    decorated = factory.decorator_list + base.decorator_list + (setting.decorator_list if setting is not None else [])
    if setting is None or decorated or base.keywords or len(factory.body) > 2:
        raise NotOneFamily(f"{base.name} has no plain constructor")
    if len(factory.body) == 2 and ast.get_docstring(factory) is None:
        raise NotOneFamily(f"{factory.name} does more than choose a class")
    spec = copied(setting.args)
    unclear = spec.vararg or spec.kwarg or spec.posonlyargs or not spec.args
    own = spec.args.pop(0).arg if spec.args else ""
    if unclear or ast.dump(spec) != ast.dump(factory.args):
        raise NotOneFamily(f"{factory.name} takes other arguments than {base.name}")
    if any(isinstance(n, ast.Name) for e in (*spec.defaults, *spec.kw_defaults) if e is not None for n in walk(e)):
        raise NotOneFamily(f"a default of {factory.name} is worked out where {base.name} is not")
    names = [a.arg for a in spec.args]
    handed = [ast.unparse(a) for a in last.value.args]
    by_name = [(k.arg, ast.unparse(k.value)) for k in last.value.keywords]
    if handed != names or by_name != [(a.arg, a.arg) for a in spec.kwonlyargs]:
        raise NotOneFamily(f"{factory.name} does not hand on what it gets")
    asked = [ast.unparse(a) for a in last.value.func.args]
    if len(asked) != 2 or asked[1] != base.name or last.value.func.keywords:
        raise NotOneFamily(f"{factory.name} does not fall back to {base.name}")
    for s in setting.body:
        match s:
            case ast.Assign(targets=[ast.Attribute(value=ast.Name(id=me), attr=attribute)], value=ast.Name(id=given)):
                if me == own and given == asked[0]:
                    return attribute
    raise NotOneFamily(f"{base.name} does not keep {asked[0]}, by which {factory.name} chooses")


def _choice(family: Family, kinds: _Kinds, method: ast.FunctionDef) -> ast.FunctionDef:
    """A method of the base as a choice, by the code, between what the kinds do; else what the base does."""
    made = copied(method)
    own = method.args.args[0].arg if method.args.args else ""
    first: list[ast.stmt] = []
    told = [method]
    for key, kind in kinds:
        found = next((s for s in kind.body if isinstance(s, ast.FunctionDef) and s.name == method.name), None)
        if found is None:
            continue
        if any(isinstance(n, ast.Name) and n.id in ("super", "__class__") for n in walk(found)):
            raise NotOneFamily(f"{kind.name}.{method.name} asks what stands above it")
        if _yields(found) != _yields(method):
            raise NotOneFamily(f"{kind.name}.{method.name} yields, and others do not")
        told.append(found)
        asks = ast.Compare(ast.Attribute(ast.Name(own, ast.Load()), family.attribute, ast.Load()), [ast.Eq()], [key])
        body = [*copy.deepcopy(found.body), ast.Return(ast.Constant(None))]
        first.append(ast.If(asks, body, []))
    _check_variables(told)
    if first and own:
        made.body = [*first, *made.body]
    return made


def _check_variables(told: list[ast.FunctionDef]) -> None:
    """A name that one of them reads from outside is no variable of another: in one function it would be."""
    scopes = [scope_of(s) for s in told]
    for s, scope in zip(told, scopes, strict=True):
        outside = {n.id for n in walk(s) if isinstance(n, ast.Name)} - scope.local
        meant = sorted(outside & set().union(*(other.local for other in scopes)))
        if meant:
            raise NotOneFamily(f"{s.name} of one kind reads {meant[0]} from outside, a variable of another")


def _yields(node: ast.AST) -> bool:
    return any(isinstance(n, ast.Yield | ast.YieldFrom) for n in walk(node))


class _Back(ast.NodeTransformer):
    """Calls of the factory as calls of the class."""

    def __init__(self, factory: str, base: str, module: str) -> None:
        self.factory, self.base, self.module = factory, base, module

    def visit_Name(self, node: ast.Name) -> ast.AST:
        return ast.Name(self.base, node.ctx) if node.id == self.factory else node

    def visit_Attribute(self, node: ast.Attribute) -> ast.AST:
        self.generic_visit(node)
        if node.attr == self.factory and isinstance(node.value, ast.Name) and node.value.id == self.module:
            node.attr = self.base
        return node

    def visit_ImportFrom(self, node: ast.ImportFrom) -> ast.AST:
        names = [ast.alias(self.base if a.name == self.factory else a.name, a.asname) for a in node.names]
        node.names = list({(a.name, a.asname): a for a in names}.values())
        return node
