"""A rewrite that rests on who can come: both versions are judged with that written into the parameter's annotation."""

import ast
from dataclasses import replace

from dreck.proof.assumptions import ANNOTATIONS, KINDS
from dreck.source.files import read
from dreck.source.functions import functions_in, parse
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
    """The module with the classes that can come as the annotation of the parameter."""
    tree = parse(text, scene.path)
    node = next(f.node for f in functions_in(tree, text) if f.name == name)
    union = " | ".join(known.kinds)
    code = f"list[{union}]" if known.many else union
    for arg in (*node.args.posonlyargs, *node.args.args, *node.args.kwonlyargs):
        if arg.arg == known.parameter:
            arg.annotation = ast.Constant(code)
    return ast.unparse(ast.fix_missing_locations(tree)) + "\n"
