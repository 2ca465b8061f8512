"""polymorphic-methods: a switch on the class of a value becomes a method of one name on each class."""

import ast
import re
from collections.abc import Iterator, Sequence

from dreck.steps.blocks import in_order
from dreck.steps.callers import without_function
from dreck.steps.catalogue import Step
from dreck.steps.chains import Chain, add_imports
from dreck.steps.kinds import Moved, called, home_of, moved, type_chains
from dreck.steps.predicates import Helper, written
from dreck.steps.scene import NotPlanned, Plan, Scene
from dreck.steps.sheet import Range, Sheet
from dreck.steps.trees import Untouchable
from dreck.steps.wording import is_free, naming_hint

_CLOSED_BASES = frozenset({"Enum", "IntEnum", "StrEnum", "Flag", "NamedTuple", "TypedDict", "Protocol"})


def plans(scene: Scene) -> Iterator[Plan | NotPlanned]:
    """Every switch of the function on classes that are defined in the module."""
    for chain, exact in type_chains(scene):
        try:
            plan = _planned(scene, chain, exact)
            yield without_function(scene, plan) if scene.wishes.inline_callers else plan
        except Untouchable as error:
            yield NotPlanned(chain.first.lineno, str(error))


def _planned(scene: Scene, chain: Chain, exact: bool) -> Plan:
    home = home_of(scene, {key.id for key in chain.keys if isinstance(key, ast.Name)})
    classes = _classes(home, chain, exact)
    subject = chain.subjects[0]
    assert isinstance(subject, ast.Name)
    sheet = scene.sheet()
    there = sheet if home is scene else home.sheet()
    unit = sheet.unit(scene.node)
    parts = moved(scene, sheet, chain, unit)
    given = [g for g in in_order(scene, parts.given) if g != subject.id]
    name = _method_name(scene, home, classes)
    as_protocol = scene.wishes.form == "protocol"
    base, fresh = _base(scene, home, classes, name, as_protocol)
    tested = {c.name for c in classes}
    for kinds, body in zip(_nodes(home, chain), parts.bodies, strict=True):
        for cls in kinds:
            check_body(body, cls)
            _check_reach(scene, home, body, (subject.id, *given))
            own = [for_self(text, subject.id) for text in body]
            helper = Helper(name, ("self", *given), tuple(own))
            put_method(home, there, cls, written(scene, helper, *_indents(there, cls), _returns(scene, parts)))
    declared = Helper(name, ("self", *given), ("..." if as_protocol else "raise NotImplementedError",))
    stub = written(scene, declared, unit, unit, _returns(scene, parts))
    if as_protocol:
        add_imports(home, there, ["from typing import Protocol"])
        _put_base(scene, there, classes, base, stub, unit, "(Protocol)")
    elif fresh:
        _put_base(scene, there, classes, base, stub, unit)
        for cls in classes:
            if not tested & set(_lineage(home, cls)[1:]):
                _add_base(there, cls, base)
    else:
        node = home.names.definitions[base]
        assert isinstance(node, ast.ClassDef)
        put_method(home, there, node, stub)
    call = f"{subject.id}.{name}({', '.join(given)})"
    asks = f"isinstance({subject.id}, {base})" if not exact else _exactly(subject.id, classes)
    if not exact and (as_protocol or not fresh):  # an object of the very base is none of the kinds
        asks = f"isinstance({subject.id}, ({', '.join(c.name for c in classes)}))"
    sheet.replace_lines(parts.first, parts.last, called(scene, sheet, chain, parts, asks, call))
    count = len(tested)
    made = (base, name) if fresh else (name,)
    reason = f"{count} classes have the method {name}; {base} declares it"
    if home is scene:
        return Plan(chain.first.lineno, reason, sheet.result(), made)
    if not exact and not as_protocol and fresh:
        _import_beside(scene, sheet, home, classes[0].name, base)
    others = {home.path: there.result()}
    return Plan(chain.first.lineno, f"{reason}, in {home.path.name}", sheet.result(), made, others=others)


