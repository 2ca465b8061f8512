"""Keys of made-up mappings, as they are told in an input."""

import enum
from typing import Any

from dreck.trial.inputs.recipes import Make

NAMED = "what is named "
KEYS = (int, str, float, enum.Enum)
"""Classes whose values may be keys."""


def key_told(make: Make) -> Any:
    """A key as it is told in an input: itself, or the name of what stands for it."""
    return f"{NAMED}{make.what}" if make.kind == "named" else make.what
