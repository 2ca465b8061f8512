"""The checker accepts what stands and nothing else: certificates made wrong, and single acts said wrongly."""

import ast
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest

import dreck.proof.entry as entry
from dreck.model.ir.graph import Arena
from dreck.model.ir.lowering import lower
from dreck.model.ir.operations import Op
from dreck.model.names.modules import ModuleNames
from dreck.model.narrowing import Member
from dreck.proof.assumptions import DEFAULT_ASSUMPTIONS, HASHABLE, ORDER
from dreck.proof.certificate import Alone, Back, Certificate, Ends, Followed, Met, Peeled, Round, Split, Stepped, Used
from dreck.proof.checking import values
from dreck.proof.checking.acts import CheckedActs
from dreck.proof.checking.axioms import Axioms
from dreck.proof.checking.entailment import follows
from dreck.proof.classes.known import KnownClasses
from dreck.proof.conditions import Facts
from dreck.proof.lockstep.loops import Groups
from dreck.proof.state import Event, Gives, Goes, Side, State, Throws
from dreck.workbench.compare.compare import compare_texts
from dreck.workbench.compare.sides import Text
from dreck.workbench.compare.wanted import Wanted
from tests.proof.test_proof import SAME, body


@pytest.mark.parametrize(
    ("code", "collects"),
    [
        ("def f(xs):\n    found = []\n    for x in xs:\n        found.append(x)\n    return found\n", True),
        ("def f(xs, found):\n    for x in xs:\n        found.append(x)\n    return found\n", False),
        ("def f(xs):\n    found = []\n    return map(lambda found: found, xs)\n", False),
        ("def f(xs):\n    found = xs\n    found.append(1)\n    return found\n", False),
        ("def f(xs):\n    found = []\n    xs.append(found)\n    return found\n", False),
        ("def f(xs):\n    found = []\n    found.append(1)\n    yield found\n", False),
        ("def f(xs):\n    try:\n        found = []\n    finally:\n        return found\n", False),
        ("def f(xs):\n    found = []\n    def g():\n        found.append(1)\n    return found\n", False),
    ],
)
def test_a_list_that_only_collects_is_told_from_others(code, collects):
    assert values.only_collects(ast.parse(code).body[0], "found") is collects


MORE = {
    "a helper": ("def f(a, b):\n    return helper(a) if b else 0\n", "def f(a, b):\n    if not b:\n        return 0\n    return a.x\n", "def helper(v):\n    return v.x\n"),
    "a table": ("def f(a: str):\n    if a == 'x':\n        return 1\n    return 2\n", "T = {'x': 1}\ndef f(a: str):\n    return T.get(a, 2)\n", ""),
    "classes": (
        "def f(a):\n    if isinstance(a, A):\n        return a.n\n    elif isinstance(a, B):\n        return 2\n    return 3\n",
        "def f(a):\n    if isinstance(a, B):\n        return 2\n    if isinstance(a, A):\n        return a.n\n    return 3\n",
        "class A:\n    n = 1\nclass B:\n    pass\n",
    ),
    "an enum": (
        "def f(k: K):\n    if k == K.A:\n        return 1\n    elif k == K.B:\n        return 2\n    return 3\n",
        "def f(k: K):\n    if k == K.B:\n        return 2\n    if k == K.A:\n        return 1\n    return 3\n",
        "from enum import Enum\nclass K(Enum):\n    A = 1\n    B = 2\n",
    ),
    "a row": ("def f(a, b):\n    return b\n", "from typing import NamedTuple\nclass R(NamedTuple):\n    x: int\n    y: int\ndef f(a, b):\n    return R(a, b).y\n", ""),
    "sums": ("def f(a: int, b: int):\n    return a + b - 3\n", "def f(a: int, b: int):\n    return b - 3 + a\n", ""),
    "bounds": ("def f(a: int):\n    if a < 3:\n        return 1\n    elif a < 5:\n        return 2\n    return 3\n", "def f(a: int):\n    if a >= 5:\n        return 3\n    if a >= 3:\n        return 2\n    return 1\n", ""),
    "exceptions": (
        "def f(g):\n    try:\n        r = g()\n    except ValueError as e:\n        raise KeyError(1) from e\n    return r\n",
        "def f(g):\n    try:\n        return g()\n    except ValueError as e:\n        raise KeyError(1) from e\n",
        "",
    ),
}  # fmt: skip


