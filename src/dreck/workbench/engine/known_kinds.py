"""A rewrite that rests on who can come: both versions are judged with that written into the parameter's annotation."""

import ast
from collections.abc import Iterator
from dataclasses import replace

from dreck.proof.assumptions import ANNOTATIONS, KINDS
from dreck.source.files import read
from dreck.source.functions import FunctionNode, functions_in, parse
from dreck.source.walking import walk
from dreck.steps.support.scene import Known, Plan, Scene
from dreck.workbench.compare.compare import judge_rewrite
from dreck.workbench.compare.sides import Text
from dreck.workbench.compare.wanted import Wanted
from dreck.workbench.engine.stage import staged
from dreck.workbench.judging.verdict import Verdict


def judged_among_known(scene: Scene, plan: Plan, wanted: Wanted) -> Verdict:
    """The verdict for objects of the known classes; it names `known-kinds`, whatever the proof calls it."""
    assert plan.known is not None
    name = scene.function.name
    old = Text(scene.path, _told(scene.text, scene, name, plan.known))
    new = Text(scene.path, _told(plan.text, scene, name, plan.known))
    if plan.others:
        beside = {path: read(path).text if path.exists() else "" for path in plan.others if path.suffix == ".py"}
        with staged({scene.path: new.text, **plan.others}) as places:
            parts = [judge_rewrite(old, Text(places[scene.path], new.text), wanted, plan.removed)]
            # The classes may live elsewhere: what their file did before has to stay, too.
            parts += [
                judge_rewrite(Text(path, text), Text(places[path], plan.others[path]), wanted, plan.removed)
                for path, text in beside.items()
            ]
        verdict = min(parts, key=lambda v: ["differs", "unsettled", "tested", "proved"].index(v.status))
    else:
        verdict = judge_rewrite(old, new, wanted, plan.removed)
    rests_on = {KINDS if a == ANNOTATIONS else a for a in verdict.assumptions} | {KINDS}
    return replace(verdict, assumptions=tuple(sorted(rests_on))) if verdict else verdict


def _told(text: str, scene: Scene, name: str, known: Known) -> str:
    """The module with the classes that can come as the annotation of the parameter; where a loop or an assignment
    binds what is asked, with a test behind that which refuses all others, in both versions alike."""
    tree = parse(text, scene.path)
    node = next(f.node for f in functions_in(tree, text) if f.name == name)
    if known.is_parameter and not known.exact and "." not in known.name:
        for arg in (*node.args.posonlyargs, *node.args.args, *node.args.kwonlyargs):
            if arg.arg == known.name:
                arg.annotation = ast.Constant(" | ".join(known.kinds))
    elif all(scene.names.may_bind(kind) for kind in known.kinds):
        _refuse_others(node, known)
    return ast.unparse(ast.fix_missing_locations(tree)) + "\n"


def _refuse_others(node: FunctionNode, known: Known) -> None:
    """Puts a test behind what binds the name: what both versions do with an object that cannot come is the same.

    Only where it is bound once: a second binding may mean anything.
    """
    code, root = _refusing(known), known.name.partition(".")[0]
    bound = [n for n in walk(node) if isinstance(n, ast.Name) and n.id == root and isinstance(n.ctx, ast.Store)]
    if known.is_parameter and not bound:
        node.body[:0] = ast.parse(code).body
    places = [place for place in _blocks_behind(node, root) if not known.is_parameter and len(bound) == 1]
    for block, at in places:
        block[at:at] = ast.parse(code).body


def _refusing(known: Known) -> str:
    if known.exact:
        return f"if {' and '.join(f'type({known.name}) is not {k}' for k in known.kinds)}:\n    raise TypeError"
    return f"if not isinstance({known.name}, ({', '.join(known.kinds)},)):\n    raise TypeError"


def _blocks_behind(node: ast.AST, name: str) -> Iterator[tuple[list[ast.stmt], int]]:
    """Where what stands behind a binding of the name begins: a loop's body, the statement after an assignment."""
    for child in ast.iter_child_nodes(node):
        if not isinstance(child, ast.FunctionDef | ast.AsyncFunctionDef | ast.ClassDef | ast.Lambda):
            yield from _blocks_behind(child, name)
    if isinstance(node, ast.For | ast.AsyncFor) and _binds(node.target, name):
        yield node.body, 0
    for block in (b for _, b in ast.iter_fields(node) if isinstance(b, list)):
        for at, s in enumerate(block):
            if isinstance(s, ast.Assign) and any(_binds(t, name) for t in s.targets):
                yield block, at + 1


def _binds(target: ast.expr, name: str) -> bool:
    return any(isinstance(n, ast.Name) and n.id == name for n in walk(target))
