"""What the prover says, pair by pair, and how many certificates made wrong the checker lets pass: put down in a file.

    python -m tests.proof.said

writes the file anew. A change of a rule shows as lines that are other ones; read them before they are kept.
"""

import ast
import json
import random
import sys
import textwrap
import warnings
from collections import Counter
from collections.abc import Callable, Container, Iterator
from dataclasses import replace
from hashlib import sha256
from itertools import islice
from pathlib import Path
from typing import Any

import dreck.workbench.judging.judge as judging
from dreck.proof import entry
from dreck.proof.assumptions import ASSUMPTIONS
from dreck.proof.certificate import Alone, Met, Split, Stepped, Used
from dreck.proof.state import Gives
from dreck.trial.running.renaming import BY_POSITION
from dreck.workbench.compare.compare import compare_texts
from dreck.workbench.compare.sides import Text
from dreck.workbench.compare.wanted import Wanted
from tests.adversary.running import files_in, pairs_in
from tests.hunt.kinds import pair as pair_of_kinds
from tests.hunt.methods import MethodMaker, methods_rewritten
from tests.hunt.modules import ModuleMaker, module_rewritten
from tests.hunt.programs import Maker, rewritten
from tests.proof.probing import of_files, probed
from tests.proof.test_checker import accepted, logs_of, tampered
from tests.steps.test_beyond_one_function import TAKEN
from tests.steps.test_left_alone import FINISHED
from tests.steps.test_pairs import PAIRS
from tests.steps.test_reaching import BLOCKS, CASES
from tests.variations import variations

FILE = Path(__file__).parent / "said.txt"
TESTS = Path(__file__).parents[1]
RANDOM_PAIRS, RANDOM_MODULES, RANDOM_KINDS, WRONG, EXCHANGED, EVERY = 90, 50, 50, 4, 20, 12


def texts() -> Iterator[tuple[str, str, str, tuple[str, ...]]]:
    """A name, the old text, the new one, and what is assumed beside what always is."""
    for room in ("adversary", "deception", "same"):
        for path in files_in(TESTS / room):
            for pair in pairs_in(path.read_text()):
                told = pair.call.split(", ") if room == "same" and pair.call != "nothing" else []
                named = tuple(one for one in told if one != BY_POSITION)
                yield (f"{room}: {pair.name}", *pair.texts, named)
    for pair in pairs_in((FILE.parent / "further.txt").read_text()):
        yield f"further: {pair.name}", *pair.texts, tuple(pair.call.split(", ")) if pair.call != "nothing" else ()
    for one in variations():
        yield f"variations: {one.name}", one.old, one.new, one.assumed
    for name, old, new in _of_steps():
        if new is not None and new != old:
            yield f"steps: {name}", textwrap.dedent(old), textwrap.dedent(new), tuple(ASSUMPTIONS)
    for number, (old, new) in enumerate(_random(random.Random(31))):
        yield f"random function: {number}", old, new, ()
    for number, (old, new) in enumerate(_random_modules(random.Random(32))):
        yield f"random module: {number}", old, new, ()
    for number, (old, new) in enumerate(_random_modules(random.Random(33), MethodMaker, methods_rewritten)):
        yield f"random method: {number}", old, new, ()
    pick = random.Random(34)
    for number in range(RANDOM_KINDS):
        yield f"random kinds: {number}", *pair_of_kinds(pick), ()


def _of_steps() -> Iterator[tuple[str, str, str]]:
    """What steps are shown to make: most of it is proved, and much of it by rules that nothing else calls for."""
    for name, (_, _, old, new, *_) in TAKEN.items():
        yield name, old, new
    for one in PAIRS:
        yield one.id, one.values[1], one.values[2]
    for title, (_, old, new) in {**CASES, **BLOCKS}.items():
        yield title, old, new
    for title, (old, new) in FINISHED.items():
        yield title, old, new


