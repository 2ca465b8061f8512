"""polymorphic-methods: a switch on the class of a value becomes a method of one name on each class."""

import ast
from collections.abc import Iterator, Sequence
from dataclasses import replace

from dreck.source.functions import FunctionNode
from dreck.source.walking import walk
from dreck.steps.catalogue import Step
from dreck.steps.naming.blocks import in_order
from dreck.steps.naming.predicates import Helper, written
from dreck.steps.replace.callers import without_function
from dreck.steps.replace.families.class_text import (
    add_base,
    check_body,
    for_self,
    indents_of,
    put_base,
    put_first,
    put_method,
)
from dreck.steps.replace.families.closed_family import (
    Family,
    answers,
    common_base,
    family_of,
    lineage,
    method,
    only_declares,
)
from dreck.steps.replace.families.host import Host
from dreck.steps.replace.families.kinds import Moved, called, drop_name_of_class, home_of, moved, type_chains
from dreck.steps.replace.families.more_asked import more_asked
from dreck.steps.support.chains import Chain
from dreck.steps.support.imports import add_imports
from dreck.steps.support.names.deeds import with_each
from dreck.steps.support.names.wording import is_free, naming_hint
from dreck.steps.support.names.words import words_of
from dreck.steps.support.scene import NotPlanned, Plan, Scene
from dreck.steps.support.sheet import Range, Sheet
from dreck.steps.support.trees import Untouchable

_CLOSED_BASES = frozenset({"Enum", "IntEnum", "StrEnum", "Flag", "NamedTuple", "TypedDict", "Protocol"})


def plans(scene: Scene) -> Iterator[Plan | NotPlanned]:
    """Every switch of the function on classes that are defined in the module."""
    known = bool(scene.wishes.kinds)
    for chain, exact in type_chains(scene, fewest=1):
        if len(chain.arms) < 2 and not known and not _is_closed(scene, chain):
            yield from _one_only(scene, chain)
            continue
        try:
            plan = _planned(_among_asked(scene, chain), chain, exact)
            yield without_function(scene, plan) if scene.wishes.inline_callers else plan
        except Untouchable as error:
            yield NotPlanned(chain.first.lineno, str(error))
    yield from more_asked(scene)


def _among_asked(scene: Scene, chain: Chain) -> Scene:
    """The scene in which the classes the switch asks for are all that come, where a person assumes that."""
    names = tuple(key.id for key in chain.keys if isinstance(key, ast.Name))
    if not scene.wishes.only_asked or scene.wishes.kinds or len(names) < max(2, len(chain.keys)):
        return scene
    return replace(scene, wishes=replace(scene.wishes, kinds=names))


def _only_hands_on(chain: Chain) -> bool:
    """A test in front of nothing but a call of a method of what it asks."""
    body = chain.arms[0].body[-1]
    value = getattr(body, "value", None)
    called = value.func if isinstance(value, ast.Call) else None
    return isinstance(called, ast.Attribute) and ast.dump(called.value) == ast.dump(chain.subjects[0])


def _one_only(scene: Scene, chain: Chain) -> Iterator[NotPlanned]:
    """A single test on one class of the project: what a person has to say of the others."""
    names = [key.id for key in chain.keys if isinstance(key, ast.Name)]
    home = home_of(scene, set(names))
    if _only_hands_on(chain):
        return
    if names and all(isinstance(home.names.definitions.get(name), ast.ClassDef) for name in names):
        told = ", ".join(names)
        above = lineage(home, home.names.definitions[names[0]])[1:]  # type: ignore[arg-type]
        family = [name for name in _below(home, above[0]) if name not in names] if above else []
        hint = f"say who else can come: --kinds {','.join([*names, *(family or ['...'])])}"
        yield NotPlanned(chain.first.lineno, f"only {told} is asked for here; {hint}")


def _below(home: Scene, base: str) -> list[str]:
    """The classes of the module below a base, as they stand there."""
    found = (c for c in home.tree.body if isinstance(c, ast.ClassDef) and c.name != base)
    return [c.name for c in found if base in lineage(home, c)]


def _is_closed(scene: Scene, chain: Chain) -> bool:
    """Whether a single test on a class stands where the code says who can come."""
    subject = chain.subjects[0]
    home = home_of(scene, {key.id for key in chain.keys if isinstance(key, ast.Name)})
    return isinstance(subject, ast.Name) and family_of(scene, home, subject.id) is not None


