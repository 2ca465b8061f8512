"""What is done for a kind, as a function: its name, and one for kinds that are treated alike."""

import ast
from collections.abc import Sequence
from dataclasses import replace

from dreck.steps.support.arm_comments import comments_of_arm
from dreck.steps.support.chains import Arm, Chain, lines_of
from dreck.steps.support.scene import Scene
from dreck.steps.support.sheet import Sheet
from dreck.steps.support.table_names import naming, own_style
from dreck.steps.support.trees import Untouchable
from dreck.steps.support.wording import is_free, words_of


def merged(sheet: Sheet, chain: Chain) -> tuple[Chain, dict[int, tuple[ast.expr, ...]]]:
    """The chain with one arm for all kinds that are treated alike, and by its line the first key of each of them."""
    first = lines_of(sheet, chain)[0]
    by_body: dict[str, Arm] = {}
    alike: dict[int, tuple[ast.expr, ...]] = {}
    arms: list[Arm] = []
    for arm in chain.arms:
        body = ast.dump(ast.Module(arm.body, []))
        same = by_body.get(body)
        if same is None or comments_of_arm(sheet, arm, first):
            by_body.setdefault(body, arm)
            arms.append(arm)
            continue
        at = next(i for i, one in enumerate(arms) if one.line == same.line)
        alike[same.line] = (*alike.get(same.line, same.keys[:1]), arm.keys[0])
        arms[at] = replace(arms[at], keys=(*arms[at].keys, *arm.keys))
    return replace(chain, arms=tuple(arms)), alike


def function_name(scene: Scene, keys: Sequence[ast.expr], taken: set[str]) -> str:
    """`handle_glass`: what the function does, to which kind. A number says nothing of it: a person has to."""
    code = ast.unparse(keys[0])
    wished = scene.wishes.name_for(code)
    if wished and wished in taken:
        raise Untouchable(f"the name '{wished}' is taken already")
    if wished:
        return wished
    words = [word for key in keys for word in (["or"] if key is not keys[0] else []) + _key_words(key)]
    if all(w.isdigit() or w == "or" for w in words) or not all(map(_key_words, keys)):
        raise Untouchable(f"{code} does not say what is done; give each function a name: {naming(code)} ...")
    verb = words_of(scene.node.name.strip("_"))[:1] or ["handle"]
    name = own_style(scene, "_".join([*verb, *words]))
    if name.isidentifier() and is_free(name, taken):
        return name
    raise Untouchable(f"no free name was found for what is done for {code}; give one with {naming(code)}")


def _key_words(key: ast.expr) -> list[str]:
    match key:
        case ast.Constant(value=bytes() as octets):
            told = octets.decode("latin-1")
        case ast.Constant(value=str() as told):
            pass
        case ast.Attribute(attr=told):
            pass
        case _:
            told = ast.unparse(key)
    return words_of("".join(c if c.isalnum() else " " for c in told))