def _random(pick: random.Random) -> Iterator[tuple[str, str]]:
    left = RANDOM_PAIRS
    while left:
        old = ast.unparse(ast.parse(Maker(pick).function())) + "\n"
        for _ in range(4):
            try:
                new = rewritten(old, pick)
                ast.parse(new)
            except SyntaxError:
                continue
            if new != old and left:
                left -= 1
                yield old, new


def _random_modules(
    pick: random.Random, maker: type[ModuleMaker] = ModuleMaker, rewrite: Callable[..., str] = module_rewritten
) -> Iterator[tuple[str, str]]:
    left = RANDOM_MODULES
    while left:
        try:
            old = maker(pick).module()
            new = rewrite(old, pick)
            ast.parse(old), ast.parse(new)
        except SyntaxError:
            continue
        if new != old:
            left -= 1
            yield old, new


def lines(only: str = "", most: int | None = None) -> list[str]:
    """What is said of each pair: proved or why not, under which assumptions, the certificate, what passed wrongly."""
    return list(said(only, most))


def said(only: str = "", most: int | None = None, among: Container[str] | None = None) -> Iterator[str]:
    """The lines one by one; of all pairs, or of those `among` which are called so."""
    seen: list[tuple[Any, Any, Any]] = []
    files: list[tuple[Any, Any]] = []
    met: dict[str, Counter[str]] = {}
    count: Counter[str] = Counter()
    go_over, asked = entry._go_over, judging.prove

    def listening(*args: Any, **options: Any) -> Any:
        proof = asked(*args, **options)
        files.append((args[0].names, args[1].names))
        told.append(_told(proof))
        for doubted in sorted(proof.assumptions if proof.holds else ()):
            old, new, allowed, *rest = args
            without = asked(old, new, allowed - {doubted}, *rest, **options)
            assert doubted not in without.assumptions, f"{doubted} is named and not allowed"
            told.append(_told(without))
        return proof

    def keep(certificate: Any, p: Any, run: Any) -> None:
        go_over(certificate, p, run)
        seen.append((certificate, p, run))

    entry._go_over, judging.prove = keep, listening
    try:
        for name, old, new, named in islice((t for t in texts() if t[0].startswith(only)), most):
            room = name.partition(":")[0]
            count[room] += 1
            if among is not None and name not in among:
                continue
            told: list[str] = []
            seen.clear(), files.clear()
            with warnings.catch_warnings():
                warnings.simplefilter("ignore")
                wanted = Wanted(trial=False, assume=named)
                verdict = compare_texts(*(Text(Path("yard.py"), t) for t in (old, new)), wanted).verdict
            if room == "variations" and count[room] % EVERY:
                seen.clear()  # each has much in common with its neighbours
            if room == "random module" and count[room] % EVERY:
                files.clear()
            passed = [_let_pass(*one, random.Random(at), tampered) for at, one in enumerate(seen)]
            varied = [_let_pass(*one, random.Random(at), _varied) for at, one in enumerate(seen)]
            swapped = [_let_pass(*one, random.Random(at), _exchanged(one[0]), EXCHANGED) for at, one in enumerate(seen)]
            asked_of = met.setdefault(room, Counter())
            answers = [of_files(*both) for both in files[:1]]
            answers += [probed(*one, _used(one[0]), asked_of) for one in seen]
            whole = sha256("\n".join(told).encode()).hexdigest()[:10]
            yield (
                f"{name}: {verdict.status}, {len(told)} asked, {whole}, varied {varied}, exchanged {swapped}, "
                f"passed wrongly {passed}, answers {' '.join(answers)}"
            )
    finally:
        entry._go_over, judging.prove = go_over, asked


def _told(proof: Any) -> str:
    certificate = proof.certificate
    rests_on = json.dumps(certificate.as_json(), sort_keys=True, default=str) if certificate is not None else ""
    parts = (
        proof.holds,
        sorted(proof.assumptions),
        sorted(map(str, proof.globals)),
        proof.reason,
        proof.path,
        rests_on,
    )
    return repr(parts)


