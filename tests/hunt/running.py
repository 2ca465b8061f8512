"""Running two versions on all small inputs, with a log of everything that can be seen."""

import ast
import itertools
import math
import random
import re
import sys
from typing import Any

from dreck.model.views.asked import asked_in
from tests.hunt.suspending import driven

VALUES = (0, 1, 2, None, math.nan)
_LIMIT = 40


class Stop(BaseException):
    """Too many events: the run is cut off, in both versions at the same one."""


class Object:
    """Attributes, and a context manager that swallows some exceptions."""

    def __init__(self, log: list[Any], plan: tuple[int, ...]) -> None:
        self.__dict__["log"] = log
        self.__dict__["plan"] = plan
        self.__dict__.update(p=plan[0], q=plan[1], items={"k": plan[2]})

    def __setattr__(self, name: str, value: Any) -> None:
        self.log.append(("set", name, told(value)))
        self.__dict__[name] = value

    def __getitem__(self, key: Any) -> Any:
        return self.items[key]

    def __setitem__(self, key: Any, value: Any) -> None:
        self.log.append(("put", key, told(value)))
        self.items[key] = value

    def get(self, key: Any, default: Any = None) -> Any:
        return self.items.get(key, default)

    def __enter__(self) -> int:
        self.log.append("enter")
        return 1

    def __exit__(self, kind: Any, *rest: Any) -> bool:
        self.log.append(("exit", kind))
        return bool(self.plan[2]) and kind is not Stop


def _without_places(text: str) -> str:
    """Where an object lies in memory is nobody's business."""
    return re.sub(r" at 0x[0-9a-f]+", "", text)


def told(value: Any) -> Any:
    """A value so that `1`, `True` and NaN stay what they are."""
    if isinstance(value, tuple | list):
        return (type(value).__name__, *map(told, value))
    if isinstance(value, dict):
        return ("dict", *((told(k), told(v)) for k, v in value.items()))
    return (type(value).__name__, repr(value) if not isinstance(value, Object) else "o")


def run(function: Any, inputs: tuple[Any, ...], plan: tuple[int, ...], steady: frozenset[str] = frozenset()) -> Any:
    """What comes of a call; `steady` attributes and items are changed by nobody else."""
    log: list[Any] = []
    count = 0
    thing = Object(log, plan)

    def ev(number: int, value: Any) -> Any:
        nonlocal count
        count += 1
        if count > _LIMIT:
            raise Stop
        log.append((number, told(value)))
        deed = plan[(number * 3 + count) % len(plan)]
        if deed == 3:
            raise ValueError(number)
        if deed == 4:
            raise KeyError(number)
        if deed == 5:
            thing.__dict__["p"] = thing.p if "p" in steady else count % 3
            thing.items["k"] = thing.items["k"] if "['k']" in steady else count % 2
        return deed % 2

    try:
        result = told(function(*inputs, thing, ev, [1, 2, 0][: plan[3] % 4]))
    except Stop:
        result = "cut off"
    except Exception as error:
        result = (type(error).__name__, _without_places(str(error)))
    return result, log


PLANS = ((0, 1, 0, 2, 1, 0), (1, 0, 1, 3, 3, 1, 0), (2, 1, 0, 1, 5, 1, 4), (1, 2, 1, 0, 4, 3, 5, 1, 1))


INPUTS = tuple(itertools.product(VALUES, repeat=3))


def first_difference(
    old: Any,
    new: Any,
    pick: random.Random,
    total: bool = False,
    quiet: Any = None,
    steady: frozenset[str] = frozenset(),
    flags: bool = False,
) -> Any:
    """An input on which the two differ, None when they agree: every small input, each with one plan by lot.

    `total`: what is no number is left out; `quiet`, the two texts: so is what raises in a test; `flags`: the third
    argument is True or False.
    """
    for given in INPUTS:
        inputs = (*given[:2], bool(given[2]), *given[3:]) if flags else given
        if total and math.nan in inputs:
            continue
        plan = pick.choice(PLANS)
        ends = run(old, inputs, plan, steady), run(new, inputs, plan, steady)
        if total:
            ends = _without_direction(ends[0]), _without_direction(ends[1])
        if ends[0] != ends[1] and not any(
            raises_in_a_test(function, text, quiet, inputs, plan)
            for function, text in zip((old, new), quiet or (), strict=False)
        ):
            return inputs, plan
    return None


def _without_direction(end: Any) -> Any:
    """Which way round an order was asked stands in the message: `total-order` says that nobody minds."""
    result, log = end
    if isinstance(result, tuple) and result[0] == "TypeError":
        result = (result[0], re.sub("'[<>]=?' not", "order not", str(result[1])))
    return result, log