@pytest.fixture
def captured(monkeypatch):
    """Every certificate that is gone over, with what a checker for it needs."""
    found: list[tuple[Certificate, Any, Any]] = []
    go_over = entry._go_over

    def keep(certificate, p, run):
        go_over(certificate, p, run)
        found.append((certificate, p, run))

    monkeypatch.setattr(entry, "_go_over", keep)
    return found


def texts_of(name: str) -> tuple[str, str]:
    if name in MORE:
        old, new, shared = MORE[name]
        return shared + old, shared + new
    old, new = SAME[name]
    return body(old), body(new)


def logs_of(certificate: Certificate) -> Iterator[list[Any]]:
    pending = [certificate.log]
    for lemma in certificate.lemmas.values():
        pending += [lemma.step.yes, lemma.step.no] if isinstance(lemma.step, Split) else [lemma.step.log]
    while pending:
        log = pending.pop()
        yield log
        for e in log:
            if isinstance(e, Met):
                pending += [e.raised.log] if e.raised is not None else []
                pending += [e.ended] if e.ended is not None else []


def tampered(e: Any, make: Any) -> Iterator[Any]:
    """One entry, made wrong in every way that cannot be right."""
    other = make("symbol", "forged", 10**9)
    match e:
        case Stepped(which, Gives(value)) if value is not None:
            yield Stepped(which, Gives(other))
        case Stepped(which, Goes(outcome)):
            yield Stepped(which, Goes(not outcome))
            yield Stepped(which, Throws(other))
        case Stepped(which, Throws()):
            yield Stepped(which, Throws(other))
        case Met(old=old, new=new):
            yield replace(e, old=replace(old, key=other), new=replace(new, key=other))
            yield replace(e, new=replace(new, unmet=True))
            if e.made is not None:
                yield replace(e, made=make("param", "a"))
            if e.epoch is not None:
                yield replace(e, epoch=None)
                quiet = {"moves_time": False, "once": True, "keeps": "plain-attributes"}
                yield replace(e, epoch=None, old=replace(old, **quiet), new=replace(new, **quiet))
            if e.raised is not None:
                yield replace(e, raised=None)
                yield replace(e, raised=replace(e.raised, error=make("param", "a")))
            if e.ended is not None:
                yield replace(e, ended=None)
            if old.raises:
                yield replace(e, old=replace(old, raises=False), new=replace(new, raises=False))
        case Alone(which=which, event=event):
            yield Alone(1 - which, event)
            yield Alone(which, replace(event, harmless="made-by-factory"))
        case Followed(which=which, event=event):
            yield Followed(1 - which, event)
        case Back(loop=loop):
            yield Back(loop + 1000)
            yield Ends("exit")
        case Ends():
            yield Used(10**6)
            yield Peeled(0)
        case Used():
            yield Ends("exit")


def accepted(certificate: Certificate, p: Any, run: Any) -> bool:
    try:
        return entry.checker_of(certificate, p, run).accepts() == ""
    except (KeyError, AttributeError, IndexError, AssertionError, StopIteration):
        return False


@pytest.mark.parametrize("name", [*SAME, *MORE])
def test_a_certificate_made_wrong_is_refused(captured, name):
    texts = [Text(Path("yard.py"), text) for text in texts_of(name)]
    verdict = compare_texts(*texts, Wanted(trial=False, assume=(HASHABLE,))).verdict
    assert verdict.status == "proved", str(verdict)
    for certificate, p, run in captured:
        assert accepted(certificate, p, run)
        for log in list(logs_of(certificate)):
            for at, e in enumerate(list(log)):
                for wrong in tampered(e, p.terms.make):
                    log[at] = wrong
                    assert not accepted(certificate, p, run), (e, wrong)
                log[at] = e
            last = log.pop()
            assert not accepted(certificate, p, run)
            log.append(last)
            if len(log) > 1 and not isinstance(log[0], Stepped):
                first = log.pop(0)
                assert not accepted(certificate, p, run), first
                log.insert(0, first)