def _planned(scene: Scene, chain: Chain, exact: bool) -> Plan:
    home = home_of(scene, {key.id for key in chain.keys if isinstance(key, ast.Name)})
    classes = _classes(home, chain, exact)
    subject = chain.subjects[0]
    assert isinstance(subject, ast.Name)
    family = family_of(scene, home, subject.id) if not scene.wishes.form else None
    if family is not None and family.known is not None and exact:
        family = replace(family, known=replace(family.known, exact=True))
    if family is not None:
        return _in_family(scene, home, chain, family, subject.id)
    sheet = scene.sheet()
    there = sheet if home is scene else home.sheet()
    unit = sheet.unit(scene.node)
    parts = moved(scene, sheet, chain, unit)
    given = [g for g in in_order(scene, parts.given) if g != subject.id]
    host = Host.of(scene, given)
    name = _method_name(scene, home, classes, subject.id)
    as_protocol = scene.wishes.form == "protocol"
    base, fresh = _base(scene, home, classes, name, as_protocol)
    tested = {c.name for c in classes}
    for kinds, body in zip(_nodes(home, chain), map(host.told, parts.bodies), strict=True):
        for cls in kinds:
            check_body(body, cls)
            _check_reach(scene, home, body, (subject.id, host.name, *given))
            own = [for_self(text, subject.id) for text in body]
            helper = Helper(name, ("self", *host.parameters(given)), tuple(own))
            put_method(home, there, cls, written(scene, helper, *indents_of(there, cls), _returns(scene, parts)))
    declared = Helper(name, ("self", *host.parameters(given)), ("..." if as_protocol else "raise NotImplementedError",))
    stub = written(scene, declared, unit, unit, _returns(scene, parts))
    if as_protocol:
        add_imports(home, there, ["from typing import Protocol"])
        put_base(scene, there, classes, base, stub, unit, "(Protocol)")
    elif fresh:
        put_base(scene, there, classes, base, stub, unit)
        for cls in classes:
            if not tested & set(lineage(home, cls)[1:]):
                add_base(there, cls, base)
    else:
        node = home.names.definitions[base]
        assert isinstance(node, ast.ClassDef)
        put_method(home, there, node, stub)
    call = f"{subject.id}.{name}({', '.join(given)})"
    asks = f"isinstance({subject.id}, {base})" if not exact else _exactly(subject.id, classes)
    if not exact and (as_protocol or not fresh):  # an object of the very base is none of the kinds
        asks = f"isinstance({subject.id}, ({', '.join(c.name for c in classes)}))"
    drop_name_of_class(scene, sheet, chain)
    sheet.replace_lines(parts.first, parts.last, called(scene, sheet, chain, parts, asks, call))
    count = len(tested)
    made = (base, name) if fresh else (name,)
    reason = f"{count} classes have the method {name}; {base} declares it"
    all_kinds = [c.name for c in classes] if fresh else _below(home, base)
    hint = f"--kinds {','.join(all_kinds)} says that nobody else comes; then nothing asks any more"
    if home is scene:
        return Plan(chain.first.lineno, reason, sheet.result(), made, "" if as_protocol else hint)
    if not exact and not as_protocol and fresh:
        _import_beside(scene, sheet, home, classes[0].name, base)
    others = {home.path: there.result()}
    return Plan(chain.first.lineno, f"{reason}, in {home.path.name}", sheet.result(), made, others=others)


