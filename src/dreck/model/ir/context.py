"""Where control goes from a statement that does not go on."""

from dataclasses import dataclass

from dreck.model.ir.graph import Node


@dataclass(frozen=True, slots=True)
class Context:
    """Where control goes when it does not go on: exception, return, break, continue.

    `handled` is the register of the exception being handled, `depth` counts the statements around that
    need registers of their own.
    """

    exc: Node
    ret: Node
    brk: Node | None = None
    cont: Node | None = None
    handled: str | None = None
    depth: int = 0
