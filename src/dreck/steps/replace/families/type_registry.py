"""type-registry: a switch on classes that are not ours becomes a generic function with one function per class."""

import ast
import builtins
import re
from collections.abc import Callable, Iterable, Iterator
from dataclasses import replace

from dreck.model.names.worked_out import may_be_asked_for
from dreck.model.views.shape import leaves
from dreck.source.functions import instance_owner
from dreck.source.walking import walk
from dreck.steps.catalogue import Step
from dreck.steps.naming.blocks import in_order
from dreck.steps.naming.predicates import Helper, insertion_line, method_line, written
from dreck.steps.replace.families.in_place import NOTHING, ends_it, is_alone, put_generic
from dreck.steps.replace.families.kinds import OF_NONE, Moved, moved, type_chains
from dreck.steps.replace.tables.arms.chain_lines import call_lines
from dreck.steps.replace.tables.arms.table_lines import body_lines, said_at_else
from dreck.steps.support.arm_comments import comments_above
from dreck.steps.support.chains import Arm, Chain, lines_of, table_line
from dreck.steps.support.imports import add_imports
from dreck.steps.support.names.table_names import own_style
from dreck.steps.support.names.wording import is_free, naming_hint
from dreck.steps.support.names.words import words_of
from dreck.steps.support.scene import NotPlanned, Plan, Scene
from dreck.steps.support.sheet import Sheet
from dreck.steps.support.trees import Untouchable


def plans(scene: Scene) -> Iterator[Plan | NotPlanned]:
    """Every switch of the function on the class of its first parameter, when it makes up the function."""
    for chain, exact in type_chains(scene, nothing=True, open_end=True):
        try:
            if exact:
                raise Untouchable(
                    "it asks for the exact class; a generic function also takes those derived "
                    "from it; lookup-table and call-table keep to the class"
                )
            yield from _planned(scene, chain)
        except Untouchable as error:
            yield NotPlanned(chain.first.lineno, str(error))


def _planned(scene: Scene, chain: Chain) -> Iterator[Plan]:
    """The function as the generic one itself, where that can be proved; else as one that hands on to it."""
    kinds = _kinds(scene, chain.keys)
    _check_order(scene, kinds)
    subject = chain.subjects[0]
    assert isinstance(subject, ast.Name)
    own = _own_object(scene, subject.id)
    if not own and is_alone(scene, chain, subject.id):
        yield from _in_place(scene, chain, subject.id, len(kinds))
    yield _handing_on(scene, chain, subject.id, own, len(kinds))


def _in_place(scene: Scene, chain: Chain, subject: str, kinds: int) -> Iterator[Plan]:
    sheet, generic = scene.sheet(), scene.node.name
    parts, default, _ = _parts(scene, sheet, chain)
    start, bodies = _bodies(scene, sheet, chain, parts, lambda told: own_style(scene, f"{generic}_{told}"))
    if not ends_it(scene, sheet, parts, start):
        return
    _check_free(scene, generic, bodies)
    every = tuple(a.arg for a in scene.node.args.args)
    _put(scene, sheet, bodies, every, subject, parts, generic)
    put_generic(scene, sheet, default, start, parts.last)
    reason, made = f"{kinds} classes are registered for {generic}", tuple(name for _, name, _ in bodies)
    yield Plan(chain.first.lineno, reason, sheet.result(), made, only_if_proved=True)


