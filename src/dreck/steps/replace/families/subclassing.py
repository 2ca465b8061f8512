"""Subclassing: a class that holds a code becomes subclasses, one for each code, made by one factory.

Each subclass keeps of every method only what is live for its kind; what is dead there is said, with why.
"""

import ast
import re
from collections.abc import Iterator
from dataclasses import dataclass

from dreck.source.functions import FunctionNode
from dreck.source.walking import walk
from dreck.steps.naming.predicates import first_line
from dreck.steps.replace.dead import dead_lines
from dreck.steps.replace.discriminants import Discriminant, answer_of_kind, discriminants_of
from dreck.steps.replace.folding import Answer
from dreck.steps.replace.stories import Teller
from dreck.steps.support.chains import check_keys, key_code
from dreck.steps.support.names.wording import is_free, naming_hint
from dreck.steps.support.names.words import words_of
from dreck.steps.support.raw import as_text
from dreck.steps.support.scene import Plan, Scene
from dreck.steps.support.sheet import Range, Sheet
from dreck.steps.support.trees import Untouchable


@dataclass(frozen=True, slots=True)
class Kinds:
    """The class, the attribute with the code, the parameter it comes from, and the codes its methods know."""

    cls: ast.ClassDef
    attribute: str
    parameter: str
    setting: FunctionNode
    codes: tuple[ast.expr, ...]
    methods: tuple[FunctionNode, ...]

    @property
    def subject(self) -> str:
        return f"self.{self.attribute}"

    @property
    def code(self) -> str:
        return self.attribute.strip("_")


def subclassed(scene: Scene, attribute: str) -> Plan:
    """The plan for the class of the function. Raises Untouchable when objects could be told from what they were."""
    kinds = _kinds(scene, attribute)
    check_keys(kinds.codes)
    sheet = scene.sheet()
    unit = sheet.unit(scene.node)
    base, table, factory, names = _names(scene, kinds)
    d = Discriminant(ast.parse(kinds.subject, mode="eval").body, kinds.codes, len(kinds.codes))
    answers = {ast.dump(code): answer_of_kind(d, code) for code in kinds.codes}
    rest = answer_of_kind(d, None)
    stories = {m: _told(sheet, m, rest, unit) for m in kinds.methods}
    pieces, rows, dead = [], [], []
    for code, name in zip(kinds.codes, names, strict=True):
        answer = answers[ast.dump(code)]
        own = {m: told for m in kinds.methods if (told := _told(sheet, m, answer, unit)) != stories[m]}
        if not own:
            continue
        pieces.append(_class(sheet, name, base, code, own, unit))
        rows.append(f"{unit}{key_code(sheet, code)}: {name},\n")
        gone = [place for m in own for place in dead_lines(m.body, answer)]
        if gone:
            dead.append(f"{_places(gone)} never run where {kinds.subject} is {ast.unparse(code)}")
    if len(rows) < 2:
        raise Untouchable(f"fewer than two codes of {kinds.subject} have a story of their own")
    for method in kinds.methods:
        _put_story(sheet, method, stories[method], unit)
    pieces.append(f"{table} = {{\n{''.join(rows)}}}\n")
    pieces.append(_factory(sheet, kinds, base, table, factory, unit))
    end = max(f.end for f in scene.functions if f.owner is kinds.cls)
    sheet.insert(max(end, kinds.cls.end_lineno or 0) + 1, "".join(f"\n\n{piece}" for piece in pieces))
    count = _through_factory(sheet, scene.tree, base, factory, kinds.cls)
    others = {}
    for path, text, tree in scene.others.importing(scene.path) if scene.others is not None else ():
        there = Sheet(text)
        more = _beside(scene, there, tree, base, factory)
        count += more
        if more:
            others[path] = there.result()
    reason = (
        f"{len(rows)} kinds of {base} are classes, which {factory} makes by {kinds.code}; {count} calls go there"
    )
    made = (*(n for n in names if f"class {n}(" in "".join(pieces)), table, factory)
    return Plan(scene.node.lineno, reason, sheet.result(), made, "; ".join(dead), others, family=base)


# --- what there is -------------------------------------------------------------------------------------


