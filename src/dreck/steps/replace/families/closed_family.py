"""A closed family: who can come to a switch on classes is known, so each of them answers and nobody asks any more."""

import ast
from collections.abc import Sequence
from dataclasses import dataclass, replace

from dreck.source.walking import walk
from dreck.steps.naming.blocks import in_order
from dreck.steps.naming.predicates import Helper, written
from dreck.steps.replace.families.kinds import Moved, moved
from dreck.steps.support.chains import Arm, Chain
from dreck.steps.support.scene import Known, Scene
from dreck.steps.support.trees import Untouchable

_DEEPEST = 8
_MANY = frozenset({"list", "List", "Sequence", "Iterable", "Iterator", "Collection", "set", "frozenset", "tuple"})


@dataclass(frozen=True, slots=True)
class Family:
    """The classes whose objects come. `known` says so to the judge where only a person does, not the code."""

    kinds: tuple[ast.ClassDef, ...]
    known: Known | None = None


@dataclass(frozen=True, slots=True)
class Answers:
    """Which class gets which lines of a method; the call that stands where the switch stood, and its lines.

    With `attribute` no method is needed: the classes that lack it get this line.
    """

    bodies: tuple[tuple[ast.ClassDef, list[str]], ...]
    given: list[str]
    call: str
    first: int
    last: int
    returns: bool
    attribute: str = ""


def family_of(scene: Scene, home: Scene, subject: str) -> Family | None:
    """Who can come, by what a person says (`--kinds`) or by the annotation; None when nothing says so."""
    parameter, many = _parameter(scene, subject)
    if scene.wishes.kinds:
        kinds = tuple(_class_named(home, kind) for kind in scene.wishes.kinds)
        return Family(kinds, Known(subject, scene.wishes.kinds, subject in scene.scope.params))
    spec = scene.node.args
    every = {a.arg: a.annotation for a in (*spec.posonlyargs, *spec.args, *spec.kwonlyargs)}
    names = list(_alternatives(every.get(parameter), many, home, _DEEPEST)) if parameter else []
    found = [home.names.definitions.get(name) for name in names]
    classes = [c for c in found if isinstance(c, ast.ClassDef)]
    if not classes or len(classes) != len(found):
        return None
    below = [c for c in classes_of(home) if c not in classes and set(lineage(home, c)) & {k.name for k in classes}]
    return Family((*classes, *below)) if len(classes) + len(below) > 1 else None


def _class_named(home: Scene, name: str) -> ast.ClassDef:
    node = home.names.definitions.get(name)
    if not isinstance(node, ast.ClassDef):
        raise Untouchable(f"--kinds: {name} is not a class of {home.path.name}")
    return node


def _parameter(scene: Scene, subject: str) -> tuple[str, bool]:
    """The parameter a value is, or that it is taken from by a loop; and whether it is one of many."""
    if subject in scene.scope.params:
        return subject, False
    loops = [s for s in walk(scene.node) if isinstance(s, ast.For | ast.AsyncFor)]
    over = [s.iter for s in loops if isinstance(s.target, ast.Name) and s.target.id == subject]
    if len(over) == 1 and isinstance(over[0], ast.Name) and over[0].id in scene.scope.params:
        return over[0].id, True
    return "", False


def _alternatives(annotation: ast.expr | None, many: bool, home: Scene, deep: int) -> Sequence[str]:
    """The classes that an annotation names, also by a name that stands for them."""
    if isinstance(annotation, ast.Name) and (told := home.names.stands_for_type(annotation.id)) is not None and deep:
        return _alternatives(told, many, home, deep - 1)
    match annotation:
        case ast.Constant(value=str() as code) if deep:
            try:
                return _alternatives(ast.parse(code, mode="eval").body, many, home, deep - 1)
            except SyntaxError:
                return ()
        case ast.Subscript(value=ast.Name(id=holder), slice=inner) if many and holder in _MANY:
            inner = inner.elts[0] if isinstance(inner, ast.Tuple) else inner
            return _alternatives(inner, False, home, deep)
        case ast.Name(id=name) if not many:
            return (name,)
        case ast.BinOp(left=left, op=ast.BitOr(), right=right) if not many:
            return (*_alternatives(left, False, home, deep), *_alternatives(right, False, home, deep))
        case ast.Subscript(value=ast.Name(id="Union"), slice=ast.Tuple(elts=elts)) if not many:
            return tuple(name for part in elts for name in _alternatives(part, False, home, deep))
    return ("",)


def classes_of(home: Scene) -> list[ast.ClassDef]:
    return [node for node in home.names.definitions.values() if isinstance(node, ast.ClassDef)]


def lineage(home: Scene, cls: ast.ClassDef) -> list[str]:
    """The class and those of its module that it derives from, nearest first."""
    names, pending = [], [cls]
    while pending:
        node = pending.pop(0)
        names.append(node.name)
        for base in node.bases:
            known = home.names.definitions.get(base.id) if isinstance(base, ast.Name) else None
            if isinstance(known, ast.ClassDef) and known.name not in names:
                pending.append(known)
    return names


def common_base(home: Scene, kinds: Sequence[ast.ClassDef]) -> ast.ClassDef | None:
    """The nearest class of the module that all of them derive from, or are."""
    shared = [name for name in lineage(home, kinds[0]) if all(name in lineage(home, kind) for kind in kinds)]
    node = home.names.definitions.get(shared[0]) if shared else None
    return node if isinstance(node, ast.ClassDef) else None


