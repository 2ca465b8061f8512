"""load: one function of a file, to look at and to work on from Python."""

from dataclasses import dataclass
from pathlib import Path

from dreck.errors import BadTarget
from dreck.model.views.measures import Tangle, measure
from dreck.source.files import read
from dreck.source.functions import functions_in, parse, segment
from dreck.source.targets import Target


@dataclass(frozen=True, slots=True)
class Loaded:
    """A function as it stands in its file: its `target`, its `source` lines, its `shape` in numbers."""

    target: Target
    source: str
    line: int
    shape: Tangle

    @property
    def tangle(self) -> int:
        return self.shape.tangle

    def __str__(self) -> str:
        return str(self.target)


def load(spec: str | Path) -> Loaded:
    """The function a target such as `gate.py::admit` names.

    Raises BadTarget when the target names no single function, BadSource when the file is not Python.
    """
    place, _, name = str(spec).partition("::")
    path = Path(place)
    file = read(path)
    functions = functions_in(parse(file.text, path), file.text)
    if name:
        found = [f for f in Target(path, name).chosen(functions) if f.name == name]
        if not found:
            raise BadTarget(f"{spec}: is a class; name one of its methods")
    else:
        found = [f for f in functions if not f.nested]
        if len(found) != 1:
            raise BadTarget(f"{spec}: name one of its {len(found)} functions, as in {place}::function")
    function = found[0]
    target = Target(path, function.name)
    return Loaded(target, segment(file.text, function), function.node.lineno, measure(function.node))
