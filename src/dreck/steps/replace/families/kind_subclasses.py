"""kind-subclasses: a class with a code becomes subclasses and a factory; a code from elsewhere selects a class."""

import ast
import builtins
from collections.abc import Iterator
from dataclasses import replace

from dreck.model.names.scopes import param_names
from dreck.source.functions import instance_owner
from dreck.source.walking import walk
from dreck.steps.catalogue import Step
from dreck.steps.naming.blocks import in_order
from dreck.steps.naming.predicates import Helper, written
from dreck.steps.replace.discriminants import discriminants_of
from dreck.steps.replace.families.class_text import called_otherwise, check_body
from dreck.steps.replace.families.kinds import moved
from dreck.steps.replace.families.subclassing import subclassed
from dreck.steps.replace.open_ends import with_open_ends
from dreck.steps.replace.tables.arms.outcomes import is_fixed, outcome_of
from dreck.steps.support.chains import Arm, Chain, Reader, chains, check_keys, is_plain, key_code, table_line
from dreck.steps.support.names.short_names import spelled_out
from dreck.steps.support.names.vocabulary import ABBREVIATED
from dreck.steps.support.names.wording import is_free, naming_hint
from dreck.steps.support.names.words import several, thing_name, words_of
from dreck.steps.support.scene import NotPlanned, Plan, Scene
from dreck.steps.support.sheet import Sheet
from dreck.steps.support.trees import Untouchable

_FEWEST = 2


def plans(scene: Scene) -> Iterator[Plan | NotPlanned]:
    """The class of the function by a code it holds; and every chain on a code whose arms have stories of their own.

    Take regroup first where kinds are interleaved in a function.
    """
    return with_open_ends(scene, _found_in)


def _found_in(scene: Scene) -> Iterator[Plan | NotPlanned]:
    refused: dict[str, NotPlanned] = {}
    own = _own_codes(scene)
    for attribute in own:
        try:
            yield subclassed(scene, attribute)
        except Untouchable as error:
            refused[f"self.{attribute}"] = NotPlanned(scene.node.lineno, str(error))
    found = list(chains(scene.node, Reader(), fewest=_FEWEST))
    for chain in found:
        code = ast.unparse(chain.subjects[0])
        if len(chain.subjects) != 1 or (code.removeprefix("self.") in own and code not in refused):
            continue
        refused.pop(code, None)
        chosen = [outcome_of(arm.body) for arm in chain.arms]
        if all(o is not None and all(is_fixed(scene, v) for v in o.values) for o in chosen):
            yield NotPlanned(chain.first.lineno, "its arms only choose values; lookup-table makes a table of them")
            continue
        if (outer := _switch_around(chain, found)) is not None:
            subject = ast.unparse(outer.subjects[0])
            reason = f"the arms of the switch on {subject} ask it one by one; classes for {subject} come first"
            yield NotPlanned(chain.first.lineno, reason)
            continue
        try:
            yield _planned(scene, chain)
        except Untouchable as error:
            yield NotPlanned(chain.first.lineno, str(error))
    yield from refused.values()


def _switch_around(chain: Chain, found: list[Chain]) -> Chain | None:
    """The switch in several arms of which there are chains on the same thing as this one: no family of each."""
    alike = [c for c in found if [*map(ast.dump, c.subjects)] == [*map(ast.dump, chain.subjects)]]
    for outer in found:
        holding = [arm for arm in outer.arms if any(_holds(arm, c) for c in alike)]
        if len(holding) > 1 and any(_holds(arm, chain) for arm in holding):
            return outer
    return None


def _holds(arm: Arm, chain: Chain) -> bool:
    return any(chain.first is n for s in arm.body for n in walk(s))


def _own_codes(scene: Scene) -> list[str]:
    """Attributes of the object itself that the function compares with two constants or more."""
    if instance_owner(scene.function) is None or scene.node.name.startswith("__"):
        return []
    terms = [d.term for d in discriminants_of(scene.node) if not d.truth and len(d.kinds) >= _FEWEST]
    return [t.attr for t in terms if isinstance(t, ast.Attribute) and ast.unparse(t.value) == "self"]


