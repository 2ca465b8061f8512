"""Configuration: `[tool.dreck]` of the nearest `pyproject.toml` above a file, checked as a whole."""

import os
import stat
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from typing import Any

from dreck.errors import DreckError
from dreck.proof.assumptions import ASSUMPTIONS

DEFAULT_SECONDS = 20.0
_LENGTH_KEYS = ("line-length", "line_length", "max-line-length", "max_line_length")


@dataclass(frozen=True, slots=True)
class Config:
    """What a project asks for."""

    assume: frozenset[str] = frozenset()
    leave: frozenset[str] = frozenset()
    """Steps that are not to be taken."""
    steps: tuple[str, ...] = ()
    """The steps to take when none is named on the command line."""
    verdict: str = ""
    most: int | None = None
    """The tangle above which `survey` fails."""
    exclude: tuple[str, ...] = ()
    """Files and folders, as patterns of a `.gitignore`, that are never looked at."""
    check: str = ""
    format: str = ""
    """A command that formats Python from standard input to standard output."""
    names: tuple[tuple[str, str], ...] = ()
    budget: int = 0
    seconds: float = DEFAULT_SECONDS
    """Seconds of work one function may take, proof and trials together."""
    line_length: int = 0
    """0 where nobody says it: then each file's own lines do."""
    doubt: frozenset[str] = frozenset()
    """Accepted assumptions that the project does not accept."""
    cage: str = ""
    """`kernel`: code is only run where the kernel holds the cage."""


def config_for(path: Path) -> Config:
    """The configuration that holds for a file or folder. Raises DreckError when it cannot be understood."""
    file = config_file(path)
    return _read(file, file.stat().st_mtime_ns) if file is not None else Config()


def config_file(path: Path) -> Path | None:
    """The `pyproject.toml` that holds for a file or folder."""
    path = path.absolute()
    for place in (path, *path.parents):
        if (place / "pyproject.toml").is_file():
            return place / "pyproject.toml"
    return None


@lru_cache(maxsize=32)
def _read(file: Path, changed: int) -> Config:
    import tomllib

    try:
        data = tomllib.loads(file.read_text(encoding="utf-8"))
    except (OSError, UnicodeDecodeError, tomllib.TOMLDecodeError) as error:
        raise DreckError(f"{file}: cannot be read: {error}") from None
    tools = data.get("tool", {})
    own = tools.get("dreck", {})
    if not isinstance(own, dict):
        raise DreckError(f"{file}: [tool.dreck] must be a table")
    values: dict[str, Any] = {"line-length": _line_length(tools)}
    for key, value in own.items():
        if key not in _KEYS:
            near = _near(key, _KEYS)
            hint = f"; did you mean '{near[0]}'?" if near else f"; there are: {', '.join(_KEYS)}"
            raise DreckError(f"{file}: [tool.dreck] has no setting '{key}'{hint}")
        try:
            values[key] = _KEYS[key](value)
        except ValueError as error:
            raise DreckError(f"{file}: [tool.dreck] {key} {error}") from None
    if not _is_own(file):
        values |= {"check": "", "format": ""}
    return Config(**{key.replace("-", "_"): value for key, value in values.items()})


def _is_own(file: Path) -> bool:
    """Whether commands in it may run: it is the user's own, in a folder that nobody else writes to."""
    if not hasattr(os, "getuid"):
        return True
    shared = stat.S_IWOTH | stat.S_ISVTX
    return file.stat().st_uid == os.getuid() and not file.parent.stat().st_mode & shared


def _strings(value: Any) -> tuple[str, ...]:
    if not isinstance(value, list) or not all(isinstance(v, str) for v in value):
        raise ValueError("must be a list of texts")
    return tuple(value)


def _text(value: Any) -> str:
    if not isinstance(value, str):
        raise ValueError("must be a text")
    return value


def _number(value: Any) -> float:
    if isinstance(value, bool) or not isinstance(value, int | float) or value < 0:
        raise ValueError("must be a number, 0 or more")
    return value


def _whole(value: Any) -> int:
    if isinstance(value, bool) or not isinstance(value, int) or value < 0:
        raise ValueError("must be a whole number, 0 or more")
    return value


def _named(known: Callable[[], Mapping[str, Any] | tuple[str, ...]], kind: str) -> Callable[[Any], tuple[str, ...]]:
    def read(value: Any) -> tuple[str, ...]:
        for name in _strings(value):
            one_of(name, tuple(known()), kind)
        return tuple(value)

    return read


def known_assumption(name: str) -> None:
    """Raises DreckError for an assumption that there is not."""
    if name not in ASSUMPTIONS:
        near = _near(name, ASSUMPTIONS)
        told = f"did you mean '{near[0]}'?" if near else _all_told(tuple(ASSUMPTIONS))
        raise DreckError(f"no assumption '{name}'; {told}")


def one_of(name: str, known: tuple[str, ...], kind: str) -> str:
    """`name`, when it is known. Raises ValueError, which says what was meant or what there is."""
    if name in known:
        return name
    near = _near(name, known)
    raise ValueError(f"names no {kind} '{name}'; " + (f"did you mean '{near[0]}'?" if near else _all_told(known)))


def _near(name: str, known: Iterable[str]) -> list[str]:
    import difflib  # only where something is misspelt

    return difflib.get_close_matches(name, known, 1)


def _all_told(known: tuple[str, ...]) -> str:
    return f"there are: {', '.join(known)}"


def _names(value: Any) -> tuple[tuple[str, str], ...]:
    if not isinstance(value, dict) or not all(isinstance(v, str) for v in value.values()):
        raise ValueError("must be a table of code and name")
    return tuple(value.items())


def _step_names() -> tuple[str, ...]:
    from dreck.steps.catalogue import all_steps  # they bring LibCST along, which few settings need

    return tuple(step.name for step in all_steps())


_steps = _named(_step_names, "step")
_assumptions = _named(lambda: ASSUMPTIONS, "assumption")
_KEYS: dict[str, Callable[[Any], Any]] = {
    "assume": lambda value: frozenset(_assumptions(value)),
    "doubt": lambda value: frozenset(_assumptions(value)),
    "steps": _steps,
    "leave": lambda value: frozenset(_steps(value)),
    "verdict": lambda value: one_of(_text(value), ("proved", "tested"), "verdict"),
    "most": _whole,
    "exclude": _strings,
    "check": _text,
    "format": _text,
    "names": _names,
    "line-length": _whole,
    "budget": _whole,
    "seconds": _number,
    "cage": lambda value: one_of(_text(value), ("kernel",), "cage"),
}


def _line_length(tools: dict[str, Any]) -> int:
    for settings in tools.values():
        for key in _LENGTH_KEYS:
            if isinstance(settings, dict) and isinstance(settings.get(key), int):
                return int(settings[key])
    return 0
