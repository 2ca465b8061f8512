"""One trial, in a caged process: both versions loaded, inputs searched for, what was found put together.

Plain modules are executed one beside the other in this process, where thousands of inputs cost little. For all
others a second process is forked before anything of the project runs, and each version has a world of its own.
"""

import ast
import importlib
import math
import time
from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from pathlib import Path
from typing import Any

from dreck.model.views.asked import asked_in
from dreck.model.views.steady import steady_in
from dreck.model.views.sums import added_to_in
from dreck.source.functions import functions_in
from dreck.trial.apart.far import Facts, FarRunner, ask, listen, open_world
from dreck.trial.apart.other import Life, Telling, answering, say
from dreck.trial.apart.plain import are_apart
from dreck.trial.apart.wire import Wire, can_leave
from dreck.trial.inputs.apart import classes_apart
from dreck.trial.inputs.asked.texts import pieces, table_words
from dreck.trial.inputs.asked.usage import Usages
from dreck.trial.inputs.candidates import Candidates
from dreck.trial.inputs.examples import examples_of
from dreck.trial.inputs.recipes import Make, played
from dreck.trial.inputs.setups import find_set_ups, numbers_set_up
from dreck.trial.playing.addresses import keep_what_is_written
from dreck.trial.playing.world import World
from dreck.trial.running.both import tell_of_each_other, watch_common_globals
from dreck.trial.running.describe import hide_places
from dreck.trial.running.expectation import outside
from dreck.trial.running.heard import HEARING
from dreck.trial.running.loading.imports import NotExecuted, project_of, whole_project
from dreck.trial.running.loading.installed import import_installed
from dreck.trial.running.loading.load import Version, load, plausible, vary_alike
from dreck.trial.running.loading.nested import lifted
from dreck.trial.running.renaming import renamed
from dreck.trial.running.run import ENDLESS, Runner
from dreck.trial.sandbox.cage import Cage
from dreck.trial.sandbox.determinism import Still, wavering
from dreck.trial.search.moves import Tried
from dreck.trial.search.search import Search
from dreck.trial.slips import Slips, as_json, look_for_slips
from dreck.trial.telling import result

_LARGE = 10**6
_SLIPS = 2.0
"""So much of the time of the search goes into slips."""


@dataclass(frozen=True, slots=True)
class Sides:
    """Both versions of a trial, ready to be run on inputs made from `candidates`."""

    runners: tuple[Runner, Runner]
    candidates: Candidates
    usages: Usages
    types: dict[str, Any]


def run_job(request: dict[str, Any], skipped: frozenset[int], announce: Callable[[int], None]) -> dict[str, Any]:
    """The answer to a request for a trial. Raises CannotRun and NoWalls."""
    if request["case"]:
        import unittest.mock  # noqa: F401 - cannot be imported for the first time in the cage
    before, after = request["old"], request["new"]
    cage, still = Cage(frozenset(request["open"])), Still()
    if request["apart"] or are_apart(*((Path(side["path"]), side["text"]) for side in (before, after))):
        sides = _in_two_worlds(request, cage, still)
    else:
        sides = _side_by_side(request, cage, still)
    runners, candidates, usages = sides.runners, sides.candidates, sides.usages
    old, new = runners[0].version, runners[1].version
    watch_common_globals(*runners)
    asked = asked_in(old.node) | asked_in(new.node) if request["quiet"] else frozenset()
    added_to = added_to_in(old.node) if request["sums"] else frozenset()
    numbers = numbers_set_up(candidates)
    overlooks = partial(
        _is_overlooked, bool(request["hashable"]), bool(request["ordered"]), asked, added_to, numbers, usages.constants
    )
    search = Search(
        runners,
        candidates,
        usages,
        inputs=min(request["inputs"], request.get("most", request["inputs"])),
        seconds=request["seconds"],
        announce=announce,
        skipped=skipped,
        pieces=pieces(usages.constants, old.namespace),
        starts=(*map(played, request["calls"]), *_examples(request["old"], runners[0])),
        expects=_expecting(request["expect"], runners[0], candidates),
        overlooks=overlooks,
    )
    search.run()
    answer, slips = result(search, old, new), Slips()
    settled = answer["difference"] or answer["missing"] or search.unstable or not search.finished
    if not settled and not request["open"] and "most" not in request:  # with an open cage a slip could do harm
        slips = look_for_slips(search, request["seconds"] * _SLIPS)
        answer = result(search, old, new)
    answer["slips"] = as_json(slips)
    answer["overlooked"] = sum(map(_dies_unhashed, search.all_tried)) if request["hashable"] else 0
    answer["unordered"] = sum(map(_differs_without_order, search.all_tried)) if request["ordered"] else 0
    answer["loud"] = sum(_dies_asking(tried, asked) for tried in search.all_tried)
    answer["unsummed"] = sum(_differs_without_numbers(tried, added_to, numbers) for tried in search.all_tried)
    answer["held_steady"] = usages.held_steady
    answer["wavers"] = wavering(before["text"]) if search.unstable else ""
    answer["unknown"] = [name for name in runners[0].parameters() if name not in sides.types and name != "self"]
    if request["case"] and search.different is not None:
        answer["difference"] |= called(request["case"])(search, before, after)
    return answer


