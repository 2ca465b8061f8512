"""What is tried in turn: functions that are there, one way asked with other keys, or functions made of the ways."""

import ast
import builtins
from collections.abc import Sequence
from dataclasses import dataclass

from dreck.source.functions import instance_owner
from dreck.source.walking import walk
from dreck.steps.naming.blocks import in_order
from dreck.steps.naming.predicates import Helper, check_movable, locals_read, method_line, put_all, written
from dreck.steps.replace.tables.arms.amounts import amounts_of
from dreck.steps.support.chains import put_table
from dreck.steps.support.names.parameters import UNNAMED, what_it_is
from dreck.steps.support.names.table_names import own_style
from dreck.steps.support.names.wording import constant_name, is_a_thing, is_free, naming_hint
from dreck.steps.support.names.words import words_of
from dreck.steps.support.scene import Scene
from dreck.steps.support.sheet import Sheet, one_line
from dreck.steps.support.spelled import as_written
from dreck.steps.support.trees import Untouchable

_ASKING = frozenset({"find", "get", "look", "up", "read", "parse", "guess", "detect", "to", "the", "which", "try"})
_SMALL = frozenset({"by", "strip", "lower", "upper", "from", "of", "for", "in", "is", "has", "with"})


@dataclass(frozen=True, slots=True)
class Probes:
    """A loop over what is tried: its variable, what it goes through, what it asks in each round, and what is made."""

    variable: str
    listed: str
    asked: str
    made: tuple[str, ...]
    reason: str


def probes_of(scene: Scene, sheet: Sheet, ways: Sequence[ast.expr], leaves: bool) -> Probes:
    """How the ways are tried in one loop; `leaves`: an answer is what the function returns. Raises Untouchable when no
    loop can."""
    calls = [way for way in ways if isinstance(way, ast.Call)]
    given = {", ".join(sheet.code(a) for a in (*c.args, *c.keywords)) for c in calls}
    if len(calls) == len(ways) and len(given) == 1 and all(_is_plain(call.func) for call in calls):
        return _of_functions(scene, sheet, calls, given.pop())
    return _of_keys(scene, sheet, ways) or _of_new_functions(scene, sheet, ways, leaves)


def _is_plain(function: ast.expr) -> bool:
    """`by_label`, `self.register.find`: a name of a function, which nothing is worked out for."""
    return not any(isinstance(n, ast.Call | ast.Subscript) for n in walk(function))


def _of_functions(scene: Scene, sheet: Sheet, calls: Sequence[ast.Call], given: str) -> Probes:
    """Functions that get the same: their names at the top of the module, or in place where they are local."""
    asked = [f for call in calls if isinstance(f := call.func, ast.Attribute) and isinstance(f.value, ast.Name)]
    if len(asked) == len(calls) and len({f.attr for f in asked}) == 1 < len({ast.dump(f) for f in asked}):
        return _of_sources(scene, sheet, asked, given)
    functions = [sheet.code(call.func) for call in calls]
    probe, reason = free_name(scene, "probe"), f"{len(functions)} ways are tried in turn: {', '.join(functions)}"
    roots = {function.partition(".")[0] for function in functions}
    if roots & (scene.scope.local | scene.scope.params):
        return Probes(probe, f"({', '.join(functions)})", f"{probe}({given})", (), reason)
    unknown = [r for r in roots if not hasattr(builtins, r) and scene.names.kind(r) == "unknown"]
    if unknown:
        raise Untouchable(f"where {unknown[0]} comes from is not known")
    name = listed_name(scene)
    put_table(scene, sheet, f"{name} = ({', '.join(functions)})\n")
    return Probes(probe, name, f"{probe}({given})", (name,), reason)


def _of_sources(scene: Scene, sheet: Sheet, asked: Sequence[ast.Attribute], given: str) -> Probes:
    """Several things that are asked alike, one after the other."""
    source = free_name(scene, "source")
    told = ", ".join(sheet.code(f.value) for f in asked)
    return Probes(source, f"({told})", f"{source}.{asked[0].attr}({given})", (), f"{told} are asked in turn")


