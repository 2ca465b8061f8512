"""Blocks: a branch or loop body that may leave its function, with what goes in and what comes out."""

import ast
from collections.abc import Sequence
from dataclasses import dataclass

from dreck.model.names.scopes import assigned_in, kept_by_functions, scope_of
from dreck.model.views.control_flow import own_of_comprehensions
from dreck.model.views.liveness import passed_by, surely_bound_before
from dreck.model.views.shape import leaves
from dreck.source.functions import FunctionNode
from dreck.source.walking import walk
from dreck.steps.naming.answers import answers_of
from dreck.steps.naming.lazily import keeps_its_variables, seen_later
from dreck.steps.naming.predicates import awaits
from dreck.steps.support.raw import RAW
from dreck.steps.support.scene import Scene
from dreck.steps.support.sheet import Range, Sheet
from dreck.steps.support.trees import Untouchable

_LAZY = (ast.Lambda, ast.FunctionDef, ast.AsyncFunctionDef, ast.ClassDef, ast.GeneratorExp)


@dataclass(frozen=True, slots=True)
class Block:
    """A branch or loop body: its statements, the statement it belongs to, and the loop it is the body of."""

    body: list[ast.stmt]
    holder: ast.stmt
    is_else: bool
    loops: tuple[ast.stmt, ...]
    at_end: bool
    """Whether nothing else of the innermost loop runs after it."""

    @property
    def is_loop_body(self) -> bool:
        return isinstance(self.holder, ast.For | ast.AsyncFor | ast.While) and not self.is_else


def check_block(scene: Scene, block: Block, out_of_class: bool = False) -> None:
    """Raises Untouchable for what cannot leave the function it stands in, or its class either."""
    if own_statements(block.body, ast.Break):
        raise Untouchable("it breaks out of the loop around it, which a function cannot")
    if own_statements(block.body, ast.Continue) and not block.at_end:
        raise Untouchable("it continues the loop around it, and more of the loop follows")
    if own_statements(block.body, ast.Continue) and not block.loops:
        raise Untouchable("it continues a loop")
    check_parts(scene, block, out_of_class)


def _inside_handlers(body: list[ast.stmt]) -> set[ast.AST]:
    """What runs where an error is handled that was caught there."""
    handlers = (n for s in body for n in walk(s) if isinstance(n, ast.ExceptHandler))
    return {n for handler in handlers for part in handler.body for n in walk(part)}


def check_parts(scene: Scene, block: Block, out_of_class: bool = False) -> None:
    """The same, whatever its exits are."""
    declared = scene.scope.declared_global | scene.scope.declared_nonlocal
    bound = assigned_in(block.body)
    if bound & declared:
        raise Untouchable(f"it assigns {min(bound & declared)}, which is not the function's own")
    handled = _inside_handlers(block.body)
    for node in (n for s in block.body for n in walk(s)):
        match node:
            case _ if isinstance(node, _LAZY) and not keeps_its_variables(scene, block.body, bool(block.loops), node):
                raise Untouchable("it holds a function that would see other variables")
            case ast.Name(ctx=ast.Del()) | ast.Global() | ast.Nonlocal():
                raise Untouchable("it deletes or declares names")
            case ast.Call(func=ast.Name(id="super" | "locals" | "vars" | "eval" | "exec" as name)):
                raise Untouchable(f"it calls {name}(), which depends on the function it stands in")
            case ast.Raise(exc=None) if node not in handled:
                raise Untouchable("it raises again what is being handled around it")
            case ast.Name(id=word) | ast.Attribute(attr=word) if out_of_class and is_private(word):
                raise Untouchable(f"it reads {word}, which means that only inside its class")
            case ast.Name(id="__class__"):
                raise Untouchable("it names __class__")


def own_statements(body: Sequence[ast.stmt], kind: type[ast.stmt]) -> list[ast.stmt]:
    """The statements of that kind in a block; `continue` and `break` of loops inside it are theirs."""
    found: list[ast.stmt] = []
    for s in body:
        if isinstance(s, kind):
            found.append(s)
        if isinstance(s, ast.FunctionDef | ast.AsyncFunctionDef | ast.ClassDef):
            continue
        inside_loop = isinstance(s, ast.For | ast.AsyncFor | ast.While) and kind in (ast.Break, ast.Continue)
        for child in ast.iter_child_nodes(s):
            inner = [child] if isinstance(child, ast.stmt) else getattr(child, "body", [])
            if isinstance(inner, list) and (not inside_loop or child in getattr(s, "orelse", [])):
                found += own_statements([n for n in inner if isinstance(n, ast.stmt)], kind)
    return found


