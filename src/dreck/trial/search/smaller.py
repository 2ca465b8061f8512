"""Making an input that shows a difference smaller, and telling inputs apart."""

from collections.abc import Iterator

from dreck.trial.inputs.recipes import Make
from dreck.trial.running.surroundings import SYSTEMS
from dreck.trial.search.moves import Choice, Tried, is_text


def mark_of(choice: Choice) -> str:
    return repr(sorted(choice.items(), key=lambda item: item[0]))


def smaller(tried: Tried) -> Iterator[Choice]:
    for path in sorted(tried.choice):
        yield {p: make for p, make in tried.choice.items() if p != path}
    for path, make in sorted(tried.used.items()):
        if make.kind == "list" and make.what > 0:
            yield {**tried.choice, path: Make("list", make.what - 1)}
        if make.kind != "value" or isinstance(make.what, bool):
            continue
        if isinstance(make.what, int | float) and make.what == make.what:  # NaN is not
            for value in (0, 1, make.what // 2):
                if abs(value) < abs(make.what):
                    yield {**tried.choice, path: Make("value", value)}
        elif path not in SYSTEMS and is_text(tried, path) and len(make.what) > 1:
            yield {**tried.choice, path: Make("value", make.what[: len(make.what) // 2])}