def _in_family(scene: Scene, home: Scene, chain: Chain, family: Family, subject: str) -> Plan:
    """Everybody who can come answers; nothing is left to be asked."""
    sheet = scene.sheet()
    there = sheet if home is scene else home.sheet()
    found = answers(scene, home, chain, family, subject, sheet.unit(scene.node))
    host = Host.of(scene, found.given)
    name = found.attribute or _method_name(scene, home, [c for c, _ in found.bodies], subject, alone=True)
    returns = ast.unparse(scene.node.returns) if found.returns and scene.node.returns is not None else ""
    for cls, body in ((cls, host.told(body)) for cls, body in found.bodies):
        check_body(body, cls)
        _check_reach(scene, home, body, (subject, host.name, *found.given))
        if found.attribute:
            put_first(there, cls, f"{indents_of(there, cls)[0]}{body[0]}\n")
            continue
        own = [for_self(line, subject) for line in body]
        put_method(
            home, there, cls, method(scene, name, own, host.parameters(found.given), indents_of(there, cls)[0], returns)
        )
    call = f"{subject}.{name}" + ("" if found.attribute else f"({', '.join(found.given)})")
    line = f"{sheet.indent(found.first)}{found.call.format(call)}\n"
    drop_name_of_class(scene, sheet, chain)
    sheet.replace_lines(found.first, found.last, line)
    holders = ", ".join(dict.fromkeys(c.name for c, _ in found.bodies))
    what = f"{holders} have {name}" if found.attribute else f"{holders} answer {name} themselves"
    others = {} if home is scene else {home.path: there.result()}
    made = () if found.attribute else (name,)
    return Plan(chain.first.lineno, what, sheet.result(), made, others=others, known=family.known)


def _check_reach(scene: Scene, home: Scene, body: Sequence[str], given: Sequence[str]) -> None:
    """Raises Untouchable when a body reads a name that only its own module has."""
    if home is scene:
        return
    tree = ast.parse("\n".join(["def f():", *(f"    {line}" for line in body)]))
    bound = {n.id for n in walk(tree) if isinstance(n, ast.Name) and isinstance(n.ctx, ast.Store)}
    for node in walk(tree):
        if not isinstance(node, ast.Name) or node.id in bound or node.id in given or scene.names.is_builtin(node.id):
            continue
        if node.id not in home.names.definitions:
            raise Untouchable(f"it reads {node.id}, which {home.path.name} does not have")


def _import_beside(scene: Scene, sheet: Sheet, home: Scene, known: str, base: str) -> None:
    """The base is imported where the classes are."""
    for s in scene.tree.body:
        if not isinstance(s, ast.ImportFrom):
            continue
        for alias in s.names:
            if alias.name == known:
                place = sheet.of(alias)
                sheet.replace(Range(place.end, place.end), f", {base}")
                return


def _exactly(subject: str, classes: Sequence[ast.ClassDef]) -> str:
    return f"type({subject}) in ({', '.join(c.name for c in classes)})"


# --- which classes -------------------------------------------------------------------------------------


def _classes(scene: Scene, chain: Chain, exact: bool) -> list[ast.ClassDef]:
    """The classes a chain asks for, in its order. Raises Untouchable when methods on them would not do the same."""
    found: list[ast.ClassDef] = []
    for key in chain.keys:
        node = scene.names.definitions.get(key.id) if isinstance(key, ast.Name) else None
        if not isinstance(node, ast.ClassDef):
            raise Untouchable(f"{ast.unparse(key)} is not a class of this module; see type-registry")
        if any(ast.unparse(b).rpartition(".")[2] in _CLOSED_BASES for b in node.bases):
            raise Untouchable(f"{node.name} is of a sort that takes no further base")
        if node in found:
            raise Untouchable(f"{node.name} is asked for twice")
        found.append(node)
    arm_of = {key.id: i for i, arm in enumerate(chain.arms) for key in arm.keys if isinstance(key, ast.Name)}
    for i, late in enumerate(found):
        for early in found[:i]:
            if arm_of[early.name] != arm_of[late.name] and early.name in lineage(scene, late):
                raise Untouchable(
                    f"{late.name} is never reached: it derives from {early.name}, which is asked for first"
                )
    _check_below(scene, found, exact)
    return found


def _check_below(scene: Scene, found: list[ast.ClassDef], exact: bool) -> None:
    tested = [c.name for c in found]
    for node in scene.names.definitions.values():
        if not isinstance(node, ast.ClassDef) or node.name in tested:
            continue
        over = [name for name in lineage(scene, node)[1:] if name in tested]
        if exact and over:
            raise Untouchable(f"{node.name} derives from {over[0]}, and only the exact class is asked for")
        if len(over) > 1 and min(over, key=tested.index) != over[0]:
            raise Untouchable(f"{node.name} derives from {' and '.join(over)}, which are asked for in another order")


def _nodes(scene: Scene, chain: Chain) -> list[list[ast.ClassDef]]:
    return [[scene.names.definitions[k.id] for k in arm.keys if isinstance(k, ast.Name)] for arm in chain.arms]  # type: ignore[misc]


# --- names ---------------------------------------------------------------------------------------------