def passed(scene: Scene, block: Block) -> tuple[list[str], list[str]]:
    """The names a block gets and those it gives back, in the order they stand."""
    told = passed_by(scene.node, block.body)
    aside = own_of_comprehensions(scene.node)
    inside = {n for s in block.body for n in walk(s)}
    order = sorted(
        (n for n in inside if isinstance(n, ast.Name) and n not in aside), key=lambda n: (n.lineno, n.col_offset)
    )
    seen = list(dict.fromkeys([*(n.id for n in order), *sorted(told.needed | told.results)]))
    local, bound = scope_of(scene.node).local, assigned_in(block.body)
    kept_on = kept_by_functions(scene.scope, scene.names.is_builtin) & _kept_by_functions(scene.node, aside)
    lasting = (kept_on | scene.scope.deleted) & bound
    results = [n for n in seen if n in local and (n in told.results or n in lasting)]
    kept = lasting - told.results
    unsure = told.handed_back - surely_bound_before(scene.node, block.body) if told.handed_back else frozenset[str]()
    given = [n for n in seen if n in local & told.known and (n in told.needed - unsure or n in kept)]
    around = _bound_around(scene) - local - scene.scope.declared_global
    given += [n for n in seen if n in around and any(m.id == n and isinstance(m.ctx, ast.Load) for m in order)]
    given.sort(key=lambda name: name not in _OBJECTS)
    return given, [] if leaves(block.body) and own_statements(block.body, ast.Return) else results


def passed_together(scene: Scene, blocks: Sequence[Block]) -> tuple[list[str], list[str]]:
    """The same of blocks one of which is run: where one leaves a result as it is, it is given that to hand it back."""
    passes = [passed(scene, block) for block in blocks]
    results = list(dict.fromkeys(r for _, rs in passes for r in rs))
    given = list(dict.fromkeys(g for gs, _ in passes for g in gs))
    for block, (_, bound) in zip(blocks, passes, strict=True):
        kept = [] if leaves(block.body) else [r for r in results if r not in bound]
        unknown = [r for r in kept if r not in passed_by(scene.node, block.body).known]
        if unknown:
            raise Untouchable(f"{unknown[0]} has no value yet where an arm leaves it as it is")
        given += [r for r in kept if r not in given]
    return given, results


def _kept_by_functions(function: FunctionNode, aside: set[ast.AST]) -> set[str]:
    """The names in functions and generators inside of it, those that are their own left out where that is plain."""
    lazy = [n for n in walk(function) if n is not function and isinstance(n, _LAZY)]
    return {getattr(n, "id", "") for inner in lazy for n in seen_later(inner) if n not in aside}


def _bound_around(scene: Scene) -> set[str]:
    """The variables of the functions that the function stands in."""
    if not scene.function.nested:
        return set()
    functions = (n for n in walk(scene.tree) if isinstance(n, ast.FunctionDef | ast.AsyncFunctionDef))
    outer = [f for f in functions if f is not scene.node and any(n is scene.node for n in walk(f))]
    return {name for f in outer for name in scope_of(f).local}


def waits(block: Block) -> bool:
    return any(awaits(s) or any(isinstance(n, ast.AsyncFor | ast.AsyncWith) for n in walk(s)) for s in block.body)


def yields(block: Block) -> bool:
    return any(isinstance(n, ast.Yield | ast.YieldFrom) for s in block.body for n in walk(s))


# --- text ----------------------------------------------------------------------------------------------


def block_lines(sheet: Sheet, block: Block) -> tuple[int, int]:
    """The lines of the block, the comments above its first and below its last statement included."""
    first = min([block.body[0].lineno, *(d.lineno for d in getattr(block.body[0], "decorator_list", []))])
    indent = sheet.indent(block.body[0].lineno)
    if len(indent.encode()) != block.body[0].col_offset:
        raise Untouchable("it stands on the line of its test")
    while sheet.line(first - 1).strip().startswith("#") and sheet.indent(first - 1) == indent:
        first -= 1
    last = block.body[-1].end_lineno or block.body[-1].lineno
    below = sheet.comments_below(last, indent)
    count = len(sheet.text.splitlines())
    after = next((n for n in range(max([last, *below]) + 1, count + 1) if sheet.line(n).strip()), 0)
    if after and sheet.indent(after) == indent:  # what stands as deep speaks of the statement that follows
        below = [n for n in below if sheet.indent(n) != indent]
    return first, max([last, *below])


def block_text(scene: Scene, block: Block, first: int, last: int, back: str) -> list[str]:
    """The lines of a block as they stand in a function of their own, which `back` leaves where the block goes on."""
    sheet = scene.sheet()
    for s in own_statements(block.body, ast.Continue):
        sheet.replace(s, back)
    lines = lines_without_indent(Sheet(sheet.result()), block, first, last)
    return _without_a_last_return(lines) if back == "return" else lines