def _check_reach(scene: Scene, home: Scene, body: Sequence[str], given: Sequence[str]) -> None:
    """Raises Untouchable when a body reads a name that only its own module has."""
    if home is scene:
        return
    tree = ast.parse("\n".join(["def f():", *(f"    {line}" for line in body)]))
    bound = {n.id for n in ast.walk(tree) if isinstance(n, ast.Name) and isinstance(n.ctx, ast.Store)}
    for node in ast.walk(tree):
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
            if arm_of[early.name] != arm_of[late.name] and early.name in _lineage(scene, late):
                raise Untouchable(
                    f"{late.name} is never reached: it derives from {early.name}, which is asked for first"
                )
    _check_below(scene, found, exact)
    return found


def _lineage(scene: Scene, cls: ast.ClassDef) -> list[str]:
    names, pending = [], [cls]
    while pending:
        node = pending.pop(0)
        names.append(node.name)
        for base in node.bases:
            known = scene.names.definitions.get(base.id) if isinstance(base, ast.Name) else None
            if isinstance(known, ast.ClassDef) and known.name not in names:
                pending.append(known)
    return names


def _check_below(scene: Scene, found: list[ast.ClassDef], exact: bool) -> None:
    tested = [c.name for c in found]
    for node in scene.names.definitions.values():
        if not isinstance(node, ast.ClassDef) or node.name in tested:
            continue
        over = [name for name in _lineage(scene, node)[1:] if name in tested]
        if exact and over:
            raise Untouchable(f"{node.name} derives from {over[0]}, and only the exact class is asked for")
        if len(over) > 1 and min(over, key=tested.index) != over[0]:
            raise Untouchable(f"{node.name} derives from {' and '.join(over)}, which are asked for in another order")


def _nodes(scene: Scene, chain: Chain) -> list[list[ast.ClassDef]]:
    return [[scene.names.definitions[k.id] for k in arm.keys if isinstance(k, ast.Name)] for arm in chain.arms]  # type: ignore[misc]


# --- names ---------------------------------------------------------------------------------------------


def _method_name(scene: Scene, home: Scene, classes: Sequence[ast.ClassDef]) -> str:
    wished = scene.wishes.name_for(scene.node.name)
    used = {n.attr for tree in (scene.tree, home.tree) for n in ast.walk(tree) if isinstance(n, ast.Attribute)}
    used |= {s.name for c in classes for s in c.body if isinstance(s, ast.FunctionDef | ast.AsyncFunctionDef)}
    used |= {
        t.id for c in classes for s in c.body if isinstance(s, ast.AnnAssign) and isinstance(t := s.target, ast.Name)
    }
    stem = scene.node.name.strip("_")
    for name in (wished, stem, f"{stem}_of_kind", f"own_{stem}"):
        if name and name not in used and not (name.startswith("__")):
            return name
    raise Untouchable(
        f"the classes speak of {stem} already; give the method a name with {naming_hint(scene.node.name)}"
    )


def _base(scene: Scene, home: Scene, classes: Sequence[ast.ClassDef], name: str, as_protocol: bool) -> tuple[str, bool]:
    """The class that declares the method: one that only these share and that only declares, or a new one."""
    tested = {c.name for c in classes}
    for node in home.names.definitions.values():
        if as_protocol or not isinstance(node, ast.ClassDef) or not _only_declares(node):
            continue
        below = {
            c.name
            for c in home.names.definitions.values()
            if isinstance(c, ast.ClassDef) and any(isinstance(b, ast.Name) and b.id == node.name for b in c.bases)
        }
        if below == tested:
            return node.name, False
    taken = scene.all_words() | home.all_words()
    stem = "".join(w.capitalize() for w in name.split("_"))
    for base in (f"Has{stem}", f"With{stem}"):
        if is_free(base, taken):
            return base, True
    raise Untouchable("no free name for the common base was found")


def _only_declares(node: ast.ClassDef) -> bool:
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


# --- text ----------------------------------------------------------------------------------------------


def check_body(body: Sequence[str], cls: ast.ClassDef) -> None:
    tree = ast.parse("\n".join(["def f():", *(f"    {line}" for line in body)]))
    for node in ast.walk(tree):
        word = getattr(node, "attr", None) or getattr(node, "id", None)
        if isinstance(word, str) and word.startswith("__") and not word.endswith("__"):
            raise Untouchable(f"it reads {word}, which the class {cls.name} would mangle")
        if word == "self":
            raise Untouchable("it has a self of its own")