@pytest.mark.parametrize(
    "name", ["while with a counter", "nested loops", "loop with else", "classes", "bounds", "guards"]
)
def test_a_lemma_made_wrong_is_refused(captured, name):
    compare_texts(*(Text(Path("yard.py"), text) for text in texts_of(name)), Wanted(trial=False))
    for certificate, p, run in captured:
        used = {e.lemma for log in logs_of(certificate) for e in log if isinstance(e, Used)}
        for number, lemma in list(certificate.lemmas.items()):
            if number not in used:
                continue
            for index, consult in enumerate(lemma.needed):
                if consult[0] in ("fact", "done"):
                    flipped = (
                        *lemma.needed[:index],
                        (consult[0], consult[1], not consult[2]),
                        *lemma.needed[index + 1 :],
                    )
                    certificate.lemmas[number] = replace(lemma, needed=flipped)
                    if consult[0] == "fact":
                        assert not accepted(certificate, p, run)
            if isinstance(lemma.step, Round):
                parts = lemma.step.groups.parts
                wrong = [Groups((tuple(m for part in parts for m in part),), frozenset())] if len(parts) > 1 else []
                for groups in [*wrong, *(Groups(parts[:i] + parts[i + 1 :], frozenset()) for i in range(len(parts)))]:
                    certificate.lemmas[number] = replace(lemma, step=replace(lemma.step, groups=groups))
                    assert not accepted(certificate, p, run), groups
            if lemma.loops:
                certificate.lemmas[number] = replace(lemma, loops=frozenset({999}))
                assert not accepted(certificate, p, run)
            later = State(lemma.state.sides[::-1], lemma.state.facts, lemma.state.epoch)
            certificate.lemmas[number] = replace(lemma, state=later)
            assert not accepted(certificate, p, run)
            certificate.lemmas[number] = lemma


# --- single acts -------------------------------------------------------------------------------------------


class Bench:
    """One node of a function that returns an expression, with the values its operands get."""

    def __init__(self, code: str, expression: str, listed: frozenset[str] = DEFAULT_ASSUMPTIONS) -> None:
        tree = ast.parse(f"{code}def f(a: int, b, c: float, s: str, o):\n    return {expression}\n")
        self.arena = Arena()
        names = ModuleNames(tree)
        none = ModuleNames(ast.Module([], []))
        self.kin = KnownClasses(names, names), KnownClasses(names, names)
        self.alone = KnownClasses(names, none)
        self.axioms = Axioms(names, self.kin[0]), Axioms(names, self.kin[1])
        kinds = {"a": frozenset({"int", "bool"}), "c": frozenset({"float", "int", "bool"}), "s": frozenset({"str"})}
        self.acts = CheckedActs(self.arena, self.axioms, listed, listed, kinds, None, lambda name: True)
        node = lower(tree.body[-1], names, self.arena)
        store = {n: self.make("param", n) for n in "abcso"}
        outside = self.make("outside")
        while node.op in (Op.GLOBAL, Op.MOVE) and node.succs and node.succs[0].op is not Op.RETURN:
            store[str(node.dest)] = (
                self.make("global", node.payload[1]) if node.op is Op.GLOBAL else self.value(store, node.operands[0])
            )
            node = node.succs[0]
        self.side = Side(0, node, store, outside)
        self.state = State((self.side, self.side), Facts(), self.make("epoch"))
        self.vals = tuple(self.value(store, o) for o in node.operands)

    def value(self, store, operand):
        return operand if not isinstance(operand, str) else store.get(operand, self.arena.unbound)

    def make(self, op, *args):
        return self.arena.terms.make(op, *args)

    def const(self, value):
        return self.arena.terms.const(value)

    def gives(self, value) -> bool:
        return self.acts.gives(self.state, self.side, self.vals, value)


ENUM = "from enum import Enum\nclass K(Enum):\n    A = 1\n    B = 2\n"
ALIAS = "from enum import Enum\nclass K(Enum):\n    A = 1\n    B = 1\n"
ODD = "from enum import Enum\nclass K(Enum):\n    A = 1\n    B = 2\n    def __eq__(self, o):\n        return True\n"
FAMILY = "class P:\n    n = 1\n    def m(self):\n        return 1\n    @property\n    def q(self):\n        return 1\nclass Q(P):\n    n = 2\n"