def _method_name(scene: Scene, home: Scene, classes: Sequence[ast.ClassDef], subject: str, alone: bool = False) -> str:
    """After the function, or after what it does with each where a loop goes through them; `alone`: no class of the
    module speaks of it yet."""
    wished = scene.wishes.name_for(scene.node.name)
    used = {n.attr for tree in (scene.tree, home.tree) for n in walk(tree) if isinstance(n, ast.Attribute)}
    used |= {
        t.id for c in classes for s in c.body if isinstance(s, ast.AnnAssign) and isinstance(t := s.target, ast.Name)
    }
    stem, owner = scene.node.name.strip("_"), scene.function.owner
    every = {n for tree in (scene.tree, home.tree) for n in walk(tree) if isinstance(n, ast.ClassDef)}
    told = {s.name for c in (every if alone else classes) for s in c.body if isinstance(s, FunctionNode)}
    used |= told  # with nothing in front of the call, an object may have what it is called otherwise
    there = f"{'_'.join(words_of(owner.name))}_{stem}" if owner is not None else ""
    for name in (wished, with_each(scene.node, stem, subject), stem, there, f"{stem}_of_kind", f"own_{stem}"):
        if name and name not in used and not (name.startswith("__")):
            return name
    raise Untouchable(
        f"the classes speak of {stem} already; give the method a name with {naming_hint(scene.node.name)}"
    )


def _base(scene: Scene, home: Scene, classes: Sequence[ast.ClassDef], name: str, as_protocol: bool) -> tuple[str, bool]:
    """The class that declares the method: one that only these share and that only declares, or a new one."""
    tested = {c.name for c in classes}
    for node in home.names.definitions.values():
        if as_protocol or not isinstance(node, ast.ClassDef) or not only_declares(node):
            continue
        below = {
            c.name
            for c in home.names.definitions.values()
            if isinstance(c, ast.ClassDef) and any(isinstance(b, ast.Name) and b.id == node.name for b in c.bases)
        }
        if below == tested:
            return node.name, False
    shared = common_base(home, classes) if not as_protocol else None
    if shared is not None and shared.name not in tested:
        return shared.name, False
    taken = scene.all_words() | home.all_words()
    stem = "".join(w.capitalize() for w in name.split("_"))
    for base in (f"Has{stem}", f"With{stem}"):
        if is_free(base, taken):
            return base, True
    raise Untouchable("no free name for the common base was found")


def _returns(scene: Scene, parts: Moved) -> str:
    if parts.returns and scene.node.returns is not None:
        return ast.unparse(scene.node.returns)
    return ""


STEP = Step(
    name="polymorphic-methods",
    group="replace",
    order=230,
    summary="A switch on the class of a value becomes a method of one name on each class.",
    why="Each kind answers for itself; a new kind that forgets to answer is refused loudly.",
    when_not="When the classes should not know about it: a report, a format, another layer.",
    before="""\
class Bale:
    def __init__(self, kilos):
        self.kilos = kilos


class Drum:
    def __init__(self, litres):
        self.litres = litres


def space(item, spare):
    if isinstance(item, Bale):
        if item.kilos > 800:
            return 2.5 + spare
        return 1.5
    if isinstance(item, Drum):
        return item.litres / 400 + spare
    raise TypeError("cannot be stored")
""",
    after="""\
class HasSpace:
    \"\"\"What space asks; each kind answers for itself.\"\"\"

    def space(self, spare):
        raise NotImplementedError


class Bale(HasSpace):
    def __init__(self, kilos):
        self.kilos = kilos

    def space(self, spare):
        if self.kilos > 800:
            return 2.5 + spare
        return 1.5


class Drum(HasSpace):
    def __init__(self, litres):
        self.litres = litres

    def space(self, spare):
        return self.litres / 400 + spare


def space(item, spare):
    if not isinstance(item, HasSpace):
        raise TypeError("cannot be stored")
    return item.space(spare)
""",
    traps=(
        "`isinstance` asks in order; a method is found on the nearest class.",
        "A value of no known class reached the default: it still does.",
        "`__private` names mean something else inside a class.",
        "With `--inline-callers` the function goes: who calls it with a stranger would die of another error.",
        "With `--as protocol` the base is a protocol, which the classes need not derive from.",
    ),
    plans=plans,
    by_default=False,
)
