"""Members: the enum a chain switches on, wherever in the project it is defined."""

import ast
from dataclasses import replace

from dreck.steps.replace.families.kinds import home_of
from dreck.steps.support.chains import Arm, Chain
from dreck.steps.support.scene import Plan, Scene
from dreck.steps.support.sheet import Sheet
from dreck.steps.support.trees import Untouchable

_ENUMS = frozenset({"Enum", "enum.Enum", "IntEnum", "StrEnum"})


def enum_of(scene: Scene, chain: Chain) -> tuple[Scene, ast.ClassDef] | None:
    """The enum all keys are members of, with the module that defines it."""
    owners = {k.value.id for k in chain.keys if isinstance(k, ast.Attribute) and isinstance(k.value, ast.Name)}
    if len(owners) != 1 or not all(isinstance(k, ast.Attribute) for k in chain.keys):
        return None
    name = next(iter(owners))
    home = home_of(scene, owners)
    node = home.names.definitions.get(name)
    if isinstance(node, ast.ClassDef) and any(ast.unparse(b) in _ENUMS for b in node.bases):
        return home, node
    if node is None and name[:1].isupper() and scene.names.kind(name) == "stable":
        raise Untouchable(f"{name} is defined outside the project, or imported under another name")
    return None


def member_names(enum: ast.ClassDef) -> list[str]:
    """The members as they are written, in their order."""
    return [s.targets[0].id for s in enum.body if isinstance(s, ast.Assign) and isinstance(s.targets[0], ast.Name)]


def completed(scene: Scene, chain: Chain) -> Chain:
    """The chain with its default as the arm of the members that have none of their own."""
    found_in = enum_of(scene, chain)
    if found_in is None or chain.default is None:
        return chain
    enum = found_in[1]
    covered = {key.attr for key in chain.keys if isinstance(key, ast.Attribute)}
    home = ast.Name(enum.name, ast.Load())
    missing = [ast.Attribute(home, name, ast.Load()) for name in member_names(enum) if name not in covered]
    arm = Arm(tuple(missing), chain.default, chain.default[0].lineno)
    return replace(chain, arms=(*chain.arms, arm)) if missing else chain


def planned_in(
    scene: Scene, home: Scene, sheet: Sheet, there: Sheet, line: int, reason: str, made: tuple[str, ...]
) -> Plan:
    """The plan for a switch here and what is made of it where the enum is defined."""
    if home is scene:
        return Plan(line, reason, sheet.result(), made)
    return Plan(line, f"{reason}, in {home.path.name}", sheet.result(), made, others={home.path: there.result()})