# (module, expression, what it may give, what it may not)
ACTS: dict[str, tuple[str, str, Any, Any]] = {
    "a member": (ENUM, "K.A", lambda t: t.const(Member("K", "A")), lambda t: t.const(Member("K", "B"))),
    "an alias is no member": (ALIAS, "K.A", None, lambda t: t.const(Member("K", "A"))),
    "nor where members compare": (ODD, "K.A", None, lambda t: t.const(Member("K", "A"))),
    "a constant of a class": (FAMILY, "P.n", lambda t: t.const(1), lambda t: t.const(2)),
    "a constant of a derived class": (FAMILY, "Q.n", lambda t: t.const(2), lambda t: t.const(1)),
    "a method of a class": (FAMILY, "P.m", lambda t: t.make("method", "P", "m", "method", t.make("global", "P")), lambda t: t.make("method", "Q", "m", "method", t.make("global", "P"))),
    "a method by another name": (FAMILY, "P.m", None, lambda t: t.make("method", "P", "q", "property", t.make("global", "P"))),
    "a method of another object": (FAMILY, "P.m", None, lambda t: t.make("method", "P", "m", "method", t.make("param", "b"))),
    "a class in place of another": (FAMILY, "isinstance(b, P)", None, lambda t: t.state.lasting.add(t.make("asked", "isinstance", t.make("param", "b"), t.make("global", "Q"))) or t.make("bool", t.make("isinstance", t.make("param", "b"), t.make("global", "Q")), True)),
    "an attribute not read before": ("", "b.x", None, lambda t: t.make("attr", t.make("param", "b"), "x", t.state.epoch)),
    "a sum": ("", "a + 3", lambda t: t.make("arith", "Linear", 3, t.make("param", "a"), 1), lambda t: t.make("arith", "Linear", 4, t.make("param", "a"), 1)),
    "a sum of floats": ("", "c + 3", None, lambda t: t.make("arith", "Linear", 3, t.make("param", "c"), 1)),
    "twice": ("", "2 * a", lambda t: t.make("arith", "Linear", 0, t.make("param", "a"), 2), lambda t: t.make("arith", "Linear", 0, t.make("param", "a"), 3)),
    "a division may fail": ("", "a // b", None, lambda t: t.make("arith", "FloorDiv", t.make("param", "a"), t.make("param", "b"))),
    "a division by nothing": ("", "a // 0", None, lambda t: t.make("arith", "FloorDiv", t.make("param", "a"), t.const(0))),
    "a text in a text": ("", "f'{s}'", lambda t: t.make("formatted", -1, t.make("param", "s")), lambda t: t.make("formatted", 114, t.make("param", "s"))),
    "an object in a text": ("", "f'{b}'", None, lambda t: t.make("formatted", -1, t.make("param", "b"))),
    "equal, of known types": ("", "a == 3", lambda t: t.make("bool", t.make("eq", t.make("param", "a"), t.const(3)), True), lambda t: t.make("bool", t.make("eq", t.make("param", "a"), t.const(3)), False)),
    "equal, of an object": ("", "b == 3", None, lambda t: t.make("bool", t.make("eq", t.make("param", "b"), t.const(3)), True)),
    "not less": ("", "a >= 3", lambda t: t.make("bool", t.make("lt", t.make("param", "a"), t.const(3)), False), lambda t: t.make("bool", t.make("lt", t.const(3), t.make("param", "a")), False)),
    "not less, of floats": ("", "c >= 3", None, lambda t: t.make("bool", t.make("lt", t.make("param", "c"), t.const(3)), False)),
    "in, of known types": ("", "a in (1, 2)", lambda t: t.make("bool", t.make("in", t.make("param", "a"), t.make("tuple", t.const(1), t.const(2))), True), lambda t: t.const(True)),
    "two constants": ("", "1 < 2", lambda t: t.const(True), lambda t: t.const(False)),
    "is None": ("", "a is None", lambda t: t.const(False), lambda t: t.const(True)),
    "is None, of an object": ("", "b is None", lambda t: t.make("bool", t.make("is", t.make("param", "b"), t.const(None)), True), lambda t: t.const(False)),
    "is a number": ("", "b is 1000", None, lambda t: t.make("bool", t.make("is", t.make("param", "b"), t.const(1000)), True)),
    "is a bool, of an int": ("", "a is True", lambda t: t.make("bool", t.make("is", t.make("param", "a"), t.const(True)), True), lambda t: t.const(False)),
    "is itself": ("", "b is b", lambda t: t.const(True), lambda t: t.const(False)),
    "a type": ("", "type(b)", lambda t: t.make("type", t.make("param", "b")), lambda t: t.make("type", t.make("param", "a"))),
    "a type of one's own": ("def type(x):\n    return 1\n", "type(b)", None, lambda t: t.make("type", t.make("param", "b"))),
    "a length not asked before": ("", "len(b)", None, lambda t: t.make("len", t.make("param", "b"), t.state.epoch)),
    "a class not asked before": (FAMILY, "isinstance(b, P)", None, lambda t: t.make("bool", t.make("isinstance", t.make("param", "b"), t.make("global", "P")), True)),
    "callable": ("", "callable(b)", lambda t: t.make("bool", t.make("callable", t.make("param", "b"), t.state.epoch), True), lambda t: t.make("bool", t.make("callable", t.make("param", "b")), True)),
    "bool of an int": ("", "bool(a)", lambda t: t.make("bool", t.make("truth", t.make("param", "a")), True), lambda t: t.make("bool", t.make("truth", t.make("param", "a")), False)),
    "bool of an object": ("", "bool(b)", None, lambda t: t.make("bool", t.make("truth", t.make("param", "b")), True)),
}  # fmt: skip


