"""Tables of ways through a function, and ways that do the same told as one."""

from dataclasses import dataclass, replace

MOST_WAYS = 400


@dataclass(frozen=True, slots=True)
class Way:
    """One way: `asked` are (condition, outcome) pairs in order, `acts` the code run, `exit` how it leaves.

    `line` is the line of the exit. An outcome of None means that it does not matter.
    """

    asked: tuple[tuple[str, bool | None], ...]
    acts: tuple[str, ...]
    exit: str
    line: int
    places: tuple[tuple[int, int], ...] = ()
    """Where each condition asked stands: line and column."""
    script: tuple[tuple[str, str, bool], ...] = ()
    """What is asked (`ask`, code, outcome) and done (`do`, code, True) in order, and the exit (`return`, `raise`)."""


@dataclass(frozen=True, slots=True)
class Ways:
    """The ways through a function or a loop's body (`title`). `impossible` were left out since they contradict
    themselves; when there are too many, `ways` is empty and `count` says how many about."""

    title: str
    ways: tuple[Way, ...]
    impossible: int = 0
    count: int = 0
    order: tuple[str, ...] = ()

    @property
    def conditions(self) -> tuple[str, ...]:
        """Every condition asked, in the order they stand."""
        asked = dict.fromkeys(code for way in self.ways for code, _ in way.asked)
        return tuple(sorted(asked, key=lambda code: self.order.index(code) if code in self.order else -1))


def shared(ways: list[Way]) -> list[Way]:
    """Two ways that do the same and differ in one outcome alone are one, in which that outcome does not matter."""
    rows = list(ways)
    changed = True
    while changed and len(rows) <= 120:
        changed = False
        for i, a in enumerate(rows):
            for j in range(i + 1, len(rows)):
                merged = _merged(a, rows[j])
                if merged is not None:
                    rows[i] = merged
                    del rows[j]
                    changed = True
                    break
            if changed:
                break
    return rows


def _merged(a: Way, b: Way) -> Way | None:
    if a.exit != b.exit or a.acts != b.acts or len(a.asked) != len(b.asked):
        return None
    different = [i for i, (x, y) in enumerate(zip(a.asked, b.asked, strict=True)) if x != y]
    if len(different) != 1:
        return None
    i = different[0]
    (code, x), (other, y) = a.asked[i], b.asked[i]
    if code != other or x is None or y is None:
        return None
    return replace(a, asked=(*a.asked[:i], (code, None), *a.asked[i + 1 :]))
