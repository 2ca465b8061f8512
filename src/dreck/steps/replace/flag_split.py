"""flag-split: a parameter that only picks a branch becomes two functions."""

import ast
from collections.abc import Iterator
from pathlib import Path

from dreck.source.copying import copied
from dreck.source.functions import FunctionNode, instance_owner
from dreck.source.walking import walk
from dreck.steps.catalogue import Step
from dreck.steps.naming.predicates import method_line, put_all, statements
from dreck.steps.replace.discriminants import asked_for_truth
from dreck.steps.replace.stories import Teller
from dreck.steps.support.generics import with_parameters
from dreck.steps.support.names.vocabulary import PLAIN_ADJECTIVES
from dreck.steps.support.names.wording import is_free
from dreck.steps.support.names.words import words_of
from dreck.steps.support.raw import as_text, indented
from dreck.steps.support.scene import NotPlanned, Plan, Scene
from dreck.steps.support.sheet import Range, Sheet
from dreck.steps.support.trees import Untouchable


def plans(scene: Scene) -> Iterator[Plan | NotPlanned]:
    """Each parameter of the function that is only ever asked for its truth."""
    wanted = scene.wishes.discriminant
    if _is_thin(scene.node.body):
        return
    for flag, is_told in _flags(scene):
        if wanted and flag != wanted:
            continue
        try:
            if not is_told:
                raise Untouchable(f"nothing but its tests says that {flag} is a flag; if it is, type --on {flag}")
            yield _planned(scene, flag)
        except Untouchable as error:
            yield NotPlanned(scene.node.lineno, str(error))


def _is_thin(body: list[ast.stmt]) -> bool:
    """Whether all it does is choose between two functions."""
    match body[-2:]:
        case [ast.If(body=[ast.Return(value=one)], orelse=[]), ast.Return(value=two)]:
            parts = [v.value if isinstance(v, ast.Await | ast.YieldFrom) else v for v in (one, two)]
            return all(isinstance(p, ast.Call) for p in parts)
    return False


def _flags(scene: Scene) -> Iterator[tuple[str, bool]]:
    """The parameters that are asked for their truth and nothing else; whether something says that they are flags."""
    asked = [e for e in asked_for_truth(scene.node) if isinstance(e, ast.Name)]
    spec = scene.node.args
    defaults = dict(zip([a.arg for a in spec.args][::-1], spec.defaults[::-1], strict=False))
    defaults |= {a.arg: d for a, d in zip(spec.kwonlyargs, spec.kw_defaults, strict=True) if d is not None}
    for a in (*spec.args, *spec.kwonlyargs):
        uses = [n for n in walk(scene.node) if isinstance(n, ast.Name) and n.id == a.arg]
        tests = [e for e in asked if e.id == a.arg]
        if not tests or len(uses) != len(tests):
            continue
        typed = isinstance(a.annotation, ast.Name) and a.annotation.id == "bool"
        told = typed or _is_truth(defaults.get(a.arg)) or scene.wishes.discriminant == a.arg
        yield a.arg, told or (a.annotation is None and _is_passed_truths(scene, a.arg))


def _is_truth(e: ast.AST | None) -> bool:
    return isinstance(e, ast.Constant) and isinstance(e.value, bool)


def _is_passed_truths(scene: Scene, flag: str) -> bool:
    """Whether some call in the module passes True or False for it, and none another constant."""
    calls = [n for n in walk(scene.tree) if isinstance(n, ast.Call) and _called(n) == scene.node.name]
    parts = [part for call in calls if (part := _passed(scene.node, call, flag)[1]) is not None]
    values = [part.value if isinstance(part, ast.keyword) else part for part in parts]
    return bool(values) and all(map(_is_truth, values))


def _called(call: ast.Call) -> str:
    match call.func:
        case ast.Name(id=name) | ast.Attribute(attr=name):
            return name
    return ""