@pytest.mark.filterwarnings("ignore::SyntaxWarning")
@pytest.mark.parametrize("name", ACTS)
def test_an_act_said_wrongly(name):
    code, expression, right, wrong = ACTS[name]
    bench = Bench(code, expression)
    if right is not None:
        assert bench.gives(right(bench))
    assert not bench.gives(wrong(bench))
    assert not bench.gives(bench.make("symbol", "any", 1))


def test_what_is_needed_has_to_be_named():
    attr = Bench("", "b.x")
    read = attr.make("attr", attr.vals[0], "x", attr.state.epoch)
    attr.state.done.add(read)
    assert attr.gives(read)
    unnamed = Bench("", "b.x", frozenset())
    read = unnamed.make("attr", unnamed.vals[0], "x", unnamed.state.epoch)
    unnamed.state.done.add(read)
    assert not unnamed.gives(read)
    turned = Bench("", "c >= 3", DEFAULT_ASSUMPTIONS | {ORDER})
    told = turned.make("bool", turned.make("lt", turned.vals[0], turned.const(3)), False)
    turned.state.lasting.add(told.args[0])
    assert turned.gives(told)


HARMLESS = {
    "attr": ("", "b.x", lambda t: t.make("attr", t.vals[0], "x", t.state.epoch), "plain-attributes", False),
    "attr of a class": (FAMILY, "P.n", lambda t: t.make("attr", t.make("global", "P"), "n", t.state.epoch), "plain-attributes", True),
    "attr a class lacks": (FAMILY, "P.none", lambda t: t.make("attr", t.make("global", "P"), "none", t.state.epoch), "plain-attributes", False),
    "eq": ("", "b == 3", lambda t: t.make("eq", t.vals[0], t.const(3)), "plain-comparisons", True),
    "eq by another name": ("", "b == 3", lambda t: t.make("eq", t.vals[0], t.const(3)), "plain-attributes", False),
    "lt for the first time": ("", "b < 3", lambda t: t.make("lt", t.vals[0], t.const(3)), "plain-comparisons", False),
    "in a tuple": ("", "b in (1, 2)", lambda t: t.make("in", t.vals[0], t.vals[1]), "plain-comparisons", True),
    "in an object": ("", "b in o", lambda t: t.make("in", t.vals[0], t.vals[1], t.state.epoch), "plain-comparisons", False),
    "asked of a class": (FAMILY, "isinstance(b, P)", lambda t: t.make("asked", "isinstance", t.make("param", "b"), t.make("global", "P")), "plain-comparisons", True),
    "asked of what is no class": ("P = 3\n", "isinstance(b, P)", lambda t: t.make("asked", "isinstance", t.make("param", "b"), t.make("global", "P")), "plain-comparisons", False),
}  # fmt: skip


@pytest.mark.parametrize("name", HARMLESS)
def test_what_one_side_may_do_alone(name):
    code, expression, key, assumption, allowed = HARMLESS[name]
    bench = Bench(code, expression)
    event = Event(key(bench), harmless=assumption, once=True, moves_time=False)
    assert bench.acts.is_harmless(bench.state, bench.side, event) is allowed


