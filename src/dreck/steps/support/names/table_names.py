"""Names of tables that are put beside a function: what they hold, as the module's own constants are called."""

import ast
import shlex
from collections.abc import Iterable, Sequence

from dreck.model.views.shape import is_elif
from dreck.source.walking import walk
from dreck.steps.support.names.vocabulary import SMALL
from dreck.steps.support.names.wording import constant_name, is_free
from dreck.steps.support.names.words import words_of
from dreck.steps.support.scene import Scene
from dreck.steps.support.trees import Untouchable

_MOST = 3
_LEADING_ON = frozenset({"with", "by", "from", "at", "on"})


def table_name(scene: Scene, asked_for: str, words: Iterable[str], line: int) -> str:
    """What is wished for the code `asked_for`; else `words`, and what the tests around `line` say when these are taken.

    Raises Untouchable where no free name says what the table holds.
    """
    wished, taken = scene.wishes.name_for(asked_for), scene.all_words()
    if wished and wished in taken:
        raise Untouchable(f"the name '{wished}' is taken already")
    if wished:
        return wished
    plain = list(words)
    if not any(len(word) > 2 for word in plain):
        raise Untouchable(f"no good name was found for its table; give one with {naming(asked_for)}")
    around = ["for", *said_around(scene, line)]
    had = any(other.strip("_").startswith(f"{constant_name(plain, ())}_FOR_") for other in taken)
    for more in (around, []) if had or _has_its_like(scene, asked_for, line) else ([], around):
        name = own_constant(scene, constant_name([*plain, *more], ()))
        if is_free(name, taken) and more != ["for"]:
            return name
    raise Untouchable(f"no free name was found for its table; give one with {naming(asked_for)}")


def _has_its_like(scene: Scene, asked_for: str, line: int) -> bool:
    """Whether the ladder at a line has its like elsewhere in the function: on the same thing, for the same thing."""
    heads = [n for n in walk(scene.node) if isinstance(n, ast.If) and is_elif(n) and _subject(n) == asked_for]
    tails = {id(n.orelse[0]) for n in heads}
    first = [n for n in heads if id(n) not in tails]
    mine = [_chosen(n) for n in first if n.lineno == line]
    return any(n.lineno != line and _chosen(n) in mine for n in first)


def _subject(s: ast.If) -> str:
    return ast.unparse(s.test.left) if isinstance(s.test, ast.Compare) else ""


def _chosen(s: ast.If) -> str:
    match s.body:
        case [ast.Assign(targets=[target])]:
            return ast.unparse(target)
    return type(s.body[0]).__name__


def table_there(scene: Scene, table: str, words: Sequence[str] = ()) -> str:
    """The constant of the module that holds just these rows, and that is called after `words` where these are given;
    '' when there is none. Comments on rows want their own."""
    if "#" in table:
        return ""
    wanted = ast.dump(ast.parse(table, mode="eval").body)
    for s in scene.tree.body:
        match s:
            case (
                ast.Assign(targets=[ast.Name(id=name)], value=ast.Dict() as held)
                | ast.AnnAssign(target=ast.Name(id=name), value=ast.Dict() as held)
            ) if name in scene.names.tables.known:
                if ast.dump(held) == wanted and words_of(name.strip("_"))[: len(words)] == list(words):
                    return name
    return ""


def three_of(words: list[str]) -> list[str]:
    """The first words, no more than three, none of them twice; where there are more, none that leads on is the last."""
    found = [w for w in dict.fromkeys(words) if w not in ("the", "of", "for")]
    if len(found) > _MOST:
        found = found[:_MOST]
        while len(found) > 1 and (found[-1] in SMALL or found[-1] in _LEADING_ON):
            found.pop()
    return found


def naming(code: str) -> str:
    """The option that gives a name to what stands for a piece of code, as a shell takes it."""
    return f"--name {shlex.quote(f'{code}=NAME')}"


def own_constant(scene: Scene, name: str) -> str:
    """The name with an underscore before it, where the module's constants have one; without any, as its helpers are."""
    return f"_{name}" if is_kept_private(scene, constants_of(scene.tree) or used_helpers(scene.tree)) else name


def own_style(scene: Scene, name: str) -> str:
    """The name with an underscore before it, where the module's helpers have one, or where it has none of its own."""
    return f"_{name}" if not name.startswith("_") and is_kept_private(scene, used_helpers(scene.tree)) else name


def is_kept_private(scene: Scene, alike: list[str]) -> bool:
    """Whether names like these are the module's own affair: some are, or there are none and others are for callers."""
    if len(alike) > 1 or any(name.startswith("_") for name in alike):
        return any(name.startswith("_") for name in alike)
    made = [s for s in scene.tree.body if isinstance(s, ast.FunctionDef | ast.AsyncFunctionDef | ast.ClassDef)]
    return len(made) > 1 + len(alike) or any(isinstance(s, ast.ClassDef) for s in made)


def used_helpers(tree: ast.Module) -> list[str]:
    """Functions of the module that it calls itself."""
    helpers = [s.name for s in tree.body if isinstance(s, ast.FunctionDef)]
    called = {n.func.id for n in walk(tree) if isinstance(n, ast.Call) and isinstance(n.func, ast.Name)}
    return [h for h in helpers if h in called]


def constants_of(tree: ast.Module) -> list[str]:
    """Names in capitals that the module binds."""
    targets = [t for s in tree.body if isinstance(s, ast.Assign) for t in s.targets]
    targets += [s.target for s in tree.body if isinstance(s, ast.AnnAssign)]
    return [t.id for t in targets if isinstance(t, ast.Name) and t.id.strip("_").isupper()]


def said_around(scene: Scene, line: int) -> list[str]:
    """What the innermost test around a line asks for: `color`, `1` for the lines below `if color == 1:`."""
    found: list[str] = []
    for node in walk(scene.node):
        if isinstance(node, ast.If) and node.body[0].lineno <= line <= (node.body[-1].end_lineno or 0):
            match node.test:
                case ast.Compare(left=left, ops=[ast.Eq() | ast.Is()], comparators=[right]):
                    words = [*words_of(_last(left)), *words_of(_last(right))]
                    found = words if all(words) else found
    return found


def _last(e: ast.expr) -> str:
    match e:
        case ast.Constant(value=str() | int() as value):
            return "".join(c if c.isalnum() else " " for c in str(value)).strip().replace(" ", "_")
    return ast.unparse(e).rpartition(".")[2].strip("()[]'\"")
