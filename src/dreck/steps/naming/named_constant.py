"""named-constant: a bare number or text that decides gets a name; several codes of one thing a small class."""

import ast
from collections.abc import Iterator
from dataclasses import dataclass

from dreck.source.lines import split_lines
from dreck.source.walking import walk
from dreck.steps.catalogue import Step
from dreck.steps.naming.predicates import own_expressions, statements
from dreck.steps.support.names.wording import constant_name, naming_hint
from dreck.steps.support.names.words import thing_name, words_of
from dreck.steps.support.scene import NotPlanned, Plan, Scene
from dreck.steps.support.sheet import Sheet

_LEFT = (0, 1, -1, "", None, True, False, b"")
_GROUP = 3
_OPERATORS = frozenset({"Add", "Sub", "Mult", "Div", "FloorDiv", "Mod", "Pow"})


@dataclass(frozen=True, slots=True)
class Bare:
    """A literal in a test, and what it is compared with; a number in a sum has no subject."""

    node: ast.expr
    value: object
    subject: str
    op: str


def plans(scene: Scene) -> Iterator[Plan | NotPlanned]:
    """The bare values of the function's tests, each with the places of the module that mean the same."""
    own = list(_bare_values(scene.node.body))
    wished = [b for b in own if scene.wishes.name_for(ast.unparse(b.node))]
    if not wished and scene.wishes.only_named:
        return
    if not wished:
        yield from _groups(scene, own)
    seen: set[tuple[str, object, str]] = set()
    for bare in wished or [b for b in own if b.subject or _stands_again(b, own)]:
        key = (type(bare.value).__name__, bare.value, bare.subject)
        if key in seen:
            continue
        seen.add(key)
        yield _single(scene, bare)


def _bare_values(body: list[ast.stmt]) -> Iterator[Bare]:
    """Literals that are compared with something, in the order they stand."""
    for s in statements(body):
        for top in own_expressions(s):
            for node in walk(top):
                if isinstance(node, ast.Compare):
                    yield from _compared(node)
                elif isinstance(node, ast.BinOp):
                    yield from _worked_with(node.op, node.left, node.right)
        if isinstance(s, ast.AugAssign):
            yield from _worked_with(s.op, s.value)
        if isinstance(s, ast.Match):
            continue


def _compared(node: ast.Compare) -> Iterator[Bare]:
    sides = [node.left, *node.comparators]
    things = [thing_name(side) for side in sides]
    for i, side in enumerate(sides):
        op = type(node.ops[max(i - 1, 0)]).__name__
        near = [things[j] for j in (i - 1, i + 1) if 0 <= j < len(sides) and things[j]]
        values = side.elts if isinstance(side, ast.Tuple | ast.Set | ast.List) and op in ("In", "NotIn") else [side]
        for value in values:
            literal = _literal(value)
            if near and literal is not None and not any(literal is left or _same(literal, left) for left in _LEFT):
                yield Bare(value, literal, near[0], op)


def _worked_with(op: ast.operator, *sides: ast.expr) -> Iterator[Bare]:
    """Numbers that something is worked out with."""
    name = type(op).__name__
    for side in sides:
        number = _literal(side)
        if type(number) in (int, float) and name in _OPERATORS and number not in (0, 1, -1):
            yield Bare(side, number, "", name)


def _same(a: object, b: object) -> bool:
    return type(a) is type(b) and a == b


def _literal(e: ast.expr) -> object:
    match e:
        case ast.Constant(value=str() | int() | float() | bytes() as value):
            return value
        case ast.UnaryOp(op=ast.USub(), operand=ast.Constant(value=int() | float() as value)):
            return -value
    return None


# --- one value -----------------------------------------------------------------------------------------