def _planned(scene: Scene, chain: Chain) -> Plan:
    check_keys(chain.keys)
    subject = chain.subjects[0]
    if not is_plain(subject):
        raise Untouchable("the code would be worked out; give it a name first (shared-term)")
    sheet = scene.sheet()
    unit = sheet.unit(scene.node)
    whole = chain
    if chain.default is not None:
        whole = replace(
            chain, arms=(*chain.arms, Arm((), chain.default, chain.default[0].lineno)), default=None, rest=False
        )
    parts = moved(scene, sheet, whole, unit, tails=chain.default is not None)
    if chain.default is None and parts.returns:
        raise Untouchable("it goes on when no kind fits, and returns when one does")
    bodies = list(parts.bodies)
    results = parts.call.split(" = ")[0] if " = {}" in parts.call else ""
    if parts.call.split("{")[0].rstrip().endswith(("+=", "-=", "*=")):
        raise Untouchable("its arms only add up; a table does for them (lookup-table)")
    other = bodies.pop() if chain.default is not None else [f"return {results}" if results else "pass"]
    names = _names(scene, chain)
    existing = _family(scene, chain)
    base, table, factory = existing if existing is not None else names[:3]
    given = list(parts.given)
    method = results if results.isidentifier() and results not in given else scene.node.name.strip("_")
    if chain.default is None:
        given += [r for r in results.split(", ") if r and r not in given]
    own = scene.node.args.args[0].arg if scene.function.owner is not None and scene.node.args.args else ""
    given = in_order(scene, given)
    host = _host_word(scene)
    inner = [host if g == own else g for g in given]
    returns = ast.unparse(scene.node.returns) if parts.returns and scene.node.returns is not None else ""

    def made(body: list[str]) -> str:
        told = [called_otherwise(text, own, host) for text in body] if own else body
        told = [line for at, line in enumerate(told) if line != "pass" or at == len(told) - 1]
        check_body(told, ast.ClassDef(base, [], [], [], []))
        return written(scene, Helper(method, ("self", *inner), tuple(told)), unit, unit, returns)

    kinds = [(arm, names[3][i]) for i, arm in enumerate(chain.arms)]
    if existing is None:
        said = _subject_word(scene, subject)
        thing = _holder_word(scene, subject) or said
        told = thing.replace("_", " ")
        doc = f'{unit}"""What is done for {_article(told)} {told} that has no class of its own."""\n\n'
        pieces = [f"class {base}:\n{doc}{made(other)}"]
        pieces += [
            f'class {kind}({base}):\n{unit}"""What is done for {_said(arm)}."""\n\n{made(body)}'
            for (arm, kind), body in zip(kinds, bodies, strict=True)
        ]
        rows = "".join(f"{unit}{key_code(sheet, key)}: {kind},\n" for arm, kind in kinds for key in arm.keys)
        pieces.append(f"{table} = {{\n{rows}}}\n")
        doc = f'{unit}"""What is done for this {said.replace("_", " ")}."""\n'
        code = "kind" if hasattr(builtins, said) else said
        pieces.append(f"def {factory}({code}):\n{doc}{unit}return {table}.get({code}, {base})()\n")
        line = table_line(scene, sheet, "")
        sheet.insert(line, "".join(f"{piece}\n\n" for piece in pieces))
    else:
        _extend(scene, sheet, chain, table, base, made, bodies, other)
    call = f"{factory}({sheet.code(subject)}).{method}({', '.join(given)})"
    indent = sheet.indent(parts.first)
    sheet.replace_lines(parts.first, parts.last, f"{indent}{parts.call.format(call)}\n")
    reason = f"{len(kinds)} kinds of {ast.unparse(subject)} are classes; {factory} finds the one for a code"
    names_made = (method,) if existing is not None else (base, table, factory, *(kind for _, kind in kinds))
    return Plan(chain.first.lineno, reason, sheet.result(), names_made)


