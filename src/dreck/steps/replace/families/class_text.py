"""Text of classes: methods, bases and attributes put in, lines of a function as lines of a method."""

import ast
import re
from collections.abc import Sequence

from dreck.source.walking import walk
from dreck.steps.support.scene import Scene
from dreck.steps.support.sheet import Range, Sheet
from dreck.steps.support.trees import Untouchable


def check_body(body: Sequence[str], cls: ast.ClassDef) -> None:
    tree = ast.parse("\n".join(["def f():", *(f"    {line}" for line in body)]))
    for node in walk(tree):
        word = getattr(node, "attr", None) or getattr(node, "id", None)
        if isinstance(word, str) and word.startswith("__") and not word.endswith("__"):
            raise Untouchable(f"it reads {word}, which the class {cls.name} would mangle")
        if word == "self":
            raise Untouchable("it has a self of its own")


def for_self(line: str, subject: str) -> str:
    """A line with the subject called `self`; its strings and comments stay."""
    return called_otherwise(line, subject, "self")


def called_otherwise(line: str, subject: str, name: str) -> str:
    """A line with a variable called by another name; its strings and comments stay."""
    if not re.search(rf"\b{subject}\b", line):
        return line
    sheet = Sheet(line.lstrip() + "\n")
    lead = line[: len(line) - len(line.lstrip())]
    try:
        tokens = list(sheet.tokens)
    except Untouchable:
        tokens = _tokens_of_part(line.lstrip())
    before = ""
    for token in tokens:
        if token.type == 1 and token.string == subject and before != ".":
            sheet.replace(Range(token.start[1], token.end[1]), name)
        if token.string.startswith(("f'", 'f"')) and re.search(rf"\{{[^}}]*\b{subject}\b", token.string):
            sheet.replace(Range(token.start[1], token.end[1]), _in_braces(token.string, subject, name))
        before = token.string
    return lead + sheet.result().rstrip("\n")


def _in_braces(text: str, subject: str, name: str) -> str:
    """An f-string with a variable called by another name where its parts read it."""
    word = re.compile(rf"(?<![\w.\'\"]){subject}\b")
    return re.sub(r"(?<!\{)\{[^{}]+\}", lambda part: word.sub(name, part[0]), text)


def _tokens_of_part(line: str) -> list:  # type: ignore[type-arg]
    """The tokens of a line that is no statement by itself, such as `else:` or the middle of a call."""
    import io
    import tokenize

    found = []
    try:
        for token in tokenize.generate_tokens(io.StringIO(line + "\n").readline):
            found.append(token)
    except (tokenize.TokenError, IndentationError):
        pass
    return found


def indents_of(sheet: Sheet, cls: ast.ClassDef) -> tuple[str, str]:
    inner = sheet.indent(cls.body[0].lineno)
    if inner == sheet.indent(cls.lineno):
        raise Untouchable(f"the class {cls.name} stands on one line")
    return inner, inner


def put_method(scene: Scene, sheet: Sheet, cls: ast.ClassDef, code: str) -> None:
    ends = {f.node: f.end for f in scene.functions}
    last = cls.body[-1]
    end = max(ends.get(last, 0), last.end_lineno or last.lineno)  # type: ignore[call-overload]
    lone = len(cls.body) == 1 and isinstance(last, ast.Pass)
    if lone and not [t for t in sheet.tokens if t.string.startswith("#") and t.start[0] == last.lineno]:
        sheet.replace_lines(last.lineno, last.lineno, code)
    else:
        sheet.insert(end + 1, f"\n{code}")


def put_base(
    scene: Scene, sheet: Sheet, classes: Sequence[ast.ClassDef], base: str, stub: str, unit: str, bases: str = ""
) -> None:
    first = min(classes, key=lambda c: c.lineno)
    line = min([first.lineno, *(d.lineno for d in first.decorator_list)])
    while line > 1 and sheet.line(line - 1).startswith("#"):
        line -= 1
    slots = not bases and any(
        isinstance(s, ast.Assign) and ast.unparse(s.targets[0]) == "__slots__" for c in classes for s in c.body
    )
    head = f"{unit}__slots__ = ()\n\n" if slots else ""
    said = f'{unit}"""What {scene.node.name} asks; each kind answers for itself."""\n\n'
    sheet.insert(line, f"class {base}{bases}:\n{said}{head}{stub}\n\n")


def add_base(sheet: Sheet, cls: ast.ClassDef, base: str) -> None:
    if cls.bases:
        last = sheet.of(cls.bases[-1])
        sheet.replace(Range(last.end, last.end), f", {base}")
        return
    start = sheet.line_start(cls.lineno)
    at = sheet.text.index(cls.name, sheet.text.index("class", start) + 5) + len(cls.name)
    if sheet.text[at : at + 2] == "()":
        sheet.replace(Range(at, at + 2), f"({base})")
    elif sheet.text[at] == "(":
        sheet.replace(Range(at + 1, at + 1), f"{base}, ")
    else:
        sheet.replace(Range(at, at), f"({base})")


def put_first(sheet: Sheet, cls: ast.ClassDef, line: str) -> None:
    """A line at the top of a class, below its docstring."""
    first = cls.body[0]
    is_doc = isinstance(first, ast.Expr) and isinstance(first.value, ast.Constant)
    if isinstance(first, ast.Pass) and len(cls.body) == 1:
        sheet.replace_lines(first.lineno, first.lineno, line)
    elif is_doc:
        sheet.insert((first.end_lineno or first.lineno) + 1, f"\n{line}")
    else:
        blank = "\n" if isinstance(first, ast.FunctionDef) else ""
        sheet.insert(min([first.lineno, *(d.lineno for d in getattr(first, "decorator_list", []))]), f"{line}{blank}")