def _single(scene: Scene, bare: Bare) -> Plan | NotPlanned:
    code = ast.unparse(bare.node)
    wished = scene.wishes.name_for(code)
    line = bare.node.lineno
    same = [b for b in _candidates(scene, wished) if _same(b.value, bare.value) and _means_the_same(b, bare, wished)]
    known = _known_constant(scene, bare, wished)
    words = _words(bare)
    if not wished and not known and not bare.subject:
        told = f"{code} stands in {len(same)} places of the arithmetic: say what it stands for with {naming_hint(code)}"
        return NotPlanned(line, told)
    if not wished and not known and _says_no_more(bare, same):
        return NotPlanned(line, f"a name for {code} made of what stands there would say no more; {naming_hint(code)}")
    if not wished and not known and _is_one_of_several(scene, bare):
        told = f"several numbers are compared with {bare.subject}: say what {code} stands for with {naming_hint(code)}"
        return NotPlanned(line, told)
    if not words and not wished and not known:
        return NotPlanned(line, f"nothing tells what {code} stands for; give it a name with {naming_hint(code)}")
    taken = scene.all_words()
    if wished and wished in taken and wished != known:
        return NotPlanned(line, f"the name '{wished}' is taken already")
    tail = code.replace(".", "_").replace("-", "MINUS_") if not isinstance(bare.value, str | bytes) else ""
    name = known or wished or constant_name(words, taken, tail)
    sheet = scene.sheet()
    for place in same:
        sheet.replace(place.node, name)
    if not known:
        _put_constant(scene, sheet, f"{name} = {sheet.code(bare.node)}\n")
    many = f", in {len(same)} places" if len(same) > 1 else ""
    text = sheet.result()
    if _widest(text) > max(_widest(scene.text), scene.line_length):
        return NotPlanned(line, f"with {name} for {code} a line would be too long")
    return Plan(line, f"{code} is called {name}{many}", text, () if known else (name,))


def _says_no_more(bare: Bare, same: list[Bare]) -> bool:
    """A text that stands once is its own best name; a number that something is equal to means nobody knows what."""
    if isinstance(bare.value, str | bytes):
        return len(same) < 2 or len(bare.value) < 2
    return bare.op in ("Eq", "NotEq", "In", "NotIn")


def _widest(text: str) -> int:
    return max(map(len, text.splitlines()), default=0)


def _candidates(scene: Scene, wished: str) -> list[Bare]:
    """The places a value may mean the same in: of one function, or of the module when a person has named it."""
    own = list(_bare_values(scene.node.body))
    here = {b.node for b in own}
    return [*own, *(b for b in _everywhere(scene) if b.subject and b.node not in here)] if wished else own


def _is_one_of_several(scene: Scene, bare: Bare) -> bool:
    """A ladder of limits: a name made of its subject alone would say no more than the number."""
    if isinstance(bare.value, str | bytes):
        return False
    numbers = {
        b.value for b in _bare_values(scene.node.body) if b.subject == bare.subject and not isinstance(b.value, str)
    }
    return len(numbers) > 1


def _words(bare: Bare) -> list[str]:
    if isinstance(bare.value, str):
        return words_of("".join(c if c.isalnum() else " " for c in bare.value))[:5]
    if isinstance(bare.value, bytes):
        return []
    ending = {"Lt": "limit", "LtE": "limit", "Gt": "limit", "GtE": "limit"}.get(bare.op, "")
    words = words_of(bare.subject)
    return [*words, ending] if words and ending else words


def _stands_again(bare: Bare, own: list[Bare]) -> bool:
    """A number of the arithmetic that is worked with in another place, too; two is too common to mean one thing."""
    return bare.value != 2 and sum(_same(b.value, bare.value) and not b.subject for b in own) > 1


def _means_the_same(b: Bare, bare: Bare, wished: str) -> bool:
    """Equal texts of one subject, equal numbers of one subject or of one function's arithmetic: two equal numbers may
    mean different things."""
    return b.subject == bare.subject or (bool(wished) and isinstance(bare.value, str))


def _everywhere(scene: Scene) -> list[Bare]:
    found: dict[int, Bare] = {}
    for function in scene.functions:
        for bare in _bare_values(function.node.body):
            found.setdefault(id(bare.node), bare)
    return list(found.values())


def _known_constant(scene: Scene, bare: Bare, wished: str) -> str:
    """A constant the module has for this value and this subject already, or under the very name that is wished for."""
    for name, value in scene.names.tables.known.items():
        if not isinstance(value, ast.Constant | ast.UnaryOp) or not _same(_literal(value), bare.value):
            continue
        if name == wished:
            return name
        if set(words_of(name)) & set(words_of(bare.subject)) or name.lower() == str(bare.value).lower():
            return name
    return ""


def _put_constant(scene: Scene, sheet: Sheet, code: str) -> None:
    """Below the imports and the constants that stand there already."""
    line, beside = constant_line(scene.tree, sheet)
    is_end = line > len(split_lines(scene.text))
    follows = "" if is_end or not sheet.line(line).strip() else "\n\n"
    sheet.insert(
        line, code if beside and not follows else f"{code}{follows}" if line == 1 or beside else f"\n{code}{follows}"
    )