def _planned(scene: Scene, flag: str) -> Plan:
    node = scene.node
    if scene.function.nested or node.decorator_list or node.args.vararg or node.args.kwarg or node.args.posonlyargs:
        raise Untouchable("it is nested, decorated, or takes any number of arguments")
    own = instance_owner(scene.function) and node.args.args[0].arg
    if scene.function.owner is not None and not own:
        raise Untouchable("it is no plain method")
    if own == flag:
        raise Untouchable("its own object is no flag")
    names = _names(scene, flag)
    sheet = scene.sheet()
    unit = sheet.unit(node)
    home = sheet.indent(node.lineno)
    bodies = [_body(scene, sheet, flag, outcome, unit) for outcome in (True, False)]
    if bodies[0] == bodies[1]:
        raise Untouchable(f"{flag} makes no difference")
    head = _heads(scene, sheet, flag, names)
    made = [as_text([line, *indented(body, unit)], home) for line, body in zip(head, bodies, strict=True)]
    _thin(scene, sheet, flag, names, unit, own or "")
    if own:
        sheet.insert(method_line(scene), "".join(f"\n{code}" for code in made))
    else:
        put_all(scene, sheet, made)
    count = _move_callers(scene, sheet, scene.tree, flag, names, own or "")
    others: dict[Path, str] = {}
    if not own and scene.others is not None:
        for path, text, tree in scene.others.importing(scene.path):
            changed, moved = _elsewhere(scene, text, tree, flag, names)
            count += moved
            if moved:
                others[path] = changed
    told = f"{flag} picks one of {names[0]} and {names[1]}"
    more = f"; {count} calls go to the right one" if count else ""
    return Plan(node.lineno, told + more, sheet.result(), names, others=others)


_OF_QUALITIES = ("ed", "ful", "ous", "ive", "ble", "ing", "ent", "ant", "ic", "al")
"""Words that end so say what a thing is like: nothing is without them."""


_OF_FORMS = ("as_", "in_", "to_", "by_", "for_", "on_", "at_")
"""Words that say in what form or way something is done: it is never done without."""


def _names(scene: Scene, flag: str) -> tuple[str, str]:
    wished = scene.wishes.name_for(flag)
    stem = scene.node.name
    short = flag.removeprefix("is_").removeprefix("with_").removeprefix("has_")
    taken = scene.all_words()
    otherwise = scene.wishes.name_for(f"not {flag}")
    plain, without = f"{stem}_plain", f"{stem}_without_{short}"
    lacking: tuple[str, ...] = (plain, without)
    if short.startswith(_OF_FORMS):
        lacking = (plain,)
    elif not short.endswith(_OF_QUALITIES) and words_of(short)[-1:] not in [[word] for word in PLAIN_ADJECTIVES]:
        lacking = (without, plain)
    yes = next((n for n in (wished, f"{stem}_{short}", f"{stem}_with_{short}") if n and is_free(n, taken)), "")
    no = next((n for n in (otherwise, *lacking) if n and is_free(n, taken)), "")
    if not yes or not no:
        raise Untouchable("no free names for the two functions were found")
    return yes, no


def _body(scene: Scene, sheet: Sheet, flag: str, outcome: bool, unit: str) -> list[str]:
    body = scene.node.body
    doc = isinstance(body[0], ast.Expr) and isinstance(body[0].value, ast.Constant)
    told = Teller(sheet, lambda e: outcome if isinstance(e, ast.Name) and e.id == flag else None, unit)
    return told.lines(body[1:] if doc else body, 0) or ["pass"]


def _heads(scene: Scene, sheet: Sheet, flag: str, names: tuple[str, str]) -> list[str]:
    word = "async def" if isinstance(scene.node, ast.AsyncFunctionDef) else "def"
    arguments = _without(scene.node, flag)
    arrow = f" -> {ast.unparse(scene.node.returns)}" if scene.node.returns is not None else ""
    generic = with_parameters(f"{arguments}{arrow}", [scene.node])
    return [f"{word} {name}{generic}({arguments}){arrow}:" for name in names]


def _without(node: FunctionNode, flag: str) -> str:
    """The parameters, the flag left out, defaults and annotations kept."""

    spec = copied(node.args)
    names = [a.arg for a in spec.args]
    if flag in names:
        at = names.index(flag)
        from_end = len(names) - at
        if from_end <= len(spec.defaults):
            del spec.defaults[len(spec.defaults) - from_end]
        elif spec.defaults and from_end > len(spec.defaults):
            pass
        del spec.args[at]
    else:
        at = [a.arg for a in spec.kwonlyargs].index(flag)
        del spec.kwonlyargs[at], spec.kw_defaults[at]
    return ast.unparse(spec)


