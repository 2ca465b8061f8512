"""What is done for a kind, as a function: its name, and one for kinds that are treated alike."""

import ast
import builtins
import re
from collections.abc import Iterator, Sequence
from dataclasses import replace

from dreck.model.names.worked_out import may_be_asked_for
from dreck.source.walking import walk
from dreck.steps.support.arm_comments import comments_of_arm
from dreck.steps.support.chains import Arm, Chain, comments_of, lines_of
from dreck.steps.support.names.table_names import naming, own_style
from dreck.steps.support.names.vocabulary import ARTICLES, ASKING, CONDITIONS, DEEDS
from dreck.steps.support.names.wording import is_free
from dreck.steps.support.names.words import sign_words, words_of
from dreck.steps.support.scene import Scene
from dreck.steps.support.sheet import Sheet
from dreck.steps.support.trees import Untouchable

_MOST_SAID = 4


def merged(sheet: Sheet, chain: Chain) -> tuple[Chain, dict[int, tuple[ast.expr, ...]]]:
    """The chain with one arm for all kinds that are treated alike, and by its line the first key of each of them."""
    first = lines_of(sheet, chain)[0]
    by_body: dict[str, Arm] = {}
    alike: dict[int, tuple[ast.expr, ...]] = {}
    arms: list[Arm] = []
    for arm in chain.arms:
        body = ast.dump(ast.Module(arm.body, []))
        same = by_body.get(body)
        if same is None or comments_of_arm(sheet, arm, first):
            by_body.setdefault(body, arm)
            arms.append(arm)
            continue
        at = next(i for i, one in enumerate(arms) if one.line == same.line)
        alike[same.line] = (*alike.get(same.line, same.keys[:1]), arm.keys[0])
        arms[at] = replace(arms[at], keys=(*arms[at].keys, *arm.keys))
    return replace(chain, arms=tuple(arms)), alike


def deed_of(name: str) -> list[str]:
    """What a function is called after, word by word; a constructor sets something, `__call__` says nothing."""
    if name in ("__init__", "__new__", "__post_init__"):
        return ["set"]
    return [] if name.startswith("__") and name.endswith("__") else words_of(name.strip("_"))


def function_name(scene: Scene, keys: Sequence[ast.expr], taken: set[str], arm: Arm | None = None) -> str:
    """`handle_glass`: what the function does, to which kind. Where the key says nothing of it, as a number does, what
    is said of the arm, or what it does; else a person has to."""
    code = ast.unparse(keys[0])
    wished = scene.wishes.name_for(code)
    if wished and wished in taken:
        raise Untouchable(f"the name '{wished}' is taken already")
    if wished:
        return wished
    words = _all_words(keys)
    deed = deed_of(scene.node.name)
    verb = [*deed, "for"] if deed[:1] and deed[0] in ASKING else deed[:1] or ["handle"]
    speaks = not all(w.isdigit() or w == "or" for w in words) and all(map(_key_words, keys))
    says_more = speaks and all(any(len(word) > 1 for word in _letters(key)) for key in keys)
    tries = [[*verb, *words]] if speaks else list(_said_of(scene.sheet(), arm, verb)) if arm is not None else []
    tries = tries if says_more or arm is None else [*_made_in(arm, verb), *tries]
    if not tries:
        raise Untouchable(f"{code} does not say what is done; give each function a name: {naming(code)} ...")
    for words in [*tries, *([_OTHERWISE.get(told[0], "take"), *told[1:]] for told in tries)]:
        name = own_style(scene, "_".join(words))
        if name.isidentifier() and is_free(name, taken) and not may_be_asked_for(scene.tree, name):
            return name
    raise Untouchable(f"no free name was found for what is done for {code}; give one with {naming(code)}")


_OTHERWISE = {
    "parse": "read", "read": "take", "validate": "check", "check": "examine", "visit": "enter", "handle": "process",
    "process": "handle", "render": "write", "write": "render", "format": "write", "get": "find", "make": "build",
    "build": "make", "convert": "translate", "do": "run", "on": "after",
}  # fmt: skip
"""Another verb, where names with the first one are worked out: `getattr(self, f"_parse_{kind}")`."""


def _all_words(keys: Sequence[ast.expr]) -> list[str]:
    """`one or two` for `STOP_ONE` and `STOP_TWO` behind `stop`: what all keys begin with is said once."""
    told = [_key_words(key) for key in keys]
    size = min(map(len, told))
    common = next((at for at in range(size) if len({words[at] for words in told}) > 1), size - 1 if size else 0)
    further = [word for words in told[1:] for word in ("or", *words[common:])]
    return [*told[0], *further]


def _key_words(key: ast.expr) -> list[str]:
    return _letters(key) or sign_words(_told(key))


def _letters(key: ast.expr) -> list[str]:
    return words_of("".join(c if c.isalnum() else " " for c in _told(key)))


def _told(key: ast.expr) -> str:
    match key:
        case ast.Constant(value=bytes() as octets):
            return octets.decode("latin-1") if octets.isascii() else ""
        case ast.Constant(value=str() as told) | ast.Attribute(attr=told):
            return told
        case _:
            return ast.unparse(key)


def _made_in(arm: Arm, verb: list[str]) -> Iterator[list[str]]:
    """What an arm makes, when all that it returns is made by one class: `return Ticket.read(row)`."""
    made: set[str] = set()
    for n in (n for s in arm.body for n in walk(s) if isinstance(n, ast.Return)):
        match n.value:
            case ast.Call(func=ast.Name(id=kind) | ast.Attribute(value=ast.Name(id=kind))) if kind[:1].isupper():
                made.add(kind)
            case _:
                made.add("")
    words = words_of(made.pop()) if len(made) == 1 else []
    yield from [[*verb, *(words[:-1] if words[-1] == "object" and words[1:] else words)]] if words else []


def _said_of(sheet: Sheet, arm: Arm, verb: list[str]) -> Iterator[list[str]]:
    """What the first comment of an arm says, `# Ctrl+R -> toggle the belt`; else the one error that it raises."""
    first = arm.body[0].lineno
    beside = comments_of(sheet, arm.line, arm.line)
    above = [c for line in range(arm.line + 1, first + 1) for c in comments_of(sheet, line, line)]
    told = beside[:1] or (above[:1] if len(above) == 1 else [])
    for comment in told:
        text = re.split(r"->|=>|:", comment.strip("# ."))[-1]
        words = [w.lower() for w in text.split()]
        kept = [w for w in words if w not in ARTICLES | {"it"}]
        if (
            all(w.isalpha() and w.isascii() for w in words)
            and 1 <= len(kept) <= _MOST_SAID
            and not CONDITIONS & set(kept)
        ):
            yield kept if kept[0] in DEEDS and len(kept) > 1 else [*verb, *kept]
    match arm.body:
        case [ast.Raise(exc=ast.Call(func=ast.Name(id=kind)) | ast.Name(id=kind))] if not hasattr(builtins, kind):
            words = [w for w in words_of(kind) if w not in ("error", "exception")]
            if words:
                yield ["raise", *words]