def _without_a_last_return(lines: list[str]) -> list[str]:
    """A `return` of nothing that is the last line goes, where a statement stands before it."""
    alone = not any(line and not line.lstrip().startswith("#") for line in lines[:-1])
    return lines if alone or lines[-1] != "return" else lines[:-1]


def answering_text(scene: Scene, block: Block, first: int, last: int, result: str) -> list[str] | None:
    """The lines of a block that hands back what it would give its one result; None where it does more at its end."""
    found = answers_of(block.body, result)
    if not found or last > (block.body[-1].end_lineno or 0):
        return None
    sheet = scene.sheet()
    if not are_movable(sheet, found):
        return None
    for s in found:
        sheet.replace(Range(sheet.of(s).start, sheet.in_parentheses(s.value).start), "return ")
    return lines_without_indent(Sheet(sheet.result()), block, first, last)


def are_movable(sheet: Sheet, found: Sequence[ast.stmt]) -> bool:
    """Whether more or less may stand before what is given: nothing in its other lines is lined up with the first."""
    opening = ("(", "[", "{")
    return all(s.lineno == s.end_lineno or sheet.line(s.lineno).rstrip().endswith(opening) for s in found)


def plain_text(scene: Scene, block: Block, back: str) -> list[str]:
    """The same, of a block without texts over several lines."""
    lines = block_text(scene, block, *block_lines(scene.sheet(), block), back)
    if any(line.startswith(RAW) for line in lines):
        raise Untouchable("a text over several lines stands in it, which would be indented otherwise")
    return lines


def lines_without_indent(sheet: Sheet, block: Block, first: int, last: int) -> list[str]:
    """These lines without the indent of the block; those that begin inside a text are marked, and stay as they are."""
    indent, inside = sheet.indent(block.body[0].lineno), sheet.lines_inside_texts(first, last)
    lines = {n: sheet.line(n).rstrip("\r\n") for n in range(first, last + 1)}
    return [f"{RAW}{line}" if n in inside else line.removeprefix(indent) for n, line in lines.items()]


def shortened(lines: list[str], width: int) -> list[str]:
    """`space = X` and `return space` behind it are `return X`; with `return space, kilos` it is `return X, kilos`."""
    if len(lines) < 2 or not lines[-1].startswith("return "):
        return lines
    names = lines[-1].removeprefix("return ").split(", ")
    name, _, value = lines[-2].partition(" = ")
    goes_on = len(lines) > 2 and lines[-3].endswith("\\")
    kept_by_others = any(word in line for line in lines for word in ("lambda", "def "))  # they see the variable
    if (
        goes_on
        or kept_by_others
        or "#" in lines[-2]
        or names.count(name) != 1
        or not _is_set_alone(lines[-2], among=len(names) > 1)
    ):
        return lines
    told = f"return {', '.join(value if n == name else n for n in names)}"
    return lines if len(names) > 1 and len(told) + _INDENT > width else [*lines[:-2], told]


def _is_set_alone(line: str, among: bool) -> bool:
    """Whether a line is a whole assignment to one name; `kilos = self.kilos = 3` sets another thing besides.

    `among`: the value stands `among` others then, so that it has to be one at first sight.
    """
    try:
        body = ast.parse(line).body
    except SyntaxError:
        return False
    match body:
        case [ast.Assign(targets=[ast.Name()], value=value)]:
            parts = [n for n in walk(value) if isinstance(n, ast.NamedExpr | ast.Yield | ast.YieldFrom)]
            return not among or not (parts or isinstance(value, ast.Tuple | ast.Lambda | ast.IfExp))
    return False


def check_handed(given: Sequence[str], results: Sequence[str], who: str = "each of its functions") -> None:
    """Raises Untouchable where functions would be handed more, or hand back more, than a person would read."""
    for names, most, told in ((results, _MOST_OUT, "hand back"), (given, _MOST_IN, "be handed")):
        if len(names) > most:
            some = ", ".join(names[:most])
            raise Untouchable(
                f"{who} would {told} {len(names)} variables ({some}, ...); "
                "keep them on one object first, or name a part of it (named-block)"
            )


def in_order(scene: Scene, names: Sequence[str]) -> list[str]:
    """Names to be handed on: the function's own parameters in their order, then its variables as they come."""
    spec = scene.node.args
    own = [a.arg for a in (*spec.posonlyargs, *spec.args, *spec.kwonlyargs)]
    return [n for n in own if n in names] + [n for n in names if n not in own]


def is_private(word: str) -> bool:
    """A name that a class makes its own: `__x`."""
    return word.startswith("__") and not word.endswith("__")


_MOST_IN = 8
_MOST_OUT = 3
_OBJECTS = ("self", "cls")
"""What a function nested in a method knows that object by: it comes first."""
_INDENT = 8
"""What a line of a function made of a block is indented by at most."""