def only_declares(node: ast.ClassDef) -> bool:
    """Whether a class has nothing but methods that others answer."""
    if node.bases or node.decorator_list or node.keywords:
        return False
    methods = [s for s in node.body if not (isinstance(s, ast.Expr) and isinstance(s.value, ast.Constant))]
    return bool(methods) and all(_is_stub(s) for s in methods)


def _is_stub(s: ast.stmt) -> bool:
    match s:
        case ast.FunctionDef(body=[ast.Raise(exc=ast.Name(id="NotImplementedError"))]):
            return True
        case ast.Assign(targets=[ast.Name(id="__slots__")]):
            return True
    return False


# --- who answers what ----------------------------------------------------------------------------------


def answers(scene: Scene, home: Scene, chain: Chain, family: Family, subject: str, unit: str) -> Answers:
    """What each class of the family answers. Raises Untouchable when the switch does not say it."""
    asked = [[home.names.definitions[k.id] for k in arm.keys if isinstance(k, ast.Name)] for arm in chain.arms]
    names = {c.name for kinds in asked for c in kinds if isinstance(c, ast.ClassDef)}
    strange = names - {k.name for k in family.kinds} - {n for k in family.kinds for n in lineage(home, k)}
    if strange:
        raise Untouchable(f"{min(strange)} is asked for, and is none of {', '.join(k.name for k in family.kinds)}")
    forgotten = [kind for kind in family.kinds if not names & set(lineage(home, kind))]
    default = chain.default
    whole = replace(chain, default=None, rest=False)
    if default is not None:
        whole = replace(whole, arms=(*chain.arms, Arm((), default, default[0].lineno)))
    parts = moved(scene, scene.sheet(), whole, unit)
    attribute = _attribute(scene, chain, subject) if default is None and len(chain.arms) == 1 else ""
    neutral = [] if default is not None or not forgotten else _neutral(scene, chain)
    if neutral is None:
        parts = moved(scene, scene.sheet(), whole, unit, tails=False, sums=False)
        neutral, attribute = _unchanged(parts), ""
    given = [g for g in in_order(scene, parts.given) if g != subject]
    bodies = [(c, body) for kinds, body in zip(asked, parts.bodies, strict=False) for c in kinds]
    found = [(c, body) for c, body in bodies if isinstance(c, ast.ClassDef)]
    base = common_base(home, family.kinds)
    declares = base is not None and only_declares(base) and len(forgotten) == 1 and base is not forgotten[0]
    heirs = [base] if base is not None and base.name not in names and not declares else forgotten
    if attribute and neutral and forgotten:
        line = f"{attribute} = {neutral[0].removeprefix('return ')}"
        missing = tuple((heir, [line]) for heir in heirs)
        return Answers(missing, [], parts.call, parts.first, parts.last, parts.returns, attribute)
    rest = parts.bodies[-1] if default is not None else neutral
    if rest:
        found += [(heir, rest) for heir in heirs]
    elif base is not None and base.name not in names:
        found.append((base, ["raise NotImplementedError"]))
    return Answers(tuple(found), given, parts.call, parts.first, parts.last, parts.returns)


def _attribute(scene: Scene, chain: Chain, subject: str) -> str:
    """`total += t.metres` under a test on the class: the attribute that the others lack."""
    match chain.arms[0].body:
        case [ast.AugAssign(value=ast.Attribute(value=ast.Name(id=name), attr=attr))] if name == subject:
            return attr
    return ""


def _unchanged(parts: Moved) -> list[str]:
    """Those whom the switch forgets give back what they were given. Raises Untouchable where there is no such thing."""
    result = parts.call.removesuffix(" = {}")
    if result == parts.call or any(name not in parts.given for name in result.split(", ")):
        raise Untouchable("what the kinds do that it forgets is not said; give it an else first")
    return [f"return {result}"]


def _neutral(scene: Scene, chain: Chain) -> list[str] | None:
    """What those do whom the switch forgets: nothing, or what changes nothing when it is added; None where that is not
    known."""
    bodies = [arm.body for arm in chain.arms]
    added = [body[0] for body in bodies if len(body) == 1 and isinstance(body[0], ast.AugAssign)]
    if len(added) == len(bodies):
        targets = {ast.unparse(s.target) for s in added if isinstance(s, ast.AugAssign)}
        begins = [
            s.value.value
            for s in walk(scene.node)
            if isinstance(s, ast.Assign) and ast.unparse(s.targets[0]) in targets and isinstance(s.value, ast.Constant)
        ]
        plus = all(isinstance(s, ast.AugAssign) and isinstance(s.op, ast.Add) for s in added)
        if len(begins) == 1 and plus and begins[0] in (0, ""):
            return [f"return {begins[0]!r}" if begins[0] == 0 else 'return ""']
    calls = all(isinstance(s, ast.Expr) for arm in chain.arms for s in arm.body)
    return ["pass"] if calls else None


def method(scene: Scene, name: str, answer: Sequence[str], given: Sequence[str], indent: str, returns: str) -> str:
    return written(scene, Helper(name, ("self", *given), tuple(answer)), indent, indent, returns)