def _handing_on(scene: Scene, chain: Chain, subject: str, own: str, kinds: int) -> Plan:
    sheet = scene.sheet()
    parts, default, read = _parts(scene, sheet, chain)
    generic = _name(scene, subject)
    start, bodies = _bodies(scene, sheet, chain, parts, lambda told: f"{generic}_{told}")
    _check_free(scene, generic, [(default, generic, []), *bodies])
    given = in_order(scene, [*dict.fromkeys([*parts.given, *read])])
    parameters = (subject, *(g for g in given if g not in (subject, own)))
    first, _ = lines_of(sheet, chain)
    before, _, after = parts.call.partition("{}")
    indent = sheet.indent(first)
    room = scene.line_length - len(indent.expandtabs(4)) - len(after)
    call = call_lines(f"{before}{f'{own}.' if own else ''}{generic}", parameters, room, sheet.unit(scene.node)) + after
    sheet.replace_lines(start, parts.last, "".join(f"{indent}{line}\n" for line in call.splitlines()))
    every = (own, *parameters) if own else parameters
    _put(scene, sheet, [(default, generic, []), *bodies], every, subject, parts, generic)
    reason = f"{kinds} classes are registered for {generic}"
    return Plan(chain.first.lineno, reason, sheet.result(), (generic,))


_Body = tuple[list[str], str, list[str]]
"""The lines of a function, its name, and the classes it is registered for."""


def _bodies(
    scene: Scene, sheet: Sheet, chain: Chain, parts: Moved, named: Callable[[str], str]
) -> tuple[int, list[_Body]]:
    """Where the lines of the chain begin, and what becomes of its arms."""
    start, said_first = _said_of_the_first(sheet, chain, parts.first)
    made: list[_Body] = []
    for arm, body in zip(chain.arms, parts.bodies, strict=False):
        asked = _kinds(scene, arm.keys)
        said = comments_above(sheet, arm, lines_of(sheet, chain)[0])
        said = [*said_first, *said] if arm is chain.arms[0] else said
        made.append(([*said, *body], named(_suffix(asked)), asked))
    return start, made


def _check_free(scene: Scene, generic: str, bodies: list[_Body]) -> None:
    if len({name for _, name, _ in bodies} - scene.all_words()) < len(bodies):
        raise Untouchable(f"names that begin with {generic} are taken")


def _said_of_the_first(sheet: Sheet, chain: Chain, first: int) -> tuple[int, list[str]]:
    """Where the lines of a chain begin, and what stands above it, when all arms below have a comment of their own."""
    others = [comments_above(sheet, arm, first) for arm in chain.arms[1:]]
    start, indent = first, sheet.indent(first)
    while sheet.line(start - 1).strip().startswith("#") and sheet.indent(start - 1) == indent:
        start -= 1
    if not all(others) or not others:
        return first, []
    return start, [sheet.line(n).strip() for n in range(start, first)]


def _parts(scene: Scene, sheet: Sheet, chain: Chain) -> tuple[Moved, list[str], list[str]]:
    """The arms as bodies of functions, the body of the one for all other classes, and what that reads."""
    unit = sheet.unit(scene.node)
    if chain.default is not None and not chain.rest:
        otherwise = Arm((), chain.default, chain.default[0].lineno)
        try:
            whole = moved(scene, sheet, replace(chain, arms=(*chain.arms, otherwise)), unit, waiting=True)
        except Untouchable:
            whole = None
        if whole is not None and not whole.returns:
            return whole, [*said_at_else(sheet, chain.default[0]), *_as_if(whole.bodies[-1])], []
    parts = moved(scene, sheet, chain, unit, waiting=True)
    if chain.default is None and parts.last > (chain.last.end_lineno or 0):
        return parts, _tail_lines(scene, chain, parts.last), _read_by(scene, chain)
    if chain.default is None:
        kept = _kept(scene, chain, parts)
        return (parts, [f"return {', '.join(kept)}"], kept) if kept else (parts, _for_others(scene, chain, parts), [])
    if not parts.returns:
        raise Untouchable("its arms change what its else does not")
    tail = [] if leaves(chain.default) else _tail_lines(scene, chain, parts.last)
    return parts, [*body_lines(sheet, chain), *tail], _read_by(scene, chain)


