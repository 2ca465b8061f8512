"""What the runners of two versions have to agree on before they run on the same inputs."""

import ast
from collections.abc import Iterable, Iterator

from dreck.trial.running.held import is_small
from dreck.trial.running.loading.below import asked_otherwise, itself_otherwise, names_in
from dreck.trial.running.renaming import added_parameters
from dreck.trial.running.run import Runner
from dreck.trial.running.surroundings import Asked


def tell_of_each_other(*runners: Runner) -> None:
    """What two versions have to know of each other: the arguments both take, methods asked for in another way."""
    nodes = [runner.version.node for runner in runners]
    names = asked_otherwise(nodes[0], nodes[-1])
    runners[-1].left_out = frozenset(added_parameters(nodes[0], nodes[-1]))
    most = min(len(node.args.posonlyargs) + len(node.args.args) for node in nodes)
    asked = _asked(runners[0]).with_those(_asked(runners[-1]))
    for runner, other in zip(runners, reversed(runners), strict=True):
        if (around := getattr(runner, "surroundings", None)) is not None:  # else it lives in another world
            around.settable.keep(*_settable(other))
            around.asked = asked
        runner.asked_otherwise = names
        facts = getattr(other, "_facts", None)
        runner.there = facts.bound if facts else names_in(other.version.namespace)
        filled = facts.filled if facts else other.version.filled
        mine = (*runner.version.filled, *_small_too(runner, filled))
        lent = facts.lent if facts else other.version.lent
        runner.filled = (*mine, *(n for n in runner.version.lent if n in lent and n not in mine))
        owner = runner.version.owner
        runner.itself_otherwise = owner is not None and itself_otherwise(nodes[0], nodes[-1], owner.__name__)
        runner.both_await = all(isinstance(node, ast.AsyncFunctionDef) for node in nodes)
        runner.both_take = most if not any(node.args.vararg for node in nodes) else None


def _small_too(runner: Runner, filled: Iterable[str]) -> Iterator[str]:
    """What the other version fills of its module, and this one only by way of what it calls."""
    version = runner.version
    return (n for n in filled if n not in version.filled and is_small(version.namespace.get(n)))


def _settable(runner: Runner) -> tuple[frozenset[tuple[str, str]], frozenset[tuple[str, ...]]]:
    """What a version knows of its module, and what it reads there; of one in another world as it was told."""
    if (known := getattr(runner, "settable", None)) is not None:
        return known, runner.chains  # type: ignore[attr-defined]
    around = runner.surroundings.settable
    return around.known | {("", "")}, around.chains


def _asked(runner: Runner) -> Asked:
    """What a version asks of its surroundings; of one in another world as it was told."""
    facts = getattr(runner, "_facts", None)
    asked: Asked = facts.asked if facts else runner.surroundings.asked
    return asked


def watch_common_globals(old: Runner, new: Runner) -> None:
    """Both look at the same names of their modules: those that stand alike before any run, or in neither; and at the
    same places in other modules."""
    names = sorted(set(old.globals) | set(new.globals))
    mine, theirs = old.described(names), new.described(names)
    alike = [name for name in names if mine.get(name) == theirs.get(name)]
    old.globals, new.globals = alike, alike
    places = old.farther.names(), new.farther.names()
    old.farther.look_at(places[1])
    new.farther.look_at(places[0])
