"""type-registry: a switch on classes that are not ours becomes a generic function with one function per class."""

import ast
import builtins
from collections.abc import Iterator

from dreck.source.functions import instance_owner
from dreck.source.walking import walk
from dreck.steps.catalogue import Step
from dreck.steps.naming.blocks import in_order
from dreck.steps.naming.predicates import Helper, insertion_line, method_line, written
from dreck.steps.replace.families.kinds import moved, type_chains
from dreck.steps.replace.tables.arms.table_lines import body_lines
from dreck.steps.support.chains import Chain, lines_of, table_line
from dreck.steps.support.imports import add_imports
from dreck.steps.support.scene import NotPlanned, Plan, Scene
from dreck.steps.support.sheet import Sheet
from dreck.steps.support.trees import Untouchable
from dreck.steps.support.wording import is_free, naming_hint, words_of


def plans(scene: Scene) -> Iterator[Plan | NotPlanned]:
    """Every switch of the function on the class of its first parameter, when it makes up the function."""
    for chain, exact in type_chains(scene):
        try:
            if exact:
                raise Untouchable("it asks for the exact class; a generic function also takes those derived from it")
            yield _planned(scene, chain)
        except Untouchable as error:
            yield NotPlanned(chain.first.lineno, str(error))


def _planned(scene: Scene, chain: Chain) -> Plan:
    kinds = [_kind(scene, key) for key in chain.keys]
    _check_order(scene, kinds)
    subject = chain.subjects[0]
    assert isinstance(subject, ast.Name)
    own = _own_object(scene, subject.id)
    sheet = scene.sheet()
    parts = moved(scene, sheet, chain, sheet.unit(scene.node))
    if not parts.returns or chain.default is None:
        raise Untouchable("its arms do not all return, or there is nothing for other classes")
    generic = _name(scene)
    taken = scene.all_words()
    bodies = [([*body_lines(sheet, chain), *_tail_lines(scene, chain, parts.last)], generic, "")]
    by_key = [body for arm, body in zip(chain.arms, parts.bodies, strict=True) for _ in arm.keys]
    bodies += [(body, f"{generic}_{_suffix(kind)}", kind) for body, kind in zip(by_key, kinds, strict=True)]
    if len({name for _, name, _ in bodies} - taken) < len(bodies):
        raise Untouchable(f"names that begin with {generic} are taken")
    given = in_order(scene, [*dict.fromkeys([*parts.given, *_read_by(scene, chain)])])
    parameters = (subject.id, *(g for g in given if g not in (subject.id, own)))
    first, _ = lines_of(sheet, chain)
    asked = f"{own}.{generic}" if own else generic
    sheet.replace_lines(parts.first, parts.last, f"{sheet.indent(first)}return {asked}({', '.join(parameters)})\n")
    _put(scene, sheet, bodies, (own, *parameters) if own else parameters, subject.id)
    reason = f"{len(kinds)} classes are registered for {generic}"
    return Plan(chain.first.lineno, reason, sheet.result(), (generic,))


def _own_object(scene: Scene, subject: str) -> str:
    """The `self` of a method; '' of a function. Raises Untouchable where neither can be dispatched."""
    if scene.function.nested:
        raise Untouchable("it is nested in another function")
    if scene.function.owner is None:
        return ""
    own = scene.node.args.args[0].arg if instance_owner(scene.function) and scene.node.args.args else ""
    if not own or own == subject:
        raise Untouchable("it asks for the class of its own object, or has none")
    return own


def _put(
    scene: Scene, sheet: Sheet, bodies: list[tuple[list[str], str, str]], parameters: tuple[str, ...], subject: str
) -> None:
    """The generic function and what is registered for it, below the function or in its class."""
    is_method = scene.function.owner is not None
    decorator = "singledispatchmethod" if is_method else "singledispatch"
    generic = bodies[0][1]
    returns = ast.unparse(scene.node.returns) if scene.node.returns is not None else ""
    indent = sheet.indent(scene.node.lineno) if is_method else ""
    pieces = []
    for body, name, kind in bodies:
        told = f"@{generic}.register({kind})" if kind else f"@{decorator}"
        code = written(
            scene, Helper(name, parameters, tuple(body), decorator=told), indent, sheet.unit(scene.node), returns
        )
        pieces.append(_untyped(code, subject) if kind else code)
    add_imports(scene, sheet, [f"from functools import {decorator}"])
    if is_method:
        sheet.insert(method_line(scene), "".join(f"\n{piece}" for piece in pieces))
        return
    kinds = "\n".join(kind for _, _, kind in bodies if kind)
    sheet.insert(
        max(insertion_line(scene), table_line(scene, sheet, kinds)), "".join(f"\n\n{piece}" for piece in pieces)
    )


