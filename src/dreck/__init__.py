"""Dreck straightens tangled conditional logic in small steps, and shows for every step why nothing changed."""

from dreck.errors import BadSource, BadTarget, DreckError

TYPE_CHECKING = False
if TYPE_CHECKING:  # type checkers take it for true; to import `typing` would take longer than all the rest
    from typing import Any

    from dreck.api import assert_same, compare, untangle
    from dreck.model.views.measures import Tangle
    from dreck.trial.server import Difference
    from dreck.workbench.compare.comparison import Comparison
    from dreck.workbench.judging.verdict import Verdict
    from dreck.workbench.pinning.pin import Pinned, Pins, pin
    from dreck.workbench.queries.census import Census, census
    from dreck.workbench.queries.load import Loaded, load
    from dreck.workbench.queries.outline import outline
    from dreck.workbench.queries.outlined import Outline
    from dreck.workbench.queries.row import Row
    from dreck.workbench.queries.survey import Survey, survey
    from dreck.workbench.results import FileResult, FunctionResult, Refused, Result, Taken

__version__ = "0.1.0"

_HOMES = {
    "assert_same": "dreck.api",
    "Census": "dreck.workbench.queries.census",
    "Comparison": "dreck.workbench.compare.comparison",
    "Difference": "dreck.trial.server",
    "FileResult": "dreck.workbench.results",
    "FunctionResult": "dreck.workbench.results",
    "Loaded": "dreck.workbench.queries.load",
    "Refused": "dreck.workbench.results",
    "Result": "dreck.workbench.results",
    "Row": "dreck.workbench.queries.row",
    "Survey": "dreck.workbench.queries.survey",
    "Taken": "dreck.workbench.results",
    "Tangle": "dreck.model.views.measures",
    "Verdict": "dreck.workbench.judging.verdict",
    "Offer": "dreck.workbench.queries.gains",
    "Offers": "dreck.workbench.queries.offer",
    "Outline": "dreck.workbench.queries.outlined",
    "Pinned": "dreck.workbench.pinning.pin",
    "Pins": "dreck.workbench.pinning.pin",
    "census": "dreck.workbench.queries.census",
    "compare": "dreck.api",
    "load": "dreck.workbench.queries.load",
    "offer": "dreck.workbench.queries.offer",
    "outline": "dreck.workbench.queries.outline",
    "pin": "dreck.workbench.pinning.pin",
    "survey": "dreck.workbench.queries.survey",
    "untangle": "dreck.api",
}

__all__ = [
    "BadSource",
    "BadTarget",
    "Census",
    "Comparison",
    "Difference",
    "DreckError",
    "FileResult",
    "FunctionResult",
    "Loaded",
    "Offer",
    "Offers",
    "Outline",
    "Pinned",
    "Pins",
    "Refused",
    "Result",
    "Row",
    "Survey",
    "Taken",
    "Tangle",
    "Verdict",
    "assert_same",
    "census",
    "compare",
    "load",
    "offer",
    "outline",
    "pin",
    "survey",
    "untangle",
]


def __getattr__(name: str) -> "Any":
    """Public names are imported when first used, so that `import dreck` and `dreck --help` start at once."""
    import importlib

    home = _HOMES.get(name)
    if home is None:
        raise AttributeError(f"module 'dreck' has no attribute {name!r}")
    value = getattr(importlib.import_module(home), name)
    from dreck.notebook import attach

    for kind in vars(importlib.import_module(home)).values():
        if isinstance(kind, type):
            attach(kind)
    globals()[name] = value
    return value


def __dir__() -> list[str]:
    """The public calls and the classes of their results."""
    return [*__all__, "__version__"]
