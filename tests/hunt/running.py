"""Running two versions on all small inputs, with a log of everything that can be seen."""

import itertools
import math
import random
from typing import Any

VALUES = (0, 1, 2, None, math.nan)
_LIMIT = 40


class Stop(BaseException):
    """Too many events: the run is cut off, in both versions at the same one."""


class Object:
    """Attributes, and a context manager that swallows some exceptions."""

    def __init__(self, log: list[Any], plan: tuple[int, ...]) -> None:
        self.__dict__["log"] = log
        self.__dict__["plan"] = plan
        self.__dict__.update(p=plan[0], q=plan[1])

    def __setattr__(self, name: str, value: Any) -> None:
        self.log.append(("set", name, told(value)))
        self.__dict__[name] = value

    def __enter__(self) -> int:
        self.log.append("enter")
        return 1

    def __exit__(self, kind: Any, *rest: Any) -> bool:
        self.log.append(("exit", kind))
        return bool(self.plan[2]) and kind is not Stop


def told(value: Any) -> Any:
    """A value so that `1`, `True` and NaN stay what they are."""
    if isinstance(value, tuple | list):
        return (type(value).__name__, *map(told, value))
    return (type(value).__name__, repr(value) if not isinstance(value, Object) else "o")


def run(function: Any, inputs: tuple[Any, ...], plan: tuple[int, ...]) -> Any:
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
            thing.__dict__["p"] = count % 3
        return deed % 2

    try:
        result = told(function(*inputs, thing, ev, [1, 2, 0][: plan[3] % 4]))
    except Stop:
        result = "cut off"
    except Exception as error:
        result = (type(error).__name__, str(error))
    return result, log


PLANS = ((0, 1, 0, 2, 1, 0), (1, 0, 1, 3, 3, 1, 0), (2, 1, 0, 1, 5, 1, 4), (1, 2, 1, 0, 4, 3, 5, 1, 1))


INPUTS = tuple(itertools.product(VALUES, repeat=3))


def first_difference(old: Any, new: Any, pick: random.Random) -> Any:
    """An input on which the two differ, None when they agree: every small input, each with one plan by lot."""
    for inputs in INPUTS:
        plan = pick.choice(PLANS)
        if run(old, inputs, plan) != run(new, inputs, plan):
            return inputs, plan
    return None