def _kind(scene: Scene, key: ast.expr) -> str:
    if isinstance(key, ast.Name | ast.Attribute):
        return ast.unparse(key)
    raise Untouchable(f"{ast.unparse(key)} is not the plain name of a class")


def _check_order(scene: Scene, kinds: list[str]) -> None:
    """A class after one it derives from is never reached in the chain, and would be found by the registry."""
    for i, late in enumerate(kinds):
        for early in kinds[:i]:
            one, two = getattr(builtins, late, None), getattr(builtins, early, None)
            if late == early or (isinstance(one, type) and isinstance(two, type) and issubclass(one, two)):
                raise Untouchable(f"{late} is never reached: {early} is asked for first")


def _read_by(scene: Scene, chain: Chain) -> list[str]:
    from dreck.steps.naming.predicates import locals_read

    rest = chain.block[chain.end :] if chain.block is scene.node.body else []
    statements = [*(chain.default or []), *([] if chain.rest else rest)]
    bound = {n.id for s in statements for n in walk(s) if isinstance(n, ast.Name) and isinstance(n.ctx, ast.Store)}
    return [n for s in statements for n in locals_read(scene, s) if n not in bound]


def _tail_lines(scene: Scene, chain: Chain, last: int) -> list[str]:
    end = chain.last.end_lineno or chain.last.lineno
    sheet = scene.sheet()
    indent = sheet.indent(chain.first.lineno)
    return [
        sheet.line(n).rstrip("\r\n").removeprefix(indent) for n in range(end + 1, last + 1) if sheet.line(n).strip()
    ]


def _name(scene: Scene) -> str:
    wished = scene.wishes.name_for(scene.node.name)
    stem = scene.node.name.strip("_")
    taken = scene.all_words()
    for name in (wished, f"{stem}_by_type", f"{stem}_by_class"):
        if name and is_free(name, taken):
            return name
    raise Untouchable(f"no free name was found; give one with {naming_hint(scene.node.name)}")


def _suffix(kind: str) -> str:
    return "_".join(words_of(kind.rpartition(".")[2]))


def _untyped(code: str, subject: str) -> str:
    """The subject's annotation is the whole function's; what is registered is for one class."""
    import re

    return re.sub(rf"([(,]\s*){subject}: [^,)]+", rf"\1{subject}", code, count=1)


STEP = Step(
    name="type-registry",
    group="replace",
    order=235,
    summary="A switch on classes that are not ours becomes a generic function, registered per class.",
    why="Each class has its function, and another module can register a class of its own.",
    when_not="When the classes are the project's own: they can answer for themselves.",
    before="""\
def told(value, unit):
    if isinstance(value, str):
        return value
    elif isinstance(value, (int, float)):
        return f"{value} {unit}"
    elif isinstance(value, list):
        return ", ".join(value)
    return "?"
""",
    after="""\
from functools import singledispatch


def told(value, unit):
    return told_by_type(value, unit)


@singledispatch
def told_by_type(value, unit):
    return "?"


@told_by_type.register(str)
def told_by_type_str(value, unit):
    return value


@told_by_type.register(int)
def told_by_type_int(value, unit):
    return f"{value} {unit}"


@told_by_type.register(float)
def told_by_type_float(value, unit):
    return f"{value} {unit}"


@told_by_type.register(list)
def told_by_type_list(value, unit):
    return ", ".join(value)
""",
    traps=(
        "`bool` is an `int`: asked after it, it is never reached, and a registry would find it.",
        "A registry looks at the class alone; an object that lies about its `__class__` is found by `isinstance`.",
    ),
    plans=plans,
    by_default=False,
)