def _thin(scene: Scene, sheet: Sheet, flag: str, names: tuple[str, str], unit: str, own: str) -> None:
    """The old name chooses between the two."""
    node = scene.node
    body = node.body
    doc = isinstance(body[0], ast.Expr) and isinstance(body[0].value, ast.Constant)
    rest = body[1:] if doc else body
    if not rest:
        raise Untouchable("it does nothing")
    first = rest[0].lineno
    while sheet.line(first - 1).strip().startswith("#"):
        first -= 1
    if first <= node.lineno:
        raise Untouchable("its body stands on the line of its head")
    given = ", ".join(
        [a.arg for a in node.args.args if a.arg not in (flag, own)]
        + [f"{a.arg}={a.arg}" for a in node.args.kwonlyargs if a.arg != flag]
    )
    calls = [f"{own}.{name}({given})" if own else f"{name}({given})" for name in names]
    if isinstance(node, ast.AsyncFunctionDef):
        calls = [f"await {call}" for call in calls]
    if any(isinstance(n, ast.Yield | ast.YieldFrom) for s in statements(body) for n in walk(s)):
        if isinstance(node, ast.AsyncFunctionDef):
            raise Untouchable("it is an asynchronous generator")
        calls = [f"(yield from {call})" for call in calls]
    indent = sheet.indent(rest[0].lineno)
    lines = [f"if {flag}:", f"{unit}return {calls[0]}", f"return {calls[1]}"]
    sheet.replace_lines(first, rest[-1].end_lineno or first, "".join(f"{indent}{line}\n" for line in lines))


# --- callers -------------------------------------------------------------------------------------------


def _move_callers(scene: Scene, sheet: Sheet, tree: ast.Module, flag: str, names: tuple[str, str], own: str) -> int:
    """Calls that pass a constant go to the right function. Those in the function itself are written anew anyway."""
    inside = set(walk(scene.node)) if tree is scene.tree else set()
    moved = 0
    places = [tree] if not own else _family(scene)
    for call in (n for place in places for n in walk(place) if isinstance(n, ast.Call) and n not in inside):
        if _is_call(call, scene.node.name, own):
            moved += _moved(scene, sheet, call, flag, names)
    return moved


def _family(scene: Scene) -> list[ast.AST]:
    """The class of the method and those of the module that derive from it: there `self` has what is made."""
    owner = scene.function.owner
    classes = [s for s in scene.tree.body if isinstance(s, ast.ClassDef)]
    found: list[ast.AST] = [owner] if owner is not None else []
    names = {owner.name} if owner is not None else set[str]()
    for s in classes:
        if s is not owner and any(isinstance(base, ast.Name) and base.id in names for base in s.bases):
            found.append(s)
            names.add(s.name)
    return found


def _is_call(call: ast.Call, name: str, own: str) -> bool:
    match call.func:
        case ast.Name(id=called) if not own:
            return called == name
        case ast.Attribute(value=ast.Name(id="self"), attr=called) if own:
            return called == name
    return False


def _moved(scene: Scene, sheet: Sheet, call: ast.Call, flag: str, names: tuple[str, str], prefix: str = "") -> bool:
    outcome, part = _passed(scene.node, call, flag)
    if outcome is None:
        return False
    func = call.func
    place = sheet.of(func)
    last = func.attr if isinstance(func, ast.Attribute) else func.id  # type: ignore[attr-defined]
    sheet.replace(Range(place.end - len(last), place.end), names[0] if outcome else names[1])
    if part is not None:
        _drop(sheet, call, part)
    return True


def _passed(node: FunctionNode, call: ast.Call, flag: str) -> tuple[bool | None, ast.AST | None]:
    """The constant a call passes for the flag, and where; the default when it passes nothing."""
    if any(isinstance(a, ast.Starred) for a in call.args) or any(k.arg is None for k in call.keywords):
        return None, None
    for keyword in call.keywords:
        if keyword.arg == flag:
            known = isinstance(keyword.value, ast.Constant)
            return (bool(keyword.value.value), keyword) if known else (None, None)  # type: ignore[attr-defined]
    names = [a.arg for a in node.args.args]
    bound = isinstance(call.func, ast.Attribute)
    at = names.index(flag) - bound if flag in names else len(call.args)
    if at < len(call.args):
        value = call.args[at]
        return (bool(value.value), value) if isinstance(value, ast.Constant) else (None, None)
    defaults = dict(zip(names[::-1], node.args.defaults[::-1], strict=False))
    defaults |= {a.arg: d for a, d in zip(node.args.kwonlyargs, node.args.kw_defaults, strict=True) if d is not None}
    default = defaults.get(flag)
    return (bool(default.value), None) if isinstance(default, ast.Constant) else (None, None)


