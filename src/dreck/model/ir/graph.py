"""The graph of what a function does: acts, branches and exits, with equal continuations made one.

Nodes are built from the exits backwards and interned, so two places with the same code still to run are
the same node, also across two versions of a function. Registers are the function's own locals and, with a
leading `%`, temporaries.
"""

import ast
from typing import Any, TypeAlias

from dreck.model.ir.operations import Op
from dreck.model.ir.terms import Term, Terms

Operand: TypeAlias = str | Term


class Node:
    """One act. `succs` says where it goes on, `exc` where it goes when it raises (None: it cannot).

    `op` and `payload` say what is done to `operands`; the result goes to the register `dest`.
    `handled` is the register of the exception being handled where it stands: code it runs can see that one, and
    what it raises is chained to it. `source` is the code it came from, for people only: equal acts from two places
    share one node.
    """

    __slots__ = ("dest", "exc", "handled", "live", "number", "op", "operands", "payload", "source", "succs")

    def __init__(
        self,
        number: int,
        op: Op,
        payload: Any,
        operands: tuple[Operand, ...],
        dest: str | None,
        succs: "tuple[Node, ...]",
        exc: "Node | None",
        source: ast.AST | None,
        handled: str | None = None,
    ) -> None:
        self.number = number
        self.op = op
        self.payload = payload
        self.operands = operands
        self.dest = dest
        self.succs = succs
        self.exc = exc
        self.source = source
        self.handled = handled
        self.live: frozenset[str] = frozenset()

    def __repr__(self) -> str:
        return (
            f"<{self.number} {self.op} {self.payload} {self.operands} -> {self.dest} {[s.number for s in self.succs]}>"
        )


class Arena:
    """Keeps nodes and terms unique while functions are compared; share one between the versions."""

    def __init__(self) -> None:
        self.terms = Terms()
        self.nodes: list[Node] = []
        self.unbound = self.terms.make("unbound")
        self._interned: dict[tuple[Any, ...], Node] = {}
        self._live_upto = 0
        self.entries: dict[tuple[Any, ...], Node] = {}
        """Functions lowered before: the new version of one step is the old version of the next."""
        self.lambdas: dict[Term, ast.FunctionDef] = {}
        """Functions without a name that stand in constant tables."""
        self.throw = self.node(Op.THROW, None, ("%exc",), None, ())
        self.leave = self.node(Op.RETURN, None, ("%ret",), None, ())

    def node(
        self,
        op: Op,
        payload: Any,
        operands: tuple[Operand, ...],
        dest: str | None,
        succs: tuple[Node, ...],
        exc: Node | None = None,
        source: ast.AST | None = None,
        handled: str | None = None,
    ) -> Node:
        key = (op, payload, operands, dest, succs, exc, handled)
        found = self._interned.get(key)
        if found is None:
            found = Node(len(self.nodes), op, payload, operands, dest, succs, exc, source, handled)
            self._interned[key] = found
            self.nodes.append(found)
        return found

    def unnamed(self, e: ast.Lambda) -> Term:
        """A function without a name, as a value that can be looked into."""
        term = self.terms.make("lambda", ast.dump(e))
        if term not in self.lambdas:
            body: list[ast.stmt] = [ast.Return(e.body)]
            self.lambdas[term] = ast.FunctionDef("<lambda>", e.args, body, [], None, None)
        return term

    def loop_head(self, key: tuple[Any, ...], assigned: frozenset[str], source: ast.AST) -> tuple[Node, bool]:
        """The node at a loop's head, and whether it is new: a new one gets its `succs` from the caller."""
        full = (Op.HEAD, *key)
        found = self._interned.get(full)
        if found is not None:
            return found, False
        found = Node(len(self.nodes), Op.HEAD, assigned, (), None, (), None, source)
        self._interned[full] = found
        self.nodes.append(found)
        return found, True

    def settle_liveness(self) -> None:
        """Works out, for each node, which registers may be read from there on (backward data flow)."""
        new = self.nodes[self._live_upto :]
        changed = True
        while changed:
            changed = False
            for node in new:
                live = _live_before(node)
                if live != node.live:
                    node.live = live
                    changed = True
        self._live_upto = len(self.nodes)


def _live_before(node: Node) -> frozenset[str]:
    after: frozenset[str] = frozenset()
    for succ in node.succs:
        after |= succ.live
    if node.dest is not None and node.dest in after:
        after -= {node.dest}
    if node.exc is not None:
        after |= node.exc.live - {"%exc"}
    read = [operand for operand in node.operands if isinstance(operand, str)]
    if node.handled is not None:
        read.append(node.handled)
    return after.union(read) if read else after
