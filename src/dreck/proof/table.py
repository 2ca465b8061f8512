"""The written model: what each operation of the graph may do.

One row an operation, with its place in the language reference. What a rule in `proof.rules` does not know better is
done as its row says: an event that both versions have to come to, in the same order and with the same values. An
operation without a row would be one that may do anything.
"""

from dataclasses import dataclass

from dreck.model.ir.operations import Op
from dreck.proof.assumptions import ANNOTATIONS, ATTRIBUTES, COMPARISONS, CONSTANTS, FAMILIES, HASHABLE, ITEMS


@dataclass(frozen=True, slots=True)
class Row:
    """What an operation may do.

    `reads`: what its outcome depends on beside its operands (`nothing`, `outside`: anything that is no local).
    `writes`: what it may change (`nothing`, `locals`, `outside`).
    `raises`: whether it may raise.
    `moves_time`: whether what was read outside before it may be something else after it.
    `harmless`: the assumption under which it does not move time and may be done twice; '' for none.
    `source`: the section of the language reference (3.14), or of a PEP.
    """

    reads: str
    writes: str
    raises: bool
    moves_time: bool
    harmless: str
    source: str


def _inner(source: str) -> Row:
    """Moves values between locals."""
    return Row("nothing", "locals", False, False, "", source)


def _may_do_anything(source: str) -> Row:
    return Row("outside", "outside", True, True, "", source)


def _asks(harmless: str, source: str) -> Row:
    """Runs code of an object, which under an assumption has no effect."""
    return Row("outside", "outside", True, True, harmless, source)