def for_self(line: str, subject: str) -> str:
    """A line with the subject called `self`; its strings and comments stay."""
    if not re.search(rf"\b{subject}\b", line):
        return line
    sheet = Sheet(line.lstrip() + "\n")
    lead = line[: len(line) - len(line.lstrip())]
    try:
        tokens = sheet.tokens
    except Untouchable:
        tokens = _tokens_of_part(line.lstrip())
    before = ""
    for token in tokens:
        if token.type == 1 and token.string == subject and before != ".":
            sheet.replace(Range(token.start[1], token.end[1]), "self")
        if token.string.startswith(("f'", 'f"')) and re.search(rf"\{{[^}}]*\b{subject}\b", token.string):
            sheet.replace(Range(token.start[1], token.end[1]), re.sub(rf"(?<=\{{){subject}\b", "self", token.string))
        before = token.string
    return lead + sheet.result().rstrip("\n")


def _tokens_of_part(line: str) -> list:  # type: ignore[type-arg]
    """The tokens of a line that is no statement by itself, such as `else:` or the middle of a call."""
    import io
    import tokenize

    found = []
    try:
        for token in tokenize.generate_tokens(io.StringIO(line + "\n").readline):
            found.append(token)
    except (tokenize.TokenError, IndentationError):
        pass
    return found


def _returns(scene: Scene, parts: Moved) -> str:
    if parts.returns and scene.node.returns is not None:
        return ast.unparse(scene.node.returns)
    return ""


def _indents(sheet: Sheet, cls: ast.ClassDef) -> tuple[str, str]:
    inner = sheet.indent(cls.body[0].lineno)
    if inner == sheet.indent(cls.lineno):
        raise Untouchable(f"the class {cls.name} stands on one line")
    return inner, inner


def put_method(scene: Scene, sheet: Sheet, cls: ast.ClassDef, code: str) -> None:
    ends = {f.node: f.end for f in scene.functions}
    last = cls.body[-1]
    end = max(ends.get(last, 0), last.end_lineno or last.lineno)  # type: ignore[call-overload]
    lone = len(cls.body) == 1 and isinstance(last, ast.Pass)
    if lone and not [t for t in sheet.tokens if t.string.startswith("#") and t.start[0] == last.lineno]:
        sheet.replace_lines(last.lineno, last.lineno, code)
    else:
        sheet.insert(end + 1, f"\n{code}")


def _put_base(
    scene: Scene, sheet: Sheet, classes: Sequence[ast.ClassDef], base: str, stub: str, unit: str, bases: str = ""
) -> None:
    first = min(classes, key=lambda c: c.lineno)
    line = min([first.lineno, *(d.lineno for d in first.decorator_list)])
    while line > 1 and sheet.line(line - 1).startswith("#"):
        line -= 1
    slots = not bases and any(
        isinstance(s, ast.Assign) and ast.unparse(s.targets[0]) == "__slots__" for c in classes for s in c.body
    )
    head = f"{unit}__slots__ = ()\n\n" if slots else ""
    said = f'{unit}"""What {scene.node.name} asks; each kind answers for itself."""\n\n'
    sheet.insert(line, f"class {base}{bases}:\n{said}{head}{stub}\n\n")


def _add_base(sheet: Sheet, cls: ast.ClassDef, base: str) -> None:
    if cls.bases:
        last = sheet.of(cls.bases[-1])
        sheet.replace(Range(last.end, last.end), f", {base}")
        return
    start = sheet.line_start(cls.lineno)
    at = sheet.text.index(cls.name, sheet.text.index("class", start) + 5) + len(cls.name)
    if sheet.text[at : at + 2] == "()":
        sheet.replace(Range(at, at + 2), f"({base})")
    elif sheet.text[at] == "(":
        sheet.replace(Range(at + 1, at + 1), f"{base}, ")
    else:
        sheet.replace(Range(at, at), f"({base})")


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
