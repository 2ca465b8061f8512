"""Progress on standard error, for work on many files, and only where somebody looks at it."""

import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

_WORTH_A_BAR = 5


@contextmanager
def progress_bar() -> Iterator[Callable[[int, int, Path], None]]:
    """Gives a call that is told (done, total, path)."""
    if not sys.stderr.isatty():
        yield lambda done, total, path: None
        return
    from rich.console import Console
    from rich.progress import BarColumn, MofNCompleteColumn, Progress, TextColumn

    columns = (BarColumn(40), MofNCompleteColumn(), TextColumn("{task.description}"))
    with Progress(*columns, console=Console(stderr=True), transient=True) as bar:
        task = bar.add_task("", total=None, visible=False)

        def told(done: int, total: int, path: Path) -> None:
            if total >= _WORTH_A_BAR:
                bar.update(task, completed=done, total=total, description=path.name, visible=True)

        yield told