def _of_keys(scene: Scene, sheet: Sheet, ways: Sequence[ast.expr]) -> Probes | None:
    """One way, asked with one key after the other."""
    found = amounts_of(sheet, ways, (str, int, float))
    if found is None:
        return None
    known = what_it_is(scene, ways[0], found.numbers[0])
    variable = known if free_name(scene, known) == known else free_name(scene, UNNAMED)
    told = ", ".join(sheet.code(key) for key in found.numbers)
    return Probes(variable, f"({told})", found.around(variable), (), f"one way is tried with {told} in turn")


def _of_new_functions(scene: Scene, sheet: Sheet, ways: Sequence[ast.expr], leaves: bool) -> Probes:
    """Each way becomes a small function, or a method where it reads the object; all of them get what any needs."""
    for way in ways:
        check_movable(way)
    given = in_order(scene, list(dict.fromkeys(name for way in ways for name in locals_read(scene, way))))
    own = scene.node.args.args[0].arg if instance_owner(scene.function) and scene.node.args.args else ""
    if own in given:
        return _of_new_methods(scene, sheet, ways, leaves, own, [name for name in given if name != own])
    there = [_function_called(scene, way, given) for way in ways]
    new = [way for way, function in zip(ways, there, strict=True) if not function]
    made = dict(zip(map(id, new), _names(scene, new, [way for way in ways if way not in new]), strict=True))
    names = [function or made[id(way)] for way, function in zip(ways, there, strict=True)]
    listed = listed_name(scene)
    unit = sheet.unit(scene.node)
    codes = [_defined(scene, sheet, made[id(way)], given, way, leaves, "") for way in new]
    table = f"{listed} = ({', '.join(names)})\n"
    if len(table) > scene.line_length:
        table = f"{listed} = (\n{''.join(f'{unit}{name},{chr(10)}' for name in names)})\n"
    put_all(scene, sheet, [*codes, table])
    probe = free_name(scene, "probe")
    reason = f"{len(names)} ways are functions of their own, tried in turn"
    return Probes(probe, listed, f"{probe}({', '.join(given)})", (listed, *made.values()), reason)


def _of_new_methods(
    scene: Scene, sheet: Sheet, ways: Sequence[ast.expr], leaves: bool, own: str, given: list[str]
) -> Probes:
    """Each way becomes a method; one that calls a method with all that any of them needs is that method."""
    there = [_method_called(way, own, given) for way in ways]
    new = [way for way, method in zip(ways, there, strict=True) if not method]
    names = iter(_names(scene, new, beside=[way for way in ways if way not in new]))
    methods = [method or f"_{next(names).lstrip('_')}" for method in there]
    home = sheet.indent(scene.node.lineno)
    made = [(name, way) for name, way, method in zip(methods, ways, there, strict=True) if not method]
    if len({name for name, _ in made} - scene.all_words()) < len(made):
        raise Untouchable(f"names that begin with _{scene.node.name.strip('_')} are taken")
    codes = [_defined(scene, sheet, name, [own, *given], way, leaves, home) for name, way in made]
    sheet.insert(method_line(scene), "".join(f"\n{code}" for code in codes))
    probe = free_name(scene, "probe")
    reason = f"{len(ways)} ways are methods, tried in turn"
    listed = ", ".join(f"{own}.{method}" for method in methods)
    return Probes(probe, f"({listed})", f"{probe}({', '.join(given)})", tuple(name for name, _ in made), reason)


def _function_called(scene: Scene, way: ast.expr, given: Sequence[str]) -> str:
    """The function of the module that a way calls with just what all of them get."""
    match way:
        case ast.Call(func=ast.Name(id=name), args=args, keywords=[]) if name in scene.names.definitions:
            return name if [ast.unparse(a) for a in args] == list(given) else ""
    return ""


def _method_called(way: ast.expr, own: str, given: Sequence[str]) -> str:
    """The method of one's own that a way calls with just what all of them get."""
    match way:
        case ast.Call(func=ast.Attribute(value=ast.Name(id=base), attr=name), args=args, keywords=[]) if base == own:
            return name if [ast.unparse(a) for a in args] == list(given) else ""
    return ""