def _kinds(scene: Scene, attribute: str) -> Kinds:
    cls = scene.owner
    if cls is None or cls not in scene.tree.body or cls.keywords:
        raise Untouchable("it is no method of a plain class of the module")
    if cls.decorator_list:
        told = f"what decorates {cls.name} makes methods that say the class, such as a data class's `==` and `repr`"
        raise Untouchable(f"{told}; call-table or lookup-table take the switch itself")
    methods = [s for s in cls.body if isinstance(s, ast.FunctionDef)]
    setting = next((m for m in methods if m.name == "__init__"), None)
    if setting is None:
        raise Untouchable(f"{cls.name} has no constructor of its own")
    parameter = _parameter(setting, attribute)
    asking: list[FunctionNode] = []
    codes: dict[str, ast.expr] = {}
    for method in methods:
        found = [d for d in discriminants_of(method) if d.code == f"self.{attribute}" and not d.truth]
        if found and method.name.startswith("__"):
            raise Untouchable(f"{method.name} asks for the code, too; Python calls it by the class")
        if found and not method.decorator_list and method.args.args and method.args.args[0].arg == "self":
            asking.append(method)
            codes |= {ast.dump(code): code for code in found[0].kinds}
        elif found:
            raise Untouchable(f"{method.name} is decorated, or no plain method")
    return Kinds(cls, attribute, parameter, setting, tuple(codes.values()), tuple(asking))


def _parameter(setting: FunctionNode, attribute: str) -> str:
    spec = setting.args
    if spec.vararg or spec.kwarg or spec.posonlyargs:
        raise Untouchable("its constructor takes any number of arguments")
    names = [a.arg for a in (*spec.args, *spec.kwonlyargs)]
    for s in setting.body:
        match s:
            case ast.Assign(targets=[ast.Attribute(value=ast.Name(id="self"), attr=attr)], value=ast.Name(id=given)):
                if attr == attribute and given in names:
                    return given
    raise Untouchable(f"its constructor does not keep a parameter as {attribute}")


def _names(scene: Scene, kinds: Kinds) -> tuple[str, str, str, list[str]]:
    taken = scene.all_words()
    base = kinds.cls.name
    words = words_of(base)
    table = next((n for n in (f"KINDS_OF_{'_'.join(words).upper()}",) if is_free(n, taken)), "")
    factory = next((n for n in (f"make_{'_'.join(words)}", f"new_{'_'.join(words)}") if is_free(n, taken)), "")
    names = [scene.wishes.name_for(ast.unparse(code)) or f"{_camel(code)}{base}" for code in kinds.codes]
    nameless = next((c for c, n in zip(kinds.codes, names, strict=True) if not n.isidentifier()), None)
    if nameless is not None:
        raise Untouchable(f"nothing says what {ast.unparse(nameless)} stands for; {naming_hint(ast.unparse(nameless))}")
    if not table or not factory or len(set(names)) < len(names) or any(not is_free(n, taken) for n in names):
        raise Untouchable("no free names for the classes and their factory were found")
    return base, table, factory, names


def _camel(code: ast.expr) -> str:
    text = code.value if isinstance(code, ast.Constant) and isinstance(code.value, str) else ast.unparse(code)
    return "".join(w.capitalize() for w in words_of("".join(c if c.isalnum() else " " for c in text.split(".")[-1])))


# --- stories -------------------------------------------------------------------------------------------


def _told(sheet: Sheet, method: FunctionNode, answer: Answer, unit: str) -> list[str]:
    return _returned_at_once(Teller(sheet, answer, unit).lines(_body(method), 0)) or ["pass"]


def _returned_at_once(lines: list[str]) -> list[str]:
    """`fee = 8` and `return fee` at the end as one."""
    found = re.fullmatch(r"(\w+) = (\S.*)", lines[-2]) if len(lines) > 1 else None
    if found is None or lines[-1] != f"return {found[1]}":
        return lines
    try:
        ast.parse(lines[-2])
    except SyntaxError:
        return lines  # it goes on in the line that comes after it
    return [*lines[:-2], f"return {found[2]}"]


def _body(method: FunctionNode) -> list[ast.stmt]:
    first = method.body[0]
    doc = isinstance(first, ast.Expr) and isinstance(first.value, ast.Constant) and isinstance(first.value.value, str)
    return method.body[1:] if doc else method.body