def raises_in_a_test(function: Any, text: str, texts: Any, inputs: tuple[Any, ...], plan: tuple[int, ...]) -> bool:
    """Whether a test of the function itself raises in this run, be it swallowed or handled afterwards."""
    asked = frozenset().union(*(asked_in(ast.parse(t).body[0]) for t in texts))
    statements = [n for n in ast.walk(ast.parse(text)) if isinstance(n, ast.stmt | ast.match_case)]
    lines = {line for s in statements for line in _lines_asking(s, asked)}
    found: list[int] = []

    def watch(frame: Any, event: str, told: Any) -> Any:
        if frame.f_code is not function.__code__:
            return None
        if event == "exception" and frame.f_lineno in lines and issubclass(told[0], _OF_TESTS):
            trail = told[2]
            while trail.tb_next is not None:
                trail = trail.tb_next
            raised_here = trail.tb_frame is frame or trail.tb_frame.f_code.co_name in ("__getitem__", "get")
            found.extend([frame.f_lineno] if raised_here else [])
        return watch

    before = sys.gettrace()
    sys.settrace(watch)
    try:
        run(function, inputs, plan)
    finally:
        sys.settrace(before)
    return bool(found)


_OF_TESTS = (TypeError, AttributeError, KeyError)


def _lines_asking(s: ast.AST, asked: frozenset[str]) -> set[int]:
    """The lines on which what stands in the head of a statement is asked as a test, there or elsewhere."""
    heads = [v for _, v in ast.iter_fields(s) if isinstance(v, ast.expr)]
    parts = [n for head in heads for n in ast.walk(head) if isinstance(n, ast.expr)]
    return {n.lineno for n in parts if ast.dump(n) in asked}


# --- whole modules -----------------------------------------------------------------------------------------


def run_in(space: dict[str, Any], inputs: tuple[Any, ...], kind: Any, plan: tuple[int, ...]) -> Any:
    """What the function of a module does with three values and an object made of one of its classes."""
    log: list[Any] = space["LOG"]
    log.clear()
    count = 0
    thing = space[kind]() if isinstance(kind, str) else kind

    def ev(number: int, value: Any) -> Any:
        nonlocal count
        count += 1
        if count > _LIMIT:
            raise Stop
        log.append((number, seen(value)))
        deed = plan[(number * 3 + count) % len(plan)]
        if deed == 3:
            raise ValueError(number)
        if deed == 4:
            raise KeyError(number)
        if deed == 5:
            space["change"]()
        if deed == 5 and hasattr(type(thing), "n"):
            thing.__dict__["n"] = count % 3
        return deed % 2

    sys.modules[space["__name__"]] = space["itself"]
    limit = space["LIMIT"]
    space["ev2"] = lambda function: (log.append("decorated"), function)[1]
    try:
        result = driven(space["f"](*inputs, thing, ev, [1, 2, 0][: plan[3] % 4]), plan, thing, seen, chain)
    except Stop:
        result = "cut off"
    except RecursionError:
        result = "too deep"
    except Exception as error:
        result = chain(error)
    space["LIMIT"] = limit
    return result, list(log), seen(getattr(thing, "__dict__", None))


def seen(value: Any) -> Any:
    if isinstance(value, tuple | list):
        return (type(value).__name__, *map(seen, value))
    if isinstance(value, dict):
        return ("dict", *((seen(k), seen(v)) for k, v in value.items()))
    if isinstance(value, set):
        return ("set", len(value))
    if isinstance(value, int | float | str | bytes | type(None)):
        return (type(value).__name__, _without_places(repr(value)))
    return type(value).__name__


def chain(error: BaseException | None) -> Any:
    """An exception with what it was raised from and during."""
    if error is None:
        return None
    during = None if error.__suppress_context__ else chain(error.__context__)
    told = type(error).__name__, _without_places(str(error)) if isinstance(error, KeyError | ValueError) else ""
    return (*told, chain(error.__cause__), during)


_WHOLE = (-3, -2, -1, 0, 1, 2, 3, True, False)


def as_numbers(result: Any) -> str:
    return repr(result).replace("('bool', 'True')", "('int', '1')").replace("('bool', 'False')", "('int', '0')")


def modules_differ(old: dict[str, Any], new: dict[str, Any], pick: random.Random, tries: int) -> Any:
    """An input on which the functions of two modules differ, None when they agree on so many."""
    # A member of an enum that the two define otherwise would be another input.
    alike = repr(old["Kind"].__members__) == repr(new["Kind"].__members__)
    values = (*VALUES, True, *(["KIND"] if alike else []))
    typed = bool(old["f"].__annotations__)
    for _ in range(tries):
        inputs = tuple(pick.choice(values) for _ in range(3))
        if typed:  # a bool may be passed for an int, an int for a float
            parts = (*_WHOLE, 0.5, 1.5, -0.0, math.nan)
            whole = parts if old["f"].__annotations__["a"] is float else _WHOLE
            whole = (*whole, None, None) if old["f"].__annotations__["a"] == int | None else whole
            inputs = (pick.choice(whole), pick.choice(whole), pick.choice(parts))
        kind, plan = pick.choice(("A", "B", "C", "D", "D", 1, None, math.nan)), pick.choice(PLANS)
        results = []
        for space in (old, new):
            given = tuple(space["Kind"].GLASS if v == "KIND" else v for v in inputs)
            results.append(run_in(space, given, kind, plan))
        if results[0] != results[1]:
            bools = typed and any(isinstance(v, bool) for v in inputs)
            if bools and as_numbers(results[0]) == as_numbers(results[1]):
                continue  # `x + 0` counts as `x`, see `annotations-hold`
            return inputs, kind, plan, results
    return None