def _varied(e: Any, make: Any) -> Iterator[Any]:
    """One entry with something else said of its event; some of it may be said."""
    events = [e.old, e.new] if isinstance(e, Met) else [e.event] if isinstance(e, Alone) else []
    for field in ("once", "lasts", "moves_time", "raises", "stays", "real_bool", "ends") if events else ():
        yield _with(e, {field: not getattr(events[0], field)})
    for field in ("keeps", "harmless") if events else ():
        for told in ("", "plain-attributes", "plain-items", "plain-comparisons", "hashable-key"):
            if told != getattr(events[0], field):
                yield _with(e, {field: told})
    if events and events[0].result is not None:
        yield _with(e, {"result": make("const", None)})
    if events:
        key = events[0].key
        for at, arg in enumerate(key.args):
            other = make("param", "elsewhere") if hasattr(arg, "args") else None
            yield _with(e, {"key": make(key.op, *key.args[:at], other, *key.args[at + 1 :])})


def _exchanged(certificate: Any) -> Callable[[Any, Any], Iterator[Any]]:
    """One entry with a value from elsewhere in the same proof in the place of its own; some of these are as good."""
    results = [e.result.value for log in _used(certificate) for e in log if isinstance(e, Stepped) and _gives(e)]
    keys = [event.key for log in _used(certificate) for e in log if isinstance(e, Met) for event in (e.old, e.new)]
    pool = list(dict.fromkeys([v for v in (*results, *(a for k in keys for a in k.args)) if hasattr(v, "args")]))

    def changes(e: Any, make: Any) -> Iterator[Any]:
        if isinstance(e, Stepped) and _gives(e):
            yield from (Stepped(e.which, Gives(v)) for v in pool if v is not e.result.value)
        elif isinstance(e, Met):
            for at, arg in enumerate(e.old.key.args):
                for v in pool if hasattr(arg, "args") else ():
                    if v is not arg:
                        args = (*e.old.key.args[:at], v, *e.old.key.args[at + 1 :])
                        yield replace(e, old=replace(e.old, key=make(e.old.key.op, *args)))
        elif isinstance(e, Used):
            yield from (Used(number) for number in certificate.lemmas if number != e.lemma)

    return changes


def _gives(e: Stepped) -> bool:
    return isinstance(e.result, Gives) and e.result.value is not None


def _with(e: Any, changed: dict[str, Any]) -> Any:
    if isinstance(e, Met):
        return replace(e, old=replace(e.old, **changed), new=replace(e.new, **changed))
    return replace(e, event=replace(e.event, **changed))


def _let_pass(
    certificate: Any,
    p: Any,
    run: Any,
    pick: random.Random,
    changes: Callable[[Any, Any], Iterator[Any]],
    most: int = WRONG,
) -> int:
    """Of a few changes to a certificate, how many the checker accepts all the same."""
    places = [(log, at) for log in _used(certificate) for at in range(len(log)) if any(changes(log[at], p.terms.make))]
    count = 0
    for log, at in pick.sample(places, min(most, len(places))):
        kept = log[at]
        wrong = list(changes(kept, p.terms.make))
        if wrong:
            log[at] = pick.choice(wrong)
            count += accepted(certificate, p, run)
            log[at] = kept
    return count


def _used(certificate: Any) -> list[list[Any]]:
    """The logs the proof rests on: lemmas of a loop that was begun anew are in no use."""
    every = list(logs_of(certificate))
    reached, pending = [certificate.log], [certificate.log]
    while pending:
        for e in pending.pop():
            further = [e.raised.log if e.raised is not None else [], e.ended or []] if isinstance(e, Met) else []
            if isinstance(e, Used) and e.lemma in certificate.lemmas:
                step = certificate.lemmas[e.lemma].step
                further += [step.yes, step.no] if isinstance(step, Split) else [step.log]
            for log in further:
                if log and not any(log is known for known in reached):
                    reached.append(log)
                    pending.append(log)
    return [log for log in every if any(log is known for known in reached)]


def main() -> int:
    FILE.write_text("\n".join(lines()) + "\n")
    return 0


if __name__ == "__main__":
    sys.exit(main())
