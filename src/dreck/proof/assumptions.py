"""The named conditions a proof may rest on. Those it used are printed with its verdict."""

ANNOTATIONS = "annotations-hold"
ATTRIBUTES = "plain-attributes"
COMPARISONS = "plain-comparisons"
FAMILIES = "closed-families"
ORDER = "total-order"
HASHABLE = "hashable-key"
FACTORY = "made-by-factory"

ASSUMPTIONS = (ANNOTATIONS, ATTRIBUTES, COMPARISONS, FAMILIES, ORDER, HASHABLE, FACTORY)
DEFAULT_ASSUMPTIONS = frozenset({ANNOTATIONS, ATTRIBUTES, COMPARISONS, FAMILIES})
"""Accepted unless somebody says otherwise."""