def _put_story(sheet: Sheet, method: FunctionNode, lines: list[str], unit: str) -> None:
    body = _body(method)
    if not body:
        return
    first = first_line(body[0])
    while sheet.line(first - 1).strip().startswith("#"):
        first -= 1
    if first <= method.lineno:
        raise Untouchable("a method stands on the line of its head")
    indent = sheet.indent(body[0].lineno)
    sheet.replace_lines(first, body[-1].end_lineno or first, as_text(lines, indent))


def _class(sheet: Sheet, name: str, base: str, code: ast.expr, own: dict[FunctionNode, list[str]], unit: str) -> str:
    parts = [f'class {name}({base}):\n{unit}"""A {" ".join(words_of(base))} whose code is {ast.unparse(code)}."""\n']
    for method, lines in own.items():
        head = sheet.code(Range(sheet.of(method).start, sheet.of(method.body[0]).start)).rstrip()
        head = head.partition("#")[0].rstrip() if "#" in head else head
        if not head.endswith(":"):
            raise Untouchable(f"the head of {method.name} cannot be repeated")
        if "\n" in head:
            raise Untouchable(f"the head of {method.name} stands on several lines")
        parts.append(f"\n{unit}{head}\n{as_text(lines, unit * 2)}")
    return "".join(parts)


def _places(gone: list[tuple[int, int]]) -> str:
    told = [str(first) if first == last else f"{first}-{last}" for first, last in gone]
    return f"line{'s' if len(told) > 1 or '-' in told[0] else ''} {', '.join(told)}"


def _factory(sheet: Sheet, kinds: Kinds, base: str, table: str, factory: str, unit: str) -> str:
    spec = kinds.setting.args
    given = [a.arg for a in spec.args[1:]] + [f"{a.arg}={a.arg}" for a in spec.kwonlyargs]
    typed = f" -> {base}" if kinds.setting.returns is not None or any(a.annotation for a in spec.args) else ""
    doc = f'{unit}"""A {" ".join(words_of(base))} of the class for its {kinds.code}."""\n'
    call = f"{unit}return {table}.get({kinds.parameter}, {base})({', '.join(given)})\n"
    return f"def {factory}({_parameters(sheet, spec)}){typed}:\n{doc}{call}"


def _parameters(sheet: Sheet, spec: ast.arguments) -> str:
    """The parameters as people write them: `member: bool = False`."""
    defaults = dict(zip(spec.args[::-1], spec.defaults[::-1], strict=False))
    defaults |= {a: d for a, d in zip(spec.kwonlyargs, spec.kw_defaults, strict=True) if d is not None}

    def told(a: ast.arg) -> str:
        code = sheet.code(a)
        equals = " = " if a.annotation is not None else "="
        return f"{code}{equals}{sheet.code(defaults[a])}" if a in defaults else code

    by_name = ["*", *map(told, spec.kwonlyargs)] if spec.kwonlyargs else []
    return ", ".join([*map(told, spec.args[1:]), *by_name])


# --- constructors called elsewhere ---------------------------------------------------------------------


def _through_factory(sheet: Sheet, tree: ast.Module, base: str, factory: str, cls: ast.ClassDef | None) -> int:
    count = 0
    for call in _calls(tree, base):
        sheet.replace(call.func, factory)
        count += 1
    return count


def _calls(tree: ast.Module, base: str) -> Iterator[ast.Call]:
    for node in walk(tree):
        if isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.func.id == base:
            yield node


def _beside(scene: Scene, sheet: Sheet, tree: ast.Module, base: str, factory: str) -> int:
    """Calls in a module that imports this one: `from loads import Load` and `loads.Load(...)`."""
    stem = scene.path.stem
    count = 0
    for node in walk(tree):
        match node:
            case ast.Call(func=ast.Attribute(value=ast.Name(id=module), attr=attr) as func) if attr == base:
                if module == stem:
                    place = sheet.of(func)
                    sheet.replace(Range(place.end - len(base), place.end), factory)
                    count += 1
    froms = [s for s in walk(tree) if isinstance(s, ast.ImportFrom) and (s.module or "").split(".")[-1] == stem]
    alias = next((a for s in froms for a in s.names if a.name == base), None)
    if alias is None:
        return count
    if alias.asname is not None:
        raise Untouchable(f"a file beside it imports {base} under another name")
    here = _through_factory(sheet, tree, base, factory, None)
    if here:
        left = sum(isinstance(n, ast.Name) and n.id == base for n in walk(tree)) > here
        sheet.replace(alias, f"{base}, {factory}" if left else factory)
    return count + here