def _kept(scene: Scene, chain: Chain, parts: Moved) -> list[str]:
    """The variables that arms bind and other objects leave as they are, where all of them are bound before."""
    target, assigned, _ = parts.call.partition(" = ")
    bound = target.split(", ")
    if parts.returns or not assigned or not all(name.isidentifier() for name in bound):
        return []
    before = {
        n.id
        for s in scene.node.body
        if (s.end_lineno or s.lineno) < chain.first.lineno and isinstance(s, ast.Assign)
        for t in s.targets
        for n in walk(t)
        if isinstance(n, ast.Name)
    }
    return bound if set(bound) <= before | scene.scope.params else []


def _as_if(lines: list[str]) -> list[str]:
    """What a ladder asked at its end is asked first now."""
    at = next((i for i, line in enumerate(lines) if line.startswith("elif ")), len(lines))
    return [line.removeprefix("el") if i == at else line for i, line in enumerate(lines)]


def _for_others(scene: Scene, chain: Chain, parts: Moved) -> list[str]:
    """What is done for objects of other classes where nothing is."""
    if parts.call in ("{}", "await {}"):
        return [NOTHING]
    ends = chain.block is scene.node.body and chain.end == len(chain.block)
    if not parts.returns or not ends:
        raise Untouchable("there is nothing for other classes; give it an else first")
    return ["return None"]


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
    scene: Scene,
    sheet: Sheet,
    bodies: list[_Body],
    parameters: tuple[str, ...],
    subject: str,
    parts: Moved,
    generic: str,
) -> None:
    """What is made, the generic function and what is registered for it, below the function or in its class."""
    is_method = scene.function.owner is not None
    decorator = "singledispatchmethod" if is_method else "singledispatch"
    returns = ast.unparse(scene.node.returns) if scene.node.returns is not None and parts.returns else ""
    indent = sheet.indent(scene.node.lineno) if is_method else ""
    pieces = []
    for body, name, kinds in bodies:
        told = "\n".join(f"@{generic}.register({kind})" for kind in kinds) or f"@{decorator}"
        code = written(
            scene, Helper(name, parameters, tuple(body), parts.waits, told), indent, sheet.unit(scene.node), returns
        )
        pieces.append(_on_one_line(_untyped(code, subject), scene.line_length) if kinds else code)
    add_imports(scene, sheet, [f"from functools import {decorator}"])
    if is_method:
        sheet.insert(method_line(scene), "".join(f"\n{piece}" for piece in pieces))
        return
    named = "\n".join(kind for _, _, kinds in bodies for kind in kinds)
    line = max(insertion_line(scene), table_line(scene, sheet, named))
    line = line if bodies[0][1] == generic else max(line, scene.function.end + 1)
    above = line <= scene.outermost.lineno
    sheet.insert(line, "".join(f"{piece}\n\n" if above else f"\n\n{piece}" for piece in pieces))


def _kinds(scene: Scene, keys: Iterable[ast.expr]) -> list[str]:
    """The classes as code; a constant of the module that holds several stands for them."""
    return [kind for key in keys for kind in _named_by(scene, key)]


def _named_by(scene: Scene, key: ast.expr) -> list[str]:
    if key is OF_NONE:
        return [ast.unparse(key)]
    first = key
    while isinstance(first, ast.Attribute):
        first = first.value
    if not isinstance(first, ast.Name):
        raise Untouchable(f"{ast.unparse(key)} is not the plain name of a class")
    if first.id in scene.scope.local:
        raise Untouchable(f"{ast.unparse(key)} is known in the function alone; a registry is filled when it is made")
    owner = scene.function.owner
    if owner is not None and first.id == owner.name:
        raise Untouchable(f"{owner.name} is not there yet while its own body is run: it cannot be registered in it")
    held = [s.value for s in scene.tree.body if isinstance(s, ast.Assign) and _binds(s, ast.unparse(key))]
    if len(held) == 1 and isinstance(held[0], ast.Tuple):
        return [kind for e in held[0].elts for kind in _named_by(scene, e)]
    return [ast.unparse(key)]


