"""What a call gives back or hands on, used as others would: generators driven, coroutines awaited, functions called."""

import inspect
import itertools
import types
from typing import Any

from dreck.trial.playing.live import is_walk
from dreck.trial.playing.world import World
from dreck.trial.sandbox.cage import Cage

_ITEMS = 60
_CALLED = 3
"""Functions that are handed out are called, and what these hand out, so deep."""
WAITS = "while it waits"
_DONE_MEANWHILE = ("nothing", "the objects change", "something is sent in", "an error is thrown in", "it is closed")


def used_up(result: Any, world: World, cage: Cage, depth: int = 0, awaited: bool = True) -> Any:
    """`result` as it can be compared: what a generator yields, a coroutine comes to, a function answers.

    `awaited`: whoever calls awaits what it gets, as it does with an `async` function.
    """
    match result:
        case types.GeneratorType():
            return _drained(result, world)
        case types.CoroutineType():
            done = used_up(cage.loop().run(result), world, cage, depth, awaited=False)
            return done if awaited else ("a coroutine", done)
        case types.AsyncGeneratorType():
            return cage.loop().run(_async_drained(result, world))
        case types.FunctionType() if depth < _CALLED and result.__module__ == world.namespace.get("__name__"):
            return _called(result, world, cage, depth)
        case _ if is_walk(result):
            return _walked(result)
        case _ if depth < _CALLED:
            made = world.live_in(result)
            world.used_up.update(map(id, made))
            return result if not made else (result, [used_up(part, world, cage, depth + 1) for part in made])
    return result


def hand_on(world: World, cage: Cage, path: str, handed: list[Any]) -> None:
    """Code elsewhere was handed what can do or give something: it uses that, at once or later."""
    whens = (LATER, AT_ONCE) if any(isinstance(part, types.FunctionType) for part in handed) else (AT_ONCE, LATER)
    if world.answer(f"{path} {USES}", whens) == AT_ONCE:
        _use(world, cage, path, handed)
    else:
        world.handed.append((path, handed))


def use_what_was_handed_on(world: World, cage: Cage) -> None:
    """The function has come to its end; whoever got something from it uses it now."""
    while world.handed:
        _use(world, cage, *world.handed.pop(0))


def use_what_is_held(world: World, cage: Cage, arguments: list[Any]) -> None:
    """What the function has left in its arguments: whoever holds them uses it."""
    left = [part for part in world.live_in([arguments, world.touched()]) if id(part) not in world.used_up]
    _use(world, cage, "", left)


USES, AT_ONCE, LATER = "uses what it gets", "at once", "later"


def _use(world: World, cage: Cage, path: str, handed: list[Any]) -> None:
    for part in handed:
        world.used_up.add(id(part))
        world.record(USES, path, used_up(part, world, cage, depth=_CALLED - 1))


def _walked(walk: Any) -> Any:
    """What a lazy walk through things comes to, as whoever gets it finds out."""
    items: list[Any] = []
    try:
        for item in itertools.islice(walk, _ITEMS):
            items.append(item)
    except Exception as error:
        return (type(walk).__name__, items, error)
    return (type(walk).__name__, items)


def _called(function: types.FunctionType, world: World, cage: Cage, depth: int) -> Any:
    """What a function handed out does with arguments made for it; one that the module itself names is left alone."""
    if any(value is function for value in world.namespace.values()):
        return function
    args: list[Any] = []
    kwargs: dict[str, Any] = {}
    for name, parameter in inspect.signature(function).parameters.items():
        if parameter.kind in (parameter.VAR_POSITIONAL, parameter.VAR_KEYWORD):
            continue
        if parameter.default is not parameter.empty and not world.answer(f"answer({name}) given", (False, True)):
            continue
        value = world.at(f"answer({name})")
        if parameter.kind is parameter.KEYWORD_ONLY or kwargs:
            kwargs[name] = value
        else:
            args.append(value)
    try:
        answer = used_up(function(*args, **kwargs), world, cage, depth + 1)
    except Exception as error:
        answer = error
    return ("a function", function.__name__, answer)


def _drained(generator: Any, world: World) -> Any:
    """All it yields, and what becomes of it when its caller does something else in between."""
    meanwhile = world.answer(WAITS, _DONE_MEANWHILE)
    items: list[Any] = []
    try:
        items.append(next(generator))
        for number in range(_ITEMS):
            match meanwhile:
                case "the objects change":
                    world.change_objects()
                    items.append(next(generator))
                case "something is sent in":
                    items.append(generator.send(world.at(f"sent in[{number}]")))
                case "an error is thrown in" if number < 2:
                    items.append(generator.throw(world.made_up_error()))
                case "it is closed" if number == world.answer("closed after", (0, 1)):
                    generator.close()
                    return ("yields", items, "closed")
                case _:
                    items.append(next(generator))
    except StopIteration as stop:
        return ("yields", items, stop.value)
    except BaseException as error:
        if type(error).__name__ == "TimeUp":
            raise
        return ("yields", items, error)
    return ("yields", items, "and more")


async def _async_drained(generator: Any, world: World) -> Any:
    meanwhile = world.answer(WAITS, ("nothing", "the objects change", "it is closed"))
    items: list[Any] = []
    try:
        async for item in generator:
            items.append(item)
            if meanwhile == "the objects change":
                world.change_objects()
            if len(items) >= _ITEMS or meanwhile == "it is closed":
                await generator.aclose()
                break
    except Exception as error:
        return ("yields", items, error)
    return ("yields", items, None)


def line_of_death(error: Any, code: Any) -> int:
    """The line of the function with that code at which an exception came up; 0 when none did."""
    line, trace = 0, getattr(error, "__traceback__", None)
    while trace is not None:
        if trace.tb_frame.f_code is code:
            line = trace.tb_lineno
        trace = trace.tb_next
    return line


def place_of_death(error: Any, code: Any, ours: tuple[str, ...]) -> Any:
    """Where in the function with that code an exception came up that no code below it raised, that of `ours` apart."""
    trace, own = getattr(error, "__traceback__", None), None
    while trace is not None:
        if trace.tb_frame.f_code is code:
            own = trace
        elif not trace.tb_frame.f_code.co_filename.startswith(ours):
            own = None
        trace = trace.tb_next
    return None if own is None else next(itertools.islice(code.co_positions(), own.tb_lasti // 2, None), None)
