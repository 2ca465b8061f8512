"""Where a proof is: the two sides, what is known on the path, and what one act came to."""

import ast
from dataclasses import dataclass, field
from typing import TypeAlias

from dreck.model.ir.graph import Node
from dreck.model.ir.terms import Term, Terms
from dreck.proof.conditions import Facts


@dataclass(frozen=True, slots=True)
class Frame:
    """Where a followed function returns to. `lazily`: it is a generator or a coroutine, run on the spot."""

    call: Node
    store: dict[str, Term]
    handled: Term
    lazily: bool = False


@dataclass(slots=True)
class Side:
    """One of the two functions, somewhere on its way: the node it is at and what its registers hold.

    `handled` is the exception in flight where the function was entered; `answer` the outcome of a test that has just
    been asked; `came_from` the last event.
    """

    which: int
    node: Node
    store: dict[str, Term]
    handled: Term
    frames: tuple[Frame, ...] = ()
    came_from: Node | None = None
    answer: Term | None = None

    def copy(self) -> "Side":
        return Side(self.which, self.node, dict(self.store), self.handled, self.frames, self.came_from, self.answer)

    def in_flight(self) -> Term:
        """The exception being handled where the side is."""
        register = self.node.handled
        return self.handled if register is None else self.store[register]

    def enter(self, entry: Node, arguments: dict[str, Term], lazily: bool) -> None:
        self.frames = (*self.frames, Frame(self.node, self.store, self.handled, lazily))
        self.handled = self.in_flight()
        self.node, self.store = entry, arguments

    def leave(self) -> Frame:
        """Back to where the function was called from; the node is the call."""
        frame = self.frames[-1]
        self.frames = self.frames[:-1]
        self.store, self.node, self.handled = dict(frame.store), frame.call, frame.handled
        return frame

    def raising_to(self, throw: Node) -> Node:
        """Where an exception raised here arrives, followed functions being left on the way."""
        target = self.node.exc or throw
        for frame in reversed(self.frames):
            if target is not throw:
                break
            target = frame.call.exc or throw
        return target


@dataclass(slots=True)
class State:
    """One path, as far as it has come.

    `done` are acts without effect carried out since time last moved: doing them again changes nothing; `lasting` the
    same for acts that do not depend on time. `extended` are the assumptions under which time has not moved.
    """

    sides: tuple[Side, Side]
    facts: Facts
    epoch: Term
    done: set[Term] = field(default_factory=set)
    lasting: set[Term] = field(default_factory=set)
    extended: frozenset[str] = frozenset()
    peeled: int = 0
    """Loops one side alone has gone into, round by round."""

    def copy(self) -> "State":
        sides = (self.sides[0].copy(), self.sides[1].copy())
        return State(
            sides, self.facts.copy(), self.epoch, set(self.done), set(self.lasting), self.extended, self.peeled
        )


# --- what an act comes to --------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class Gives:
    """The act gives this value (or none), and nothing else happens."""

    value: Term | None = None


@dataclass(frozen=True, slots=True)
class Goes:
    """A test whose outcome is known."""

    outcome: bool


@dataclass(frozen=True, slots=True)
class Throws:
    """The act surely raises."""

    error: Term


@dataclass(frozen=True, slots=True)
class Asks:
    """A test nothing is known of. `wanted`: whether `test` being true makes the code's test true. `plainly`: the call
    that asks it, as it stands."""

    test: Term
    wanted: bool = True
    source: ast.AST | None = None
    plainly: "Event | None" = None


@dataclass(frozen=True, slots=True)
class Event:
    """An act that both sides have to come to.

    `key` says what is done with which values, `result` what comes of it if that is known beforehand. `harmless` names
    the assumption under which it may be done by one side alone, `keeps` the one under which time does not move.
    `once`: the second time nothing new can happen until time moves, or ever (`lasts`). `stays`: the side remains at
    its node, with an answer. `real_bool`: what comes of it surely is True or False. `ends`: an iterator may have no
    more. `written` tells how a comparison is spelt. `unmet`: nothing on the other side can be the same. `opposite`:
    what comes of it stands for what it is not. `plainly`: the call of a generic function as it stands.
    """

    key: Term
    source: ast.AST | None = None
    result: Term | None = None
    harmless: str = ""
    keeps: str = ""
    once: bool = False
    lasts: bool = False
    moves_time: bool = True
    raises: bool = True
    stays: bool = False
    real_bool: bool = False
    ends: bool = False
    unmet: bool = False
    written: Term | None = None
    opposite: bool = False
    plainly: "Event | None" = None

    def given(self, terms: Terms, made: Term | None) -> Term | None:
        """What comes of it, where it has made something new."""
        if made is None:
            return self.result
        if self.real_bool and not self.stays:
            return terms.make("bool", made, True)
        return terms.make("opposite", made) if self.opposite else made


_PLAIN_ERROR = "error of what is plain under "


def error_of(event: Event) -> str:
    """The hint for what an event raises: where an assumption says that it only reads or compares, with that."""
    return f"{_PLAIN_ERROR}{event.keeps}" if event.once and event.keeps else "error"


def no_stop_under(error: Term) -> str:
    """The assumption under which an error surely is no StopIteration, which a generator turns into a RuntimeError when
    it leaves it (PEP 479); '' for none."""
    hint = str(error.args[0]) if error.op == "symbol" else ""
    return hint.removeprefix(_PLAIN_ERROR) if hint.startswith(_PLAIN_ERROR) else ""


@dataclass(frozen=True, slots=True)
class Stop:
    """A loop's head (`head`) or an exit (`return`, `throw`) with what is returned or raised."""

    kind: str
    value: Term | None = None
    source: ast.AST | None = None


Block: TypeAlias = Event | Asks | Stop
Result: TypeAlias = Gives | Goes | Throws | Block


def told(block: Block) -> str:
    """What a side comes to, for people."""
    match block:
        case Stop(kind=kind):
            return {"return": "returns", "throw": "raises", "head": "is at the head of a loop"}[kind]
        case Asks():
            return "is at a test"
    code = ""
    if block.source is not None:
        try:
            code = ast.unparse(block.source).splitlines()[0][:70]
        except Exception:
            code = ""
    return f"comes to `{code}`" if code else f"comes to an act ({block.key.op})"


_OPPOSITE: dict[type[ast.cmpop], type[ast.cmpop]] = {
    ast.Is: ast.IsNot, ast.IsNot: ast.Is, ast.In: ast.NotIn, ast.NotIn: ast.In, ast.Eq: ast.NotEq, ast.NotEq: ast.Eq,
}  # fmt: skip


def told_both_ways(block: Asks) -> tuple[str, str]:
    """The test as people read it: when it is true, when it is not."""
    try:
        code = ast.unparse(block.source) if block.source is not None else "a test"
    except Exception:
        code = "a test"
    match block.source:
        case ast.Compare(left=left, ops=[op], comparators=[right]) if type(op) in _OPPOSITE:
            return code, ast.unparse(ast.Compare(left, [_OPPOSITE[type(op)]()], [right]))
        case ast.UnaryOp(op=ast.Not(), operand=operand):
            return code, ast.unparse(operand)
    plain = code.isidentifier() or isinstance(block.source, ast.Attribute | ast.Call | ast.Subscript)
    return code, f"not {code}" if plain else f"not ({code})"