def _host_word(scene: Scene) -> str:
    """What the object whose method the switch stands in is called elsewhere: after its class."""
    own = {n.id for n in walk(scene.node) if isinstance(n, ast.Name)} | {*param_names(scene.node.args)}
    stem = "_".join(words_of(scene.owner.name)) if scene.owner is not None else ""
    return next((n for n in (stem, f"the_{stem}") if n.isidentifier() and is_free(n, own)), "owner")


def _subject_word(scene: Scene, subject: ast.expr) -> str:
    word = thing_name(spelled_out(scene.node, subject))
    says = word.isidentifier() and len(word) > 1 and word not in ABBREVIATED
    return word if says and word != "type" else "kind"


def _holder_word(scene: Scene, subject: ast.expr) -> str:
    """Whose name, type or code it is, where the subject says no more than that; '' where it says more."""
    if _subject_word(scene, subject) not in _OF_SOMETHING:
        return ""
    match subject:
        case ast.Attribute(value=ast.Name(id="self")) if scene.owner is not None:
            return "_".join(words_of(scene.owner.name))
        case ast.Attribute(value=inner) | ast.Subscript(value=inner) | ast.Call(func=ast.Attribute(value=inner)):
            word = thing_name(spelled_out(scene.node, inner))
            return word if word.isidentifier() and len(word) > 1 and word not in ABBREVIATED else ""
    return ""


_OF_SOMETHING = frozenset({"name", "kind", "type", "code", "id", "category", "sort", "tag", "key"})


def _article(word: str) -> str:
    return "an" if word[:1].lower() in "aeiou" else "a"


def _said(arm: Arm) -> str:
    return ", ".join(ast.unparse(key).replace('"', "'") for key in arm.keys)


def _names(scene: Scene, chain: Chain) -> tuple[str, str, str, list[str]]:
    """The base, the table, the factory, and the class for each arm."""
    taken = scene.all_words()
    wished = scene.wishes.name_for(ast.unparse(chain.subjects[0]))
    word, holder = _subject_word(scene, chain.subjects[0]), _holder_word(scene, chain.subjects[0])
    own = "Kind" if holder else "".join(w.capitalize() for w in words_of(word))
    stem = "".join(w.capitalize() for w in words_of(holder)) + own
    verb = "".join(w.capitalize() for w in words_of(scene.node.name.strip("_")))
    bases = [(wished, wished)] if wished else []
    for base, last in (*bases, (stem, own), (f"{verb}{stem}", f"{verb}{own}"), (f"{stem}Kind", f"{own}Kind")):
        table = several("_".join(words_of(base))).upper()
        factory = f"find_{'_'.join(words_of(base))}"
        kinds = [f"{_camel(arm.keys[0], last)}{last}" for arm in chain.arms]
        free = all(is_free(n, taken) and n.isidentifier() for n in (base, table, factory, *kinds))
        if free and len({base, *kinds}) == len(kinds) + 1:
            return base, table, factory, kinds
    raise Untouchable(
        f"no free names for the classes were found; give one with {naming_hint(ast.unparse(chain.subjects[0]))}"
    )


def _camel(key: ast.expr, base: str) -> str:
    """The words of a key without those that the class ends in anyway: `Stopped` for `STATE_STOPPED`, a state."""
    match key:
        case ast.Constant(value=str() as text):
            words = words_of("".join(c if c.isalnum() else " " for c in text))
        case ast.Attribute(attr=attr):
            words = words_of(attr)
        case _:
            words = words_of("".join(c if c.isalnum() else " " for c in ast.unparse(key)))
    said = words_of(base)
    if len(words) > len(said) and words[: len(said)] == said:
        words = words[len(said) :]
    elif len(words) > len(said) and words[-len(said) :] == said:
        words = words[: -len(said)]
    return "".join(w.capitalize() for w in words)


