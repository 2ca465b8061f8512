"""Outcomes: the values an arm chooses when it does nothing else, and whether they are fixed beforehand."""

import ast
from collections.abc import Sequence
from dataclasses import dataclass

from dreck.model.names.elsewhere.resetting import is_set_somewhere
from dreck.model.names.elsewhere.steadily import works_out
from dreck.source.walking import walk
from dreck.steps.naming.predicates import locals_read
from dreck.steps.support.chains import is_plain
from dreck.steps.support.scene import Scene


@dataclass(frozen=True, slots=True)
class Outcome:
    """What an arm comes to: values for the same targets in each arm; no targets when they are returned."""

    targets: tuple[str, ...]
    values: tuple[ast.expr, ...]


def outcome_of(body: Sequence[ast.stmt], attributes: bool = False) -> Outcome | None:
    """The values a body chooses, when it does nothing else; `attributes`: those of plain places and items, too."""
    match body:
        case [ast.Return(value=ast.expr() as value)]:
            return Outcome((), (value,))
    targets: list[str] = []
    values: list[ast.expr] = []
    for s in body:
        match s:
            case ast.Assign(targets=[ast.Name(id=name)], value=value) if name not in targets:
                targets.append(name)
                values.append(value)
            case ast.Assign(targets=[ast.Attribute() | ast.Subscript() as place], value=value) if (
                attributes and is_plain(place) and not any(ast.unparse(place).startswith(t) for t in targets)
            ):
                targets.append(ast.unparse(place))
                values.append(value)
            case ast.Assign(targets=[ast.Tuple(elts=names)], value=ast.Tuple(elts=several)) if len(names) == len(
                several
            ):
                if not all(isinstance(n, ast.Name) and n.id not in targets for n in names):
                    return None
                targets += [n.id for n in names if isinstance(n, ast.Name)]
                values += several
            case _:
                return None
    if any(isinstance(n, ast.Name) and n.id in targets for v in values for n in walk(v)):
        return None
    return Outcome(tuple(targets), tuple(values)) if targets else None


def is_fixed(scene: Scene, e: ast.expr) -> bool:
    """A value that is the same object's worth whenever it is made: literals, members, what the module defines."""
    match e:
        case ast.Constant():
            return True
        case ast.UnaryOp(op=ast.USub(), operand=ast.Constant()):
            return True
        case ast.Tuple(elts=elts):
            return all(is_fixed(scene, item) for item in elts)
        case ast.Attribute(value=ast.Name(id=owner), attr=attr):
            return (owner[:1].isupper() or _is_steady(scene, owner, attr)) and not locals_read(scene, e)
        case ast.Attribute(value=ast.Attribute(value=ast.Name(id=root), attr=owner)):
            known = root[:1].isupper() or scene.names.is_imported(root)
            return owner[:1].isupper() and known and not locals_read(scene, e)
        case ast.Name(id=name):
            return name.strip("_").isupper() or (_is_the_modules(scene, name) and not locals_read(scene, e))
    return False


def _is_the_modules(scene: Scene, name: str) -> bool:
    """A function or class of the module, one that is imported, a builtin: each is one object for as long as it runs."""
    return name in scene.names.definitions or scene.names.is_imported(name) or scene.names.is_builtin(name)


def _is_steady(scene: Scene, module: str, name: str) -> bool:
    """`signal.SIGINT`: a name in capitals of an imported module, which the files leave alone."""
    constant = name.strip("_").isupper() and scene.names.is_imported(module)
    return constant and not is_set_somewhere(scene.names, name)


def worked_out_later(scene: Scene, values: tuple[ast.expr, ...], code: str, given: tuple[str, ...]) -> str:
    """What a table holds for values that are worked out from what is `given`: what is callable already, where there is
    one and it is no more than a call of that, else a lambda."""
    match values:
        case [ast.Call(func=func, args=args, keywords=[])] if (
            isinstance(func, ast.Name) or works_out(scene.names, func)
        ):
            if [a.id if isinstance(a, ast.Name) else "" for a in args] == list(given):
                return ast.unparse(func)
    return f"lambda {', '.join(given)}: {code}" if given else f"lambda: {code}"