def _defined(
    scene: Scene, sheet: Sheet, name: str, given: Sequence[str], way: ast.expr, leaves: bool, home: str
) -> str:
    """A function that gives what a way gives."""
    told = ast.unparse(scene.node.returns) if scene.node.returns is not None and leaves else ""
    returns = told if "None" in told or "Optional" in told else ""  # a way may have no answer
    helper = Helper(name, tuple(given), (f"return {one_line(sheet.code(way))}",))
    return written(scene, helper, home, sheet.unit(scene.node), returns)


def _names(scene: Scene, ways: Sequence[ast.expr], beside: Sequence[ast.expr] = ()) -> list[str]:
    """`weigh_by_kilos`: by what only one of the ways, and none of those `beside` them, speaks of."""
    every = [*ways, *beside]
    told = [list(dict.fromkeys(_telling(way))) for way in every]
    asked = [_asked_of(way) for way in every]
    stem = scene.node.name.strip("_")
    found: list[str] = []
    missing: list[str] = []
    for at, way in enumerate(ways):
        code = as_written(scene.text, way)
        others = {word for n, words in enumerate(told) if n != at for word in words}
        own = next((word for word in told[at] if word not in others and word not in words_of(scene.node.name)), "")
        elsewhere = {word for n, words in enumerate(asked) if n != at for word in words}
        source = next((word for word in asked[at] if word not in elsewhere), "")
        suggested = f"{stem}_by_{own}" if own else f"{stem}_from_{source}" if source else ""
        name = scene.wishes.name_for(code) or (suggested and own_style(scene, suggested))
        if name and is_free(name, {*scene.all_words(), *found}):
            found.append(name)
        else:
            missing.append(code)
    if missing:
        hints = " ".join(map(naming_hint, missing))
        if len(missing) == 1:
            raise Untouchable(f"no good name was found for the way `{missing[0]}`; give it one with {hints}")
        raise Untouchable(f"no good name was found for {len(missing)} of the ways; give each one with {hints}")
    return found


def _asked_of(way: ast.expr) -> list[str]:
    """The things that a way asks: `register` in `register.get(plate)`, `register[plate]`."""
    words: list[str] = []
    for n in walk(way):
        match n:
            case ast.Call(func=ast.Attribute(value=ast.Name(id=word), attr="get")) | ast.Subscript(
                value=ast.Name(id=word)
            ):
                words.append(_plainly(word))
    return [word for word in dict.fromkeys(words) if is_a_thing(word)]


def _telling(way: ast.expr) -> list[str]:
    """Keys, attributes and functions that a way speaks of, as words of a name."""
    words: list[str] = []
    called = {n.func for n in walk(way) if isinstance(n, ast.Call)}
    for n in walk(way):
        match n:
            case ast.Attribute(attr=word) if n in called and any(hasattr(kind, word) for kind in (str, dict, list)):
                continue  # what any text or table can do says nothing of the way
            case ast.Constant(value=str() as word) | ast.Attribute(attr=word) if word.isidentifier():
                words.append(_plainly(word))
            case ast.Call(func=ast.Name(id=name)) if not hasattr(builtins, name):
                words.append(_plainly(name))
    return [word for word in words if len(word) > 2 and word.isidentifier()]


def _plainly(name: str) -> str:
    """Without the words that only say that something is looked for."""
    return "_".join(w for w in words_of(name) if w not in _ASKING and w not in _SMALL)


def listed_name(scene: Scene) -> str:
    """What a list of ways is called: after what the function does."""
    words = [w for w in words_of(scene.node.name.strip("_")) if w not in _ASKING] or words_of(scene.node.name)
    return constant_name([*words, "probes"], scene.all_words())


def free_name(scene: Scene, stem: str) -> str:
    """A name that nothing in the function or at the top of the module has."""
    taken = {n.id for n in walk(scene.node) if isinstance(n, ast.Name)} | scene.scope.params
    taken |= {s.name for s in scene.tree.body if isinstance(s, ast.FunctionDef | ast.AsyncFunctionDef | ast.ClassDef)}
    return stem if is_free(stem, taken) else next(f"{stem}_{n}" for n in range(2, 99) if is_free(f"{stem}_{n}", taken))
