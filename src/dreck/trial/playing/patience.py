"""How long the same is given: a loop that asks something made up for ever would never end."""

from collections import Counter
from collections.abc import Mapping

from dreck.trial.inputs.recipes import A_CALL, LATER, Make

_MANY = 20
"""After so many calls something else is given; after as many more the next thing."""
_MOST = 2
_DEEP = 2
"""Below so many of one name, such as `load.parts[0].parts[0]`, there is no more."""


def later_on(first: Make | None, options: list[Make], later: int) -> Make:
    """What stands in a place `later` changes after `first`: the other answer, where it is a yes or no to begin with."""
    if later and first is not None and first.kind == "value" and isinstance(first.what, bool):
        others = (make for make in options if make.kind == "value" and make.what is not first.what)
        return next((make for make in others if isinstance(make.what, bool)), first) if later % 2 else first
    return options[later % len(options)] if options else Make("stand-in")


def runs_out(used: Mapping[str, Make]) -> bool:
    """Whether something made up has come to its end by being asked, and not because a call changed objects."""
    changes = A_CALL in used and used[A_CALL].what == "the objects"
    return not changes and any(path.endswith(LATER) for path in used)


class Patience:
    """Counts what is called in one run, for one version: both count alike as long as they do the same."""

    def __init__(self) -> None:
        self.calls = Counter[str]()
        self._on = Counter[str]()

    def note(self, path: str) -> None:
        """What is called at `path`, such as `queue.empty()`, is called once more."""
        self.calls[path] += 1
        self._on[path.rpartition(".")[0]] += 1

    def answer(self, path: str, turns: int) -> str:
        """Where the answer to a call stands, when objects have changed `turns` times."""
        return path + LATER * min(turns + self.calls[path] // _MANY, _MOST)

    def truth(self, path: str) -> str:
        """Where it stands whether something counts as true: a queue is empty some time, and a tree has leaves."""
        name = path.rpartition(".")[2].partition("[")[0]
        deep = max(0, f"{path}.".replace("[", ".").count(f".{name}.") - _DEEP)
        return f"bool({path})" + LATER * min(self._on[path] // _MANY + deep, _MOST)
