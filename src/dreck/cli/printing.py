"""What several commands share: JSON to standard output or a file, the configuration of a target."""

from pathlib import Path
from typing import Any

import click


def print_json(data: dict[str, Any]) -> None:
    import json

    click.echo(json.dumps(data, indent=2))


def save_json(path: Path, data: dict[str, Any]) -> None:
    import json

    from dreck.source.files import save_bytes

    save_bytes(path, (json.dumps(data, indent=1) + "\n").encode())


def config_of(target: str) -> Any:
    """The configuration that holds for a target."""
    from dreck.workbench.store.config import config_for

    return config_for(Path(target.partition("::")[0]))