def test_what_follows_from_classes():
    code = FAMILY + "class R:\n    pass\nfrom abc import ABC\nclass S(ABC):\n    pass\nclass T(P, R):\n    pass\n"
    axioms = Bench(code, "b").axioms[0]
    assert axioms.outcome({"P"}, [{"Q"}], set()) is True
    assert axioms.outcome({"Q"}, [{"P"}], set()) is None
    assert axioms.outcome({"Q"}, [], {"P"}) is False
    assert axioms.outcome({"R"}, [{"P"}], set()) is None  # T is both
    assert axioms.outcome({"R"}, [{"Q"}], set()) is False
    assert axioms.outcome({"S"}, [{"Q"}], set()) is None  # others may be registered
    assert axioms.outcome({"int"}, [{"bool"}], set()) is True
    assert axioms.outcome({"str"}, [{"int"}], set()) is None or axioms.outcome({"str"}, [{"int"}], set()) is False
    assert axioms.outcome({"Q"}, [{"int"}, {"R"}], {"P"}) is False and axioms.outcome({"Q"}, [{"int"}], set()) is None
    assert axioms.outcome({"Unheard"}, [{"Q"}], set()) is None
    assert axioms.method("P", "m", "method") is not None and axioms.method("P", "m", "static") is None
    assert axioms.method("P", "q", "property") is not None and axioms.method("P", "n", "method") is None
    assert axioms.function("f") is not None and axioms.function("P") is None


@pytest.mark.parametrize(
    "code",
    ["def g():\n    pass\ng = 1\n", "def g():\n    pass\nfrom m import g\n", "def g():\n    pass\nglobals()['g'] = 1\n",
     "def g():\n    pass\ndef h():\n    global g\n", "def g():\n    pass\nexec('')\n", "@str\ndef g():\n    pass\n",
     "if 1:\n    def g():\n        pass\n", "def g():\n    pass\nfor g in ():\n    pass\n", "def g():\n    pass\nfrom m import *\n"],
)  # fmt: skip
def test_a_function_bound_in_another_way_is_no_axiom(code):
    assert Bench(code, "b").axioms[0].function("g") is None


def test_entailment_goes_through_values():
    t = Bench("", "b")
    x, n = t.make("param", "b"), t.const
    lt3, lt5, eq4, none = t.make("lt", x, n(3)), t.make("lt", x, n(5)), t.make("eq", x, n(4)), t.make("is", x, n(None))
    assert follows([(lt3, True)], lt5, True, total=False)
    assert not follows([(lt5, True)], lt3, True, total=False)
    assert not follows([(lt3, False)], t.make("le", n(3), x), True, total=False)  # no number
    assert follows([(lt3, False)], t.make("le", n(3), x), True, total=True)
    assert follows([(eq4, True)], none, False, total=False) and follows([(none, True)], eq4, False, total=False)
    assert not follows([(none, False)], eq4, True, total=False)
    assert follows([(t.make("in", x, t.make("tuple", n(1), n(2))), True)], lt3, True, total=False)
    assert not follows([(t.make("in", x, t.make("tuple", n(1), n(9))), True)], lt3, True, total=False)


def quiet(key, keeps, result=None, **more):
    return Event(key, result=result, keeps=keeps, once=True, moves_time=False, **more)


def bool_of(t, test, wanted=True):
    return t.make("bool", test, wanted)


OBSERVED = {
    "attr": ("", "b.x", lambda t: quiet(k := t.make("attr", t.vals[0], "x", t.state.epoch), "plain-attributes", k)),
    "item": ("", "b[0]", lambda t: quiet(k := t.make("item", *t.vals, t.state.epoch), "plain-items", k)),
    "got": ("", "b.get('k', 0)", lambda t: quiet(k := t.make("got", t.vals[0].args[0], *t.vals[1:], t.state.epoch), "plain-items", k)),
    "len": ("", "len(b)", lambda t: quiet(k := t.make("len", t.vals[1], t.state.epoch), "plain-comparisons", k)),
    "eq": ("", "b == 3", lambda t: quiet(k := t.make("eq", t.vals[0], t.const(3)), "plain-comparisons", bool_of(t, k))),
    "eq of two": ("", "b == o", lambda t: quiet(k := t.make("eq", *t.vals, t.state.epoch), "plain-comparisons", bool_of(t, k))),
    "lt": ("", "b < o", lambda t: quiet(k := t.make("lt", *t.vals, t.state.epoch), "plain-comparisons", bool_of(t, k))),
    "in": ("", "b in o", lambda t: quiet(k := t.make("in", *t.vals, t.state.epoch), "plain-comparisons", bool_of(t, k))),
    "truth": ("", "1 if b else 2", lambda t: quiet(k := t.make("truth", t.vals[0], t.state.epoch), "plain-comparisons", k, stays=True)),
    "asked": (
        FAMILY,
        "isinstance(b, P)",
        lambda t: quiet(
            t.make("asked", "isinstance", *t.vals[1:]), "plain-comparisons", bool_of(t, t.make("isinstance", *t.vals[1:]))
        ),
    ),
    "global": ("", "unheard", lambda t: quiet(k := t.make("gvar", "unheard", t.state.epoch), "", k)),
    "arith": ("", "a // 3 + c", lambda t: quiet(k := t.make("arith", t.side.node.payload, *t.vals), "", k)),
}  # fmt: skip