def _binds(s: ast.Assign, name: str) -> bool:
    return any(isinstance(t, ast.Name) and t.id == name for t in s.targets)


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
    ends = chain.rest or (chain.default is not None and leaves(chain.default))
    statements = [*(chain.default or []), *([] if ends else rest)]
    bound = {n.id for s in statements for n in walk(s) if isinstance(n, ast.Name) and isinstance(n.ctx, ast.Store)}
    return [n for s in statements for n in locals_read(scene, s) if n not in bound]


def _tail_lines(scene: Scene, chain: Chain, last: int) -> list[str]:
    end = chain.last.end_lineno or chain.last.lineno
    sheet = scene.sheet()
    indent = sheet.indent(chain.first.lineno)
    return [
        sheet.line(n).rstrip("\r\n").removeprefix(indent) for n in range(end + 1, last + 1) if sheet.line(n).strip()
    ]


def _name(scene: Scene, subject: str) -> str:
    """After the function; after the variable whose class is asked for, where that is taken."""
    wished = scene.wishes.name_for(scene.node.name)
    stem = scene.node.name.strip("_")
    private = scene.function.owner is not None or scene.node.name.startswith("_")
    own = [own_style(scene, n) for n in (f"{stem}_by_type", f"{subject.strip('_')}_by_type", f"{stem}_by_class")]
    taken = scene.all_words()
    for name in (wished, *(f"_{n.lstrip('_')}" if private else n for n in own)):
        if name and is_free(name, taken) and (name == wished or not may_be_asked_for(scene.tree, name)):
            return name
    raise Untouchable(f"no free name was found; give one with {naming_hint(scene.node.name)}")


def _suffix(kinds: list[str]) -> str:
    words = ["none" if kind == ast.unparse(OF_NONE) else "_".join(words_of(kind.rpartition(".")[2])) for kind in kinds]
    return "_or_".join(words if len(words) <= _MOST_NAMED else [words[0], "others"])


_MOST_NAMED = 2


def _on_one_line(code: str, width: int) -> str:
    """The head of a function that has grown short enough, on one line."""
    lines = code.splitlines(keepends=True)
    start = next(i for i, line in enumerate(lines) if line.lstrip().startswith(("def ", "async def ")))
    end = next(i for i in range(start, len(lines)) if lines[i].rstrip().endswith(":"))
    parts = [line.strip() for line in lines[start : end + 1]]
    joined = f"{lines[start].rstrip()}{' '.join(parts[1:-1]).removesuffix(',')}{parts[-1]}\n"
    if end == start or len(joined.rstrip().expandtabs(4)) > width:
        return code
    return "".join([*lines[:start], joined, *lines[end + 1 :]])


def _untyped(code: str, subject: str) -> str:
    """The subject's annotation is the whole function's; what is registered is for one class."""
    defined = re.search(r"def \w+", code)
    if defined is None or code[defined.end()] != "(":
        return code
    head = defined.end()
    start = re.search(rf"[(,]\s*{subject}(: )", code[head:])
    if start is None:
        return code
    begun, deep = head + start.start(1), 0
    for at in range(begun + 2, len(code)):
        deep += (code[at] in "([{") - (code[at] in ")]}")
        if deep < 0 or (not deep and code[at] == ","):
            return code[:begun] + code[at:]
    return code


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


@singledispatch
def told(value, unit):
    return "?"


@told.register(str)
def told_str(value, unit):
    return value


@told.register(int)
@told.register(float)
def told_int_or_float(value, unit):
    return f"{value} {unit}"


@told.register(list)
def told_list(value, unit):
    return ", ".join(value)
""",
    traps=(
        "`bool` is an `int`: asked after it, it is never reached, and a registry would find it.",
        "A generic function has to be given by position what it looks at. Where something in the project gives it by"
        " name, or the function does more than choose, the generic function stands beside it.",
        "A registry looks at the class alone; an object that lies about its `__class__` is found by `isinstance`.",
    ),
    plans=plans,
    by_default=False,
)