def _drop(sheet: Sheet, call: ast.Call, part: ast.AST) -> None:
    """Takes an argument out of a call, with the comma before or after it."""
    place = sheet.of(part)
    every = sorted((sheet.of(p) for p in (*call.args, *call.keywords)), key=lambda r: r.start)
    at = next(i for i, r in enumerate(every) if r == place)
    if at > 0:
        sheet.replace(Range(every[at - 1].end, place.end), "")
    elif len(every) > 1:
        sheet.replace(Range(place.start, every[1].start), "")
    else:
        sheet.replace(place, "")


def _elsewhere(scene: Scene, text: str, tree: ast.Module, flag: str, names: tuple[str, str]) -> tuple[str, int]:
    """Callers in a module that imports this one: `from gate import f` and `gate.f(...)`."""
    sheet = Sheet(text)
    stem, name = scene.path.stem, scene.node.name
    moved = by_name = 0
    used: set[str] = set()
    froms = [s for s in walk(tree) if isinstance(s, ast.ImportFrom) and (s.module or "").split(".")[-1] == stem]
    local = any(a.name == name and a.asname is None for s in froms for a in s.names)
    rebound = {n.id for n in walk(tree) if isinstance(n, ast.Name) and not isinstance(n.ctx, ast.Load)}
    for call in (n for n in walk(tree) if isinstance(n, ast.Call)):
        match call.func:
            case ast.Name(id=called) if local and called == name and name not in rebound:
                outcome, _ = _passed(scene.node, call, flag)
                if _moved(scene, sheet, call, flag, names):
                    by_name += 1
                    used.add(names[0] if outcome else names[1])
            case ast.Attribute(value=ast.Name(id=module), attr=called) if module == stem and called == name:
                moved += _moved_plain(scene, sheet, call, flag, names)
    if used:
        alias = next(a for s in froms for a in s.names if a.name == name)
        left = sum(1 for n in walk(tree) if isinstance(n, ast.Name) and n.id == name) > by_name
        wanted = sorted({*used, *([name] if left else [])})
        sheet.replace(alias, ", ".join(wanted))
    return sheet.result(), moved + by_name


def _moved_plain(scene: Scene, sheet: Sheet, call: ast.Call, flag: str, names: tuple[str, str]) -> bool:
    bare = ast.Call(ast.Name(scene.node.name, ast.Load()), call.args, call.keywords)
    outcome, part = _passed(scene.node, bare, flag)
    if outcome is None:
        return False
    place = sheet.of(call.func)
    sheet.replace(Range(place.end - len(scene.node.name), place.end), names[0] if outcome else names[1])
    if part is not None:
        _drop(sheet, call, part)
    return True


STEP = Step(
    name="flag-split",
    group="replace",
    order=205,
    summary="A parameter that only picks a branch becomes two functions.",
    why="A call says what it wants by name; `True` at its end says nothing.",
    when_not="When most callers pass a variable: they would have to choose.",
    before="""\
def receipt(load, copy=False):
    if copy:
        title = "copy"
    else:
        title = "receipt"
    return f"{title}: {load.kilos}"


def print_all(load, printer):
    printer.line(receipt(load))
    printer.line(receipt(load, copy=True))
""",
    after="""\
def receipt(load, copy=False):
    if copy:
        return receipt_copy(load)
    return receipt_without_copy(load)


def receipt_copy(load):
    title = "copy"
    return f"{title}: {load.kilos}"


def receipt_without_copy(load):
    title = "receipt"
    return f"{title}: {load.kilos}"


def print_all(load, printer):
    printer.line(receipt_without_copy(load))
    printer.line(receipt_copy(load))
""",
    traps=(
        "Who passes a variable still needs the old name.",
        "The default of the flag decides where a call goes that leaves it out.",
    ),
    plans=plans,
    asks=("true-or-false",),
    by_default=False,
)