@pytest.mark.parametrize("name", OBSERVED)
def test_an_observation_owns_up_to_what_it_is(name):
    code, expression, right = OBSERVED[name]
    t = Bench(code, expression)
    if name == "arith":
        t.side.node = t.side.node.succs[0]
        t.vals = (t.make("arith", "FloorDiv", t.make("param", "a"), t.const(3)), t.make("param", "c"))
    if name == "got":
        t.side.node = t.side.node.succs[0]
        t.vals = (t.make("attr", *t.vals, "get", t.state.epoch), t.const("k"), t.const(0))
    event = right(t)

    def does(e: Event) -> bool:
        return t.acts.does(t.state, t.side, t.vals, e)

    assert does(event)
    stranger, symbol = t.make("param", "o" if name != "eq of two" else "s"), t.make("symbol", "any", 1)
    assert not does(replace(event, key=symbol))
    assert not does(replace(event, once=False))
    assert not does(replace(event, raises=False))
    assert not does(replace(event, ends=True))
    assert not does(replace(event, keeps="total-order"))
    if event.keeps:
        assert not does(replace(event, keeps=""))
        assert not does(replace(event, keeps="annotations-hold"))
    if name not in ("truth",):
        assert not does(replace(event, result=None))
        assert not does(replace(event, result=symbol))
    for at, arg in enumerate(event.key.args):
        if not isinstance(arg, str) and arg is not None:
            args = (*event.key.args[:at], stranger if arg is not stranger else symbol, *event.key.args[at + 1 :])
            assert not does(replace(event, key=t.make(event.key.op, *args))), args


def test_an_act_of_which_nothing_is_known_moves_time():
    t = Bench("", "b[0]")
    key = t.make(Op.ITEM, None, *t.vals)
    assert t.acts.does(t.state, t.side, t.vals, Event(key))
    assert not t.acts.does(t.state, t.side, t.vals, Event(key, moves_time=False))
    assert not t.acts.does(t.state, t.side, t.vals, quiet(key, "plain-attributes", key))
    made = Bench("", "[b]")
    key = made.make(Op.NEW, made.side.node.payload, *made.vals)
    assert made.acts.does(made.state, made.side, made.vals, Event(key, moves_time=False, raises=False))


BELOW = "{head}def f(o):\n    if isinstance(o, {one}):\n        if isinstance(o, {other}):\n            return 1\n        return 2\n    return 3\n"
SHORT = "{head}def f(o):\n    if isinstance(o, {one}):\n        return 1\n    return 3\n"


@pytest.mark.parametrize(
    ("head", "one", "other", "status"),
    [
        ("", "bool", "int", "proved"),
        ("", "int", "bool", "unsettled"),
        ("", "bool", "str", "unsettled"),
        ("int = str\n", "bool", "int", "unsettled"),
        ("", "(bool, OSError)", "(int, Exception)", "proved"),
    ],
)
def test_built_in_classes_derive_from_one_another(head, one, other, status):
    from dreck.workbench.compare.compare import compare_texts
    from dreck.workbench.compare.sides import Text
    from dreck.workbench.compare.wanted import Wanted

    texts = (Text(Path("y.py"), code.format(head=head, one=one, other=other)) for code in (BELOW, SHORT))
    assert compare_texts(*texts, Wanted(trial=False)).verdict.status == status
