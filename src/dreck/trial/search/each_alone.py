"""The first inputs: the most plausible one, and from there each path alone through what may stand there."""

from dataclasses import dataclass, field

from dreck.trial.inputs.asked.uses import Usage
from dreck.trial.inputs.recipes import general
from dreck.trial.search.attempts import Attempts
from dreck.trial.search.moves import Choice, Moves, Tried


@dataclass(slots=True)
class EachAlone(Attempts):
    """Tries values of one path at a time."""

    left: list[Choice] = field(default_factory=list)
    """Further values of parameters that nothing is asked of: they lead nowhere else, most likely."""

    def _begin(self) -> None:
        self._until = self._now() + self.seconds
        self._moves = Moves(self.candidates, self.usages, self.runners, self.pieces, self._told)
        for choice in self.starts:
            self.attempt(choice)

    def _first(self) -> Tried | None:
        """The most plausible input; if the process dies of it, the next one that differs in one parameter."""
        found = self.attempt({})
        if found is not None:
            return found
        for name in self.runners[0].parameters():
            for make in self.candidates.at(name)[1:_OPTIONS]:
                found = self.attempt({name: make})
                if found is not None:
                    return found
        return None

    def _wavers(self, first: Tried) -> bool:
        """Whether the old version gives another answer when asked the same again."""
        again, *_ = self._both(first)  # each as often
        self.unstable = again.result != first.old.result and again.error == first.old.error and not again.shared
        return self.unstable

    def _brought_through(self, first: Tried) -> Tried:
        """Inputs that die of what they are, changed one path at a time to whatever gets further."""
        best = first
        for _ in range(_REPAIRS):
            if best.old.error is None or self._over():
                return best
            further = self._further(best)
            if further is None:
                return best
            best = further
        return best

    def _further(self, best: Tried) -> Tried | None:
        for path in list(best.used):
            for make in self.candidates.at(path)[:8]:
                if self._over():
                    return None
                found = self.attempt({**best.choice, path: make})
                if found is not None and found.far > best.far:
                    return found
        return None

    def _each_alone(self, first: Tried) -> None:
        """Every path once through what may stand there, on the first input that brought it up."""
        explored: set[str] = set()
        parents = [first]
        seen = 0
        while parents and self.count < _ALONE:
            parent = parents.pop(0)
            for path in [p for p in parent.used if general(p) not in explored]:
                explored.add(general(path))
                asked = not path.isidentifier() or self.usages.known(path) != Usage()
                known = self.candidates.at(path)[:_OPTIONS]
                if not asked:
                    self.left += [{**parent.choice, path: make} for make in known[_UNASKED:]]
                for make in known if asked else known[:_UNASKED]:
                    if self._over():
                        return
                    self.attempt({**parent.choice, path: make})
            parents += [t for t in self.all_tried[seen:] if any(general(p) not in explored for p in t.used)]
            seen = len(self.all_tried)

    def _others_alone(self) -> None:
        """What was left of the values of parameters that nothing is asked of."""
        for choice in self.left[:_ALONE]:
            if self._over():
                return
            self.attempt(choice)

    def _over(self) -> bool:
        return self.different is not None or self.unstable or self.count >= self.inputs or self._now() > self._until


_ALONE = 200
_OPTIONS = 12
_UNASKED = 4
_REPAIRS = 12
