"""Arms that work something out and add it to one and the same variable in the end: what they give is what is added."""

import ast
from collections.abc import Sequence
from dataclasses import dataclass

from dreck.source.walking import walk
from dreck.steps.naming.blocks import Block, own_statements

_SIGNS = {"Add": "+=", "Sub": "-=", "Mult": "*=", "Div": "/=", "BitOr": "|=", "BitAnd": "&=", "FloorDiv": "//="}


@dataclass(frozen=True, slots=True)
class Summed:
    """`total += ...` at the end of every arm, which speak of the total nowhere else."""

    name: str
    sign: str

    def giving(self, body: Sequence[str]) -> list[str] | None:
        """The lines of an arm with a `return` of what is added; None where its last line is none of a sum."""
        head = f"{self.name} {self.sign} "
        at = max((n for n, line in enumerate(body) if line.startswith(head)), default=-1)
        return [*body[:at], f"return {body[at].removeprefix(head)}", *body[at + 1 :]] if at >= 0 else None


def sign_of(op: ast.operator) -> str:
    """`+=` for an addition; '' for what is done to a variable in a way not known here."""
    return _SIGNS.get(type(op).__name__, "")


def summed(blocks: Sequence[Block], results: Sequence[str]) -> Summed | None:
    """What all arms add to, when that is all that comes of them."""
    ends = [s for block in blocks if isinstance(s := block.body[-1], ast.AugAssign)]
    told = {(s.target.id, sign_of(s.op)) for s in ends if isinstance(s.target, ast.Name)}
    if len(ends) != len(blocks) or len(told) != 1:
        return None
    found = Summed(*told.pop())
    own = [n for block in blocks for s in block.body for n in walk(s) if isinstance(n, ast.Name) and n.id == found.name]
    returns = any(own_statements(block.body, ast.Return) for block in blocks)
    fits = bool(found.sign) and list(results) == [found.name] and len(own) == len(blocks) and not returns
    return found if fits else None