# --- a family that is there already --------------------------------------------------------------------


def _family(scene: Scene, chain: Chain) -> tuple[str, str, str] | None:
    """Base, table and factory of classes made earlier for the very same codes."""
    keys = {ast.dump(k) for k in chain.keys}
    for name, table in scene.names.tables.known.items():
        if not isinstance(table, ast.Dict) or {ast.dump(k) for k in table.keys if k is not None} != keys:
            continue
        for s in scene.tree.body:
            match s:
                case ast.FunctionDef(body=[*_, ast.Return(value=ast.Call(func=ast.Call() as get, args=[]))]):
                    code = ast.unparse(get)
                    if code.startswith(f"{name}.get(") and isinstance(get.args[-1], ast.Name):
                        return get.args[-1].id, name, s.name
    return None


def _extend(
    scene: Scene,
    sheet: Sheet,
    chain: Chain,
    table: str,
    base: str,
    made: object,
    bodies: list[list[str]],
    other: list[str],
) -> None:
    """Further methods for classes that are there."""
    from dreck.steps.replace.families.class_text import put_method

    known = scene.names.tables.known[table]
    assert isinstance(known, ast.Dict)
    by_key = {
        ast.dump(k): v.id
        for k, v in zip(known.keys, known.values, strict=True)
        if k is not None and isinstance(v, ast.Name)
    }
    given: dict[str, list[str]] = {base: other}
    for arm, body in zip(chain.arms, bodies, strict=True):
        for key in arm.keys:
            kind = by_key[ast.dump(key)]
            if kind in given and given[kind] != body:
                raise Untouchable(f"{kind} stands for codes that part here")
            given[kind] = body
    for kind, body in given.items():
        node = scene.names.definitions.get(kind)
        if not isinstance(node, ast.ClassDef):
            raise Untouchable(f"{kind} is not a class of this module")
        put_method(scene, sheet, node, made(body))  # type: ignore[operator]


STEP = Step(
    name="kind-subclasses",
    group="replace",
    order=225,
    summary="A class with a code becomes subclasses and a factory; a code from elsewhere finds a class for each kind.",
    why="The story of one kind stands in one class; a new kind is a new class and a new row.",
    when_not="When the kinds only differ in values: a table says that better.",
    before="""\
class Load:
    def __init__(self, kind, kilos):
        self.kind = kind
        self.kilos = kilos

    def fee(self, season):
        start = 10
        if self.kind == "glass":
            start += self.kilos
        elif self.kind == "paper" and season > 3:
            start += 2
        return start


def heavy():
    return Load("glass", 2000)
""",
    after="""\
class Load:
    def __init__(self, kind, kilos):
        self.kind = kind
        self.kilos = kilos

    def fee(self, season):
        return 10


class GlassLoad(Load):
    \"\"\"A load whose code is 'glass'.\"\"\"

    def fee(self, season):
        start = 10
        start += self.kilos
        return start


class PaperLoad(Load):
    \"\"\"A load whose code is 'paper'.\"\"\"

    def fee(self, season):
        start = 10
        if season > 3:
            start += 2
        return start


KINDS_OF_LOAD = {
    "glass": GlassLoad,
    "paper": PaperLoad,
}


def make_load(kind, kilos):
    \"\"\"A load of the class for its kind.\"\"\"
    return KINDS_OF_LOAD.get(kind, Load)(kind, kilos)


def heavy():
    return make_load("glass", 2000)
""",
    traps=(
        "A code that nobody knows has a class, too: the base does what the default did.",
        "Who still calls the class itself gets an object that only knows the default.",
        "The code of an object must not change once it is made: its class would not.",
        "Code that is handed in keeps its objects as they are; a factory finds what is done for it.",
    ),
    plans=plans,
    asks=("hashable-key", "plain-kind", "made-by-factory", "steady-kind", "steady-constants"),
    by_default=False,
)
