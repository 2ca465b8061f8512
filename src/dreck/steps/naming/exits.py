"""Exits of a block: how a function tells its caller that the block would have left, and with what."""

import ast
from collections.abc import Sequence
from dataclasses import dataclass, replace

from dreck.model.views.liveness import bound_when_left
from dreck.model.views.shape import leaves
from dreck.source.walking import walk
from dreck.steps.naming.blocks import Block, own_statements, passed
from dreck.steps.support.scene import Scene
from dreck.steps.support.trees import Untouchable


@dataclass(frozen=True, slots=True)
class Exits:
    """`edits`: what the exits inside become. `goes_on`: what the function ends with where the block does not leave.

    `form`: what the caller does: nothing (``), `end` (the block always leaves), `truth` (it is told whether to
    leave, by `leaving`), `answer` (what is not None is returned), `pair` (whether to leave, and with what).
    """

    form: str = ""
    edits: tuple[tuple[ast.stmt, str], ...] = ()
    goes_on: str = ""
    leaving: str = ""

    @property
    def ends(self) -> bool:
        return self.form == "end"

    @property
    def leaves(self) -> bool:
        return self.form != ""

    @property
    def tells_truth(self) -> bool:
        return self.form == "truth"

    def asked(self, call: str, results: Sequence[str]) -> list[str]:
        """The lines that stand where the block stood; a tab stands for one level more."""
        told = ", ".join(results)
        asked = f"({call})" if call.startswith("yield") else call
        match self.form:
            case "end":
                return [f"return {call}" if self.leaving != "raise" else call]
            case "truth" if results:
                return [f"leaves, {told} = {call}", "if leaves:", f"\t\t{self.leaving}"]
            case "truth":
                return [f"if {asked}:", f"\t\t{self.leaving}"]
            case "answer":
                return [f"{', '.join(['answer', *results])} = {call}", "if answer is not None:", "\t\treturn answer"]
            case "pair":
                return [f"{', '.join(['leaves, answer', *results])} = {call}", "if leaves:", "\t\treturn answer"]
        return [f"{told} = {call}" if results else call]


def exits_of(scene: Scene, block: Block, results: tuple[str, ...]) -> Exits:
    """How a block's exits are told. Raises Untouchable where they cannot be."""
    returns = [s for s in own_statements(block.body, ast.Return) if isinstance(s, ast.Return)]
    jumps = [*own_statements(block.body, ast.Continue), *own_statements(block.body, ast.Break)]
    if not returns and not jumps:
        return Exits()
    if returns and jumps:
        return _of_both(scene, block, returns, jumps, results)
    if jumps:
        return _of_loop(scene, block, jumps, results)
    if leaves(block.body):
        return Exits("end")
    return _of_returns(scene, returns, results)


def _of_both(
    scene: Scene, block: Block, returns: list[ast.Return], jumps: list[ast.stmt], results: tuple[str, ...]
) -> Exits:
    """At the end of a loop's body `continue` is going on; what else leaves the loop is told apart by nobody."""
    if not tells_apart(block):
        raise Untouchable("it returns on some ways and leaves a loop on others")
    found = _of_returns(scene, returns, results)
    return replace(found, edits=(*found.edits, *((s, found.goes_on) for s in jumps)))


def tells_apart(block: Block) -> bool:
    """Whether a block that returns leaves its loop in no other way than by going on with the next round."""
    if not own_statements(block.body, ast.Return):
        return len({type(s) for kind in (ast.Continue, ast.Break) for s in own_statements(block.body, kind)}) < 2
    ends = block.at_end and bool(block.loops)
    return not own_statements(block.body, ast.Break) and (ends or not own_statements(block.body, ast.Continue))


def _of_loop(scene: Scene, block: Block, jumps: list[ast.stmt], results: tuple[str, ...]) -> Exits:
    """Where the block leaves the loop, None stands for a result that it has not got yet."""
    words = {"continue" if isinstance(s, ast.Continue) else "break" for s in jumps}
    if len(words) > 1:
        raise Untouchable("it continues the loop on some ways and breaks out of it on others")
    (word,) = words
    given = passed(scene, block)[0]
    told = {s: _bound_there(scene, block, s, given, results) for s in jumps}
    if word == "continue" and block.at_end and block.loops:
        return Exits("", tuple((s, f"return {', '.join(told[s])}".strip()) for s in jumps))
    free = {"leaves", "answer"} & set(results)
    if free:
        raise Untouchable(f"the name {free.pop()} is used already")
    edits = tuple((s, f"return {', '.join(['True', *told[s]])}") for s in jumps)
    return Exits("truth", edits, f"return {', '.join(['False', *results])}", word)


def _bound_there(scene: Scene, block: Block, s: ast.stmt, given: Sequence[str], results: Sequence[str]) -> list[str]:
    bound = bound_when_left(scene.node, block.body, s).union(given)
    return [name if name in bound else "None" for name in results]


def _of_returns(scene: Scene, returns: list[ast.Return], results: tuple[str, ...]) -> Exits:
    """Where the block leaves, its results are of no use to anyone: None stands for each."""
    taken = {n.id for n in walk(scene.node) if isinstance(n, ast.Name)} | scene.scope.params
    if taken & {"leaves", "answer"}:
        raise Untouchable("the names `leaves` and `answer` are used already")
    kept = set(results) & (scene.scope.captured | scene.scope.deleted)
    if kept:
        told = f"{min(kept)}, which others hold, would have to come back"
        raise Untouchable(f"it returns on some ways, and on others {told}")
    nothing, back = ", None" * len(results), "".join(f", {r}" for r in results)
    values = {ast.dump(r.value) if r.value is not None else "" for r in returns}
    first = returns[0].value
    if len(values) == 1 and (first is None or _is_constant(first)):
        leaving = "return" if first is None else f"return {scene.sheet().code(first)}"
        edits = tuple((r, f"return True{nothing}") for r in returns)
        return Exits("truth", edits, f"return False{back}", leaving)
    if all(r.value is not None and _is_never_none(r.value) for r in returns):
        edits = tuple((r, f"return {_code(scene, r)}{nothing}") for r in returns) if results else ()
        return Exits("answer", edits, f"return None{back}")
    edits = tuple((r, f"return True, {_code(scene, r)}{nothing}") for r in returns)
    return Exits("pair", edits, f"return False, None{back}")


def _code(scene: Scene, r: ast.Return) -> str:
    if r.value is None:
        return "None"
    code = scene.sheet().code(r.value)
    return f"({code})" if isinstance(r.value, ast.Tuple) and not code.startswith("(") else code


def _is_constant(e: ast.expr) -> bool:
    signed = isinstance(e, ast.UnaryOp) and isinstance(e.op, ast.USub) and isinstance(e.operand, ast.Constant)
    return signed or isinstance(e, ast.Constant)


def _is_never_none(e: ast.expr) -> bool:
    match e:
        case ast.Constant(value=value):
            return value is not None
        case ast.UnaryOp(op=ast.USub(), operand=ast.Constant()):
            return True
        case ast.Tuple() | ast.List() | ast.Dict() | ast.Set() | ast.JoinedStr() | ast.ListComp() | ast.DictComp():
            return True
        case ast.Compare() | ast.UnaryOp(op=ast.Not()):
            return True
        case ast.IfExp(body=body, orelse=orelse):
            return _is_never_none(body) and _is_never_none(orelse)
    return False
