"""Configuration: `[tool.dreck]` of the nearest `pyproject.toml` above a file."""

import os
import stat
import tomllib
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from typing import Any

from dreck.errors import DreckError

DEFAULT_LINE_LENGTH = 88
_LENGTH_KEYS = ("line-length", "line_length", "max-line-length", "max_line_length")


@dataclass(frozen=True, slots=True)
class Config:
    """What a project asks for: assumptions, steps to leave out, its check command, names, the proof's budget."""

    assume: frozenset[str] = frozenset()
    leave: frozenset[str] = frozenset()
    check: str = ""
    names: tuple[tuple[str, str], ...] = ()
    budget: int = 0
    line_length: int = DEFAULT_LINE_LENGTH
    doubt: frozenset[str] = frozenset()
    """Accepted assumptions that the project does not accept."""
    cage: str = ""
    """`kernel`: code is only run where the kernel holds the cage."""


def config_for(path: Path) -> Config:
    """The configuration that holds for a file. Raises DreckError when it cannot be understood."""
    folder = path.absolute().parent
    for place in (folder, *folder.parents):
        if (place / "pyproject.toml").is_file():
            return _read(place / "pyproject.toml")
    return Config()


@lru_cache(maxsize=32)
def _read(file: Path) -> Config:
    try:
        data = tomllib.loads(file.read_text(encoding="utf-8"))
    except (OSError, UnicodeDecodeError, tomllib.TOMLDecodeError) as error:
        raise DreckError(f"{file}: cannot be read: {error}") from None
    tools = data.get("tool", {})
    own = tools.get("dreck", {})
    unknown = own.keys() - {"assume", "leave", "check", "names", "budget", "cage", "doubt"}
    if unknown:
        raise DreckError(f"{file}: [tool.dreck] has no setting '{min(unknown)}'")
    if own.get("cage", "") not in ("", "kernel"):
        raise DreckError(f'{file}: [tool.dreck] cage may be "kernel" and nothing else')
    return Config(
        frozenset(_strings(file, own, "assume")),
        frozenset(_strings(file, own, "leave")),
        str(own.get("check", "")) if _is_own(file) else "",
        tuple((str(k), str(v)) for k, v in own.get("names", {}).items()),
        int(own.get("budget", 0)),
        _line_length(tools),
        frozenset(_strings(file, own, "doubt")),
        str(own.get("cage", "")),
    )


def _is_own(file: Path) -> bool:
    """Whether commands in it may run: it is the user's own, in a folder that nobody else writes to."""
    if not hasattr(os, "getuid"):
        return True
    shared = stat.S_IWOTH | stat.S_ISVTX
    return file.stat().st_uid == os.getuid() and not file.parent.stat().st_mode & shared


def _strings(file: Path, own: dict[str, Any], key: str) -> list[str]:
    value = own.get(key, [])
    if not isinstance(value, list) or not all(isinstance(v, str) for v in value):
        raise DreckError(f"{file}: [tool.dreck] {key} must be a list of names")
    return value


def _line_length(tools: dict[str, Any]) -> int:
    for settings in tools.values():
        for key in _LENGTH_KEYS:
            if isinstance(settings, dict) and isinstance(settings.get(key), int):
                return int(settings[key])
    return DEFAULT_LINE_LENGTH