def constant_line(tree: ast.Module, sheet: Sheet) -> tuple[int, bool]:
    """The line a constant goes before, and whether one stands just above it."""
    last: ast.stmt | None = None
    constant = False
    for s in tree.body:
        is_doc = isinstance(s, ast.Expr) and isinstance(s.value, ast.Constant) and s is tree.body[0]
        is_plain = isinstance(s, ast.Assign | ast.AnnAssign) and _is_plain_value(s.value)
        if not (is_doc or isinstance(s, ast.Import | ast.ImportFrom) or is_plain):
            break
        last, constant = s, is_plain
    if last is None:
        return 1, True
    return (last.end_lineno or last.lineno) + 1, constant


def _is_plain_value(value: ast.expr | None) -> bool:
    return value is not None and all(
        isinstance(n, ast.Constant | ast.Tuple | ast.List | ast.Set | ast.Dict | ast.UnaryOp | ast.USub | ast.Load)
        for n in walk(value)
    )


# --- several codes of one thing ------------------------------------------------------------------------


def _groups(scene: Scene, own: list[Bare]) -> Iterator[Plan | NotPlanned]:
    """Texts that one thing is compared with, three or more of them: one small class for all."""
    subjects = dict.fromkeys(
        b.subject for b in own if isinstance(b.value, str) and b.op in ("Eq", "NotEq", "In", "NotIn")
    )
    for subject in subjects:
        places = [b for b in _everywhere(scene) if b.subject == subject and isinstance(b.value, str)]
        values = list(dict.fromkeys(str(b.value) for b in places))
        members = {value: constant_name(_value_words(value), set()) for value in values}
        if len(values) < _GROUP or len(set(members.values())) < len(values) or not all(_value_words(v) for v in values):
            continue
        yield _group(scene, subject, places, members)


def _value_words(value: str) -> list[str]:
    return words_of("".join(c if c.isalnum() else " " for c in value))


def _group(scene: Scene, subject: str, places: list[Bare], members: dict[str, str]) -> Plan | NotPlanned:
    wished = scene.wishes.name_for(subject)
    taken = scene.all_words()
    stem = "".join(w.capitalize() for w in words_of(subject))
    name = wished or next((n for n in (stem, f"{stem}Code") if n not in taken), "")
    line = places[0].node.lineno
    if not name:
        return NotPlanned(line, f"the names {stem} and {stem}Code are taken; give one with {naming_hint(subject)}")
    sheet = scene.sheet()
    unit = sheet.unit(scene.node)
    for place in places:
        sheet.replace(place.node, f"{name}.{members[str(place.value)]}")
    said = {str(p.value): sheet.code(p.node) for p in reversed(places)}
    body = "".join(f"{unit}{member} = {said[value]}\n" for value, member in members.items())
    at, _ = constant_line(scene.tree, sheet)
    head = "\n\n" if at > 1 else ""
    follows = "\n" if at <= len(scene.text.splitlines()) and sheet.line(at).strip() else ""
    sheet.insert(at, f'{head}class {name}:\n{unit}"""The codes a {subject} may have."""\n\n{body}{follows}{follows}')
    reason = f"the {len(members)} codes of {subject} are named in the class {name}, used in {len(places)} places"
    return Plan(line, reason, sheet.result(), (name,))


STEP = Step(
    name="named-constant",
    group="name",
    order=115,
    summary="A bare number or text that decides gets a name.",
    why="A name says what the value is for, and the value stands in one place.",
    when_not="0, 1, the empty text, None and True say enough; two equal numbers may mean two things.",
    before="""\
def lane(load, queue):
    if queue > 40:
        return None
    return 2 if load.kilos > 800 else 1
""",
    after="""\
QUEUE_LIMIT = 40
KILOS_LIMIT = 800


def lane(load, queue):
    if queue > QUEUE_LIMIT:
        return None
    return 2 if load.kilos > KILOS_LIMIT else 1
""",
    traps=(
        "Two equal numbers of different things are not one constant.",
        "A pattern of `match` takes no plain name: it would bind it.",
        "A constant may be shadowed by a local of the same name.",
    ),
    plans=plans,
    by_default=False,
)