TABLE: dict[Op, Row] = {
    Op.MOVE: _inner("7.2 Assignment statements"),
    Op.BOUND: Row("nothing", "nothing", True, False, "", "4.2.2 Resolution of names"),
    Op.BRANCH: _asks(COMPARISONS, "4.1 Truth value testing (library); 8.1 The if statement"),
    Op.HEAD: _inner("8.2, 8.3 The while and for statements"),
    Op.RETURN: _inner("7.6 The return statement"),
    Op.THROW: _inner("4.3 Exceptions"),
    Op.TUPLE: _inner("6.2.3 Displays; 6.15 Expression lists"),
    Op.SLICE: _inner("6.3.3 Slicings"),
    Op.JOINED: _inner("2.4.3 f-strings"),
    Op.PART: _inner("7.2 Assignment statements"),
    Op.MAYBE_PART: _inner("6.12 Assignment expressions"),
    Op.GLOBAL: Row("outside", "nothing", True, False, "", "4.2.2 Resolution of names"),
    Op.FREE: Row("outside", "nothing", True, False, "", "4.2.2 Resolution of names"),
    Op.CELL: Row("outside", "nothing", True, False, "", "4.2.2 Resolution of names"),
    Op.SET_GLOBAL: Row("nothing", "outside", True, True, "", "7.12 The global statement"),
    Op.SET_FREE: Row("nothing", "outside", True, True, "", "7.13 The nonlocal statement"),
    Op.SET_CELL: Row("nothing", "outside", True, True, "", "4.2.1 Binding of names"),
    Op.IMPORT: _may_do_anything("7.11 The import statement"),
    Op.ATTRIBUTE: _asks(ATTRIBUTES, "6.3.1 Attribute references"),
    Op.SET_ATTRIBUTE: _may_do_anything("7.2 Assignment statements"),
    Op.DELETE_ATTRIBUTE: _may_do_anything("7.5 The del statement"),
    Op.ITEM: _asks(ITEMS, "6.3.2 Subscriptions"),
    Op.SET_ITEM: _may_do_anything("7.2 Assignment statements"),
    Op.DELETE_ITEM: _may_do_anything("7.5 The del statement"),
    Op.BINARY: Row("outside", "outside", True, True, ANNOTATIONS, "6.7 Binary arithmetic operations"),
    Op.IN_PLACE: Row("outside", "outside", True, True, ANNOTATIONS, "7.2.1 Augmented assignment statements"),
    Op.UNARY: Row("outside", "outside", True, True, ANNOTATIONS, "6.6 Unary arithmetic and bitwise operations"),
    Op.COMPARE: _asks(COMPARISONS, "6.10 Comparisons"),
    Op.FORMAT: Row("outside", "outside", True, True, ANNOTATIONS, "2.4.3 f-strings"),
    Op.TEMPLATE: _may_do_anything("2.4.4 t-strings"),
    Op.CALL: _may_do_anything("6.3.4 Calls"),
    Op.SUPER: Row("nothing", "nothing", True, False, "", "super() (library)"),
    Op.SPREAD: _may_do_anything("6.3.4 Calls; 6.2.5 List displays"),
    Op.AWAIT: _may_do_anything("6.4 Await expression"),
    Op.YIELD: _may_do_anything("6.2.9 Yield expressions"),
    Op.YIELD_FROM: _may_do_anything("6.2.9 Yield expressions"),
    Op.NEW: Row("nothing", "nothing", False, False, "", "6.2.5 List displays; 6.2.7 Dictionary displays"),
    Op.NEW_HASHED: _may_do_anything("6.2.6 Set displays; 6.2.7 Dictionary displays"),
    Op.FUNCTION: Row("nothing", "nothing", False, False, "", "6.14 Lambdas; 8.7 Function definitions"),
    Op.OPAQUE: _may_do_anything("6.2.4 Comprehensions; 8.7 Function definitions; 8.8 Class definitions"),
    Op.UNPACK: _may_do_anything("7.2 Assignment statements"),
    Op.ITERATE: _may_do_anything("8.3 The for statement"),
    Op.NEXT: _may_do_anything("8.3 The for statement"),
    Op.ASYNC_ITERATE: _may_do_anything("8.9.2 The async for statement"),
    Op.ASYNC_NEXT: _may_do_anything("8.9.2 The async for statement"),
    Op.ENTER: _may_do_anything("8.5 The with statement"),
    Op.EXIT: _may_do_anything("8.5 The with statement"),
    Op.EXIT_RAISING: _may_do_anything("8.5 The with statement"),
    Op.ASYNC_ENTER: _may_do_anything("8.9.3 The async with statement"),
    Op.ASYNC_EXIT: _may_do_anything("8.9.3 The async with statement"),
    Op.ASYNC_EXIT_RAISING: _may_do_anything("8.9.3 The async with statement"),
    Op.RAISE: _may_do_anything("7.8 The raise statement"),
    Op.RAISE_FROM: _may_do_anything("7.8 The raise statement"),
    Op.RERAISE: _may_do_anything("7.8 The raise statement"),
    Op.ASSERTION: _may_do_anything("7.3 The assert statement"),
    Op.CATCHES: Row("nothing", "nothing", True, False, "", "8.4.1 except clause"),
    Op.LEFT: _inner("6.2.9.1 Generator-iterator methods; PEP 479"),
    Op.GROUP_MATCHED: _may_do_anything("8.4.2 except* clause"),
    Op.GROUP_UNMATCHED: _may_do_anything("8.4.2 except* clause"),
    Op.GROUP_COLLECT: _may_do_anything("8.4.2 except* clause"),
    Op.GROUP_AGAIN: _may_do_anything("8.4.2 except* clause"),
    Op.PATTERN_SEQUENCE: _may_do_anything("8.6.4.7 Sequence Patterns"),
    Op.PATTERN_PART: _may_do_anything("8.6.4.7 Sequence Patterns"),
    Op.PATTERN_CLASS: _asks(FAMILIES, "8.6.4.9 Class Patterns"),
    Op.PATTERN_MAPPING: _may_do_anything("8.6.4.8 Mapping Patterns"),
    Op.PATTERN_KEYS: _may_do_anything("8.6.4.8 Mapping Patterns"),
    Op.HASHED: Row("outside", "nothing", True, True, HASHABLE, "hashable (glossary); 6.3.2 Subscriptions"),
    Op.SETTLED: Row("outside", "nothing", True, True, CONSTANTS, "6.3.1 Attribute references; 5.4 Loading (import)"),
    Op.APART: Row("nothing", "nothing", True, True, FAMILIES, "enum (library)"),
    Op.MISSING_KEY: _may_do_anything("6.3.2 Subscriptions"),
    Op.ROW: _may_do_anything("6.3.4 Calls"),
}


def as_markdown() -> str:
    """The table as it stands in docs/evidence.md."""
    lines = [
        "| operation | reads | may change | may raise | moves time | harmless under | source |",
        "| --- |" + " --- |" * 6,
    ]
    for op, row in TABLE.items():
        told = ("yes" if row.raises else "no", "yes" if row.moves_time else "no")
        harmless = f"`{row.harmless}`" if row.harmless else "—"
        lines.append(f"| {op.value} | {row.reads} | {row.writes} | {told[0]} | {told[1]} | {harmless} | {row.source} |")
    return "\n".join(lines) + "\n"


if __name__ == "__main__":
    print(as_markdown(), end="")
