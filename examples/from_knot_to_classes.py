"""From a knot to classes: the function at the desk, step by step, each step judged, nothing saved.

    python examples/from_knot_to_classes.py

Guard clauses first; then `regroup` tells the story of each kind as a whole; then `kind-subclasses` makes a
class of each story, found by one factory. The last line is the verdict of the whole way: old against new.
"""

import sys
import tempfile
from pathlib import Path

import dreck
from dreck.demo.tour import copy_yard


def main() -> int:
    desk = copy_yard(Path(tempfile.mkdtemp()) / "yard") / "desk.py"
    old = desk.read_text()
    for steps in ((), ("regroup",), ("kind-subclasses",)):
        result = dreck.untangle(desk, steps=steps)
        (handle,) = (f for f in result.functions if f.name == "handle")
        for taken in result.steps:
            print(f"{taken.step:18} {taken.verdict.status:8} {taken.reason}")
        print(f"{'':18} tangle {handle.before.tangle} -> {handle.after.tangle}\n")
        desk.write_text(result.files[0].new)
    print(desk.read_text())
    verdict = dreck.compare(old, desk.read_text(), assume=["hashable-key", "total-order"])
    print(f"all the way: {dict(verdict.functions)['handle']}")
    return 0 if verdict else 1


if __name__ == "__main__":
    sys.exit(main())
