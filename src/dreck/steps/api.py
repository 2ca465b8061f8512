"""How a step is written: all that a package with steps of its own needs. Stable from one version to the next.

A step is a `Step`: words about it, `find`, which looks at the `ast` of a function for `Site`s, cheaply and without
any effect, and `apply`, which carries one out on the function's `Tree` (LibCST) and gives `Rewrite`s, best first. A
place where it cannot be carried out after all raises `Untouchable`. What comes out is judged like anything else: it
is proved or tested against what stood there before, or not taken.

A package names its steps in its metadata::

    [project.entry-points."dreck.steps"]
    yard = "yard_steps:STEPS"

A step declares what it lets a person set as `settings`; they are given by `--set NAME=VALUE` (`settings={...}` from
Python), shown by `dreck steps NAME`, and read by `options.setting(NAME)`.

`dreck.kit` is for its tests.
"""

from dreck.model.views.shape import Path, arms, is_elif, is_straight, leaves, places
from dreck.source.functions import FunctionNode
from dreck.source.walking import walk
from dreck.steps.catalogue import Options, Rewrite, Setting, Site, Step
from dreck.steps.support.negate import negations
from dreck.steps.support.trees import Tree, Untouchable, as_block, spliced, unwrapped

__all__ = [
    "FunctionNode",
    "Options",
    "Path",
    "Rewrite",
    "Setting",
    "Site",
    "Step",
    "Tree",
    "Untouchable",
    "arms",
    "as_block",
    "is_elif",
    "is_straight",
    "leaves",
    "negations",
    "places",
    "spliced",
    "unwrapped",
    "walk",
]