def _side_by_side(request: dict[str, Any], cage: Cage, still: Still) -> Sides:
    """Both versions in this process, the second executed beside the first."""
    before, after = request["old"], request["new"]
    _close(request, cage, still, (before, after))
    old = _loaded(before)
    new = load(after["path"], after["text"], after["name"])
    of_old, of_new = old.varying, new.varying
    old.varying = vary_alike(of_old, old.rebound, of_new, new.rebound, new.namespace)
    new.varying = vary_alike(of_new, new.rebound, of_old, old.rebound, old.namespace)
    usages = _usages(request, Runner(old, cage, still), Runner(new, cage, still))
    candidates = Candidates(usages, old.namespace, dict(old.types), plausible(old))
    candidates.words = table_words((old.node, new.node), old.namespace, old.owner)
    candidates.own = _own(old)
    candidates.apart = classes_apart(before["text"], after["text"], (old.node, new.node))
    find_set_ups(before["text"], (old, new), candidates, cage)
    runners = (Runner(old, cage, still), Runner(new, cage, still, after["aliases"], old.owner))
    for runner in runners:
        runner.again = True
    tell_of_each_other(*runners)
    candidates.there = runners[0].there
    return Sides(runners, candidates, usages, old.types)


def _in_two_worlds(request: dict[str, Any], cage: Cage, still: Still) -> Sides:
    """The old version in this process, the new one in another."""
    before = request["old"]
    wire = open_world(lambda end: answering(end, lambda: _life(request, end)))
    _close(request, cage, still, (before,))
    old = _loaded(before, imported=True)
    runner = Runner(old, cage, still)
    runner.again = True
    theirs: Facts = listen(wire)
    mine = Facts.of(runner)
    old.varying, theirs = mine.alike(theirs)
    far = FarRunner(wire, theirs)
    tell_of_each_other(runner, far)
    usages = _usages(request, runner, far)
    candidates = Candidates(usages, old.namespace, dict(old.types), plausible(old))
    candidates.there = runner.there
    candidates.words = table_words((old.node, theirs.node), old.namespace, old.owner)
    candidates.own = _own(old)
    candidates.apart = classes_apart(before["text"], request["new"]["text"], (old.node, theirs.node))
    find_set_ups(before["text"], (old,), candidates, cage)
    set_ups: dict[str, Any] = ask(wire, mine)
    candidates.set_ups = {name: how for name, how in candidates.set_ups.items() if set_ups.get(name) == how}
    ask(wire, {name: how for name, how in candidates.set_ups.items() if can_leave(how)})
    return Sides((runner, far), candidates, usages, old.types)


def _loaded(before: dict[str, Any], imported: bool = False) -> Version:
    """The old version. Raises CannotRun."""
    try:
        return load(before["path"], before["text"], before["name"], imported)
    except NotExecuted as error:
        error.of_old = True
        raise


