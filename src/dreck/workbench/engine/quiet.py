"""Files in which nothing was found to straighten: they are not gone through again while they stay what they are.

Only that nothing was taken is kept, no verdict: a file with any step is worked on anew, and so is one with a step that
was refused after a trial.
"""

import json
import stat
from collections.abc import Sequence
from dataclasses import asdict, dataclass, field
from pathlib import Path
from typing import Any

from dreck.errors import BadSource
from dreck.model.views.measures import Tangle
from dreck.source.files import read
from dreck.source.lines import split_lines
from dreck.source.targets import Target
from dreck.steps.support.scene import Wishes
from dreck.workbench.engine.request import Asking, Request
from dreck.workbench.results import FileResult, FunctionResult, Refused
from dreck.workbench.store.cache import Cache, key_of
from dreck.workbench.store.config import config_for


@dataclass(slots=True)
class QuietFiles:
    """Those known from before, for a request that everybody may make: the default steps on whole files."""

    _asked: str
    _cache: Cache
    _tries: bool = True
    """Whether trials are made: then what is refused leans on more than the file."""
    _keys: dict[Path, str] = field(default_factory=dict)

    @classmethod
    def of(cls, request: Request, asking: Asking) -> "QuietFiles":
        plain = request.wishes == Wishes() and not (request.steps or request.far or request.check)
        if not plain or asking.step is not None or asking.name is not None:
            return cls("", Cache())
        asked = [sorted(request.leave), sorted(request.assume), request.verdict]
        return cls(f"nothing to straighten {asked}", Cache.opened(request.cache), request.verdict != "proved")

    def get(self, path: Path, targets: Sequence[Target]) -> FileResult | None:
        """What was found out about the file when nothing was to be done in it."""
        key = self._key(path, targets)
        kept = self._cache.get(key) if key else None
        if not isinstance(kept, list):
            return None
        try:
            text = read(path).text
            lines = split_lines(text)
            return FileResult(path, text, text, tuple(_as_it_was(path, lines, row) for row in kept), whole=True)
        except (BadSource, TypeError, ValueError):
            return None

    def put(self, targets: Sequence[Target], result: FileResult | None) -> None:
        key = self._keys.get(result.path, "") if result is not None else ""
        if result is None or not key or result.changed or result.notes or result.changes:
            return
        if not any(f.steps or f.stopped or (f.refused and self._tries) for f in result.functions):
            self._cache.put(key, [_kept(f) for f in result.functions])

    def close(self) -> None:
        self._cache.close()

    def _key(self, path: Path, targets: Sequence[Target]) -> str:
        if not self._cache.is_open or any(target.name is not None for target in targets):
            return ""
        try:
            if not stat.S_ISREG(path.stat().st_mode):  # a pipe or a device would be waited for
                return ""
            settings = {
                name: sorted(v) if isinstance(v, frozenset) else v for name, v in asdict(config_for(path)).items()
            }
            if settings["steps"] or settings["names"]:
                return ""
            told = f"{self._asked} {json.dumps(settings, sort_keys=True)}"
            self._keys[path] = key_of(told, path.read_bytes())
        except OSError:
            return ""
        return self._keys[path]


def _kept(f: FunctionResult) -> list[Any]:
    before = f.before
    numbers = [before.tangle, before.depth, before.ways, before.longest_test, before.lines]
    refused = [[r.step, r.line, r.reason] for r in f.refused]
    return [f.name, f.start, len(split_lines(f.old)), numbers, f.doubtful, refused]


def _as_it_was(path: Path, lines: Sequence[str], row: list[Any]) -> FunctionResult:
    name, start, count, numbers, doubtful, refused = row
    text, shape = "".join(lines[start - 1 : start - 1 + count]), Tangle(*numbers)
    told = tuple(Refused(*one) for one in refused)
    return FunctionResult(path, name, shape, shape, text, text, refused=told, start=start, doubtful=doubtful)
