"""offer: what could be done in a function, best first: the gain, the evidence, what it needs, what to type."""

import time
from collections.abc import Callable, Iterable, Iterator
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

from dreck.errors import BadSource, DreckError
from dreck.model.views.measures import measure
from dreck.source.files import read
from dreck.source.functions import functions_in, parse
from dreck.source.leave import is_left
from dreck.source.lines import split_lines, width_of
from dreck.source.targets import Target, resolve
from dreck.steps.catalogue import step_named
from dreck.steps.support.scene import Others, Scene, Wishes
from dreck.workbench.engine.stage import project_files
from dreck.workbench.queries.gains import SECONDS, Offer, offers_in
from dreck.workbench.queries.sequences import flat, sequences
from dreck.workbench.store.config import config_for

if TYPE_CHECKING:
    import pandas


@dataclass(frozen=True, slots=True, repr=False)
class Offers:
    """All offers, best first; files that were left out, functions for which the time ran out."""

    offers: tuple[Offer, ...]
    skipped: tuple[tuple[str, str], ...] = ()
    unfinished: tuple[str, ...] = ()

    def __iter__(self) -> Iterator[Offer]:
        return iter(self.offers)

    def __len__(self) -> int:
        return len(self.offers)

    def __repr__(self) -> str:
        return f"<Offers: {len(self.offers)}>"

    def as_json(self, top: int | None = None) -> dict[str, Any]:
        """The form documented in docs/json.md."""
        return {
            "offers": [offer.as_json() for offer in self.offers[:top]],
            "skipped": [{"path": path, "reason": reason} for path, reason in self.skipped],
            "unfinished": list(self.unfinished),
        }

    def to_frame(self) -> "pandas.DataFrame":
        """The offers as a pandas DataFrame. Needs the extra `frames`."""
        try:
            import pandas
        except ImportError:
            raise DreckError("to_frame() needs pandas: install dreck[frames]") from None
        rows = [{**asdict(o), "before": o.before.tangle, "after": o.after.tangle} for o in self.offers]
        return pandas.DataFrame(rows, columns=list(Offer.__dataclass_fields__))


def offer(
    targets: str | Path | Iterable[str | Path],
    told: Callable[[int, int, Path], None] = lambda done, total, path: None,
) -> Offers:
    """What could be done in the functions that the targets mean, best first.

    Runs none of the target's code: what cannot be proved is offered as something that a trial has to show. Raises
    BadTarget for a wrong target, BadSource when the only file cannot be read.
    """
    specs = [targets] if isinstance(targets, str | Path) else list(targets)
    wanted = [*dict.fromkeys(target for spec in specs for target in resolve(spec))]
    found: list[Offer] = []
    skipped: list[tuple[str, str]] = []
    unfinished: list[str] = []
    for done, target in enumerate(wanted, 1):
        try:
            offers, late = offers_of(target)
        except (BadSource, RecursionError) as error:
            if len(wanted) == 1:
                raise
            skipped.append((str(target.path), str(error)))
            continue
        found += offers
        unfinished += late
        told(done, len(wanted), target.path)
    found.sort(key=lambda o: (-o.worth, bool(o.needs), o.verdict != "proved", o.function, o.line))
    return Offers(tuple(found), tuple(skipped), tuple(unfinished))


def offers_of(target: Target, seconds: float = SECONDS) -> tuple[list[Offer], list[str]]:
    """The offers for the functions that a target means, and those for which `seconds` of work were not enough."""
    file = read(target.path)
    tree = parse(file.text, target.path)
    functions = functions_in(tree, file.text)
    lines = split_lines(file.text)
    others = Others(project_files(target.path))
    found: list[Offer] = []
    unfinished: list[str] = []
    for function in target.chosen(functions):
        if is_left(lines, function, tree) or measure(function.node).tangle < 1:
            continue
        width = config_for(target.path).line_length or width_of(file.text)
        scene = Scene(target.path, file.text, tree, functions, function, Wishes(), width, others)
        offers, ended = _of_function(scene, seconds)
        found += offers
        if not ended:
            unfinished.append(f"{target.path}::{function.name}")
    return found, unfinished


def _of_function(scene: Scene, seconds: float) -> tuple[list[Offer], bool]:
    """Every offer for one function, as far as the time goes: single ones, then two in a row."""
    until = time.process_time() + seconds
    first = flat(scene)
    singles, all_tried = offers_in(scene, until - time.process_time())
    found = [*([first[0]] if first is not None else []), *(offer for offer, _ in singles)]
    rows = sequences(scene, first, sorted(singles, key=lambda one: -one[0].worth), until)
    known: set[frozenset[str]] = set()
    for row in sorted(rows, key=lambda o: (-o.worth, bool(o.needs), o.verdict != "proved")):
        asked = frozenset(name for name in row.steps if step_named(name).plans is not None)
        if asked not in known and all(row.gain > o.gain for o in found if set(o.steps) <= set(row.steps)):
            known.add(asked)  # in the other order it brings less, and one command alone less still
            found.append(row)
    return cuts_apart(found), all_tried


_CUTS = frozenset({"named-block", "named-branch"})
_NEAR = 2
"""So many lines apart the test of a branch and the branch may begin."""


def cuts_apart(offers: list[Offer]) -> list[Offer]:
    """The offers without cuts that are another word for a better one: of the same lines, or of most of them."""
    kept: list[Offer] = []
    for offer in sorted(offers, key=lambda o: (-o.worth, bool(o.needs), o.verdict != "proved", o.line)):
        if len(offer.steps) > 1 or offer.steps[0] not in _CUTS or not any(_is_same_cut(offer, k) for k in kept):
            kept.append(offer)
    return [offer for offer in offers if offer in kept]


def _is_same_cut(offer: Offer, better: Offer) -> bool:
    if len(better.steps) > 1 or better.steps[0] not in _CUTS:
        return False
    if offer.after == better.after and abs(offer.line - better.line) <= _NEAR:
        return True
    common = min(offer.last, better.last) - max(offer.line, better.line) + 1
    whole = max(offer.last, better.last) - min(offer.line, better.line) + 1
    return common > whole / 2