def _life(request: dict[str, Any], wire: Wire) -> Life:
    """In the other world: the new version from its own tree, with what is known of the old one."""
    after, begun = request["new"], time.process_time()
    if request.get("shifted"):
        _PUT_IN_BETWEEN.extend(bytearray(size) for size in range(1, 4_000, 3))
    cage, still = Cage(frozenset(request["open"])), Still()
    _close(request, cage, still, (after,))
    new = load(after["path"], after["text"], after["name"], imported=True)
    runner = Runner(new, cage, still, after["aliases"])
    say(wire, "answer", Facts.of(runner), begun)
    (theirs,) = wire.receive()
    new.varying, theirs = Facts.of(runner).alike(theirs)
    runner = Runner(new, cage, still, after["aliases"], _class_of(new, theirs.owner))
    runner.again = True
    far = FarRunner(wire, theirs)
    tell_of_each_other(far, runner)
    usages = _usages(request, far, runner)
    candidates = Telling(usages, new.namespace, dict(new.types), plausible(new))
    candidates.words = table_words((theirs.node, new.node), new.namespace, new.owner)
    candidates.own = _own(new)
    find_set_ups(after["text"], (new,), candidates, cage)
    say(wire, "answer", {n: how for n, how in candidates.set_ups.items() if can_leave(how)}, begun)
    (candidates.set_ups,) = wire.receive()
    say(wire, "answer", None, time.process_time())
    return Life(wire, runner, candidates)


_PUT_IN_BETWEEN: list[bytearray] = []
"""What takes up room where the objects of the other world lie."""


def _own(version: Version) -> dict[str, Any]:
    """The class that a method's first parameter is an object of, by the parameter's name."""
    first = next(iter([*version.node.args.posonlyargs, *version.node.args.args]), None)
    return {first.arg: version.owner} if first is not None and version.owner is not None else {}


def _class_of(version: Version, name: str) -> type | None:
    found: Any = version.namespace.get(name.partition(".")[0])
    for part in name.split(".")[1:]:
        found = getattr(found, part, None)
    return found if isinstance(found, type) else None


def _close(request: dict[str, Any], cage: Cage, still: Still, sides: tuple[dict[str, Any], ...]) -> None:
    """Closes the cage around this process; what is installed is imported first, inside of the kernel's walls."""
    paths = [Path(side["path"]) for side in sides]
    cage.wall(map(whole_project, paths), request["cage"])
    for path, side in zip(paths, sides, strict=True):
        import_installed(path, side["text"], project_of(path))
    cage.close()
    if project_of(Path(request["old"]["path"])) != project_of(Path(request["new"]["path"])):
        hide_places(str(project_of(Path(request[side]["path"]))) for side in ("old", "new"))
    text = request["old"]["text"] + request["new"]["text"]
    still.hold(text)
    keep_what_is_written(text)
    HEARING.listen(text)


def _usages(request: dict[str, Any], old: Runner, new: Runner) -> Usages:
    """How both versions use their inputs, the new one read first."""
    usages = Usages()
    for side, runner in ((request["new"], new), (request["old"], old)):
        version = runner.version
        usages.add(_original(side, request["expect"]), version.methods, version.varying, version.beside)
    if request["steady"]:
        trees = [ast.parse(request[side]["text"]) for side in ("old", "new")]
        usages.steady = steady_in((old.version.node, new.version.node), trees)
    return usages


def _examples(side: dict[str, Any], runner: Runner) -> list[dict[str, Make]]:
    return examples_of(runner.version.node, runner.parameters(), whole_project(Path(side["path"])))


def _is_overlooked(
    hashable: bool,
    ordered: bool,
    asked: frozenset[str],
    added_to: frozenset[str],
    numbers: frozenset[tuple[str, str]],
    constants: list[Any],
    tried: Tried,
) -> bool:
    left_out = (hashable and _dies_unhashed(tried)) or (ordered and _differs_without_order(tried))
    left_out = left_out or _takes_for_ever(tried, constants)
    return left_out or _dies_asking(tried, asked) or _differs_without_numbers(tried, added_to, numbers)


