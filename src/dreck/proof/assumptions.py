"""The named conditions a proof may rest on. Those it used are printed with its verdict."""

ANNOTATIONS = "annotations-hold"
ATTRIBUTES = "plain-attributes"
ITEMS = "plain-items"
COMPARISONS = "plain-comparisons"
FAMILIES = "closed-families"
PRIVATE = "private-names"
ORDER = "total-order"
QUIET = "quiet-tests"
HASHABLE = "hashable-key"
STEADY = "steady-kind"
EXACT = "exact-ints"
SUMS = "numbers-in-sums"
KINDS = "known-kinds"
FACTORY = "made-by-factory"
CONSTANTS = "steady-constants"
FLAGS = "true-or-false"
PLAIN = "plain-kind"
LIVES = "plain-lifetimes"

ASSUMPTIONS = (
    ANNOTATIONS,
    ATTRIBUTES,
    ITEMS,
    COMPARISONS,
    FAMILIES,
    PRIVATE,
    ORDER,
    QUIET,
    STEADY,
    EXACT,
    SUMS,
    KINDS,
    HASHABLE,
    FACTORY,
    CONSTANTS,
    FLAGS,
    PLAIN,
    LIVES,
)
DEFAULT_ASSUMPTIONS = frozenset({ANNOTATIONS, ATTRIBUTES, ITEMS, COMPARISONS, FAMILIES, PRIVATE, LIVES})
"""Accepted unless somebody says otherwise."""