def _takes_for_ever(tried: Tried, constants: list[Any]) -> bool:
    """Whether the two differ, and one of them has counted up to a large number, which the code does not name, for as
    long as it was let, or filled the memory with so many: what it would have come to, nobody has seen."""
    unseen = {ENDLESS, ("MemoryError",)}
    given = (make.what for make in tried.used.values() if make.kind == "value")
    named = [abs(c) for c in constants if type(c) in (int, float)]
    most = max([_LARGE, *named]) + 1
    large = any(type(what) in (int, float) and most < abs(what) < math.inf for what in given)
    ends = [error for error in (tried.old.error, tried.new.error) if isinstance(error, str | tuple)]
    return large and not tried.alike and not unseen.isdisjoint(ends)


def _differs_without_numbers(tried: Tried, added_to: frozenset[str], numbers: frozenset[tuple[str, str]]) -> bool:
    """Whether the two differ on an input in which no number stands where the code adds one. `numbers` are the
    attributes that the constructor of a class leaves as one, by the name of the class."""

    def is_number(path: str, make: Make) -> bool:
        if make.kind == "as set up":
            return (make.what, path.rpartition(".")[2]) in numbers
        return make.kind == "value" and type(make.what) in (int, float)

    there = [(path, make) for path, make in tried.used.items() if path in added_to]
    return not tried.alike and not all(is_number(path, make) for path, make in there)


def _differs_without_order(tried: Tried) -> bool:
    """Whether the two differ on an input with a number that is none: it has no order among others."""
    given = (make.what for make in tried.used.values() if make.kind == "value")
    return not tried.alike and any(isinstance(what, float) and what != what for what in given)


def _dies_asking(tried: Tried, asked: frozenset[str]) -> bool:
    """Whether the two differ, and one of them dies of a plain test that is taken to raise nothing."""
    died = tried.old.died_in in asked or tried.new.died_in in asked
    return died and not tried.alike


def _dies_unhashed(tried: Tried) -> bool:
    """Whether one version dies of a key that cannot be hashed, and the other does not: at once, or when it is called
    again and nothing before that is another."""
    deaths = repr(tried.old.error), repr(tried.new.error)
    if tried.old.error == tried.new.error and tried.old.result == tried.new.result:
        apart = ((one, other) for one, other in zip(tried.old.log, tried.new.log, strict=False) if one != other)
        ends = [entry[3:] if entry[:1] == ("called again",) else () for entry in next(apart, ((), ()))]
        deaths = repr(ends[0]), repr(ends[1])
    unhashed = ["TypeError" in told and "unhashable type" in told for told in deaths]
    return unhashed[0] != unhashed[1]


def _expecting(test: str, runner: Runner, candidates: Candidates) -> Callable[[dict[str, Make]], bool] | None:
    """Whether the declared condition holds for the arguments of an input; one that cannot be asked does not."""
    if not test:
        return None
    code = compile(test.strip(), "<expect>", "eval")

    def holds(choice: dict[str, Make]) -> bool:
        world = World(candidates, choice, runner.version.namespace)
        args, kwargs = runner.arguments(world)
        named = dict(zip(runner.parameters(), args, strict=False)) | kwargs
        result, error, _ = runner.guarded(lambda: bool(eval(code, runner.version.namespace, named)))
        return error is None and bool(result)

    return holds


def _original(side: dict[str, Any], expect: str) -> Any:
    """The function of one side as the search has to see it: parameters matched, the declared condition asked first."""
    functions = functions_in(ast.parse(side["text"]), side["text"])
    function = next(f for f in functions if f.name == side["name"])
    node = lifted(function, functions)[0] if function.nested else function.node
    if side["aliases"]:
        node = renamed(node, side["aliases"])
    return outside(node, expect) if expect else node


def called(dotted: str) -> Callable[..., Any]:
    """A function of another room, by `module:name`: what else a job can do is not this room's business."""
    module, _, name = dotted.partition(":")
    found: Callable[..., Any] = getattr(importlib.import_module(module), name)
    return found
